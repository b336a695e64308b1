"""Pauses that a drop starts, own blocks that hand a command on, statements that read what they write: who tried, and what holds itself."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_program, text_session
from whorlograph.desk.unusual import add_usual
from whorlograph.engine.calls import every
from whorlograph.engine.code import Invoke, Store
from whorlograph.engine.controller import Controller
from whorlograph.engine.nodes import loads
from whorlograph.inquiry.circuit import Circuit
from whorlograph.model.profile import Profile
from whorlograph.model.question import Symptom

HOIST = """FUNCTION_BLOCK Hoist
VAR_INPUT Up, Ok : BOOL; END_VAR
VAR_OUTPUT K : BOOL; END_VAR
VAR Rest : TOF; END_VAR
Rest(IN := K, PT := T#400ms);
K := Up AND Ok AND (K OR NOT Rest.Q);
END_FUNCTION_BLOCK
"""
IN_BLOCK = "H(Up := X1 AND NOT X3, Ok := X2, K => Y1);"
PLAIN = "Rest(IN := Y1, PT := T#400ms);\nY1 := X1 AND X2 AND (Y1 OR NOT Rest.Q);"
BEHIND = "Rest(IN := NOT Y1, PT := T#400ms);\nM := Rest.Q;\nY1 := X1 AND X2 AND (Y1 OR M);"


def _of(body: str, rows: Rows, tags: str, before: str = "", at: str | None = None, symptom: Symptom | None = None) -> Asked:
    return asked(text_session(body, sorted(rows, key=lambda r: r[0]), tags, before), "Y1", at, symptom)


class Rests(unittest.TestCase):
    """``X1`` is held to lift, ``X2`` is the permissive; behind each drop 400 ms must pass."""

    ROWS = ((0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (1000, "X1", 1), (2000, "X1", 0), (3000, "X2", 0), (4000, "X1", 1), (4500, "X1", 0), (5000, "X1", 1),
            (6000, "X3", 0))

    def test_that_a_pause_is_over_is_nobody_trying(self) -> None:
        for body, tags, before in ((PLAIN, "Rest : TOF;", ""), (BEHIND, "Rest : TON; M : BOOL;", ""), (IN_BLOCK, "H : Hoist;", HOIST)):
            with self.subTest(body=body):
                found = _of(body, self.ROWS, tags, before, symptom=Symptom.WILL_NOT_PULL_IN)
                clock = found.session.journal.clock
                self.assertEqual([clock.start(scan) / 1e9 for scan in found.answer.attempts], [4.0, 5.0])
                self.assertEqual(found.roots[0], ("field-input", "X2", True))
                self.assertEqual(found.answer.roots[0].blocked, 2)

    def test_a_drop_says_what_was_tried_since_through_a_block(self) -> None:
        found = _of(IN_BLOCK, self.ROWS, "H : Hoist;", HOIST)
        self.assertEqual(found.answer.symptom, Symptom.DROPPED_OUT)
        add_usual(found.session, found.answer)
        self.assertIn("2 attempts, the last at 5.000 s (X1), in vain", found.answer.tried_again)

    def test_behind_a_pause_what_stood_already_keeps_it_on(self) -> None:
        for body, tags, before in ((PLAIN, "Rest : TOF;", ""), (BEHIND, "Rest : TON; M : BOOL;", ""), (IN_BLOCK, "H : Hoist;", HOIST)):
            with self.subTest(body=body):
                rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (1000, "X1", 1), (2000, "X1", 0), (2100, "X1", 1), (4000, "X3", 0)]
                found = _of(body, rows, tags, before)
                self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
                self.assertEqual(found.roots[0], ("field-input", "X1", True))

    def test_behind_a_pause_that_the_contactor_s_own_contact_starts(self) -> None:
        """X3 follows Y1 by 20 ms, three times: that the coasting is over is nobody's doing, the button X1 that stands is."""
        body = "Rest(IN := X3, PT := T#400ms);\nIF X1 AND X2 AND NOT Rest.Q THEN Y2 := TRUE; END_IF;\nIF NOT X2 THEN Y2 := FALSE; END_IF;\nY1 := Y2;"
        runs = [row for t in (1000, 3000, 5000) for row in ((t, "X1", 1), (t + 20, "X3", 1), (t + 200, "X1", 0), (t + 1000, "X2", 0), (t + 1020, "X3", 0), (t + 1200, "X2", 1))]
        found = _of(body, [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), *runs, (6250, "X1", 1), (6450, "X3", 1), (7000, "X1", 1)], "Rest : TOF;")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        self.assertIn("X1 and NOT Rest.Q", found.text)

    def test_a_pause_that_a_device_starts_is_no_rest(self) -> None:
        body = "Late(IN := X3, PT := T#400ms);\nY1 := X2 AND (Y1 OR Late.Q);"
        found = _of(body, [(0, "X2", 0), (0, "X3", 0), (1000, "X3", 1), (2000, "X3", 0), (3000, "X1", 0)], "Late : TON;", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(len(found.answer.attempts), 2)  # X3 itself, and its delay


class OneStatement(unittest.TestCase):
    """What a statement reads it reads before it writes."""

    def test_a_seal_in_of_a_text_is_no_cause(self) -> None:
        found = _of("Y1 := (X1 OR Y1) AND X2;", [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (1400, "X1", 0), (3000, "X3", 0)], "")
        self.assertIn("Y1 is TRUE in Main 5: X2; it holds itself, and X2 would end it", found.text)

    def test_order_within_steps(self) -> None:
        body = "A := A + 1;\nIF X1 THEN\n  Y1 := X2 OR Y1;\n  Y2 := Y1 AND NOT Y2;\nELSE\n  Y2 := FALSE;\nEND_IF;\nT1(IN := NOT T1.Q, PT := T#1s);\nX9 := T1.Q;"
        controller = Controller(text_program(body, "T1 : TON; X9 : BOOL;"), Profile())
        found: dict[str, list[bool]] = {}
        for step in range(len(controller.steps.all)):
            code = controller.calls.code_of(step)
            circuit, actions = Circuit(code), list(every(code.actions))
            names = {u.at: controller.running.tags[u.tag].name for u in controller.access.of_step(step)}
            for done in (a for a in actions if isinstance(a, (Store, Invoke))):
                for read in (one for a in actions for one in loads(a)):
                    found.setdefault(f"{names.get(done.at)} before {names.get(read.at)}", []).append(circuit.before(done.at, read.at))
        self.assertEqual(found["A before A"], [False])
        self.assertEqual(found["Y1 before Y1"], [False, True])  # its own value, then the next statement
        self.assertEqual(found["Y2 before Y2"], [False, False])  # the other branch writes behind
        self.assertEqual(found["Y1 before Y2"], [True])
        self.assertEqual((found["Main.T1.IN before Main.T1.Q"], found["Main.T1.ET before Main.T1.Q"]), ([False], [False]))  # its pin, the block itself


class AtOnce(unittest.TestCase):
    """Two contacts that open in one instant of the log: neither alone, both together."""

    def test_both_are_proved_together(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (1000, "X1", 1), (5700, "X1", 0), (5700, "X2", 1), (9000, "X3", 0)]
        for body in ("Y1 := X1 AND NOT X2;", "Y1 := (X1 OR Y1 AND X1) AND NOT X2;"):
            found = _of(body, rows, "")
            self.assertEqual([(r[1], r[2]) for r in found.roots], [("X1", True), ("X2", True)], body)
            self.assertTrue(all("together" in r.proof and r.together for r in found.answer.roots))


class LifeBit(unittest.TestCase):
    """``X1`` changes twice a second while the other controller is alive; ``X2`` is the burner's."""

    BODY = "Still(IN := X1 = Was, PT := T#3s);\nWas := X1;\nY1 := X2 AND NOT Still.Q;\nY2 := X2 AND Still.Q;"

    def _asked(self, tag: str, count: int, last: int) -> Asked:
        rows: Rows = [(0, "X2", 1), *((500 * n, "X1", n % 2) for n in range(count)), *[(500 * count, "X1", last)], (500 * count + 20_000, "X3", 0)]
        return asked(text_session(self.BODY, rows, "Still : TON; Was : BOOL;"), tag)

    def test_the_change_that_did_not_come_is_tried_half_way(self) -> None:
        for count, last in ((5, 1), (60, 0)):
            for tag, words in (("Y1", "Y1 stays on until"), ("Y2", "Y2 does not come on")):
                with self.subTest(count=count, tag=tag):
                    found = self._asked(tag, count, last)
                    self.assertEqual(found.roots[0], ("field-input", "X1", True))
                    self.assertIn(words, found.answer.roots[0].proof)

    def test_of_many_changes_only_the_last_are_counted(self) -> None:
        self.assertIn("ended that 10 of the last 10 times, and has not come", self._asked("Y1", 60, 0).text)
        self.assertIn("ended that 3 of 3 times before, and has not come", self._asked("Y1", 6, 0).text)


if __name__ == "__main__":
    unittest.main()
