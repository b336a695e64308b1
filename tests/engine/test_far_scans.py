"""Scans beyond 2^31 and 2^32: a log of weeks at a millisecond a scan has the rows of one that lasts seconds, only later."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from msgspec.structs import replace

from tests.building import MS, log_of, session_of, tasked
from whorlograph.desk.asking import ask
from whorlograph.desk.results import replay_into
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.model.parts import Ladder, coil, counter, nc, no, rises, timer
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program, Task

QUIET = 10_000  # ms after which the program is at rest


def _main(ladder: Ladder) -> None:
    ladder.rung(no("X1"), timer("TON", "T1", "T#30ms"), coil("Y1"))
    ladder.rung(rises("X2"), counter("C1", "2", no("X3")), coil("Y2"))
    ladder.rung(no("Y1"), nc("Y2"), coil("Y3"))


def _task(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("M1"))


def program() -> Program:
    return tasked({"Main": _main, "Beside": _task}, "X1 X2 X3 Y1 Y2 Y3 M1", {"Beside": Task("T", 1, "T#7ms")}, "T1:TON C1:CTU")


EVENTS = [(0, "X1", 1), (20, "X1", 0), (40, "X1", 1), (90, "X2", 1), (95, "X2", 0), (96, "X2", 1), (150, "X3", 1), (151, "X1", 0)]


def replayed(shift: int, rung_time: int) -> tuple[Controller, Journal]:
    controller = Controller(program(), replace(Profile(), scan_time=MS, rung_time=rung_time))
    log = log_of(controller, [(0, "X1", 0), *((t + shift, n, v) for t, n, v in EVENTS)], end=shift + 300)
    return controller, controller.replay(log)


class FarScans(unittest.TestCase):
    """Against the same changes early in the log."""

    def late_rows(self, journal: Journal, shift: int) -> list[tuple[int, ...]]:
        return [(journal.scan(r) - shift, journal.time(r) - shift * MS, journal.moment(r).step, journal.tag(r), journal.raw(r))
                for r in range(len(journal)) if journal.scan(r) > 10]

    def test_rows_are_the_same_only_later(self) -> None:
        for rung_time in (0, 100_000):
            expected = self.late_rows(replayed(QUIET * 7, rung_time)[1], QUIET * 7)
            self.assertGreater(len(expected), 20)
            # A multiple of the task's interval each, around the seams at 2^31 and 2^32 scans.
            for seam in (1 << 31, 1 << 32) if not rung_time else (1 << 16,):
                for before in (20, 100, 700):
                    shift = (seam - before) // 7 * 7
                    with self.subTest(seam=seam, before=before, rung_time=rung_time):
                        self.assertEqual(self.late_rows(replayed(shift, rung_time)[1], shift), expected)

    def test_answers_and_files_tell_the_right_times(self) -> None:
        shift = ((1 << 31) // 7 + 11) * 7
        rows = [(0, "X1", 0), *((t + shift, n, v) for t, n, v in EVENTS)]
        session = session_of(program(), rows, end=shift + 300, scan_time=MS)
        answer = ask(session, "Y1")
        self.assertEqual((answer.time, answer.scan), ((shift + 151) * MS, shift + 152))
        self.assertEqual({r.since for r in answer.roots}, {(shift + 151) * MS})
        with tempfile.TemporaryDirectory() as folder:
            replay_into(session, Path(folder) / "out.csv")
            last = [line for line in (Path(folder) / "out.csv").read_text().splitlines() if ",Y1," in line][-1]
        time, scan, _, _ = last.split(",")
        self.assertEqual((round(float(time) * 1000), int(scan)), (shift + 151, shift + 152))


if __name__ == "__main__":
    unittest.main()
