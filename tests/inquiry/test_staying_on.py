"""Why something does not drop out, or stays off, where a mode, a task, a stuck auxiliary or an end that did not come decides."""

from __future__ import annotations

import re
import unittest

from msgspec.structs import replace

from tests.building import Rows, program_of, session_of, tasked
from tests.inquiry.test_everyday import Asked, asked, modes_of, on
from tests.texts import text_session
from whorlograph.model.iolist import Point, Wiring
from whorlograph.model.parts import Ladder, call, coil, either, nc, no, reset, series, set_, timer
from whorlograph.model.program import Task, Variable, VariableKind
from whorlograph.model.question import Symptom
from whorlograph.model.types import Named

STAYS, STAYS_OFF = Symptom.WILL_NOT_DROP_OUT, Symptom.WILL_NOT_PULL_IN


def _hand(ladder: Ladder) -> None:
    ladder.rung(no("X2"), no("X4"), coil("Y1"))


def _auto(ladder: Ladder) -> None:
    ladder.rung(no("X3"), coil("Y1"))


class HeldBesides(unittest.TestCase):
    """A button that is still pressed, beside a seal-in."""

    ROWS = ((0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (1000, "X1", 1), (1300, "X2", 1), (1500, "X1", 0), (3000, "X2", 1))

    def _text(self, *rungs: tuple[object, ...]) -> str:
        def draw(ladder: Ladder) -> None:
            for rung in rungs:
                ladder.rung(*rung)  # type: ignore[arg-type]

        return on(draw, "X1 X2 X3 M1 Y1", self.ROWS, "Y1", symptom=STAYS).text

    def test_it_would_hold_itself_too(self) -> None:
        self.assertIn("Y1 has power in Main 1: X2 and X3; without X2 it would hold itself",
                      self._text((either(no("X1"), no("X2"), no("Y1")), no("X3"), coil("Y1"))))

    def test_not_where_the_seal_in_is_open(self) -> None:
        text = self._text((nc("X3"), coil("M1")), (either(no("X1"), no("X2"), series(no("Y1"), no("M1"))), no("X3"), coil("Y1")))
        self.assertIn("Y1 has power in Main 2: X2 and X3", text)
        self.assertNotIn("hold itself", text)

    def test_released_it_only_holds_itself(self) -> None:
        rows = [*self.ROWS[:-1], (2000, "X2", 0), (3000, "X2", 0)]
        text = on(lambda ladder: ladder.rung(either(no("X1"), no("X2"), no("Y1")), no("X3"), coil("Y1")), "X1 X2 X3 M1 Y1", rows, "Y1",
                  symptom=STAYS).text
        self.assertIn("it holds itself, and X3 would end it", text)
        self.assertNotIn("without", text)


class Modes(unittest.TestCase):
    """X1 decides which of two POUs is called; both write the tag."""

    def test_the_switch_that_let_the_rung_run_again(self) -> None:
        # X2 came while the other mode ran: not what it brought about, but what the rung found when it was called again.
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (0, "X4", 1), (1000, "X2", 1), (2000, "X1", 1), (3000, "X1", 1)]
        found = asked(session_of(modes_of(_hand, _auto, "X1 X2 X3 X4 Y1"), rows), "Y1", symptom=STAYS)
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)
        self.assertIn("Hand 1 runs for the first time", found.text)
        self.assertIn("the call of Hand has power in", found.text)
        self.assertEqual([r.changed for r in found.answer.roots if r.tag == found.session.running.by_name["x2"]], [False])

    def test_the_switch_that_let_a_delay_begin(self) -> None:
        # X2 came while the other mode ran; the delay began when its POU was called again.
        def hand(ladder: Ladder) -> None:
            ladder.rung(no("X2"), timer("TON", "T1", "T#300ms"), coil("Y1"))

        program = modes_of(hand, _auto, "X1 X2 X3 Y1")
        block = program.pous["hand"]
        timed = replace(block, variables=(*block.variables, Variable("T1", Named("TON"), VariableKind.LOCAL)))
        program = replace(program, pous={**program.pous, "hand": timed})
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (1000, "X2", 1), (2000, "X1", 1), (3000, "X1", 1)]
        found = asked(session_of(program, rows), "Y1", symptom=STAYS)
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)
        self.assertIn("T1.IN went on at 2.000 s: Hand 1 runs for the first time", found.text)

    def test_the_other_mode_would_switch_it_off(self) -> None:
        rows = [(0, "X1", 1), (0, "X2", 0), (0, "X3", 0), (0, "X4", 1), (1000, "X2", 1), (3000, "X2", 1)]
        found = asked(session_of(modes_of(_hand, _auto, "X1 X2 X3 X4 Y1"), rows), "Y1", symptom=STAYS)
        self.assertIn("Auto 1 would write Y1 off: Auto 1 has not been called from the start", found.text)
        self.assertIn(("field-input", "X1", True), found.roots)
        self.assertEqual(found.roots[0][1], "X2", "what came on last leads")
        rows = [*rows[:2], (0, "X3", 1), *rows[3:]]
        agrees = asked(session_of(modes_of(_hand, _auto, "X1 X2 X3 X4 Y1"), rows), "Y1", symptom=STAYS)
        self.assertNotIn("would write", agrees.text, "the other mode would keep it on too")

    def test_the_other_mode_would_switch_it_on(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (0, "X4", 1), (1000, "X1", 1), (3000, "X1", 1)]
        found = asked(session_of(modes_of(_hand, _auto, "X1 X2 X3 X4 Y1"), rows), "Y1", "2.5", STAYS_OFF)
        self.assertIn("not-called", found.links)
        self.assertIn("Auto 1 would write Y1 on", found.text)
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)


