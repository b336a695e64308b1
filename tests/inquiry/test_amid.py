"""What a step saw amid a scan: bits that serve one rung after another, statements that read what others of the same IF wrote, what a coil only holds;
and what keeps something on by another way: a second path, a counter that nobody set back, a rung that would write the same if it ran."""

from __future__ import annotations

import unittest

from tests.building import program_of, session_of
from tests.inquiry.test_everyday import Asked, asked, on
from tests.texts import text_session
from tests.truth import Truth
from whorlograph.model.parts import Ladder, coil, counter, either, jump, nc, no, set_, timer
from whorlograph.model.question import Symptom

STAYS, STAYS_OFF = Symptom.WILL_NOT_DROP_OUT, Symptom.WILL_NOT_PULL_IN


def in_text(body: str, rows: list[tuple[int, str, int]], tag: str, local: str = "", at: str | None = None, symptom: Symptom | None = None) -> Asked:
    """The answer on a text, proved."""
    return asked(text_session(body, rows, local), tag, at, symptom)


class Scratch(unittest.TestCase):
    """M9 serves two circuits: the first rung's value is read by the second, the third's by the fourth."""

    @staticmethod
    def _draw(ladder: Ladder) -> None:
        ladder.rung(no("X1"), coil("M9"))
        ladder.rung(no("M9"), no("X4"), coil("Y1"))
        ladder.rung(no("X2"), coil("M9"))
        ladder.rung(no("M9"), coil("Y2"))

    def _asked(self, rows: list[tuple[int, str, int]], tag: str, symptom: Symptom | None = None) -> Asked:
        found = on(self._draw, "X1 X2 X4 Y1 Y2 M9", rows, tag, symptom=symptom)
        truth = Truth(found.session)
        self.assertEqual([truth.wrong_link(link) for _, link in found.answer.links()], ["" for _ in found.answer.links()], found.text)
        return found

    def test_each_reader_is_led_to_the_rung_before_it(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 1), (0, "X4", 1), (3000, "X4", 1)]
        found = self._asked(rows, "Y1", STAYS_OFF)
        self.assertEqual(found.roots, [("field-input", "X1", True)], found.text)
        found = self._asked([(0, "X1", 1), (0, "X2", 0), (0, "X4", 1), (3000, "X4", 1)], "Y2", STAYS_OFF)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)
        self.assertNotIn("two coils", found.text)

    def test_a_drop_is_told_where_it_was_seen(self) -> None:
        rows = [(0, "X1", 1), (0, "X2", 0), (0, "X4", 1), (1000, "X1", 0), (3000, "X4", 1)]
        found = self._asked(rows, "Y1")
        self.assertEqual(found.roots, [("field-input", "X1", True)], found.text)
        self.assertIn("M9 is off behind Main 1 from 1.000 s on: in Main 1 X1 opened first", found.text)

    def test_what_comes_anew_in_every_scan_is_one_attempt(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X4", 0), (1000, "X1", 1), (2000, "X1", 0), (2500, "X1", 1), (4000, "X4", 0)]
        found = self._asked(rows, "Y1", STAYS_OFF)
        self.assertEqual((len(found.answer.attempts), found.roots), (2, [("field-input", "X4", True)]), found.text)

    def test_two_coils_with_nothing_between_are_a_defect_still(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("M9"))
            ladder.rung(no("X2"), coil("M9"))
            ladder.rung(no("M9"), coil("Y1"))

        found = on(draw, "X1 X2 Y1 M9", [(0, "X1", 1), (0, "X2", 0), (2000, "X2", 0)], "Y1", symptom=STAYS_OFF)
        self.assertEqual([r[:2] for r in found.roots], [("program", "M9"), ("field-input", "X2")], found.text)


class Inside(unittest.TestCase):
    """Statements of one IF are one step: they read what the earlier ones of it have just written."""

    LOCAL = "M, P : BOOL; K : INT;"
    BODY = "IF X3 THEN\n  M := X1 AND X2;\n  Y1 := M;\n  K := 0;\n  IF M THEN K := 5; END_IF;\n  Y2 := K > 3;\n  M := FALSE;\nEND_IF;"
    ROWS = ((0, "X3", 1), (0, "X1", 1), (0, "X2", 0), (1000, "X2", 1), (2000, "X2", 0), (3000, "X2", 0))

    def test_what_was_written_just_before_is_what_counts(self) -> None:
        found = in_text(self.BODY, list(self.ROWS), "Y1", self.LOCAL)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)
        self.assertNotIn("found by trying", found.text)

    def test_a_number_falls_back_inside(self) -> None:
        found = in_text(self.BODY, list(self.ROWS), "Y2", self.LOCAL)
        self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
        self.assertIn("K := 5 (executed the scan before)", found.text)
        self.assertNotIn("found by trying", found.text)

    def test_that_it_is_executed_is_no_cause_of_a_change(self) -> None:
        found = in_text("IF X3 THEN\n  Y1 := X1 AND X2;\nEND_IF;", list(self.ROWS), "Y1")
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)

    def test_numbers_that_are_added_up_inside_name_what_was_not_added(self) -> None:
        body = "IF X3 THEN\n  K := 0;\n  IF X1 THEN K := K + 1; END_IF;\n  IF X2 THEN K := K + 2; END_IF;\n  Y1 := K >= 2;\nEND_IF;"
        found = in_text(body, [(0, "X3", 1), (0, "X1", 1), (0, "X2", 0), (1000, "X2", 0)], "Y1", self.LOCAL, symptom=STAYS_OFF)
        self.assertIn(("field-input", "X2", True), found.roots, found.text)


