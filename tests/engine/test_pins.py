"""Blocks in drawings whose inputs are named or ordered otherwise than the standard has them: taken in order and said, or left out and said."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.building import log_of, program_of
from tests.texts import text_of
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.formats.programs.xml import read as read_xml
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.ladder import LadderBody
from whorlograph.model.parts import Ladder, call, coil, no
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program


def _draw(ladder: Ladder) -> None:
    ladder.rung(no("X1"), call("SHL", ("IN1", "N1"), ("IN2", "2"), out="N2"), coil("Y1"))
    ladder.rung(no("X1"), call("SEL", ("IN1", "7"), ("G", "X2"), ("IN0", "3"), out="N3"))
    ladder.rung(no("X1"), call("LIMIT", ("MX", "9"), ("MN", "5"), ("IN", "N1"), out="N4"))
    ladder.rung(no("X1"), call("LIMIT", ("A", "4"), ("B", "N1"), ("C", "5"), out="N5"))
    ladder.rung(no("X1"), call("LIMIT", ("LOW", "4"), ("IN", "N1"), out="N6"))
    ladder.rung(no("X1"), call("SHL", ("IN", "N1"), ("N", "1"), out="N7"))


def _values(program: Program, plain: bool) -> list[object]:
    controller = Controller(program, Profile(scan_time=10_000_000), plain=plain)
    journal = controller.replay(log_of(controller, [(0, "X1", 1), (0, "X2", 1), (0, "N1", 3), (50, "X2", 1)]))
    return [journal.settled(controller.running.by_name[f"n{k}"], journal.clock.last) for k in range(2, 8)]


class PinsTest(unittest.TestCase):
    """Both engines, and what is written back."""

    def setUp(self) -> None:
        self.program = program_of(_draw, "X1 X2 Y1 N1 N2 N3 N4 N5 N6 N7")

    def test_both_engines_take_them_alike(self) -> None:
        for plain in (True, False):
            self.assertEqual(_values(self.program, plain), [12, 7, 5, 4, 0, 6])

    def test_each_is_said_and_what_cannot_be_known_is_left_out(self) -> None:
        data = write_xml(self.program)
        loaded = read_xml(data, Path("p.xml"))
        said = [str(n) for n in (*loaded.notices, *Controller(loaded.value, Profile()).notices)]
        for words in ("rung 1: SHL has no IN1 and no IN2: taken as IN and N, in this order", "rung 4: LIMIT has no A and no B and no C: taken as MN and IN and MX, in this order",
                      "LIMIT has no LOW"):
            self.assertTrue(any(words in one for one in said), (words, said))
        self.assertFalse(any(f"rung {n}:" in one for n in (2, 3, 6) for one in said), said)

    def test_the_file_keeps_its_names(self) -> None:
        data = write_xml(self.program)
        self.assertIn(b'formalParameter="IN2"', data)
        again = read_xml(data, Path("p.xml")).value
        body = again.pous["main"].body
        assert isinstance(body, LadderBody)
        self.assertEqual(write_xml(again), data)

    def test_texts_too(self) -> None:
        loaded = read(text_of("A := SHL(IN1 := N1, IN2 := 3); B := LIMIT(MX := 9, MN := 5, IN := N1);").encode(), Path("x.st"))
        controller = Controller(loaded.value, Profile(scan_time=10_000_000))
        self.assertTrue(any("SHL has no IN1" in str(n) for n in controller.notices), controller.notices)
        journal = controller.replay(log_of(controller, [(0, "N1", 3), (50, "X1", 1)]))
        self.assertEqual(journal.settled(controller.running.by_name["b"], journal.clock.last), 5)


if __name__ == "__main__":
    unittest.main()