class Held(unittest.TestCase):
    """A task that was held and is released."""

    def test_what_released_the_task_brought_it_about(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("X1"), call("TASK_HOLD", ("NAME", "'Tick'")))
            ladder.rung(no("X2"), call("TASK_RELEASE", ("NAME", "'Tick'")))

        program = tasked({"Main": main, "Fast": lambda ladder: ladder.rung(no("X3"), coil("Y1"))}, "X1 X2 X3 Y1", {"Fast": Task("Tick", 1, "T#20ms", "")})
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (600, "X1", 0), (800, "X3", 1), (1200, "X2", 1), (1250, "X2", 0), (1500, "X2", 0)]
        found = asked(session_of(program, rows), "Y1", symptom=STAYS)
        self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
        self.assertIn("task Tick runs again; it had been held since 0.5", found.text)
        # Not held: what came on is the cause, and nobody speaks of the task.
        calm = asked(session_of(program, [r for r in rows if r[1] != "X1"]), "Y1", symptom=STAYS)
        self.assertEqual(calm.roots[0][1], "X3")
        self.assertNotIn("runs again", calm.text)


class StuckAuxiliary(unittest.TestCase):
    """A contactor's auxiliary that stays closed: what it reports comes on without its start."""

    POINTS = {n: Point(n, "", "K1" if n in ("X2", "Y1") else n, "", "", Wiring.NORMALLY_OPEN, "", "") for n in ("X1", "X2", "X3", "Y1")}

    def ask(self, rows: Rows) -> Asked:
        def fan(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("X2")), no("X3"), coil("Y1"))

        return on(fan, "X1 X2 X3 Y1", rows, "Y1", symptom=STAYS, points=self.POINTS)

    def test_that_never_opened_again(self) -> None:
        start = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (500, "X1", 1), (520, "X2", 1), (900, "X1", 0)]
        found = self.ask([*start, (2000, "X3", 0), (2400, "X3", 1), (3000, "X3", 1)])
        self.assertEqual([r[1] for r in found.roots[:2]], ["X2", "X3"], found.text)
        self.assertIn("it was on although Y1 was off", found.text)
        self.assertTrue(found.roots[0][2])
        # Started by its button, the auxiliary following: nothing odd about it.
        right = self.ask([*start, (2000, "X3", 0), (2020, "X2", 0), (2400, "X3", 1), (2600, "X1", 1), (2620, "X2", 1), (3000, "X1", 0), (3500, "X1", 0)])
        self.assertNotIn("although", right.text)
        self.assertEqual(right.roots[0][1], "X1")
        # Open again before the contactor could report that: no sign of a stuck contact.
        short = self.ask([*start, (2000, "X3", 0), (2030, "X3", 1), (3000, "X3", 1)])
        self.assertNotIn("although", short.text)


