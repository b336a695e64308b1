"""Logs read once and kept: the same as read anew, never for another file, program or profile, never half of one."""

from __future__ import annotations

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests.building import program_of
from whorlograph.desk import kept_logs, session
from whorlograph.desk.session import Paths, Session, load, read_on
from whorlograph.engine import kept
from whorlograph.formats import logs
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.parts import Ladder, coil, no


def _two(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))
    ladder.rung(no("X2"), coil("Y2"))


def _written() -> None:
    """What waits to be kept, written before anything goes on."""
    kept.write_waiting()
    kept.finish_writing()


class KeptLogs(unittest.TestCase):
    """A folder of its own stands for the user's."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        for patch in (mock.patch.object(kept, "kept_folder", lambda: self.folder / "kept"),
                      mock.patch.object(session, "write_waiting", _written), mock.patch.object(kept_logs, "read_logs", self.counted)):
            patch.start()
            self.addCleanup(patch.stop)
        self.reads = 0
        self.program, self.log = self.folder / "p.xml", self.folder / "l.csv"
        self.program.write_bytes(write_xml(program_of(_two, "X1 X2 Y1 Y2")))
        self.write(12_000)

    def counted(self, *args: object, **more: object) -> object:
        self.reads += 1
        return logs.read_logs(*args, **more)  # type: ignore[arg-type]

    def write(self, rows: int, tag: str = "X1") -> None:
        self.log.write_text("time,tag,value\n" + "".join(f"{i / 10},{tag},{i % 2}\n" for i in range(rows)) + "nonsense,X1,1\n0.05,Nobody,1\n")

    def loaded(self, *more: Path, profile: Path | None = None) -> Session:
        return load(Paths(self.program, (self.log, *more), profile=profile))

    def assert_same(self, one: Session, other: Session) -> None:
        for column in ("times", "tags", "values"):
            a, b = getattr(one.log, column), getattr(other.log, column)
            self.assertEqual((a.dtype, a.tolist()), (b.dtype, b.tolist()))
        for name in one.log.__struct_fields__[3:]:
            self.assertEqual(getattr(one.log, name), getattr(other.log, name), name)
        self.assertEqual(one.log_notices, other.log_notices)

    def test_the_second_time_it_is_the_same_and_not_read(self) -> None:
        first = self.loaded()
        self.assertTrue(first.log_notices)
        again = self.loaded()
        self.assertEqual(self.reads, 1)
        self.assert_same(first, again)
        self.assertEqual([b.scan(0) for b in first.journal.blocks], [b.scan(0) for b in again.journal.blocks])
        self.assertEqual(len(first.journal), len(again.journal))

    def test_another_content_program_profile_or_set_of_files_is_read(self) -> None:
        self.loaded()
        self.write(12_000, "X2")
        self.assertEqual(set(self.loaded().log.tags.tolist()), {self.loaded().running.find("X2")})
        self.assertEqual(self.reads, 2)
        profile = self.folder / "p.toml"
        profile.write_text('scan_time = "20ms"\n')
        self.loaded(profile=profile)
        self.assertEqual(self.reads, 3)
        other = self.folder / "m.csv"
        other.write_text("time,tag,value\n0.5,X1,1\n")
        self.assertEqual(self.loaded(other).log.rows, self.loaded().log.rows + 1)
        self.assertEqual(self.reads, 4)
        self.program.write_bytes(self.program.read_bytes().replace(b"X2", b"Z2"))
        self.assertIn("X2", " ".join(self.loaded().log.unknown))

    def test_a_log_that_is_written_to_while_it_is_read_is_not_kept(self) -> None:
        def written_to(*args: object, **more: object) -> object:
            found = logs.read_logs(*args, **more)  # type: ignore[arg-type]
            with self.log.open("a") as file:
                file.write("9000,X1,1\n")
            return found

        before = self.log.read_bytes()
        with mock.patch.object(kept_logs, "read_logs", written_to):
            self.loaded()
        self.log.write_bytes(before)
        os.utime(self.log)
        self.loaded()
        self.assertEqual(self.reads, 1)

    def test_a_part_of_a_log_is_not_kept_for_the_whole(self) -> None:
        self.write(900_000)
        head = load(Paths(self.program, (self.log,)), head=True)
        self.assertFalse(head.log.complete)
        whole = self.loaded()
        self.assertTrue(whole.log.complete)
        self.assertEqual(self.reads, 2)
        # Kept now, the whole is there at once.
        self.assertEqual(load(Paths(self.program, (self.log,)), head=True).log.end, whole.log.end)
        self.assertEqual(self.reads, 2)

    def test_read_on_keeps_it_too(self) -> None:
        self.write(900_000)
        work = read_on(load(Paths(self.program, (self.log,)), head=True), lambda: False)
        while True:
            try:
                next(work)
            except StopIteration as done:
                whole = done.value
                break
        self.assert_same(whole, self.loaded())
        self.assertEqual(self.reads, 2)

    def test_small_ones_pipes_and_damaged_ones(self) -> None:
        self.write(10)
        self.loaded()
        self.loaded()
        self.assertEqual(self.reads, 2)
        self.write(12_000)
        first = self.loaded()
        file = next((self.folder / "kept").glob("*.log"))
        file.write_bytes(file.read_bytes()[:-1])
        self.assert_same(first, self.loaded())
        self.assertEqual(self.reads, 4)


if __name__ == "__main__":
    unittest.main()
