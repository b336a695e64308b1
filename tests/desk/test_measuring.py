"""How device and wire are told apart: said only where wiring, address and terminal are known."""

from __future__ import annotations

import unittest

from msgspec.structs import replace

from tests.building import program_of, session_of
from whorlograph.desk.words import measuring, root_lines
from whorlograph.inquiry.trail import Root
from whorlograph.inquiry.wiring import where
from whorlograph.model.iolist import Point, Wiring
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.question import RootKind

POINT = Point("X1", "%IX0.0", "LS-1", "pit", "4", Wiring.NORMALLY_OPEN)


class Measuring(unittest.TestCase):
    """A root in the field."""

    def setUp(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("M1"), coil("Y1"))

        self.session = session_of(program_of(draw, "X1 M1 Y1"), [(0, "X1", 1)])

    def said(self, value: bool | int = False, point: Point | None = POINT, kind: RootKind = RootKind.FIELD_INPUT, tag: str = "X1") -> str:
        return measuring(self.session, Root(kind, self.session.tag(tag), value, 0, point=point))

    def test_each_wiring_and_state(self) -> None:
        closed = replace(POINT, wiring=Wiring.NORMALLY_CLOSED)
        for value, point, words in ((False, POINT, "while LS-1 is actuated the lamp of %IX0.0 must be lit"),
                                    (False, closed, "while LS-1 is not actuated the lamp of %IX0.0 must be lit"),
                                    (True, POINT, "while LS-1 is not actuated the lamp of %IX0.0 must be dark"),
                                    (True, closed, "while LS-1 is actuated the lamp of %IX0.0 must be dark")):
            self.assertTrue(self.said(value, point).startswith(words), words)
            self.assertIn("measure at terminal 4", self.said(value, point))

    def test_what_is_not_known_is_not_said(self) -> None:
        for said in (self.said(point=None), self.said(point=replace(POINT, wiring=Wiring.UNKNOWN)), self.said(point=replace(POINT, terminal="")),
                     self.said(7), self.said(tag="M1"), self.said(point=replace(POINT, address="%IX7.1")), self.said(kind=RootKind.INITIAL_VALUE)):
            self.assertEqual(said, "")

    def test_where_list_and_program_give_other_addresses_both_are_told(self) -> None:
        one = self.session.running.tags[self.session.tag("X1")]
        self.assertEqual(where(POINT, one), "check LS-1, pit, terminal 4 (%IX0.0)")
        self.assertEqual(where(replace(POINT, address="IX7.1"), one), "check LS-1, pit, terminal 4 (%IX0.0 in the program, %IX7.1 in the list)")

    def test_it_stands_on_the_first_card_only(self) -> None:
        root = Root(RootKind.FIELD_INPUT, self.session.tag("X1"), False, 0, "X1 went off", "check LS-1", POINT)
        self.assertEqual(len(root_lines(self.session, root, [])), 3)
        self.assertEqual(root_lines(self.session, root), ["check LS-1", "X1 went off"])


if __name__ == "__main__":
    unittest.main()