class Latches(unittest.TestCase):
    """A latch whose set coil had power all along."""

    def test_the_reset_that_let_go(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("M1"))
            ladder.rung(no("X2"), reset("M1"))
            ladder.rung(no("M1"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (2000, "X2", 0), (3000, "X2", 0)]
        for tag in ("Y1", "M1"):
            found = on(draw, "X1 X2 M1 Y1", rows, tag, symptom=STAYS)
            self.assertEqual([r[1] for r in found.roots[:2]], ["X2", "X1"], found.text)
            self.assertIn("let go (X2 opened first)", found.text)
        later = on(draw, "X1 X2 M1 Y1", [(0, "X1", 0), (0, "X2", 1), (1000, "X2", 0), (2000, "X1", 1), (3000, "X1", 1)], "Y1", symptom=STAYS)
        self.assertEqual(later.roots[0][1], "X1")
        self.assertNotIn("let go", later.text)


class TheEndThatDidNotCome(unittest.TestCase):
    """A pump that a float stops every time, and one time does not."""

    def rows(self, cycles: int, last: int) -> Rows:
        found = [(0, "X1", 0), (0, "X2", 0)]
        for n in range(cycles):
            found += [(1000 + 2000 * n, "X1", 1), (1200 + 2000 * n, "X1", 0), (1900 + 2000 * n, "X2", 1), (1950 + 2000 * n, "X2", 0)]
        begun = 1000 + 2000 * cycles
        return [*found, (begun, "X1", 1), (begun + 200, "X1", 0), (begun + last, "X1", 0)]

    def test_leads_when_it_has_been_on_longer_than_ever(self) -> None:
        def pump(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), nc("X2"), coil("Y1"))

        for cycles, last, first in ((3, 1500, "X2"), (3, 500, "X1"), (1, 1500, "X1"), (0, 1500, "X1")):
            found = on(pump, "X1 X2 Y1", self.rows(cycles, last), "Y1", symptom=STAYS)
            self.assertEqual(found.roots[0][1], first, (cycles, last, found.text))
            self.assertEqual({r[1] for r in found.roots}, {"X1", "X2"})

    def test_not_where_this_start_was_another_than_always(self) -> None:
        def pump(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("X3"), no("Y1")), nc("X2"), coil("Y1"))

        rows = [(t, "X3" if n == "X1" and t >= 7000 else n, v) for t, n, v in self.rows(3, 1500)]
        found = on(pump, "X1 X2 X3 Y1", [(0, "X3", 0), *rows], "Y1", symptom=STAYS)
        self.assertEqual(found.roots[0][1], "X3", found.text)


class TheEndOfSuchRuns(unittest.TestCase):
    """A press begins a long run, another press soon behind it a short one, in turn: X2 ends the long ones, X3 the short ones."""

    SAID = re.compile(r"it ended Y1 each of (\d+) times(, among the last 20,)? that it had come on about as long after the time before as now, and has not now")

    def _rows(self, cycles: int, lasted: int, longs: int = 3000) -> Rows:
        found: Rows = [(0, n, 0) for n in ("X1", "X2", "X3")]
        for n in range(cycles + 1):
            at = 9000 * n
            found += [(at + 1000, "X1", 1), (at + 1100, "X1", 0)]
            if n == cycles:
                return [*found, (at + 1000 + lasted, "N1", 1)]
            found += [(at + 1000 + longs, "X2", 1), (at + 1100 + longs, "X2", 0), (at + 7000, "X1", 1), (at + 7100, "X1", 0), (at + 7500, "X3", 1), (at + 7600, "X3", 0)]
        return found

    def _asked(self, rows: Rows) -> Asked:
        return asked(text_session("Y1 := (X1 OR Y1) AND NOT (X2 OR X3);", rows), "Y1", symptom=STAYS)

    def test_what_ended_those_leads_though_others_lasted_longer(self) -> None:
        for cycles in (4, 30):
            rows = [*self._rows(cycles, 3300)]
            rows[2:2] = [(200, "X1", 1), (300, "X1", 0)]  # one run that lasted longest, before all
            rows = sorted(r for r in rows if r[1:] != ("X2", 1) or r[0] != 4000)
            found = self._asked(rows)
            self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
            said = self.SAID.search(found.answer.roots[0].text)
            assert said is not None
            self.assertEqual((int(said[1]), bool(said[2])), (2 if cycles < 20 else 10, cycles == 30), said[0])

    def test_not_before_it_has_outlasted_those_nor_after_another_pause(self) -> None:
        for rows in (self._rows(3, 2900), [(t + (700 if t >= 28_000 else 0), n, v) for t, n, v in self._rows(3, 2900)]):
            self.assertNotRegex(self._asked(rows).text, self.SAID)

    def test_none_leads_before_any_has_ended_so_soon(self) -> None:
        """Y1 has just come on, for the first time behind a delay: what ended it is not due."""
        rows: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), *((t + d, n, v) for t in (1000, 9000) for d, n, v in
                      ((0, "X1", 1), (100, "X1", 0), (300, "X3", 1), (600, "X3", 0), (4000, "X2", 0), (4200, "X2", 1))),
                      (20_000, "X1", 1), (20_100, "X1", 0), (20_300, "X3", 1)]
        body = "T1(IN := X1 OR Y2, PT := T#500ms); Y2 := (X1 OR Y2) AND X2; Y1 := T1.Q AND (X3 OR Y1) AND Y2;"
        found = asked(text_session(body, [*rows, (20_540, "N1", 1)], "T1 : TON;"), "Y1", symptom=STAYS)
        self.assertEqual(found.roots[0][1], "X3", found.text)


