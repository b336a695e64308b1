"""Settled values written while the log is replayed: the same file whatever the pieces, held against values followed one by one."""

from __future__ import annotations

import gzip
import tempfile
import unittest
from pathlib import Path
from random import Random
from unittest import mock

import zstandard
from msgspec.structs import replace

from tests.strategies import dense_log, random_case, random_log
from whorlograph.desk import results
from whorlograph.desk.session import Paths, Session
from whorlograph.engine import controller as controllers
from whorlograph.engine import settled
from whorlograph.engine.controller import Controller
from whorlograph.formats.settled_csv import shown_value
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import IoList


def followed(session: Session) -> list[str]:
    """The file's lines, from every row of the journal in order."""
    journal, tags = session.journal, session.running.tags
    shown = sorted((t for t in tags[:session.running.public] if not t.computed and t.type.bits), key=lambda t: t.name)
    value = {t.index: journal.initial[t.index] for t in shown}
    lines = ["time,scan,tag,value", *(f"0.000000,0,{t.name},{shown_value(value[t.index], t)}" for t in shown)]
    settled, rows = dict(value), [(journal.scan(r), journal.tag(r), journal.raw(r)) for r in range(len(journal))]
    for scan in sorted({s for s, _, _ in rows if s <= journal.clock.last}):
        for _, tag, raw in (r for r in rows if r[0] == scan):
            value[tag] = raw
        micro = journal.clock.start(scan) // 1000
        for tag in shown:
            if value[tag.index] != settled[tag.index]:
                settled[tag.index] = value[tag.index]
                lines.append(f"{micro // 1_000_000}.{micro % 1_000_000:06d},{scan},{tag.name},{shown_value(value[tag.index], tag)}")
    return lines


class Results(unittest.TestCase):
    """Random programs and logs, several rows a scan too."""

    def written(self, session: Session) -> list[str]:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "out.csv"
            results.replay_into(session, path)
            return path.read_text().splitlines()

    def test_packed_by_its_name_it_holds_the_same_and_leaves_nothing_beside(self) -> None:
        random = Random(5)
        program, profile = random_case(random)
        controller = Controller(program, profile)
        session = Session(controller, random_log(random, controller.running), IoList({}), [], Paths(Path("test.xml")))
        with tempfile.TemporaryDirectory() as folder:
            for kind in ("csv", "vcd"):
                for name in (kind, f"{kind}.gz", f"{kind}.zst"):
                    results.replay_into(session, Path(folder) / f"out.{name}")
                plain = (Path(folder) / f"out.{kind}").read_bytes()
                self.assertEqual(gzip.decompress((Path(folder) / f"out.{kind}.gz").read_bytes()), plain)
                with zstandard.open(Path(folder) / f"out.{kind}.zst", "rb") as packed:
                    self.assertEqual(packed.read(), plain)
            self.assertEqual(len(list(Path(folder).iterdir())), 6)
            with mock.patch("shutil.copyfileobj", side_effect=OSError(28, "No space left on device")), self.assertRaises(UsageError):
                results.replay_into(session, Path(folder) / "full.csv.gz")
            self.assertEqual(len(list(Path(folder).iterdir())), 6)

    def test_pieces_of_any_size_make_the_same_file(self) -> None:
        pieces = 0
        for seed in range(16):
            random = Random(seed)
            program, profile = random_case(random, seed % 4 == 1, large=True)
            for plain in (False, True):
                controller = Controller(program, profile, plain=plain)
                log = dense_log(Random(seed), controller.running, 400, 300_000_000) if seed % 3 == 0 else random_log(Random(seed), controller.running)
                session = Session(controller, log, IoList({}), [], Paths(Path("test.xml")))
                expected = followed(session)
                for rows, piece, worth in ((1, 10_000_000, 1 << 30), (7, 33_000_000, 1), (1 << 19, 60_000_000_000, 20)):
                    with mock.patch.multiple(settled, MOST_RECORDS=rows, WORTH_IT=worth), mock.patch.object(controllers, "FIRST_PIECE", piece):
                        self.assertEqual(self.written(session), expected, (seed, plain, rows))
                        pieces += 1
        self.assertEqual(pieces, 96)

    def test_a_piece_may_end_between_a_task_s_rows_and_their_scan(self) -> None:
        pieces = 0
        for seed in (9001, *range(9101, 9117, 4)):  # the pieces of the first used to take a scan's start from the scan before
            program, profile = random_case(Random(seed), tasked=True)
            controller = Controller(program, replace(profile, rung_time=1_000_000))
            log = random_log(Random(seed), controller.running)
            log = type(log)(log.times, log.tags, log.values, end=log.end + 3_000_000_000, rows=log.rows)
            session = Session(controller, log, IoList({}), [], Paths(Path("test.xml")))
            expected = followed(session)
            for piece in (1_000_000, 5_000_000, 7_300_000):
                with mock.patch.object(controllers, "FIRST_PIECE", piece):
                    self.assertEqual(self.written(session), expected, (seed, piece))
                    pieces += 1
        self.assertEqual(pieces, 15)

    def test_an_empty_log_leaves_the_first_scan_s_values(self) -> None:
        program, profile = random_case(Random(3))
        controller = Controller(program, profile)
        log = random_log(Random(3), controller.running)
        empty = type(log)(log.times[:0], log.tags[:0], log.values[:0], end=0, rows=0)
        session = Session(controller, empty, IoList({}), [], Paths(Path("test.xml")))
        self.assertEqual(self.written(session), followed(session))


if __name__ == "__main__":
    unittest.main()
