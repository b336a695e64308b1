"""Outputs that keep themselves on through other rungs (a request that the output keeps up), and attempts that an on-delay decides."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked, on
from tests.texts import text_session
from whorlograph.model.iolist import Point
from whorlograph.model.parts import Ladder, coil, either, nc, no, timer
from whorlograph.model.question import Symptom

STOOD = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (0, "X4", 0)]
PRESS = [(1000, "X1", 1), (1800, "X1", 0)]
END = [(5000, "N1", 1)]
KEPT_ON = "it holds itself through M1, and X2 and X3 (normally closed) would end it"


def request(ladder: Ladder) -> None:
    """A request that start (X1) sets up and stop (X2) takes away, and the output that follows it, with its interlock (X3)."""
    ladder.rung(either(no("X1"), no("Y1")), no("X2"), coil("M1"))
    ladder.rung(no("M1"), nc("X3"), coil("Y1"))


def delayed(ladder: Ladder) -> None:
    """The same with an on-delay of 500 ms between."""
    ladder.rung(either(no("X1"), no("Y1")), no("X2"), coil("M1"))
    ladder.rung(no("M1"), timer("TON", "T1", "T#500ms"), coil("M2"))
    ladder.rung(no("M2"), nc("X3"), coil("Y1"))


def reported(ladder: Ladder) -> None:
    """The same kept up by the contactor's own contact (X4)."""
    ladder.rung(either(no("X1"), no("X4")), no("X2"), coil("M1"))
    ladder.rung(no("M1"), nc("X3"), coil("Y1"))


