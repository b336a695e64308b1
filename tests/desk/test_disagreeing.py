"""Where log and program disagree is said wherever one looks; what was unusual without any drop-out."""

from __future__ import annotations

import unittest

from tests.building import program_of, session_of
from whorlograph.desk.asking import ask
from whorlograph.desk.disagreeing import AGREE, stretches_lines
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.desk.summary import replay_summary
from whorlograph.desk.survey import survey
from whorlograph.desk.tables import survey_text
from whorlograph.desk.unusual import find_odd, odd_lines
from whorlograph.desk.words import answer_text
from whorlograph.drawing.shapes import plain
from whorlograph.model.parts import Ladder, coil, no


def _two(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))
    ladder.rung(no("X2"), coil("Y2"))


def _session(recorded: int) -> Session:
    """Y1 is on from 1 s to 5 s; the log recorded it so, or off from 3 s on."""
    rows = [(0, "X1", 0), (0, "X2", 0), (0, "Y1", 0), (1000, "X1", 1), (1010, "Y1", 1), (3000, "Y1", recorded), (5000, "X1", 0), (5010, "Y1", 0)]
    return session_of(program_of(_two, "X1 X2 Y1 Y2"), rows)


class Disagreeing(unittest.TestCase):
    """A log with one disagreement, asked about a tag that it does not concern."""

    def test_it_is_counted_wherever_one_looks(self) -> None:
        for recorded, said in ((0, True), (1, False)):
            session = _session(recorded)
            answer = ask(session, "Y2")
            self.assertFalse(answer.mismatch, "it does not concern this trail")
            places = {"head": plain(Scene(session, answer).head(1, 0, 160)[1]), "why": answer_text(session, answer),
                      "survey": survey_text(session, survey(session)), "replay": replay_summary(session, session.journal)}
            for place, text in places.items():
                with self.subTest(place=place, recorded=recorded):
                    self.assertEqual("log and program disagree once" in text, said, text)
            self.assertEqual(stretches_lines(session)[0] == AGREE, not said)

    def test_an_output_tried_in_vain_is_unusual_although_nothing_dropped_out(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1"), [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (700, "X1", 0), (900, "X1", 1), (2000, "X2", 0)])
        *_, found = find_odd(session)
        text = "\n".join(odd_lines(session, found))
        self.assertIn("no output of this program dropped out", text)
        self.assertIn("Y1: 2 attempts, the last at 0.9", text)


if __name__ == "__main__":
    unittest.main()
