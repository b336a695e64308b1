"""Bits that are shifted through a word: the answer goes to what was at the sensor when the bit entered, worked out here from the pulses alone."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import Rows
from tests.inquiry.test_everyday import asked
from tests.texts import text_session
from whorlograph.model.question import RootKind, Symptom

PULSED = "Step(CLK := X1);\nIF Step.Q THEN\n  W := {shift}(W, 1);\n  W.%X{enters} := X2;\nEND_IF;\nY2 := W.%X{leaves};"


def _log(random: Random) -> tuple[Rows, list[int], list[tuple[int, int]]]:
    """Rows, the times of the pulses, the changes of the sensor (time, value); ms, no two within a scan of another."""
    pulses, turns, rows, on = [], [(0, 0)], [(0, "X1", 0), (0, "X2", 0)], 0
    for n in range(random.randrange(12, 30)):
        at = 1000 + 500 * n
        if random.random() < 0.4:
            on = 1 - on
            turns.append((at - 155, on))
        pulses.append(at + 5)
        rows += [(at + 5, "X1", 1), (at + 95, "X1", 0)]
    return sorted([*rows, *((at, "X2", v) for at, v in turns[1:]), (at + 400, "X1", 0)]), pulses, turns


class Shifted(unittest.TestCase):
    """Words of 16 places, shifted up or down, some places long; zeros and ones that stay for long."""

    def test_the_sensor_as_it_was_when_the_bit_entered(self) -> None:
        told = {False: 0, True: 0}
        for seed in range(26):
            random = Random(seed)
            rows, pulses, turns = _log(random)
            places, up = random.randrange(1, 9), random.random() < 0.5
            enters = 0 if up else 15
            body = PULSED.format(shift="SHL" if up else "SHR", enters=enters, leaves=enters + places if up else enters - places)
            count = random.randrange(places + 1, len(pulses) + 1)
            entered = pulses[count - 1 - places]
            since, value = max((at, v) for at, v in turns if at < entered)
            symptom = Symptom.WILL_NOT_DROP_OUT if value else Symptom.WILL_NOT_PULL_IN
            found = asked(text_session(body, rows, "Step : R_TRIG;"), "Y2", f"{(pulses[count - 1] + 200) / 1000}", symptom)
            root = next((r for r in found.answer.roots if r.kind is RootKind.FIELD_INPUT and found.session.running.tags[r.tag or 0].name == "X2"), None)
            self.assertIsNotNone(root, (seed, found.text))
            assert root is not None
            self.assertEqual((root.value, root.since), (bool(value), since * 1_000_000 if since else None), (seed, entered, found.text))
            told[bool(value)] += 1
        self.assertGreater(min(told.values()), 8, told)

    def test_a_bit_that_a_condition_sets(self) -> None:
        # The bit enters by a mask, or is set, in the statement that shifts: its condition is what counts, of a zero the one that did not hold.
        for sets in ("W := W OR 16#8000;", "W.%X15 := TRUE;"):
            body = f"Step(CLK := X1);\nIF Step.Q THEN W := SHR(W, 1); IF X2 THEN {sets} END_IF; END_IF;\nY2 := W.%X13;"
            told = set()
            for seed in range(12):
                rows, pulses, turns = _log(Random(seed))
                count = 3 + seed % (len(pulses) - 3)
                since, value = max((at, v) for at, v in turns if at < pulses[count - 3])
                symptom = Symptom.WILL_NOT_DROP_OUT if value else Symptom.WILL_NOT_PULL_IN
                found = asked(text_session(body, rows, "Step : R_TRIG;"), "Y2", f"{(pulses[count - 1] + 200) / 1000}", symptom)
                root = {found.session.running.tags[r.tag or 0].name: r for r in found.answer.roots if r.kind is RootKind.FIELD_INPUT}.get("X2")
                assert root is not None, (seed, sets, found.text)
                self.assertEqual((root.value, root.since), (bool(value), since * 1_000_000 if since else None), (seed, sets, found.text))
                self.assertNotIn("constant", [r[0] for r in found.roots])
                told.add(value)
            self.assertEqual(told, {0, 1})

    def test_a_zero_that_was_moved_in_and_a_bit_that_goes_round(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), *((1000 + 500 * n, "X1", n % 2) for n in range(1, 13))]
        found = asked(text_session("Step(CLK := X1);\nIF Step.Q THEN W := SHL(W, 2); END_IF;\nIF X2 THEN W.%X5 := TRUE; END_IF;\nY2 := W.%X1;", rows,
                                   "Step : R_TRIG;"), "Y2", None, Symptom.WILL_NOT_PULL_IN)
        self.assertIn("a zero was moved into its bit 1", found.text)
        rows = [(0, "X1", 0), (500, "X2", 1), (700, "X2", 0), *((1000 + 500 * n, "X1", n % 2) for n in range(1, 5)), (4000, "X1", 0)]
        found = asked(text_session("Step(CLK := X1);\nIF X2 THEN W.%X14 := TRUE; END_IF;\nIF Step.Q THEN W := ROL(W, 1); END_IF;\nY2 := W.%X0;", rows,
                                   "Step : R_TRIG;"), "Y2")
        self.assertIn("its bit 0 is on, which was bit 15 of W", found.text)
        self.assertIn("its bit 15 is on, which was bit 14 of W", found.text)
        self.assertIn(("field-input", "X2"), [r[:2] for r in found.roots])


if __name__ == "__main__":
    unittest.main()
