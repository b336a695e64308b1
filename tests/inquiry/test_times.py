"""Times are said with their unit, wherever a value is said."""

from __future__ import annotations

import unittest

from tests.texts import text_session
from whorlograph.desk.asking import answer_to
from whorlograph.desk.scene import Scene
from whorlograph.desk.words import answer_text
from whorlograph.model.question import Question


class Times(unittest.TestCase):
    """A delay whose preset is a tag that nothing writes."""

    def test_a_preset_that_nobody_sets_is_said_as_a_time(self) -> None:
        session = text_session("D1(IN := X1, PT := T);\nY1 := D1.Q;", [(0, "X1", 1), (300, "X2", 1)], "D1 : TON;")
        answer = answer_to(session, Question(session.tag("Y1"), 0))
        words = answer_text(session, answer)
        self.assertNotRegex(words, r"\b\d{7,}\b")
        slow = text_session("D1(IN := X1, PT := Long);\nY1 := D1.Q;", [(0, "X1", 1), (300, "X2", 1)], "D1 : TON; Long : TIME := T#50s;")
        answer = answer_to(slow, Question(slow.tag("Y1"), 250_000_000))
        words = answer_text(slow, answer)
        self.assertIn("50 s", words)
        self.assertNotRegex(words, r"\b\d{7,}\b")
        scene = Scene(slow, answer)
        shown = "\n".join("".join(t for t, _ in line.runs) for line in scene.trail(100))
        shown += "\n".join("".join(t for t, _ in runs) for runs in scene.at_hand(0, answer.scan, 60))
        self.assertNotRegex(shown, r"\b\d{7,}\b")
        self.assertIn("50 s", shown)


if __name__ == "__main__":
    unittest.main()
