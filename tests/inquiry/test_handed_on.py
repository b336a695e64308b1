"""Shift registers and queues in arrays: the answer goes to what was at the sensor when the value entered, worked out here from the pulses alone."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.inquiry.test_shifted import _log
from tests.texts import text_session
from whorlograph.model.question import RootKind, Symptom

LOOP = "Step(CLK := X1);\nIF Step.Q THEN\n  FOR k := {last} TO 1 BY -1 DO\n    P[k] := P[k - 1];\n  END_FOR;\n  P[0] := X2;\nEND_IF;\nY2 := P[{last}];"
NUMBERS = LOOP.replace("P[0] := X2", "IF X2 THEN P[0] := 7; ELSE P[0] := 3; END_IF").replace("Y2 := P[{last}]", "Y2 := P[{last}] = 7")
RANDOM_PLACES = range(1, 9)


def _apart(last: int) -> str:
    """Each place in a statement of its own, the last one first."""
    moves = "".join(f"IF Step.Q THEN P[{k}] := P[{k - 1}]; END_IF;\n" for k in range(last, 0, -1))
    return f"Step(CLK := X1);\n{moves}IF Step.Q THEN P[0] := X2; END_IF;\nY2 := P[{last}];"


def _local(type_: str) -> str:
    return f"Step : R_TRIG; k : INT; P : ARRAY[0..10] OF {type_};"


class HandedOn(unittest.TestCase):
    """Arrays of BOOL and of numbers, in a loop and statement by statement."""

    def _root(self, found: Asked, name: str) -> tuple[object, int | None]:
        tags = found.session.running.tags
        root = next((r for r in found.answer.roots if r.kind is RootKind.FIELD_INPUT and tags[r.tag or 0].name == name), None)
        assert root is not None, found.text
        return root.value, root.since

    def test_the_sensor_as_it_was_when_the_value_entered(self) -> None:
        told = {False: 0, True: 0}
        for seed in range(45):
            random = Random(seed)
            rows, pulses, turns = _log(random)
            last = random.choice(RANDOM_PLACES)
            body, type_ = ((LOOP.format(last=last), "BOOL"), (NUMBERS.format(last=last), "INT"), (_apart(last), "BOOL"))[seed % 3]
            count = random.randrange(last + 1, len(pulses) + 1)
            entered = pulses[count - 1 - last]
            since, value = max((at, v) for at, v in turns if at < entered)
            symptom = Symptom.WILL_NOT_DROP_OUT if value else Symptom.WILL_NOT_PULL_IN
            found = asked(text_session(body, rows, _local(type_)), "Y2", f"{(pulses[count - 1] + 200) / 1000}", symptom)
            self.assertEqual(self._root(found, "X2"), (bool(value), since * 1_000_000 if since else None), (seed, entered, found.text))
            self.assertLess(len(found.links), 20, found.text)
            if last > 1:
                self.assertIn(f"handed on {last} times" if last > 2 else "handed on", found.text)
            told[bool(value)] += 1
        self.assertGreater(min(told.values()), 8, told)

    def test_one_copy_that_was_made_again_says_when(self) -> None:
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), *((at, "X1", v) for k in range(1, 5) for at, v in ((1000 * k, 1), (1000 * k + 200, 0))),
                      (1500, "X2", 1), (2500, "X2", 0), (6000, "X3", 1)]
        found = asked(text_session("IF X1 THEN Y2 := X2; END_IF;", rows), "Y2", None, Symptom.WILL_NOT_PULL_IN)
        self.assertIn("that was at 4.000 s, and nothing has written anything else since", found.text)
        self.assertNotIn("3.000 s, and nothing", found.text)

    def test_what_something_else_wrote_in_between_is_not_passed_over(self) -> None:
        body = LOOP.format(last=3) + "\nIF X3 THEN P[2] := TRUE; END_IF;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), *((at, "X1", v) for k in range(1, 7) for at, v in ((1000 * k, 1), (1000 * k + 100, 0))),
                      (5500, "X3", 1), (5600, "X3", 0)]
        found = asked(text_session(body, rows, _local("BOOL")), "Y2")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(self._root(found, "X3"), (True, 5_500_000_000))

    def test_a_queue_leads_to_what_was_read_when_the_value_was_put_in(self) -> None:
        # Codes are put in at X1 and taken out at X2; each place is written again and again, often with what stood there already.
        body = ("E1(CLK := X1);\nE2(CLK := X2);\nIF E1.Q THEN Queue[Head] := N1; Head := (Head + 1) MOD 4; END_IF;\n"
                "IF E2.Q THEN A := Queue[Tail]; Tail := (Tail + 1) MOD 4; END_IF;\nY2 := A = 2;")
        local = "E1, E2 : R_TRIG; Queue : ARRAY[0..3] OF INT; Head, Tail : INT;"
        asked_for = set()
        for seed in range(24):
            random = Random(seed)
            codes = [random.choice((0, 1, 2)) for _ in range(12)]
            rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "N1", 9)]
            for k, code in enumerate(codes):
                at = 1000 + 1000 * k
                rows += [(at - 300, "N1", code), (at, "X1", 1), (at + 200, "X1", 0), (at + 250, "N1", 9), (at + 2400, "X2", 1), (at + 2600, "X2", 0)]
            rows.sort(key=lambda r: r[0])
            taken = random.randrange(12)
            found = asked(text_session(body, rows, local), "Y2", f"{(1000 + 1000 * taken + 2500) / 1000}",
                          Symptom.WILL_NOT_DROP_OUT if codes[taken] == 2 else Symptom.WILL_NOT_PULL_IN)
            self.assertEqual(self._root(found, "N1"), (codes[taken], (1000 + 1000 * taken - 300) * 1_000_000), (seed, taken, codes, found.text))
            asked_for.add(codes[taken])
        self.assertEqual(asked_for, {0, 1, 2})

    def test_a_flag_beside_a_queue_is_the_one_of_its_place(self) -> None:
        # A computed subscript writes one element of many: another one's write says nothing of this one.
        body = "E1(CLK := X1);\nIF E1.Q THEN Flag[Head] := X2; Head := (Head + 1) MOD 4; END_IF;\nY2 := Flag[1];"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0)]
        for k, on in enumerate((0, 1, 0, 0, 0)):
            rows += [(900 + 1000 * k, "X2", on), (1000 + 1000 * k, "X1", 1), (1200 + 1000 * k, "X1", 0)]
        found = asked(text_session(body, [*rows, (7000, "X3", 1)], "E1 : R_TRIG; Flag : ARRAY[0..3] OF BOOL; Head : INT;"), "Y2")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(self._root(found, "X2"), (True, 1_900_000_000))
        self.assertNotIn("at 5.000", found.text)


if __name__ == "__main__":
    unittest.main()
