"""A number after the controller has halted: that nothing writes it any more, and what wrote it last."""

from __future__ import annotations

import unittest

from tests.texts import text_session
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.model.question import LinkKind, Question, RootKind


class HaltedNumbers(unittest.TestCase):
    """By the time asked for."""

    def test_a_number_is_as_it_was_when_the_controller_halted(self) -> None:
        session = text_session("A := N1 * 50 / 100;", [(0, "N1", 100), (200, "N1", 700), (400, "N1", 60), (600, "X1", 1)])
        asked = Question(session.running.by_name["a"], 500_000_000)
        answer = answer_to(session, asked)
        prove_all(session, answer)
        self.assertEqual(answer.text, "A is 50; nothing writes it any more, for the controller has halted")
        self.assertEqual([link.kind for _, link in answer.links()][:2], [LinkKind.HALTED, LinkKind.SET_BY])
        self.assertEqual((answer.roots[0].kind, answer.roots[0].proved), (RootKind.FAULT, None))
        before = answer_to(session, Question(asked.tag, 150_000_000))
        self.assertEqual(before.text, "A is 50")
        self.assertFalse([link for _, link in before.links() if link.kind is LinkKind.HALTED])
        an_input = answer_to(session, Question(session.running.by_name["n1"], 500_000_000))
        self.assertEqual(an_input.text, "N1 is 60")

    def test_the_number_that_halted_it_says_so_once(self) -> None:
        session = text_session("IF X1 THEN A := A + 30000; END_IF;", [(0, "X1", 0), (100, "X1", 1), (500, "X1", 1)])
        answer = answer_to(session, Question(session.running.by_name["a"], 500_000_000))
        self.assertEqual(sum(link.kind is LinkKind.HALTED for _, link in answer.links()), 1)
        self.assertIn("for the controller has halted", answer.text)


if __name__ == "__main__":
    unittest.main()
