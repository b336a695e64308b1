"""A latch that nobody tried to set: what would set it leads where what reset it is over, and what resets it where that stands."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.model.question import Symptom

BODY = "IF X1 THEN Y2 := TRUE; END_IF;\nIF NOT X2 THEN Y2 := FALSE; END_IF;\nY1 := Y2;"
RUN: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (1000, "X1", 1), (2000, "X1", 0), (3000, "X2", 0)]


def _asked(rows: Rows) -> Asked:
    return asked(text_session(BODY, [*RUN, *rows]), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)


class NobodyTried(unittest.TestCase):
    """X1 sets it, X2 off resets it."""

    def test_what_would_set_it_leads_where_the_reset_is_over(self) -> None:
        found = _asked([(5000, "X2", 1), (8000, "X3", 1)])
        self.assertIn("was never tried", found.answer.text)
        self.assertEqual([r[1:3] for r in found.roots], [("X1", True), ("X2", True)])

    def test_what_resets_it_leads_while_it_stands(self) -> None:
        found = _asked([(8000, "X3", 1)])
        self.assertEqual(found.roots[0][1], "X2")
        self.assertIn("X1", [r[1] for r in found.roots[:2]])


if __name__ == "__main__":
    unittest.main()
