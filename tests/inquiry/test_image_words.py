"""A word of memory whose bits are written under names of their own, copied to a card: lamps lead through both to the bit's rung."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.building import Rows, log_of
from tests.inquiry.test_everyday import Asked, asked
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.iolist import IoList
from whorlograph.model.profile import Profile
from whorlograph.model.question import Symptom

TEXT = """PROGRAM Main
VAR_EXTERNAL A, B, Ok, ImgA, ImgB : BOOL; Img, Card : WORD; END_VAR
ImgA := A;
ImgB := B AND A;
IF Ok THEN Card := Img; END_IF;
END_PROGRAM
CONFIGURATION Plant
VAR_GLOBAL
  A AT %IX0.0 : BOOL; B AT %IX0.1 : BOOL; Ok AT %IX0.2 : BOOL;
  Img AT %MW10 : WORD; ImgA AT %MX10.0 : BOOL; ImgB AT %MX10.1 : BOOL;
  Card AT %QW0 : WORD; LampA AT %QX0.0 : BOOL; LampB AT %QX0.1 : BOOL;
END_VAR
RESOURCE R ON CPU
PROGRAM Main : Main;
END_RESOURCE
END_CONFIGURATION
"""


def _asked(rows: Rows, symptom: Symptom, tag: str = "LampB") -> Asked:
    controller = Controller(read(TEXT.encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
    return asked(Session(controller, log_of(controller, rows), IoList({}), [], Paths(Path("x.st"))), tag, symptom=symptom)


class ImageWords(unittest.TestCase):
    """By the bit that each lamp is."""

    def test_a_lamp_goes_off_with_the_rung_of_its_bit(self) -> None:
        for tag, gone, kept in (("LampB", "B", "ImgB went off"), ("LampA", "A", "ImgA went off")):
            found = _asked([(0, "Ok", 1), (0, "A", 1), (0, "B", 1), (3000, gone, 0), (6000, "Ok", 1)], Symptom.DROPPED_OUT, tag)
            self.assertEqual(found.roots, [("field-input", gone, True)], found.text)
            self.assertIn(kept, found.text)
            self.assertNotIn("never written", found.text)

    def test_a_lamp_stays_on_because_the_card_is_not_written_any_more(self) -> None:
        found = _asked([(0, "Ok", 1), (0, "A", 1), (0, "B", 1), (3000, "Ok", 0), (4000, "B", 0), (6000, "Ok", 0)], Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(found.roots[0], ("field-input", "Ok", True), found.text)
        self.assertIn("the condition for Card := Img is FALSE in Main 5: Ok blocks", found.text)

    def test_a_lamp_that_the_card_was_never_given(self) -> None:
        found = _asked([(0, "Ok", 0), (0, "A", 1), (0, "B", 0), (3000, "B", 1), (6000, "Ok", 0)], Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots[0], ("field-input", "Ok", True), found.text)
        self.assertEqual(found.text.count("Ok blocks"), 1, found.text)

    def test_a_bit_that_is_off_leads_to_its_own_rung(self) -> None:
        found = _asked([(0, "Ok", 1), (0, "A", 1), (0, "B", 0), (3000, "A", 1), (6000, "Ok", 1)], Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots[0], ("field-input", "B", True), found.text)


if __name__ == "__main__":
    unittest.main()
