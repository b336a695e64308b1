"""Power that nothing can bring or take away, and resets that stand: what no input mends is told as what it is, and nothing else is."""

from __future__ import annotations

import unittest
from itertools import product
from random import Random

from tests.building import Rows, program_of, session_of
from tests.texts import text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Session
from whorlograph.inquiry.trail import Answer
from whorlograph.model.parts import Ladder, Part, nc, no, reset, set_
from whorlograph.model.question import RootKind, Symptom

INPUTS = ("X1", "X2", "X3")
NEVER, ALWAYS = "asks one tag to be on and off at once", "one tag would have to be on and off at once"


def _expression(random: Random, depth: int) -> str:
    if depth == 0 or random.random() < 0.25:
        return random.choice(("", "", "NOT ")) + random.choice(INPUTS)
    inner = [_expression(random, depth - 1) for _ in range(random.choice((2, 2, 3)))]
    joined = f" {random.choice(('AND', 'OR'))} ".join(inner)
    return f"{random.choice(('', '', '', 'NOT '))}({joined})"


def _texts(answer: Answer) -> str:
    return " ".join(link.text for _, link in answer.links())


def _tags(session: Session, answer: Answer) -> list[str]:
    return [session.running.tags[r.tag].name if r.tag is not None else "" for r in answer.roots]


class Power(unittest.TestCase):
    """Random expressions, all their inputs tried by hand."""

    def test_what_is_said_never_or_always_to_have_power_is_so_for_all_inputs(self) -> None:
        never = always = 0
        for seed in range(150):
            random = Random(seed)
            text = _expression(random, 3)
            values = {bool(eval(text.replace("NOT", "not").replace("AND", "and").replace("OR", "or"), {}, dict(zip(INPUTS, row, strict=True))))
                      for row in product((False, True), repeat=3)}
            rows: Rows = [(0, name, random.randint(0, 1)) for name in INPUTS]
            session = text_session(f"Y1 := {text};", [*rows, (100, "X1", 1)])
            session.controller.plain = True  # ten scans are not worth a compilation
            said = _texts(ask(session, "Y1"))
            self.assertLessEqual(NEVER in said, values == {False}, f"{seed} {text}: {said}")
            self.assertLessEqual(ALWAYS in said, values == {True}, f"{seed} {text}: {said}")
            never, always = never + (NEVER in said), always + (ALWAYS in said)
        self.assertGreater(never, 3)
        self.assertGreater(always, 3)

    def test_a_tag_that_the_statement_writes_in_between_may_be_on_and_then_off(self) -> None:
        body = "IF M1 THEN M1 := FALSE; IF NOT M1 AND X2 THEN Y1 := TRUE; END_IF; END_IF; IF X1 THEN M1 := TRUE; END_IF;"
        session = text_session(body, [(0, "X1", 0), (0, "X2", 0), (50, "X1", 1), (300, "X1", 1)], "M1 : BOOL;")
        answer = ask(session, "Y1")
        self.assertNotIn(NEVER, _texts(answer))
        self.assertEqual(_tags(session, answer)[0], "X2")
        prove_all(session, answer)
        self.assertIs(answer.roots[0].proved, True)

    def test_without_a_write_in_between_it_cannot(self) -> None:
        body = "IF M1 THEN M2 := FALSE; IF NOT M1 AND X2 THEN Y1 := TRUE; END_IF; END_IF; IF X1 THEN M1 := TRUE; END_IF;"
        session = text_session(body, [(0, "X1", 0), (0, "X2", 0), (50, "X1", 1), (300, "X1", 1)], "M1, M2 : BOOL;")
        self.assertIn(NEVER, _texts(ask(session, "Y1")))

    def test_a_write_that_can_never_come_is_nothing_where_there_is_another(self) -> None:
        for body in ("IF X1 OR NOT X1 THEN Y1 := X2; ELSE Y1 := X3; END_IF;", "IF X1 AND NOT X1 THEN Y1 := TRUE; END_IF; IF X2 THEN Y1 := TRUE; END_IF;"
                     "IF X3 THEN Y1 := FALSE; END_IF;"):
            session = text_session(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (300, "X1", 0)])
            answer = ask(session, "Y1")
            prove_all(session, answer)
            self.assertEqual((_tags(session, answer)[0], answer.roots[0].proved), ("X2", True), body)
            self.assertNotIn(RootKind.PROGRAM, [r.kind for r in answer.roots])
        only = text_session("IF X1 AND NOT X1 THEN Y1 := TRUE; END_IF; IF X3 THEN Y1 := FALSE; END_IF;", [(0, "X1", 0), (0, "X3", 0), (300, "X1", 0)])
        self.assertEqual([r.kind for r in ask(only, "Y1").roots], [RootKind.PROGRAM])

    def test_a_bit_that_is_always_on_is_no_cause_of_what_else_has_one(self) -> None:
        session = text_session("M1 := X1 OR NOT X1; Y1 := M1 AND X2;", [(0, "X1", 0), (0, "X2", 0), (50, "X2", 1), (300, "X1", 1)], "M1 : BOOL;")
        answer = ask(session, "Y1")
        self.assertEqual((answer.symptom, _tags(session, answer)[0]), (Symptom.WILL_NOT_DROP_OUT, "X2"))
        self.assertNotIn("X1", _tags(session, answer))
        asked = ask(session, "Main.M1")
        self.assertEqual([r.kind for r in asked.roots], [RootKind.PROGRAM])


