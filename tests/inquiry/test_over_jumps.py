"""One of two areas runs, as jumps have it: a jump at the end of the first is jumped over itself where the second runs."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import MS, program_of, session_of
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.engine.controller import Controller
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, coil, jump, nc, no, set_
from whorlograph.model.question import Symptom

LIST = """ LD X1
 OR M
 AND X2
 ANDN Bad
 ST M
 LD M
 ANDN X3
 ST T1.IN
 CAL T1(PT := T#3s)
 LD T1.Q
 S Bad
 LDN M
 JMPC off
 LD X3
 ST Y1
 JMP done
off: LD FALSE
 ST Y1
done: LD TRUE"""
HEALTHY = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0)]


def _rounds(*starts: int) -> list[tuple[int, str, int]]:
    return HEALTHY + [row for t in starts for row in ((t, "X1", 1), (t + 200, "X1", 0), (t + 500, "X3", 1), (t + 4000, "X2", 0), (t + 4200, "X2", 1),
                                                      (t + 4500, "X3", 0))]


def _list(rows: list[tuple[int, str, int]], symptom: Symptom | None = None) -> Asked:
    return asked(text_session(LIST, rows, "T1 : TON; M, Bad : BOOL;"), "Y1", symptom=symptom)


class OverJumps(unittest.TestCase):
    """An instruction list with two areas, and the same in ladder."""

    def test_a_drop_leads_through_the_jump_that_is_jumped_over(self) -> None:
        found = _list([*_rounds(1000, 10_000), (15_000, "X3", 0)])
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)
        self.assertIn("runs again; it had not run since 10.000 s", found.text)
        self.assertIn("the jump in Main 20 is no longer taken at 14.000 s: Main 16 jumps over Main 20", found.text)
        self.assertIn("M went off at 14.000 s: in Main 5, line 9 X2 became FALSE first", found.text)

    def test_what_stays_off_in_the_other_area_says_why_that_runs(self) -> None:
        found = _list([*_rounds(1000, 10_000), (20_000, "X1", 1), (20_200, "X1", 0), (24_000, "X3", 1), (26_000, "X3", 1)], Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots[:2], [("program", "Main.Bad", None), ("field-input", "X3", True)], found.text)
        self.assertIn("runs, and what would leave it out does not, since 23.010 s: Main 16 jumps over Main 20", found.text)
        self.assertIn("Main.Bad is set by Main 14, and no rung resets it", found.answer.roots[0].text)
        self.assertEqual(found.answer.roots[1].proof, "with X3 held on, Y1 pulls in already at 20.000 s")

    def test_what_stays_on_says_since_when_the_other_area_is_left_out(self) -> None:
        found = _list([*_rounds(1000)[:-3], (9000, "N1", 1)])
        self.assertIn("Main 20 jumps over Main 21 since 1.000 s", found.text)
        self.assertIn("the jump in Main 20 is taken from 1.000 s on: Main 20 runs for the first time", found.text)
        self.assertIn("X1", [r[1] for r in found.roots])

    def test_the_same_in_ladder(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(nc("X2"), jump("Off"))
            ladder.rung(no("X1"), coil("Y1"))
            ladder.rung(jump("Done"))
            ladder.label("Off")
            ladder.rung(no("X3"), coil("Y1"))
            ladder.label("Done")
            ladder.rung(no("X1"), coil("Y2"))

        rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (500, "X2", 0), (700, "X2", 1), (3000, "X2", 0), (5000, "X2", 0)]
        found = asked(session_of(program_of(draw, "X1 X2 X3 Y1 Y2"), rows), "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
        self.assertIn("Y1 went off at 3.000 s: Main 4 runs again; it had not run since 0.700 s", found.text)
        self.assertIn("the jump in Main 3 is no longer taken at 3.000 s: Main 1 jumps over Main 3", found.text)

    def test_of_two_jumps_over_one_rung_the_one_that_is_taken_now_counts(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), jump("Over"))
            ladder.rung(no("X2"), jump("Over"))
            ladder.rung(no("X3"), coil("Y1"))
            ladder.label("Over")
            ladder.rung(no("X3"), coil("Y2"))

        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (2000, "X1", 1), (4000, "X2", 1), (5000, "X1", 0), (6000, "X3", 0), (8000, "X2", 1)]
        session = session_of(program_of(draw, "X1 X2 X3 Y1 Y2"), rows, 9000)
        late = asked(session, "Y1")
        self.assertEqual(late.roots, [("field-input", "X2", True)], late.text)
        self.assertIn("Main 2 jumps over Main 3 since 5.000 s, which has not run since 2.000 s", late.text)
        early = asked(session, "Y1", "4.5")
        self.assertEqual([name for _, name, _ in early.roots if name in ("X1", "X2")], ["X1", "X2"], early.text)
        self.assertIn("Main 2 would jump over Main 3 too: X2", early.text)

    def test_no_jump_over_jumps_is_told_with_a_wrong_time(self) -> None:
        """Random nests of jumps ahead: when each rung ran, by walking the rungs as CONTROLLER.md has it, without the product."""
        compared = 0
        for seed in range(28):
            random = Random(seed)
            rungs = [(random.choice(["X0", "X1", "X2", ""]), random.randint(n + 1, 13)) if random.random() < 0.6 else None for n in range(12)]
            program = program_of(lambda ladder, rungs=rungs: _draw(ladder, rungs), "X0 X1 X2 Y0")  # type: ignore[misc]
            rows = [(0, f"X{n}", 0) for n in range(3)] + [(10 * random.randint(1, 60), f"X{random.randrange(3)}", random.randint(0, 1)) for _ in range(25)]
            session = session_of(program, rows, end=700)
            ran = _walked(rungs, session.controller, session.log)
            paths, journal = session.controller.paths, session.journal
            for scan in range(1, journal.clock.last + 1):
                for step in range(12):
                    last = max((s for s in range(1, scan + 1) if step in ran[s]), default=0)
                    without = max((s for s in range(1, scan + 1) if step not in ran[s]), default=0)
                    self.assertEqual((paths.last_run(journal, step, scan), paths.last_left_out(journal, step, scan)), (last, without),
                                     (seed, scan, step, rungs))
                    compared += 0 < last < scan
        self.assertGreater(compared, 1000)


def _draw(ladder: Ladder, rungs: list[tuple[str, int] | None]) -> None:
    for n, one in enumerate(rungs):
        ladder.label(f"L{n}")
        ladder.rung(*([no(one[0])] if one is not None and one[0] else []), jump(f"L{one[1]}") if one is not None else coil("Y0"))
    for n in (12, 13):
        ladder.label(f"L{n}")
        ladder.rung(no("X0"), set_("Y0"))


def _walked(rungs: list[tuple[str, int] | None], controller: Controller, log: Log) -> list[set[int]]:
    """By scan: the rungs that ran."""
    names, values, at = {t.index: t.name for t in controller.running.tags}, {"": 1}, 0
    found: list[set[int]] = [set()]
    for scan in range(1, log.end // (10 * MS) + 2):
        while at < len(log.times) and log.times[at] <= (scan - 1) * 10 * MS:
            values[names[int(log.tags[at])]] = int(log.values[at])
            at += 1
        here, n = set(), 0
        while n < len(rungs):
            here.add(n)
            one = rungs[n]
            n = one[1] if one is not None and values[one[0]] else n + 1
        found.append(here)
    return found


if __name__ == "__main__":
    unittest.main()
