"""A sequence that stands in its step of faults: why it went there, and what began it, not the steps between them in a row."""

from __future__ import annotations

import unittest

from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session

# Five steps, each left by a device of its own; the fourth watches X3 by a time.
BODY = """CASE S OF
0: IF X1 THEN S := 1; END_IF;
1: IF X2 THEN S := 2; END_IF;
2: IF NOT X2 THEN S := 3; END_IF;
3: IF T1.Q THEN S := 4; END_IF;
4: IF X3 THEN S := 5; END_IF;
5: IF NOT X3 THEN S := 0; END_IF;
END_CASE;
IF T2.Q THEN S := 9; END_IF;
T1(IN := S = 3, PT := T#300ms);
T2(IN := S = 4, PT := T#500ms);
Y1 := S = 9;"""
TAGS = "S : INT; T1, T2 : TON;"


def _runs(good: int) -> list[tuple[int, str, int]]:
    rows: list[tuple[int, str, int]] = [(0, name, 0) for name in ("X1", "X2", "X3")]
    for n in range(good + 1):
        t = 1000 + 3000 * n
        rows += [(t, "X1", 1), (t + 100, "X1", 0), (t + 200, "X2", 1), (t + 400, "X2", 0)]
        rows += [(t + 1000, "X3", 1), (t + 1300, "X3", 0)] if n < good else [(t + 2500, "N1", 1)]
    return rows


def _asked(good: int, body: str = BODY) -> Asked:
    return asked(text_session(body, _runs(good), TAGS), "Y1")


class StepsBehind(unittest.TestCase):
    """Nobody comes to X3."""

    def test_after_good_runs_only_what_was_waited_for(self) -> None:
        found = _asked(3)
        self.assertEqual(found.roots[0], ("field-input", "X3", True), found.text)
        self.assertEqual([r[1] for r in found.roots], ["X3", "X1"])
        self.assertNotIn("S = 3", found.text)
        self.assertIn("was written by S := 1 in Main 5, line 6 at 10.000 s: so the sequence began", found.text)
        self.assertIn("X3 ended that 3 of 3 times before, and has not come", found.text)

    def test_in_the_first_run_two_steps_back(self) -> None:
        found = _asked(0)
        self.assertIn(("field-input", "X3", True), found.roots, found.text)
        self.assertIn("S = 3 holds", found.text)
        self.assertIn("so the sequence began", found.text)
        self.assertNotIn("S := 2", found.text)

    def test_a_number_that_is_no_sequence_is_followed(self) -> None:
        body = "IF X1 THEN M := 1; ELSIF X2 THEN M := 2; END_IF;\nIF M = 1 THEN K := 1; END_IF;\nIF X3 THEN K := 0; END_IF;\nY1 := K = 1;"
        rows = [(0, name, 0) for name in ("X1", "X2", "X3")]
        rows += [row for t in (1000, 3000, 5000) for row in ((t, "X1", 1), (t + 100, "X1", 0), (t + 500, "X2", 1), (t + 600, "X2", 0), (t + 700, "X3", 1), (t + 800, "X3", 0))]
        found = asked(text_session(body, [*rows[:-2], (7000, "N1", 1)], "M, K : INT;"), "Y1")
        self.assertEqual(found.roots[0][1], "X1", found.text)

    def test_a_start_button_that_is_held_leads(self) -> None:
        rows = [row for row in _runs(3) if row[1] != "X1" or row[0] < 9000]
        rows = [(t, n, v) for t, n, v in rows if not (n == "X1" and t == 7100)]  # the third start stays pressed: a fourth run, with all that it needs
        rows += [(11_000, "X3", 1), (11_300, "X3", 0), (13_000, "X2", 1)]
        found = asked(text_session(BODY.replace("Y1 := S = 9;", "Y1 := S = 1;"), sorted(rows, key=lambda r: r[0]), TAGS), "Y1", at="12.9")
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)


if __name__ == "__main__":
    unittest.main()