class StandingReset(unittest.TestCase):
    """Of what was never set: that a set would not last."""

    ROWS: Rows = ((0, "X1", 0), (0, "X2", 0), (100, "X2", 1), (300, "X2", 1))

    def latch(self, *ends: tuple[Part, Part]) -> Session:
        def draw(ladder: Ladder) -> None:
            for parts in ends:
                ladder.rung(*parts)

        return session_of(program_of(draw, "X1 X2 Y1"), self.ROWS)

    def test_of_a_latch_whose_reset_comes_later(self) -> None:
        session = self.latch((no("X1"), set_("Y1")), (no("X2"), reset("Y1")))
        answer = ask(session, "Y1")
        self.assertEqual(set(_tags(session, answer)), {"X1", "X2"})
        self.assertIn("Y1 is reset by Main 2: X2; while that stands a set does not last", _texts(answer))

    def test_not_where_the_set_comes_later_or_the_reset_is_off(self) -> None:
        for ends in (((no("X2"), reset("Y1")), (no("X1"), set_("Y1"))), ((no("X1"), set_("Y1")), (nc("X2"), reset("Y1")))):
            session = self.latch(*ends)
            self.assertEqual(_tags(session, ask(session, "Y1")), ["X1"])

    def test_of_bistables_the_one_whose_reset_dominates(self) -> None:
        for kind, pins, wanted in (("RS", "S := X1, R1 := X2", {"X1", "X2"}), ("SR", "S1 := X1, R := X2", {"X1"})):
            session = text_session(f"K({pins}); Y1 := K.Q1;", self.ROWS, f"K : {kind};")
            answer = ask(session, "Y1")
            self.assertEqual(set(_tags(session, answer)), wanted, kind)
            self.assertEqual("a set would not last" in _texts(answer), kind == "RS")

    def test_a_reset_that_always_stands_is_a_defect_and_leads(self) -> None:
        session = text_session("K(S := X1, R1 := X2 OR NOT X2); Y1 := K.Q1;", self.ROWS, "K : RS;")
        answer = ask(session, "Y1")
        self.assertEqual([r.kind for r in answer.roots], [RootKind.PROGRAM, RootKind.FIELD_INPUT])

    def test_what_was_set_and_reset_by_another_and_is_kept_off_now_names_both(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("Y1"))
            ladder.rung(no("X3"), reset("Y1"))
            ladder.rung(no("X2"), reset("Y1"))

        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (20, "X1", 1), (40, "X1", 0), (60, "X3", 1), (80, "X3", 0), (100, "X2", 1), (300, "X2", 1)]
        session = session_of(program_of(draw, "X1 X2 X3 Y1"), rows)
        answer = ask(session, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(set(_tags(session, answer)), {"X1", "X2", "X3"})


if __name__ == "__main__":
    unittest.main()
