"""An input that stands as it seldom does, and longer than ever: said, and looked at first, only where the log shows it."""

from __future__ import annotations

import itertools
import unittest
from random import Random

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.model.question import Symptom

BODY = "Y1 := X1 AND X2;"
SAID = "on for longer than ever before"


def _asked(level: list[tuple[int, int]], until: int, more: Rows = ()) -> Asked:  # type: ignore[assignment]
    """Level X1 on from .. to (ms); X2 comes last; the log ends at ``until``."""
    rows = [(0, "X1", 0), (0, "X2", 0), *more]
    for start, end in level:
        rows += [(start, "X1", 1), *([(end, "X1", 0)] if end else [])]
    begun = max(start for start, _ in level) + 50
    return asked(text_session(BODY, sorted([*rows, (begun, "X2", 1), (until, "X3", 0)], key=lambda r: r[0])), "Y1")


class Lingering(unittest.TestCase):
    """``Y1`` does not drop out: X2 came last, X1 stands."""

    def test_a_level_that_sticks_leads_and_says_how_long_it_stood_before(self) -> None:
        found = _asked([(2000, 3000), (6000, 8000), (12_000, 0)], 16_000)
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        self.assertIn(f"{SAID} in this log (2 times, 1 s to 2 s)", found.answer.roots[0].text)

    def test_the_one_that_came_last_leads_where_that_is_not_shown(self) -> None:
        cases = {
            "not longer by a second": ([(2000, 3000), (6000, 8000), (12_000, 0)], 14_900, []),
            "once before": ([(6000, 8000), (12_000, 0)], 16_000, []),
            "on for most of the time": ([(500, 4500), (5000, 9000), (9500, 0)], 15_000, []),
        }
        for name, (level, until, more) in cases.items():
            with self.subTest(name):
                found = _asked(level, until, more)
                self.assertEqual(found.roots[0][:2], ("field-input", "X2"))
                self.assertNotIn(SAID, found.text)

    def test_a_bounce_makes_no_two_stretches_of_one(self) -> None:
        rows = [(4000, "X1", 0), (4005, "X1", 1), (6000, "X1", 0), (6004, "X1", 1)]
        found = _asked([(2000, 8000), (14_000, 15_000), (20_000, 0)], 24_000, rows)
        self.assertNotIn(SAID, found.text, "it was on for six seconds before")

    def test_one_that_ends_with_the_log_does_not_stand_any_more(self) -> None:
        found = asked(text_session("Y1 := X1 OR X2;", [(0, "X1", 0), (0, "X2", 0), (2000, "X1", 1), (3000, "X1", 0), (6000, "X1", 1), (8000, "X1", 0),
                                                       (12_000, "X1", 1), (12_050, "X2", 1), (16_000, "X1", 0)]), "Y1")
        self.assertNotIn(SAID, found.text)

    def test_a_drop_out_is_told_without(self) -> None:
        found = asked(text_session(BODY, [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (2000, "X1", 0), (3000, "X1", 1), (4000, "X1", 0),
                                          (9000, "X1", 1), (14_000, "X2", 0), (14_500, "X2", 0)]), "Y1")
        self.assertEqual((found.answer.symptom, found.roots[0][1]), (Symptom.DROPPED_OUT, "X2"))
        self.assertNotIn(SAID, found.text)

    def test_random_levels_as_they_are_counted_off_the_pulses(self) -> None:
        random, seen = Random(11), 0
        for _ in range(60):
            times = list(itertools.accumulate(random.choice((700, 1500, 3000, 9000)) for _ in range(random.choice((3, 5, 7, 9)))))
            level = [*zip(times[:-1:2], times[1::2], strict=True), (times[-1], 0)]
            until = times[-1] + random.choice((800, 2500, 4500, 12_000))
            lengths = [end - start for start, end in level[:-1]]
            lasted, longest = until - times[-1], max(lengths)
            expected = (len(lengths) >= 2 and 2 * sum(lengths) <= times[-1] and lasted >= longest * 6 // 5 and lasted >= longest + 1000)
            found = _asked(level, until)
            self.assertEqual(SAID in found.answer.roots[[r[1] for r in found.roots].index("X1")].text, expected, (level, until))
            seen += expected
        self.assertTrue(5 < seen < 50, seen)


if __name__ == "__main__":
    unittest.main()
