"""Inputs that pulse: how their pace fell, told against the log's own rows, and proved by pulses as they came before."""

from __future__ import annotations

import re
import unittest
from itertools import pairwise
from random import Random

import numpy as np

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.engine.feed import Hold
from whorlograph.inquiry.pace import pace
from whorlograph.inquiry.pulses import Stays
from whorlograph.model.question import Symptom

SPEED = """Rise(CLK := X1);
IF Rise.Q THEN A := A + 1; END_IF;
Gate(IN := X2 AND NOT Gate.Q, PT := T#2s);
IF Gate.Q THEN
  IF Grace.Q AND A - B < 3 THEN Slow := TRUE; END_IF;
  B := A;
END_IF;
Grace(IN := X2, PT := T#5s);
Y1 := X2 AND NOT Slow;
Y2 := Slow;"""
TAGS = "Rise : R_TRIG; Gate, Grace : TON; Slow : BOOL;"
MS = 1_000_000


def _pulses(starts: list[int], on: int = 100) -> Rows:
    return [row for t in starts for row in ((t, "X1", 1), (t + on, "X1", 0))]


def _stays(rises: list[int], on: int, end: int) -> Stays:
    """Stretches of pulses (ms), off first."""
    starts = [0, *(t for rise in rises for t in (rise, rise + on))]
    lengths = [b - a for a, b in zip(starts, [*starts[1:], end], strict=True)]
    return Stays(np.array(starts, np.int64) * MS, np.array(lengths, np.int64) * MS, np.array([i % 2 for i in range(len(starts))], np.int64),
                 np.array([True] * (len(starts) - 1) + [False]))


class Paces(unittest.TestCase):
    """Of pulses alone."""

    def test_random_pulses(self) -> None:
        told = 0
        for seed in range(200):
            chance = Random(seed)
            period, count, late = chance.randint(200, 900), chance.choice((3, 9, 12, 50, 300)), chance.choice((0, 1, 2, 3))
            slower = chance.choice((1.2, 2.5, 6))
            rises, t = [], 1000
            for _ in range(count):
                rises.append(t)
                t += period + chance.randint(-20, 20)
            normal = rises[-1]
            for _ in range(late):
                t = rises[-1] + int(period * slower)
                rises.append(t)
            until = rises[-1] + chance.choice((period // 2, period * 4))
            found = pace(_stays(rises, 50, until + 10_000), until * MS)
            stopped, slow = until - rises[-1] > 3.1 * period, late >= 2 and slower > 1.6
            with self.subTest(seed=seed):
                if count < 9 or not (stopped or slow):
                    self.assertIsNone(found)
                    continue
                if found is None:  # too few before, beside those that came late
                    self.assertLess(count, 12)
                    continue
                told += 1
                self.assertAlmostEqual(found.period / MS, period, delta=30)
                self.assertEqual((found.since / MS, found.on / MS), (rises[-1] if slower < 1.6 else normal, 50))
                self.assertAlmostEqual(found.lately / MS, period * slower if late and slower > 1.6 else 0, delta=30)
        self.assertGreater(told, 60)

    def test_without_any(self) -> None:
        self.assertIsNone(pace(_stays([], 1, 10), 10 * MS))
        self.assertIsNone(pace(Stays(*(np.zeros(0, np.int64),) * 3, np.zeros(0, np.bool_)), 0))


class Watched(unittest.TestCase):
    """``Y1`` drops out where fewer than three pulses come in two seconds."""

    def _of(self, starts: list[int], tag: str = "Y1", symptom: Symptom | None = None) -> Asked:
        rows = sorted([(0, "X1", 0), (0, "X2", 0), (500, "X2", 1), *_pulses(starts), (30_000, "X3", 1)], key=lambda r: r[0])
        return asked(text_session(SPEED, rows, TAGS), tag, None, symptom)

    def test_too_slow_and_proved_by_pulses_as_before(self) -> None:
        found = self._of([*range(1000, 15_000, 400), *range(15_000, 29_000, 1100)])
        root = found.answer.roots[0]
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        said = re.search(r"its pulses came every 400 ms up to (\S+) s, and every 1.1 s since", root.text)
        self.assertTrue(said and 14.5 <= float(said[1]) <= 15.1, root.text)
        self.assertIn("with X1 pulsing every 400 ms, as before, Y1 stays on", root.proof)
        assert root.trial is not None
        ons = [hold for hold in root.trial.holds if hold.value]
        self.assertTrue(all(isinstance(h, Hold) and h.until == h.start + 100 * MS for h in ons) and len(ons) >= 3)
        edges = sorted((h.start, h.until) for h in root.trial.holds)
        self.assertTrue(all(a[1] == b[0] for a, b in pairwise(edges)), "without a gap in which the log's own would show")

    def test_none_any_more(self) -> None:
        found = self._of(list(range(1000, 15_000, 400)))
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        self.assertIn("and none since", found.answer.roots[0].text)
        lamp = self._of(list(range(1000, 15_000, 400)), "Y2")
        self.assertEqual((lamp.answer.symptom, lamp.roots[:2]),
                         (Symptom.WILL_NOT_DROP_OUT, [("program", "Main.Slow", None), ("field-input", "X1", True)]))

    def test_at_their_pace_nothing_is_said(self) -> None:
        found = self._of([*range(1000, 29_900, 400)], symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertNotIn("pulses came", found.text)


if __name__ == "__main__":
    unittest.main()
