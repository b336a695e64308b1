"""Numbers that stand because the rung that would write them has no power: what it would give, and that the comparison behind would turn."""

from __future__ import annotations

import re
import unittest
from random import Random

from tests.building import Rows, program_of, session_of
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.parts import Ladder, call, coil, compare, no
from whorlograph.model.question import Symptom

BLOCKS = {"MOVE": lambda a, b: a, "ADD": lambda a, b: a + b, "SUB": lambda a, b: a - b, "MUL": lambda a, b: a * b}


def _drawn(block: str, limit: int) -> object:
    def draw(ladder: Ladder) -> None:
        pins = (("IN", "N1"),) if block == "MOVE" else (("IN1", "N1"), ("IN2", "N2"))
        ladder.rung(no("X1"), call(block, *pins, out="N3"))
        ladder.rung(compare("GT", "N3", str(limit)), coil("Y1"))

    return draw


class WouldTurn(unittest.TestCase):
    """Ladder with EN, and text under IF."""

    def test_of_random_numbers_what_is_said_would_be_so(self) -> None:
        told = 0
        for seed in range(40):
            random = Random(seed)
            block, limit = random.choice(list(BLOCKS)), random.randint(-9, 12)
            rows: Rows = [(0, "X1", 1), (0, "N1", random.randint(-9, 9)), (0, "N2", random.randint(-9, 9))]
            for at in range(1, 12):
                name = random.choice(("X1", "N1", "N2"))
                rows.append((at * 300, name, random.randrange(2) if name == "X1" else random.randint(-9, 9)))
            rows += [(3400, "X1", seed % 4 == 0), (3700, "N1", random.randint(-9, 9))]
            session = session_of(program_of(_drawn(block, limit), "X1 Y1 N1 N2 N3"), rows, 4000)  # type: ignore[arg-type]
            on = session.journal.settled(session.running.by_name["y1"], session.journal.clock.last)
            found = asked(session, "Y1", symptom=Symptom.WILL_NOT_DROP_OUT if on else Symptom.WILL_NOT_PULL_IN)
            said = re.search(r"what would give N3 (-?\d+) has no power", found.text)
            now = {name: session.journal.settled(session.running.by_name[name], session.journal.clock.last) for name in ("x1", "n1", "n2", "n3", "y1")}
            would = BLOCKS[block](now["n1"], now["n2"])
            with self.subTest(seed=seed, block=block):
                self.assertEqual(said is not None, not now["x1"] and (would > limit) != bool(now["y1"]), found.text)
                if said is not None:
                    told += 1
                    self.assertEqual(int(said[1]), would)
                    self.assertIn(("field-input", "X1", True), found.roots[:1 + bool(on)], found.text)  # what brought it on comes first
                    other = session.controller.replay(session.log, trial=Trial((Hold(session.running.by_name["x1"], 1, session.log.end - 20_000_000),)))
                    self.assertEqual(other.settled(session.running.by_name["n3"], other.clock.last), would)
        self.assertGreater(told, 5)

    def _text(self, symptom: Symptom, body: str, rows: Rows) -> Asked:
        return asked(text_session(body, rows), "Y1", symptom=symptom)

    def test_in_text_under_a_condition(self) -> None:
        body = "IF X1 THEN A := N1 * 2 + 1; END_IF;\nY1 := A > 100;"
        found = self._text(Symptom.WILL_NOT_PULL_IN, body, [(0, "X1", 1), (0, "N1", 10), (2000, "X1", 0), (3000, "N1", 80), (6000, "X1", 0)])
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)
        self.assertIn("what would give A 161 is FALSE in Main", found.text)
        found = self._text(Symptom.WILL_NOT_DROP_OUT, body, [(0, "X1", 1), (0, "N1", 80), (2000, "X1", 0), (3000, "N1", 10), (6000, "X1", 0)])
        self.assertIn(("field-input", "X1", True), found.roots[:2], found.text)
        self.assertIn("what would give A 21 is FALSE in Main", found.text)

    def test_an_element_that_a_subscript_chooses_is_not_taken_for_another(self) -> None:
        body = "IF X1 THEN B := B + 1; Q[B] := N1; END_IF;\nY1 := Q[1] = 7;"
        session = text_session(body, [(0, "X1", 0), (0, "N1", 3), (1000, "X1", 1), (1010, "X1", 0), (2000, "N1", 7), (4000, "X2", 1)], "Q : ARRAY[0..9] OF INT;")
        self.assertNotIn("what would give", asked(session, "Y1", symptom=Symptom.WILL_NOT_PULL_IN).text)


if __name__ == "__main__":
    unittest.main()
