"""Presets that are no literals: what a timer still has to run, and a counter to count, leads to where that number comes from."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.model.question import Symptom

TIMES = "Times : ARRAY[0..3] OF TIME := [T#1s, T#2s, T#60s, T#3s]; T1 : TON; C1 : CTU;"
TIMED = "T1(IN := X1, PT := Times[N1]);\nY1 := T1.Q;"
COUNTED = "C1(CU := X1, R := X2, PV := N1);\nY1 := C1.Q;"


def _asked(body: str, rows: Rows, symptom: Symptom) -> Asked:
    return asked(text_session(body, rows, TIMES), "Y1", symptom=symptom)


def _parts(count: int) -> Rows:
    return [(1000 * n + shift, "X1", value) for n in range(1, count + 1) for shift, value in ((0, 1), (300, 0))]


class Presets(unittest.TestCase):
    """The number's device is a root, the first where it was changed."""

    def test_a_time_that_another_recipe_made_long(self) -> None:
        found = _asked(TIMED, [(0, "X1", 0), (0, "N1", 1), (1000, "X1", 1), (4000, "X1", 0), (5000, "N1", 2), (6000, "X1", 1), (20_000, "X1", 1)],
                       Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots[0], ("field-input", "N1", True), found.text)
        self.assertIn("still running: 14 s of 1 min", found.text)
        self.assertIn(("initial-value", "Times[2]", None), [(k, n.removeprefix("Main."), p) for k, n, p in found.roots])

    def test_a_count_that_was_raised_while_it_was_reached(self) -> None:
        found = _asked(COUNTED, [(0, "X2", 0), (0, "N1", 4), *_parts(5), (5500, "N1", 40), (9000, "X1", 0)], Symptom.DROPPED_OUT)
        self.assertEqual(found.roots, [("field-input", "N1", True)], found.text)
        self.assertIn("its preset is 40; that was 4 until 5.500 s", found.text)

    def test_a_count_that_has_been_high_from_the_start(self) -> None:
        found = _asked(COUNTED, [(0, "X2", 0), (0, "N1", 40), *_parts(5), (9000, "X1", 0)], Symptom.WILL_NOT_PULL_IN)
        self.assertIn(("field-input", "N1", None), found.roots)

    def test_a_preset_written_to_the_pin_elsewhere(self) -> None:
        found = _asked("C1.PV := N1;\nC1(CU := X1, R := X2);\nY1 := C1.Q;", [(0, "X2", 0), (0, "N1", 4), *_parts(5), (5500, "N1", 40), (9000, "X1", 0)],
                       Symptom.DROPPED_OUT)
        self.assertEqual(found.roots[0], ("field-input", "N1", True), found.text)

    def test_a_literal_is_no_root(self) -> None:
        found = _asked(COUNTED.replace("N1", "40"), [(0, "X2", 0), *_parts(5), (9000, "X1", 0)], Symptom.WILL_NOT_PULL_IN)
        self.assertEqual([name for _, name, _ in found.roots], ["X1"], found.text)


if __name__ == "__main__":
    unittest.main()
