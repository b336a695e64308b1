"""Laws of CONTROLLER.md, each on a small program; both engines must keep them."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from dataclasses import dataclass, field

from tests.building import Rows, controller_of, course_of, log_of, program_of
from whorlograph.model.ladder import CoilKind
from whorlograph.model.parts import Ladder, call, coil, compare, counter, either, falls, jump, leave, nc, no, reset, rises, series, set_, timer


@dataclass(frozen=True)
class Case:
    """A law: a program, its tags, a log, and what a tag must do: (scan, value) at each change."""

    name: str
    draw: Callable[[Ladder], None]
    tags: str
    rows: Rows
    tag: str
    expected: list[tuple[int, int]]
    blocks: str = ""
    initial: dict[str, str] = field(default_factory=dict)
    end: int | None = None
    profile: dict[str, object] = field(default_factory=dict)


def _jumped(ladder: Ladder) -> None:
    ladder.rung(no("X2"), jump("End"))
    ladder.rung(no("X1"), coil("Y1"))
    ladder.label("End")
    ladder.rung(no("X1"), coil("Y2"))


def _jumped_timer(ladder: Ladder) -> None:
    ladder.rung(no("X2"), jump("End"))
    ladder.rung(no("X1"), timer("TON", "T1", "T#50ms"), coil("Y1"))
    ladder.label("End")
    ladder.rung(no("X1"), coil("Y2"))


def _two_coils(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))
    ladder.rung(no("X2"), coil("Y1"))


def _back(ladder: Ladder) -> None:
    ladder.rung(no("X1"), call("MOVE", ("IN", "0"), out="N1"))
    ladder.label("Again")
    ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
    ladder.rung(compare("LT", "N1", "5"), jump("Again"))


CASES = (
    Case("power reaches a coil in the scan that sees the input", lambda ladder: ladder.rung(no("X1"), coil("Y1")), "X1 Y1",
         [(0, "X1", 0), (20, "X1", 1), (45, "X1", 0), (100, "X1", 0)], "Y1", [(3, 1), (6, 0)]),
    Case("a row at time 0 shows in scan 1", lambda ladder: ladder.rung(no("X1"), coil("Y1")), "X1 Y1", [(0, "X1", 1), (50, "X1", 1)], "Y1", [(1, 1)]),
    Case("a pulse between two scans is not seen", lambda ladder: ladder.rung(no("X1"), set_("Y1")), "X1 Y1",
         [(0, "X1", 0), (11, "X1", 1), (19, "X1", 0), (100, "X1", 0)], "Y1", []),
    Case("a seal-in holds after the button is released", lambda ladder: ladder.rung(either(no("X1"), no("Y1")), no("X2"), coil("Y1")), "X1 X2 Y1",
         [(0, "X2", 1), (20, "X1", 1), (30, "X1", 0), (60, "X2", 0), (90, "X2", 0)], "Y1", [(3, 1), (7, 0)]),
    Case("a rising contact never passes at its first evaluation", lambda ladder: ladder.rung(rises("X1"), set_("Y1")), "X1 Y1",
         [(0, "X1", 1), (100, "X1", 1)], "Y1", []),
    Case("a rising contact passes in one evaluation", lambda ladder: ladder.rung(rises("X1"), coil("Y1")), "X1 Y1",
         [(0, "X1", 0), (20, "X1", 1), (100, "X1", 1)], "Y1", [(3, 1), (4, 0)]),
    Case("a falling contact passes in one evaluation", lambda ladder: ladder.rung(falls("X1"), coil("Y1")), "X1 Y1",
         [(0, "X1", 1), (20, "X1", 0), (100, "X1", 0)], "Y1", [(3, 1), (4, 0)]),
    Case("a negated coil writes the inverse", lambda ladder: ladder.rung(no("X1"), coil("Y1", CoilKind.NEGATED)), "X1 Y1",
         [(0, "X1", 0), (20, "X1", 1), (50, "X1", 1)], "Y1", [(1, 1), (3, 0)]),
    Case("a reset below a set wins", lambda ladder: (ladder.rung(no("X1"), set_("Y1")), ladder.rung(no("X2"), reset("Y1"))), "X1 X2 Y1",  # type: ignore[arg-type,return-value]
         [(0, "X1", 1), (0, "X2", 0), (20, "X2", 1), (60, "X2", 1)], "Y1", [(1, 1), (3, 0)]),
    Case("a powered jump keeps a skipped coil on", _jumped, "X1 X2 Y1 Y2",
         [(0, "X1", 1), (30, "X2", 1), (40, "X1", 0), (80, "X2", 0), (120, "X2", 0)], "Y1", [(1, 1), (9, 0)]),
    Case("what is not skipped goes on", _jumped, "X1 X2 Y1 Y2",
         [(0, "X1", 1), (30, "X2", 1), (40, "X1", 0), (80, "X2", 0), (120, "X2", 0)], "Y2", [(1, 1), (5, 0)]),
    Case("a skipped timer is brought to the clock when it runs again", _jumped_timer, "X1 X2 Y1 Y2",
         [(0, "X1", 1), (20, "X2", 1), (120, "X2", 0), (150, "X2", 0)], "Y1", [(13, 1)], "T1:TON"),
    Case("of two coils the later one of a scan settles", _two_coils, "X1 X2 Y1", [(0, "X1", 1), (0, "X2", 0), (50, "X2", 1), (80, "X2", 1)], "Y1", [(6, 1)]),
    Case("a return ends the POU", lambda ladder: (ladder.rung(no("X1"), leave()), ladder.rung(no("X2"), coil("Y1"))), "X1 X2 Y1",  # type: ignore[arg-type,return-value]
         [(0, "X2", 1), (20, "X1", 1), (30, "X2", 0), (60, "X1", 0), (90, "X1", 0)], "Y1", [(1, 1), (7, 0)]),
    Case("a backward jump runs its rungs again in the same scan", _back, "X1 N1", [(0, "X1", 1), (40, "X1", 1)], "N1", [(1, 5)]),
    Case("an on-delay is on in the first scan whose clock reaches the preset", lambda ladder: ladder.rung(no("X1"), timer("TON", "T1", "T#35ms"), coil("Y1")),
         "X1 Y1", [(0, "X1", 0), (10, "X1", 1), (100, "X1", 0), (130, "X1", 0)], "Y1", [(6, 1), (11, 0)], "T1:TON"),
    Case("an off-delay holds on", lambda ladder: ladder.rung(no("X1"), timer("TOF", "T1", "T#35ms"), coil("Y1")),
         "X1 Y1", [(0, "X1", 1), (20, "X1", 0), (130, "X1", 0)], "Y1", [(1, 1), (7, 0)], "T1:TOF"),
    Case("an off-delay bridges a short opening", lambda ladder: ladder.rung(no("X1"), timer("TOF", "T1", "T#35ms"), coil("Y1")),
         "X1 Y1", [(0, "X1", 1), (20, "X1", 0), (45, "X1", 1), (130, "X1", 1)], "Y1", [(1, 1)], "T1:TOF"),
    Case("a pulse is not retriggered while it runs", lambda ladder: ladder.rung(no("X1"), timer("TP", "T1", "T#40ms"), coil("Y1")),
         "X1 Y1", [(0, "X1", 0), (10, "X1", 1), (20, "X1", 0), (30, "X1", 1), (200, "X1", 1)], "Y1", [(2, 1), (6, 0)], "T1:TP"),
    Case("a counter counts rises and is set back", lambda ladder: ladder.rung(no("X1"), counter("C1", "2", no("X2")), coil("Y1")),
         "X1 X2 Y1", [(0, "X1", 0), (10, "X1", 1), (20, "X1", 0), (30, "X1", 1), (60, "X2", 1), (90, "X2", 1)], "Y1", [(4, 1), (7, 0)], "C1:CTU"),
    Case("a block whose EN is unpowered keeps what it wrote", lambda ladder: ladder.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1")),
         "X1 N1", [(0, "X1", 0), (20, "X1", 1), (50, "X1", 0), (90, "X1", 0)], "N1", [(3, 1), (4, 2), (5, 3)]),
    Case("an overflow wraps when the profile says so", lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "20000"), out="N1")), "X1 N1",
         [(0, "X1", 0), (20, "X1", 1)], "N1", [(1, 20000), (2, -25536), (3, -5536)], profile={"on_overflow": "wrap"}),
    Case("an overflow saturates when the profile says so", lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "20000"), out="N1")), "X1 N1",
         [(0, "X1", 0), (20, "X1", 1)], "N1", [(1, 20000), (2, 32767)], profile={"on_overflow": "saturate"}),
    Case("a fault switches the outputs off", lambda ladder: (ladder.rung(nc("X1"), coil("Y1")),  # type: ignore[arg-type,return-value]
                                                             ladder.rung(no("X2"), call("DIV", ("IN1", "N1"), ("IN2", "N2"), out="N1"))),
         "X1 X2 Y1 N1 N2", [(0, "X1", 0), (40, "X2", 1), (90, "X2", 0)], "Y1", [(1, 1), (5, 0)]),
    Case("inputs are still copied after a fault", lambda ladder: ladder.rung(no("X2"), call("DIV", ("IN1", "N1"), ("IN2", "N2"), out="N1")),
         "X1 X2 Y1 N1 N2", [(0, "X1", 0), (40, "X2", 1), (60, "X1", 1), (90, "X2", 0)], "X1", [(7, 1)]),
    Case("the first scan's tag is on in the first scan only", lambda ladder: ladder.rung(no("First"), coil("Y1")), "X1 First Y1",
         [(0, "X1", 1), (50, "First", 1), (90, "X1", 0)], "Y1", [(1, 1), (2, 0)], profile={"first_scan": "First"}),
    Case("a blinking tag begins off", lambda ladder: ladder.rung(no("Blink"), coil("Y1")), "X1 Blink Y1",
         [(0, "X1", 1), (90, "X1", 0)], "Y1", [(4, 1), (7, 0), (10, 1)], profile={"blink": (("blink", 30_000_000),)}),
    Case("a series of contacts conducts when all do", lambda ladder: ladder.rung(series(no("X1"), nc("X2")), coil("Y1")), "X1 X2 Y1",
         [(0, "X1", 1), (30, "X2", 1), (60, "X2", 0), (90, "X2", 0)], "Y1", [(1, 1), (4, 0), (7, 1)]),
)


class Laws(unittest.TestCase):
    """Every case on both engines."""

    def test_every_law_holds_in_both_engines(self) -> None:
        self.assertGreater(len(CASES), 20)
        for case in CASES:
            for plain in (False, True):
                with self.subTest(case.name, plain=plain):
                    program = program_of(case.draw, case.tags, case.blocks, case.initial)
                    profile = dict(case.profile)
                    if "on_overflow" in profile:
                        from whorlograph.model.profile import Overflow

                        profile["on_overflow"] = Overflow(profile["on_overflow"])
                    controller = controller_of(program, plain, **profile)
                    journal = controller.replay(log_of(controller, case.rows, case.end))
                    self.assertEqual(course_of(journal, controller, case.tag), case.expected)

    def test_a_scan_longer_than_the_watchdog_halts(self) -> None:
        def long(ladder: Ladder) -> None:
            for _ in range(30):
                ladder.rung(no("X1"), coil("Y1"))

        for plain in (False, True):
            with self.subTest(plain=plain):
                controller = controller_of(program_of(long, "X1 Y1"), plain, rung_time=1_000_000, watchdog=25_000_000)
                journal = controller.replay(log_of(controller, [(0, "X1", 1), (100, "X1", 1)]))
                assert journal.fault is not None
                self.assertEqual((journal.fault.code, journal.fault.scan, journal.fault.number), ("watchdog", 1, 26))

    def test_steps_that_take_time_put_the_next_scan_off(self) -> None:
        def four(ladder: Ladder) -> None:
            for _ in range(4):
                ladder.rung(no("X1"), coil("Y1"))

        for plain in (False, True):
            with self.subTest(plain=plain):
                controller = controller_of(program_of(four, "X1 Y1"), plain, rung_time=4_000_000)
                journal = controller.replay(log_of(controller, [(0, "X1", 1), (100, "X1", 1)]))
                self.assertEqual(journal.clock.start(2), 16_000_000)
                self.assertEqual(journal.clock.last, 7)

    def test_an_endless_loop_is_a_fault(self) -> None:
        def endless(ladder: Ladder) -> None:
            ladder.label("Again")
            ladder.rung(no("X1"), jump("Again"))

        controller = controller_of(program_of(endless, "X1 Y1"))
        journal = controller.replay(log_of(controller, [(0, "X1", 0), (50, "X1", 1), (80, "X1", 1)]))
        assert journal.fault is not None
        self.assertEqual((journal.fault.code, journal.fault.scan), ("too many steps", 6))


if __name__ == "__main__":
    unittest.main()
