"""Loops whose text does not tell how many passes there are: what the pass did that gave the value, not what all of them looked at."""

from __future__ import annotations

import itertools
import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import asked
from tests.inquiry.test_findings import of
from tests.texts import text_session
from whorlograph.model.question import Symptom

LOCAL = "On : ARRAY[1..3] OF BOOL; First, k : INT;"
TAKEN = "On[1] := X1; On[2] := X2; On[3] := X3;\n"
LOOPS = {
    "while": TAKEN + "k := 1;\nWHILE k <= 3 DO IF On[k] AND First = 0 THEN First := k; END_IF; k := k + 1; END_WHILE;\nY1 := First <> 0;",
    "repeat": TAKEN + "k := 1;\nREPEAT IF On[k] AND First = 0 THEN First := k; END_IF; k := k + 1; UNTIL k > 3 END_REPEAT;\nY1 := First <> 0;",
    "computed": TAKEN + "FOR k := 1 TO N1 DO IF On[k] AND First = 0 THEN First := k; END_IF; END_FOR;\nY1 := First <> 0;",
}


class Loops(unittest.TestCase):
    """Which of several came first, kept by a loop."""

    def test_the_element_of_the_pass_that_gave_it(self) -> None:
        for (name, body), order in itertools.product(LOOPS.items(), itertools.permutations(("X1", "X2", "X3"))):
            rows: Rows = [(0, "N1", 3), *((0, tag, 0) for tag in order), *((1000 + 1000 * n, tag, 1) for n, tag in enumerate(order)), (9000, "N1", 3)]
            found = asked(text_session(body, rows, LOCAL), "Y1")
            with self.subTest(name, order=order):
                self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
                self.assertEqual(found.roots[0], ("field-input", order[0], True))
                self.assertFalse({*order[1:]} & {r[1] for r in found.roots}, found.text)

    def test_a_sum_names_all_that_it_is_made_of(self) -> None:
        body = TAKEN + "A := 0; k := 1;\nWHILE k <= 3 DO IF On[k] THEN A := A + 1; END_IF; k := k + 1; END_WHILE;\nY1 := A >= 2;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (1000, "X1", 1), (2000, "X3", 1), (9000, "X2", 0)]
        found = asked(text_session(body, rows, LOCAL), "Y1")
        self.assertLessEqual({"X1", "X3"}, {r[1] for r in found.roots})

    def test_a_sum_that_is_too_low_leads_to_what_would_add_to_it(self) -> None:
        for compared, change, start in (("A >= 3", "A := A + 1", 0), ("3 <= A", "A := A + 1", 0), ("A = 3", "A := A + 1", 0), ("A < 1", "A := A - 1", 3)):
            body = f"E1(CLK := X1);\nIF X3 THEN A := {start}; END_IF;\nIF E1.Q AND X2 THEN {change}; END_IF;\nY1 := {compared} AND NOT X3;"
            rows: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 1), (500, "X3", 0), *((at, "X1", v) for k in (1, 2) for at, v in ((1000 * k, 1), (1000 * k + 200, 0))),
                          (2500, "X2", 0), (3000, "X1", 1), (3200, "X1", 0), (5000, "X1", 0)]
            found = asked(text_session(body, rows, "E1 : R_TRIG;"), "Y1", "3.0", Symptom.WILL_NOT_PULL_IN)
            verb = "adds to" if "+" in change else "takes from"
            self.assertIn(f"what {verb} A is FALSE in Main 7: X2 blocks", found.text, compared)
            self.assertIn("X2", [r[1] for r in found.roots])

    def test_that_a_loop_was_not_left_before_is_no_reason_of_its_own(self) -> None:
        body = ("FOR k := 1 TO 3 DO\n  On[k] := A = k AND X2;\n  Ts[k](IN := On[k], PT := T#2s);\n  IF Ts[k].Q THEN A := k + 1; EXIT; END_IF;\nEND_FOR;\n"
                "IF X1 AND A = 0 THEN A := 1; END_IF;\nY1 := On[2];")
        rows: Rows = [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (1100, "X1", 0), (4000, "X2", 0), (6000, "X3", 1)]
        found = asked(text_session(body, rows, LOCAL + "Ts : ARRAY[1..3] OF TON;"), "Y1", None, Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots[0], ("field-input", "X2", True))
        self.assertNotIn("Ts[1]", found.text)

    def test_what_is_not_executed_names_the_elements_that_it_would_write(self) -> None:
        for subscript in ("k", "2"):
            body = f"On[{subscript}] := X1 AND Unknown;\nY1 := On[2];"
            found = asked(text_session(body, [(0, "X1", 0), (1000, "X1", 1), (2000, "X1", 1)], LOCAL), "Y1")
            self.assertEqual(found.roots[0][:2], ("program", "Main.On[2]"))
            self.assertIn("Main.On[2] is written in Main 5, which is not executed", found.text)
        found = asked(text_session("On[3] := X1 AND Unknown;\nY1 := On[2];", [(0, "X1", 0), (2000, "X1", 1)], LOCAL), "Y1")
        self.assertIn("Main.On[2] is never written", found.text)

    def test_findings_take_one_statement_for_no_twins_and_a_sum_of_one_scan_for_no_endless_one(self) -> None:
        body = (TAKEN + "A := 0; k := 1;\nWHILE k <= 3 DO IF On[k] THEN A := A + 1; END_IF; k := k + 1; END_WHILE;\nY1 := A >= 2;\n"
                "FOR k := 1 TO 3 DO\n  IF Ts[k].Q THEN Done[k] := TRUE; EXIT; END_IF;\n  Ts[k](IN := On[k], PT := T#1s);\nEND_FOR;\nY2 := Done[1] OR Done[2] OR Done[3];")
        session = text_session(body, [(0, "X1", 0)], LOCAL + "Ts : ARRAY[1..3] OF TON; Done : ARRAY[1..3] OF BOOL;")
        for kind in ("twin-lacks", "may-overflow"):
            self.assertEqual([f.text for f in of(session, kind)], [])


if __name__ == "__main__":
    unittest.main()