class RoundAbout(unittest.TestCase):
    DRAWN = (request, "X1 X2 X3 X4 N1 M1 Y1")

    def request(self, rows: Rows, symptom: Symptom, tag: str = "Y1") -> Asked:
        return on(*self.DRAWN, [*STOOD, *rows, *END], tag, symptom=symptom)

    def test_it_says_so_and_who_started_it(self) -> None:
        found = self.request(PRESS, Symptom.WILL_NOT_DROP_OUT)
        self.assertIn(f"Y1 has power in Main 2: M1 and X3 (normally closed); {KEPT_ON}", found.text)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X3", True), ("X2", True)], found.text)
        self.assertEqual(found.text.count("holds itself"), 1, found.text)

    def test_so_does_the_request(self) -> None:
        found = self.request(PRESS, Symptom.WILL_NOT_DROP_OUT, "M1")
        self.assertIn("it holds itself through Y1, and X3 (normally closed) and X2 would end it", found.text)
        self.assertEqual(found.roots[0][1:], ("X1", True), found.text)

    def test_not_while_the_button_is_held(self) -> None:
        self.assertNotIn("holds itself", self.request(PRESS[:1], Symptom.WILL_NOT_DROP_OUT).text)

    def test_only_the_button_beside_it_makes_attempts(self) -> None:
        found = self.request([(500, "X3", 1), *PRESS, (3000, "X2", 0), (3200, "X2", 1), (4000, "X3", 0)], Symptom.WILL_NOT_PULL_IN)
        self.assertIn("tried once, at 1.000 s: X1)", found.answer.text)
        self.assertEqual(found.roots[0][1:], ("X3", True), found.text)

    def test_a_start_that_is_read_inverted_makes_them_too(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(nc("X1"), no("Y1")), no("X2"), coil("Y1"))
        found = on(draw, "X1 X2 N1 Y1", [(0, "X1", 1), (0, "X2", 1), (500, "X2", 0), (1000, "X1", 0), (1800, "X1", 1), (3000, "X2", 1), (3200, "X2", 0), *END],
                   "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("tried once, at 1.000 s: X1 off)", found.answer.text)
        self.assertEqual(found.roots[0][1:], ("X2", True), found.text)

    def test_through_a_delay(self) -> None:
        drawn = delayed, "X1 X2 X3 X4 N1 M1 M2 Y1"
        found = on(*drawn, [*STOOD, *PRESS, *END], "Y1", "T1:TON", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("it holds itself through M2 and M1, and X2 and X3 (normally closed) would end it", found.text)
        self.assertEqual(found.roots[0][1:], ("X1", True), found.text)
        blocked = on(*drawn, [*STOOD, (500, "X3", 1), *PRESS, *END], "Y1", "T1:TON", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("tried once, at 1.000 s: X1)", blocked.answer.text)
        self.assertEqual(blocked.roots, [("field-input", "X3", True)], blocked.text)


class Toggled(unittest.TestCase):
    def test_a_bounce_before_what_came_is_told(self) -> None:
        rows = [(0, "X1", 0), (1000, "X1", 1), (1300, "X1", 0), (3000, "X1", 1), (3020, "X1", 0), (3040, "X1", 1), (3300, "X1", 0), *END]
        found = asked(text_session("E1(CLK := X1); IF E1.Q THEN Y1 := NOT Y1; END_IF;", rows, "E1 : R_TRIG;"), "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("X1 went on for 260 ms at 3.040 s, after 20 ms off", found.text)


class ReportedRoundAbout(unittest.TestCase):
    POINTS = {"X4": Point("X4", device="K1"), "Y1": Point("Y1", device="K1")}

    def reported(self, rows: Rows, symptom: Symptom, listed: bool = True) -> Asked:
        return on(reported, "X1 X2 X3 X4 N1 M1 Y1", [*STOOD, *rows, *END], "Y1", symptom=symptom, points=self.POINTS if listed else None)

    def test_a_contact_that_never_closes_leads(self) -> None:
        for listed, said in ((True, "it reports Y1 back and should have taken over from X1"), (False, "it stands where a seal-in would: if it reports Y1 back")):
            with self.subTest(listed=listed):
                found = self.reported(PRESS, Symptom.DROPPED_OUT, listed)
                self.assertEqual([r[1:] for r in found.roots], [("X4", True), ("X1", True)], found.text)
                self.assertIn(said, found.text)

    def test_one_that_closed_is_the_seal_in(self) -> None:
        found = self.reported([*PRESS[:1], (1020, "X4", 1), *PRESS[1:]], Symptom.WILL_NOT_DROP_OUT)
        self.assertIn(KEPT_ON, found.text)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X3", True), ("X2", True)], found.text)


class InABranch(unittest.TestCase):
    """A seal-in and a latch in a branch that is taken, and in bits of a word."""

    ROWS = [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (1200, "X1", 0), *END]

    def on(self, body: str, tag: str, local: str = "", rows: Rows = ROWS, symptom: Symptom = Symptom.WILL_NOT_DROP_OUT) -> Asked:
        return asked(text_session(body, rows, local), tag, symptom=symptom)

    def test_an_output_that_holds_itself_in_a_branch(self) -> None:
        found = self.on("IF NOT X3 THEN Y1 := (X1 OR Y1) AND X2; END_IF;", "Y1")
        self.assertIn("it holds itself, and X2 would end it", found.text)
        self.assertEqual(found.roots[0][1:], ("X1", True), found.text)

    def test_a_bit_that_holds_itself(self) -> None:
        found = self.on("V.3 := (X1 OR V.3) AND X2; V.4 := X3; Y1 := V.3;", "Y1", "V : WORD;")
        self.assertIn("bit 3 of Main.V is TRUE in Main 5: X2; it holds itself, and X2 would end it\nbit 3 of Main.V is TRUE in Main 5 at 1.000 s: X1", found.text)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X2", True)], found.text)

    def test_only_what_stands_beside_it_makes_attempts(self) -> None:
        rows = [(0, "X2", 1), (1000, "X1", 1), (1200, "X1", 0), (3000, "X2", 0), (3200, "X2", 1), (4000, "X2", 0), *END]
        found = self.on("V.3 := (X1 OR V.3) AND X2 AND NOT X3; Y1 := V.3;", "Y1", "V : WORD;", [(0, "X3", 1), *rows], Symptom.WILL_NOT_PULL_IN)
        self.assertIn("tried once, at 1.000 s: X1)", found.answer.text)
        self.assertEqual(found.roots[0][1:], ("X3", True), found.text)

    def test_a_latch_that_is_a_bit_and_never_was_set(self) -> None:
        found = self.on("IF NOT X3 THEN V.3 := FALSE; END_IF; IF X2 THEN V.3 := TRUE; END_IF; Y1 := X1 AND V.3;", "Y1", "V : WORD;",
                        [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (1000, "X1", 1), (1200, "X1", 0), *END], symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("bit 3 of Main.V is not set in Main 5: X2 blocks", found.text)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)


    def test_not_what_another_way_takes_over_from(self) -> None:
        """X3 takes M2 away too, which completes the other way."""
        found = self.on("M2 := X3; Y1 := X1 OR Y1 AND NOT M2 OR X3 AND Y1 AND X2;", "Y1", "M2 : BOOL;", [*self.ROWS[:-1], (0, "X3", 1), *END])
        self.assertIn("; it holds itself, and X2 would end it\n", found.text)

    def test_only_what_every_way_asks_for_would_end_it(self) -> None:
        rows = [*self.ROWS[:-1], (0, "X3", 1), *END]
        for body, said in (("Y1 := X1 OR Y1 AND X2 OR Y1 AND X3;", "; it holds itself\n"),
                           ("Y1 := (X1 OR Y1 AND (X2 OR NOT X2)) AND X3;", "it holds itself, and X3 would end it")):
            with self.subTest(body):
                found = self.on(body, "Y1", rows=rows)
                self.assertIn(said, found.text)


class AtOnce(unittest.TestCase):
    def test_what_fell_by_the_same_instant_of_the_log_proves_with_it(self) -> None:
        rows = [(0, "X1", 1), (0, "X2", 1), (3003, "X2", 0), (3003, "X1", 0), *END]
        found = asked(text_session("M1 := X2; Y1 := X1 AND M1;", rows, "M1 : BOOL;"), "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertIn("X1 and M1 became FALSE at once", found.text)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X2", True)], found.text)

    def test_not_what_fell_a_moment_later(self) -> None:
        rows = [(0, "X1", 1), (0, "X2", 1), (3003, "X1", 0), (3005, "X2", 0), *END]
        found = asked(text_session("M1 := X2; Y1 := X1 AND M1;", rows, "M1 : BOOL;"), "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertIn("X1 became FALSE first", found.text)


class OnDelays(unittest.TestCase):
    """X1 and X2 start an on-delay of 500 ms."""

    def on(self, rows: Rows) -> Asked:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), timer("TON", "T1", "T#500ms"), coil("M1"))
            ladder.rung(no("M1"), nc("X3"), coil("Y1"))
        return on(draw, "X1 X2 X3 X4 N1 M1 Y1", [*STOOD, *rows, *END], "Y1", "T1:TON", symptom=Symptom.WILL_NOT_PULL_IN)

    def test_one_that_was_cut_short_leads_to_what_did(self) -> None:
        for name, others in (("X1", []), ("X2", [(2000, "X1", 0)])):
            with self.subTest(name):
                found = self.on([(1000, "X1", 1), (1300, name, 0), *others])
                self.assertIn(f"T1 in Main 1 ran 300 ms of 500 ms and lost its input at 1.300 s: {name} opened first", found.text)
                self.assertEqual(found.roots[0], ("field-input", name, True), found.text)

    def test_one_after_several_that_were_too_short(self) -> None:
        found = self.on([(1000 * n + late, "X1", on) for n in (1, 2, 3) for late, on in ((0, 1), (300, 0))])
        self.assertIn("3 attempts, the last at 3.000 s: X1", found.answer.text)
        self.assertIn("T1 in Main 1 ran 300 ms of 500 ms and lost its input at 3.300 s: X1 opened first", found.text)

    def test_where_it_elapsed_what_blocked_then_counts(self) -> None:
        found = self.on([(1000, "X1", 1), (1200, "X3", 1), (1800, "X1", 0), (2000, "X3", 0)])
        self.assertEqual(found.roots[0], ("field-input", "X3", True), found.text)
        self.assertNotIn("still running", found.text)


if __name__ == "__main__":
    unittest.main()
