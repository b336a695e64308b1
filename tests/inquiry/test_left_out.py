"""A step that a jump, an IF or a call leaves out: what keeps that so by now, what its own circuit lacks besides, and what it would not do if it ran."""

from __future__ import annotations

import unittest

from msgspec.structs import replace

from tests.building import Rows, program_of, session_of
from tests.inquiry.test_everyday import Asked, asked, modes_of
from tests.texts import text_session
from whorlograph.model.parts import Ladder, call, coil, counter, jump, nc, no, reset, set_, timer
from whorlograph.model.program import Variable, VariableKind
from whorlograph.model.question import Symptom
from whorlograph.model.types import Named

OFF = Symptom.WILL_NOT_PULL_IN
TAGS = "X1 X2 X3 X4 Y1 Y2 M1"


def _ladder(rows: Rows, symptom: Symptom = OFF, end: int = 6000) -> Asked:
    """A latch, set by X2 and reset by X3, both without X4; jumped over while X1 is off or M1 on."""
    def draw(p: Ladder) -> None:
        p.rung(no("X2"), coil("M1"))
        p.rung(nc("X1"), jump("End"))
        p.rung(no("X2"), nc("X4"), set_("Y1"))
        p.rung(no("X3"), nc("X4"), reset("Y1"))
        p.label("End")
        p.rung(no("X1"), coil("Y2"))
    start: Rows = [(0, f"X{n}", int(n == 1)) for n in (1, 2, 3, 4)]
    return asked(session_of(program_of(draw, TAGS), [*start, *rows], end=end), "Y1", symptom=symptom)