class Holding(unittest.TestCase):
    """A coil that only holds what an earlier rung gave or took away is no cause."""

    def _asked(self, rows: list[tuple[int, str, int]], symptom: Symptom) -> Asked:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), nc("X2"), coil("Y1"))
            ladder.rung(no("Y1"), coil("Y1"))

        return on(draw, "X1 X2 Y1", rows, "Y1", symptom=symptom)

    def test_on_and_off(self) -> None:
        found = self._asked([(0, "X1", 0), (0, "X2", 0), (1000, "X1", 1), (2000, "X1", 1)], STAYS)
        self.assertEqual(found.roots, [("field-input", "X1", True), ("field-input", "X2", True)], found.text)
        found = self._asked([(0, "X1", 1), (0, "X2", 0), (1000, "X2", 1), (2000, "X1", 1)], Symptom.DROPPED_OUT)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)
        found = self._asked([(0, "X1", 1), (0, "X2", 1), (2000, "X1", 1)], STAYS_OFF)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)

    def test_a_set_coil_behind_a_pulse(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("M1"))
            ladder.rung(no("M1"), set_("M1"))
            ladder.rung(no("M1"), coil("Y1"))

        found = on(draw, "X1 M1 Y1", [(0, "X1", 0), (1000, "X1", 1), (2000, "X1", 1)], "Y1", symptom=STAYS)
        self.assertEqual(found.roots, [("field-input", "X1", True)], found.text)