class InATask(unittest.TestCase):
    """The program of one POU is no task's."""

    def test_a_rung_that_always_ran_is_not_said_to_run_again(self) -> None:
        found = asked(session_of(program_of(_hand, "X2 X4 Y1"), [(0, "X2", 0), (0, "X4", 1), (500, "X2", 1), (900, "X2", 1)]), "Y1", symptom=STAYS)
        self.assertEqual(found.links, ["rung-true"])


class ShortRuns(unittest.TestCase):
    """Y1 holds itself while X3 is on; without that it goes off when X1 is let go, and X2 ends it as a rule where it holds."""

    def _asked(self, short: int, until: int) -> Asked:
        rows: list[tuple[int, str, int]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
        for n in range(3 + short):
            at, holds = 1000 + 5000 * n, n >= short
            rows += [(at - 500, "X3", int(holds)), (at, "X1", 1), (at + 300, "X1", 0), *([(at + 2000, "X2", 1), (at + 2200, "X2", 0)] if holds else [])]
        at = 1000 + 5000 * (3 + short)
        rows += [(at, "X1", 1), (at + 300, "X1", 0), (at + until, "N1", 1)]
        return asked(text_session("Y1 := (X1 OR (Y1 AND X3)) AND NOT X2;", rows), "Y1", symptom=STAYS)

    def test_what_ended_short_ones_says_nothing_of_one_that_has_outlasted_them(self) -> None:
        found = self._asked(4, 2500)
        self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
        self.assertIn("it ended Y1 3 of 7 times before, and has not now", found.text)

    def test_not_before_it_has_lasted_longest(self) -> None:
        self.assertEqual(self._asked(4, 1500).roots[0][1], "X1")


class OneWay(unittest.TestCase):
    """A number that is only added to, and a comparison that holds from some time on."""

    SAID = "nothing in the program sets A back: all that writes it adds to it"

    def _asked(self, body: str, tag: str = "Y1", symptom: Symptom = STAYS) -> Asked:
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), *((200 * n, "X1", n % 2) for n in range(1, 20)), (5000, "X2", 1), (5400, "X2", 0), (6000, "X3", 1)]
        return asked(text_session(body, rows, "E1 : R_TRIG; B0 : BOOL;"), tag, symptom=symptom)

    def test_that_nothing_sets_it_back_comes_first(self) -> None:
        count = "E1(CLK := X1); IF E1.Q THEN A := A + 1; END_IF; "
        for body in ("Y1 := A >= 5;", "Y1 := 4 < A;", "B0 := A > 4; Y1 := B0 AND NOT X3;"):
            with self.subTest(body):
                found = self._asked(count + body.replace(" AND NOT X3", ""))
                self.assertEqual((found.roots[0][:2], found.answer.roots[0].text), (("program", "A"), self.SAID), found.text)
        found = self._asked(count + "Y2 := A >= 5; Y1 := (X2 OR Y1) AND NOT Y2;", symptom=STAYS_OFF)
        self.assertEqual(found.roots[0][:2], ("program", "A"), found.text)

    def test_not_where_something_may(self) -> None:
        count = "E1(CLK := X1); IF E1.Q THEN A := A + 1; END_IF; "
        for body in ("IF X3 THEN A := 0; END_IF; Y1 := A >= 5;", "IF X2 THEN A := A - 1; END_IF; Y1 := A >= 5;", "A := A + B; Y1 := A >= 5;",
                     "IF X3 THEN A := N1; END_IF; Y1 := A >= 5;", "Y1 := A < 500;", "Y1 := A <> 0;"):
            with self.subTest(body):
                self.assertNotIn("sets A back", self._asked(count + body).text)


if __name__ == "__main__":
    unittest.main()
