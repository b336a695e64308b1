"""A tag that is let go as soon as it came, by what stood already: that is told, not that the tag came (ANSWERS.md, Dropped out)."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import asked
from tests.texts import text_session

BODY = "IF Y1 AND X2 THEN Y1 := FALSE; END_IF;\nIF X1 AND NOT Y2 THEN Y1 := TRUE; END_IF;\nY2 := X1;"
START: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]


class TakenBack(unittest.TestCase):
    """X2 resets Y1 in the scan behind the one in which X1 set it."""

    def test_what_stood_already_leads_and_is_proved(self) -> None:
        rows = [*START, (1000, "X1", 1), (1500, "X1", 0), (3000, "X2", 1), (4000, "X2", 0), (6000, "X2", 1), (8000, "X1", 1), (8500, "X1", 0), (9000, "X1", 0)]
        found = asked(text_session(BODY, rows), "Y1")
        self.assertEqual([r[1:3] for r in found.roots], [("X2", True)])
        self.assertIn("Y1 was reset by Main 5 at 8.010 s: X2 and Y1", found.answer.links()[0][1].text)

    def test_what_came_while_it_was_on_is_told_alone(self) -> None:
        found = asked(text_session(BODY, [*START, (1000, "X1", 1), (1500, "X1", 0), (3000, "X2", 1), (4000, "X2", 1)]), "Y1")
        self.assertEqual([r[1:3] for r in found.roots], [("X2", True)])
        self.assertIn(": X2", found.answer.links()[0][1].text)
        self.assertNotIn("Y1 and", found.answer.links()[0][1].text)

    def test_what_never_was_otherwise_lets_it_go_each_time(self) -> None:
        """Then the pulse is as the program has it, and what set it is told."""
        rows: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (1000, "X1", 1), (1500, "X1", 0), (3000, "X1", 1), (3500, "X1", 0), (5000, "X3", 0)]
        found = asked(text_session(BODY, rows), "Y1")
        self.assertEqual([r[1] for r in found.roots], ["X1"])
        self.assertIn("Y1 was reset by Main 5 at 3.010 s: Y1", found.answer.links()[0][1].text)


if __name__ == "__main__":
    unittest.main()