class OtherWays(unittest.TestCase):
    """What keeps something on beside what was named first."""

    def test_every_complete_path(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("X2")), no("X3"), coil("M1"))
            ladder.rung(no("M1"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (1000, "X1", 1), (2000, "X2", 1), (4000, "X1", 1)]
        for tag in ("M1", "Y1"):
            found = on(draw, "X1 X2 X3 M1 Y1", rows, tag, symptom=STAYS)
            self.assertEqual({r[1] for r in found.roots}, {"X1", "X2", "X3"}, found.text)
            self.assertIn("by another path too: X1", found.text)

    def test_two_paths_prove_together(self) -> None:
        found = on(lambda p: p.rung(either(no("X1"), no("X2")), coil("Y1")), "X1 X2 Y1", [(0, "X1", 1), (0, "X2", 1), (2000, "X1", 1)], "Y1", symptom=STAYS)
        self.assertEqual([r[2] for r in found.roots], [True, True], found.text)
        self.assertEqual([len(r.together) for r in found.answer.roots], [1, 1])

    def test_a_loop_that_leaves_at_the_first_is_tried_further(self) -> None:
        body = ("L1[1] := X1; L1[2] := X2; M := FALSE;\nFOR K := 1 TO 2 DO\n  IF L1[K] THEN M := TRUE; EXIT; END_IF;\nEND_FOR;\nY1 := M;")
        found = in_text(body, [(0, "X1", 1), (0, "X2", 1), (2000, "X1", 1)], "Y1", "L1 : ARRAY[1..2] OF BOOL; K : INT; M : BOOL;", symptom=STAYS)
        self.assertEqual(found.roots, [("field-input", "X1", True), ("field-input", "X2", True)], found.text)
        self.assertIn("X2 keeps it on as well: found by trying, not by following rungs", found.text)

    def test_a_counter_that_nobody_set_back(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), counter("C1", "2", no("X2")), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), *((500 * n, "X1", n % 2) for n in range(1, 5)), (4000, "X2", 0)]
        found = on(draw, "X1 X2 Y1", rows, "Y1", "C1:CTU", symptom=STAYS)
        self.assertEqual(found.roots, [("field-input", "X1", True), ("field-input", "X2", True)], found.text)
        self.assertIn("C1 was counted up at 1.500 s", found.text)
        self.assertIn("R of C1 has no power in Main 1: X2 blocks", found.text)

    def test_who_sets_a_counter_back_does_not_try_to_count(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), counter("C1", "1", no("X2")), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (1000, "X2", 1), (2000, "X2", 0), (4000, "X2", 0)]
        found = on(draw, "X1 X2 Y1", rows, "Y1", "C1:CTU", symptom=STAYS_OFF)
        self.assertEqual(found.answer.attempts, ())

    def test_a_pin_asked_for_itself(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), nc("X3"), timer("TON", "T1", "T#300ms"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X3 Y1", "T1:TON"), [(0, "X1", 1), (0, "X3", 0), (1000, "X3", 1), (2000, "X1", 1)])
        found = asked(session, "Main.T1.IN", "0.8", STAYS)
        self.assertEqual({r[1] for r in found.roots}, {"X1", "X3"}, found.text)
        found = asked(session, "Main.T1.IN", "1.5", Symptom.DROPPED_OUT)
        self.assertEqual(found.roots, [("field-input", "X3", True)], found.text)

    def test_a_rung_that_would_write_the_same_if_it_ran(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), jump("End"))
            ladder.rung(no("X2"), coil("Y1"))
            ladder.label("End")
            ladder.rung(no("X3"), coil("Y2"))

        rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (1000, "X1", 1), (3000, "X2", 1)]
        found = on(draw, "X1 X2 X3 Y1 Y2", rows, "Y1", symptom=STAYS)
        self.assertIn("Main 2 would write Y1 on too if it ran: X2", found.text)
        self.assertIn(("field-input", "X2", True), found.roots)
        other = on(draw, "X1 X2 X3 Y1 Y2", [*rows[:4], (2000, "X2", 0), (3000, "X2", 0)], "Y1", symptom=STAYS)
        self.assertNotIn("too if it ran", other.text)


class TurnSince(unittest.TestCase):
    """A latch that is reset in the last statement and read by the first one of the next scan: the one that sets it has not had its turn since."""

    def test_what_ran_before_the_reset_is_not_said_to_have_come_since(self) -> None:
        body = "Y1 := M1; IF X1 THEN M1 := TRUE; END_IF; IF X2 THEN M1 := FALSE; END_IF;"
        rows = [(0, "X1", 0), (0, "X2", 0), (1000, "X1", 1), (1300, "X1", 0), (2000, "X2", 1), (4000, "X2", 1)]
        for at, said in (("2.012", False), ("2.022", True)):
            found = in_text(body, rows, "Y1", "M1 : BOOL;", at, STAYS_OFF)
            self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
            self.assertEqual("was not set again after 2.000 s" in found.text, said, found.text)
            truth = Truth(found.session)
            self.assertEqual([truth.wrong_link(link) for _, link in found.answer.links()], ["" for _ in found.answer.links()], found.text)


if __name__ == "__main__":
    unittest.main()
