"""Numbers and words that stand because what writes them does not run: that is told, not a write that never was."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session

OWN = "FUNCTION_BLOCK Own VAR_EXTERNAL W : WORD; A : INT; END_VAR\nW := 16#200;\nA := A + 1;\nEND_FUNCTION_BLOCK"
CALLED = "Y1 := W.9;\nY2 := A > 3;\nIF X1 THEN O1(); END_IF;"
RETURNS = "Y1 := A > 3;\nIF X1 THEN RETURN; END_IF;\nA := N1;"


def _called(rows: Rows, tag: str) -> Asked:
    return asked(text_session(CALLED, [*rows, (3000, "X2", 1)], "O1 : Own;", OWN), tag)


def _kinds(found: Asked) -> list[str]:
    return [link.kind.value for _, link in found.answer.links()]


class Frozen(unittest.TestCase):
    """What a block writes that is not called, or that stands behind a return."""

    def test_a_block_that_was_never_called_has_written_nothing(self) -> None:
        for tag, word in (("Y1", "W"), ("Y2", "A")):
            found = _called([(0, "X1", 0)], tag)
            self.assertIn("not-called", _kinds(found))
            self.assertIn(f"{word} keeps its value 0", found.text)
            self.assertIn("has not been called from the start", found.text)
            self.assertNotIn("was written", found.text)
            self.assertEqual(found.roots[0], ("field-input", "X1", True))

    def test_one_that_is_not_called_any_more_leads_to_what_called_it(self) -> None:
        found = _called([(0, "X1", 1), (20, "X1", 0)], "Y2")
        self.assertIn("A keeps its value 2: Own 3 has not been called since 0.020 s", found.text)
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        self.assertNotIn("by trying", found.text)
        found = _called([(0, "X1", 1), (20, "X1", 0)], "Y1")
        self.assertIn("W keeps its value 512", found.text)
        self.assertEqual(found.roots[0], ("field-input", "X1", False), "it would keep it if it were called")

    def test_one_that_is_called_is_told_by_its_write(self) -> None:
        found = _called([(0, "X1", 1)], "Y1")
        self.assertIn("W was written by W := 16#200 in Own 2", found.text)
        self.assertNotIn("not-called", _kinds(found))

    def test_a_number_behind_a_return_keeps_what_it_had(self) -> None:
        rows: Rows = [(0, "X1", 0), (0, "N1", 2), (1000, "X1", 1), (2000, "N1", 9), (4000, "X2", 1)]
        found = asked(text_session(RETURNS, rows), "Y1")
        self.assertIn("held-by-jump", _kinds(found))
        self.assertIn("A keeps its value 2", found.text)
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        found = asked(text_session(RETURNS, [r for r in rows if r[1] != "X1" or r[2] == 0]), "Y1")
        self.assertNotIn("held-by-jump", _kinds(found))

    def test_of_two_writers_the_one_that_runs_counts(self) -> None:
        rows: Rows = [(0, "X1", 1), (0, "N1", 1), (20, "X1", 0), (3000, "X2", 1)]
        found = asked(text_session("IF X1 THEN O1(); END_IF;\nA := N1;\nY1 := A > 3;", rows, "O1 : Own;", OWN), "Y1")
        self.assertNotIn("not-called", _kinds(found))
        self.assertEqual(found.roots[0][1], "N1")


if __name__ == "__main__":
    unittest.main()
