"""A tag that a panel sets and the program takes back in every scan: its presses are attempts, and that nobody presses it is what blocks."""

from __future__ import annotations

import unittest

from tests.building import Rows, program_of, session_of
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Session
from whorlograph.inquiry.trail import Answer
from whorlograph.model.parts import Ladder, nc, no, reset, set_
from whorlograph.model.question import RootKind


def _panel(ladder: Ladder) -> None:
    ladder.rung(no("M1"), no("X1"), set_("Y1"))
    ladder.rung(nc("X1"), reset("Y1"))
    ladder.rung(reset("M1"))


def answered(rows: Rows, at: str | None = None) -> tuple[Session, Answer]:
    """Why Y1 is off, proved; M1 is the panel's."""
    session = session_of(program_of(_panel, "X1 Y1 M1"), [(0, "X1", 0), (0, "M1", 0), *rows], external=("M1",))
    answer = ask(session, "Y1", at)
    prove_all(session, answer)
    return session, answer


class FromOutside(unittest.TestCase):
    """The panel's button."""

    def test_a_press_that_came_to_nothing_is_an_attempt_and_the_next_one_is_missing(self) -> None:
        session, answer = answered([(2000, "M1", 1), (2050, "M1", 0), (4000, "X1", 1), (6000, "X1", 1)])
        names = [(r.kind, session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots]
        self.assertEqual(names[:2], [(RootKind.FIELD_INPUT, "M1", True), (RootKind.FIELD_INPUT, "X1", True)], answer.text)
        self.assertIn("M1 was last switched on from outside at 2.000 s", answer.roots[0].text)
        self.assertIn("2 attempts", answer.text)

    def test_at_the_press_what_was_missing_then_blocks(self) -> None:
        session, answer = answered([(2000, "M1", 1), (2050, "M1", 0), (4000, "X1", 1), (6000, "X1", 1)], at="3")
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "X1", answer.text)
        self.assertTrue(answer.roots[0].proved)

    def test_a_panel_that_nobody_touched(self) -> None:
        session, answer = answered([(4000, "X1", 1), (6000, "X1", 1)])
        self.assertEqual((session.running.tags[answer.roots[0].tag or 0].name, answer.roots[0].proved), ("M1", True))
        self.assertIn("M1 has not been switched on from outside in this log", answer.roots[0].text)


if __name__ == "__main__":
    unittest.main()
