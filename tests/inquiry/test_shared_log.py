"""Logs that record a card's word of which the program reads bits, or bits of which it reads the word."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.building import Rows, log_of
from tests.inquiry.test_everyday import Asked, asked
from tests.inquiry.test_same_in_languages import INPUTS, SECONDS, Made, answer_of, text_of
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.iolist import IoList
from whorlograph.model.profile import Profile
from whorlograph.model.question import Symptom

PROGRAM = """PROGRAM Main
VAR_EXTERNAL Start_PB, Stop_PB, Trip, Run, Lamp : BOOL; Card : BYTE; END_VAR
Run := (Start_PB OR Run) AND Stop_PB AND NOT Trip;
Lamp := Card.4 AND Stop_PB;
END_PROGRAM
CONFIGURATION C VAR_GLOBAL Card AT %IB0 : BYTE; Start_PB AT %IX0.0 : BOOL; Stop_PB AT %IX0.1 : BOOL; Trip AT %IX0.2 : BOOL;
Run AT %QX0.0 : BOOL; Lamp AT %QX0.1 : BOOL; END_VAR RESOURCE R ON P PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION
"""
WORDS = [(0, "Card", 2), (1000, "Card", 3), (1500, "Card", 2), (4000, "Card", 6), (4300, "Card", 2), (5000, "Card", 18), (6000, "Card", 2), (8000, "Card", 2)]
BITS = [(0, "Stop_PB", 1), (0, "Start_PB", 0), (0, "Trip", 0), (1000, "Start_PB", 1), (1500, "Start_PB", 0), (4000, "Trip", 1), (4300, "Trip", 0), (8000, "Trip", 0)]


def _session(rows: Rows) -> Session:
    controller = Controller(read(PROGRAM.encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
    return Session(controller, log_of(controller, rows), IoList({}), [], Paths(Path("x.st")))


class SharedLog(unittest.TestCase):
    def on(self, rows: Rows, tag: str, symptom: Symptom) -> Asked:
        return asked(_session(rows), tag, symptom=symptom)

    def test_a_bit_of_a_word_that_the_log_has(self) -> None:
        found = self.on(WORDS, "Run", Symptom.DROPPED_OUT)
        self.assertEqual(found.roots, [("field-input", "Trip", True)], found.text)
        self.assertIn("Trip went on for 300 ms at 4.000 s; the log has it as bit 2 of Card", found.text)
        tried = self.on(WORDS, "Run", Symptom.WILL_NOT_PULL_IN)
        self.assertNotIn("no row in the log", tried.text)

    def test_a_word_of_which_the_log_has_some_bits(self) -> None:
        found = self.on(BITS, "Lamp", Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots, [("log-gap", "Card", True)], found.text)
        self.assertIn("bit 4 of Card has no row in the log: it is taken as off", found.text)
        recorded = self.on(WORDS, "Lamp", Symptom.DROPPED_OUT)
        self.assertEqual(recorded.roots, [("field-input", "Card", True)], recorded.text)
        self.assertIn("bit 4 of Card off since 6.000 s", recorded.text)

    def test_the_same_roots_as_with_a_row_for_each_bit(self) -> None:
        for seed in range(6):
            made = Made(Random(seed))
            for _ in range(made.random.randint(4, 10)):
                made.add()
            rows, card, word = made.rows(), 0, list[tuple[int, str, int]]()
            for time, name, value in sorted(rows, key=lambda r: r[0]):
                mask = 1 << INPUTS.index(name)
                card = card | mask if value else card & ~mask
                word.append((time, "Card", card))
            lines = [line for one in made.circuits for line in text_of(one)]
            for tag in made.random.sample([*made.bits, *made.outputs], 2):
                at = made.random.randrange(SECONDS * 1_000_000_000)
                with self.subTest(seed=seed, tag=tag, at=at):
                    one = answer_of(made.written(lines), rows, tag, at)
                    self.assertEqual(answer_of(made.written(lines, tags="Card AT %IB0 : BYTE;"), word, tag, at), one)


if __name__ == "__main__":
    unittest.main()