class LeftOut(unittest.TestCase):
    def test_a_latch_that_would_not_be_set_either(self) -> None:
        found = _ladder([(0, "X4", 1), (1000, "X1", 0), (3000, "X2", 1)])
        self.assertIn("Main 3 would not set Y1 either if it ran: X4 (normally closed)", found.text)
        self.assertEqual({r[1:] for r in found.roots}, {("X1", True), ("X4", True)}, found.text)
        self.assertIn("X1 and X4 together", found.answer.roots[0].proof)

    def test_what_set_a_latch_comes_before_what_leaves_its_reset_out(self) -> None:
        found = _ladder([(1000, "X2", 1), (1500, "X2", 0), (3000, "X1", 0)], Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("Main 4 would not reset Y1 either if it ran: X3", found.text)
        self.assertEqual([r[1] for r in found.roots][:2], ["X2", "X3"], found.text)

    def test_nothing_of_the_kind_where_it_would(self) -> None:
        self.assertNotIn("either if it ran", _ladder([(1000, "X1", 0), (3000, "X2", 1)]).text)

    def test_what_began_a_jump_is_over_and_something_else_keeps_it(self) -> None:
        def draw(p: Ladder) -> None:
            p.rung(no("X1"), no("X4"), coil("M1"))
            p.rung(nc("M1"), jump("End"))
            p.rung(no("X2"), coil("Y1"))
            p.label("End")
            p.rung(no("X3"), coil("Y2"))
        rows = [(0, "X1", 1), (0, "X4", 1), (0, "X2", 0), (1000, "X1", 0), (2000, "X4", 0), (3000, "X1", 1), (4000, "X2", 1), (5000, "X3", 1)]
        found = asked(session_of(program_of(draw, TAGS), rows), "Y1", symptom=OFF)
        self.assertEqual([r[1:] for r in found.roots], [("X4", True)], found.text)
        self.assertIn("Main 2 jumps over Main 3 since 1.000 s", found.text)

    def test_what_took_a_call_away_is_over_and_something_else_does(self) -> None:
        program = modes_of(lambda p: p.rung(no("X2"), coil("Y1")), lambda p: p.rung(no("X3"), coil("Y2")), TAGS)

        def main(p: Ladder) -> None:
            p.rung(no("X1"), no("X4"), call("Hand", instance="H"))
            p.rung(nc("X1"), call("Auto", instance="A"))
        drawn = Ladder()
        main(drawn)
        program = replace(program, pous={**program.pous, "main": replace(program.pous["main"], body=drawn.body())})
        rows = [(0, "X1", 1), (0, "X4", 1), (0, "X2", 0), (1000, "X1", 0), (2000, "X4", 0), (3000, "X1", 1), (4000, "X2", 1), (5000, "X3", 1)]
        found = asked(session_of(program, rows), "Y1", symptom=OFF)
        self.assertEqual([r[1:] for r in found.roots], [("X4", True)], found.text)

    def test_a_timer_that_stood_still_would_not_switch_on(self) -> None:
        program = modes_of(lambda p: p.rung(no("X2"), timer("TON", "T1", "T#200ms"), coil("Y1")), lambda p: p.rung(no("X3"), coil("Y1")), TAGS)
        hand = replace(program.pous["hand"], variables=(*program.pous["hand"].variables, Variable("T1", Named("TON"), VariableKind.LOCAL)))
        program = replace(program, pous={**program.pous, "hand": hand})
        rows: list[tuple[int, str, int]] = [(0, "X1", 1), (0, "X2", 0), (0, "X3", 0), (500, "X2", 1), (1500, "X1", 0), (2000, "X2", 0)]
        found = asked(session_of(program, rows, end=3000), "Y1", symptom=OFF)
        self.assertNotIn("would write Y1 on", found.text)  # X2 is off: the timer would let go at once
        pressed = asked(session_of(program, rows[:-1], end=3000), "Y1", symptom=OFF)
        self.assertIn("Hand 1 would write Y1 on", pressed.text)

    def test_nothing_is_said_of_what_rests_on_what_is_left_out_with_it(self) -> None:
        block = "FUNCTION_BLOCK Drive VAR_INPUT Go, Ok : BOOL; END_VAR VAR_OUTPUT Run : BOOL; END_VAR Run := (Go OR Run) AND Ok; END_FUNCTION_BLOCK\n"
        body = "IF X3 THEN Hoist(Go := X1, Ok := NOT X2); END_IF;\nY1 := Hoist.Run;"
        rows: list[tuple[int, str, int]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (2000, "X3", 0), (4000, "X1", 1), (6000, "N1", 1)]
        found = asked(text_session(body, rows, "Hoist : Drive;", block), "Y1", symptom=OFF)
        self.assertNotIn("if it ran", found.text)  # the pin stands as it was: called, it would be on
        self.assertEqual([r[1:] for r in found.roots], [("X3", True)], found.text)

        def hand(p: Ladder) -> None:
            p.rung(no("X2"), coil("M1"))
            p.rung(no("M1"), coil("Y1"))
        program = modes_of(hand, lambda p: p.rung(no("X3"), coil("Y1")), TAGS)
        drawn: list[tuple[int, str, int]] = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (500, "X1", 0), (1000, "X2", 0), (2000, "X4", 1)]
        found = asked(session_of(program, drawn), "Y1", symptom=OFF)
        self.assertNotIn("would write Y1 on", found.text)  # M1 stands on, and would be off behind Hand 1
        self.assertIn("Hand 2 writes Y1 too: Hand 2 has not been called since 0.500 s", found.text)

    def test_a_timer_in_an_if_that_would_not_start(self) -> None:
        body = "IF X1 THEN T1(IN := X2 AND NOT X3, PT := T#100ms); Y1 := T1.Q; END_IF;"
        rows: list[tuple[int, str, int]] = [(0, "X1", 0), (0, "X3", 1), (0, "X2", 0), (2000, "X2", 1), (3000, "N1", 1)]
        found = asked(text_session(body, rows, "T1 : TON;"), "Y1", symptom=OFF)
        self.assertIn("IN of T1 is FALSE in Main 5: NOT X3 blocks", found.text)
        self.assertEqual({r[1:] for r in found.roots}, {("X1", True), ("X3", True)}, found.text)
        counted = "IF X1 THEN C1(CU := X2, R := X3, PV := 1); Y1 := C1.Q; END_IF;"
        found = asked(text_session(counted, rows, "C1 : CTU;"), "Y1", symptom=OFF)
        self.assertIn("R of C1 is TRUE", found.text)
        self.assertEqual({r[1] for r in found.roots}, {"X1", "X3"}, found.text)

    def test_a_counter_that_never_ran_tells_the_preset_that_is_wired(self) -> None:
        def draw(p: Ladder) -> None:
            p.rung(nc("X1"), jump("End"))
            p.rung(no("X2"), counter("C1", "3", no("X3")), coil("Y1"))
            p.label("End")
            p.rung(no("X3"), coil("Y2"))
        found = asked(session_of(program_of(draw, TAGS, "C1:CTU"), [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (1000, "X2", 1), (2000, "X4", 1)]), "Y1", symptom=OFF)
        self.assertIn("C1 in Main 2 stands at 0, its preset is 3", found.text)


if __name__ == "__main__":
    unittest.main()
