"""The journal answers what walking its rows would answer."""

from __future__ import annotations

import unittest
from random import Random

from tests.strategies import random_case, random_log, replayed
from whorlograph.engine.controller import Controller
from whorlograph.engine.settled import settle
from whorlograph.model.moment import Moment, ScanClock


class JournalAnswers(unittest.TestCase):
    """On random replays."""

    def test_value_at_equals_walking_the_rows(self) -> None:
        checks = 0
        for seed in (2, 3, 4, 5, 6, 7):
            _random, _controller, journal = replayed(seed)
            values = dict(enumerate(journal.initial))
            for row in range(len(journal)):
                tag = journal.tag(row)
                self.assertEqual(journal.value_at(tag, row), values.get(tag, 0))
                values[tag] = journal.raw(row)
                self.assertEqual(journal.value_at(tag, row + 1), values[tag])
                checks += 1
        self.assertGreater(checks, 100)

    def test_settled_rows_equal_walking_scan_by_scan(self) -> None:
        for seed in (1, 2, 3, 5, 8):
            _random, controller, journal = replayed(seed)
            found = settle(journal, controller.running)
            names = {t: controller.running.tags[t].name for t in found.tags_shown}
            values = {t: journal.initial[t] for t in names}
            expected = []
            by_scan: dict[int, dict[int, int]] = {}
            for row in range(len(journal)):
                if journal.tag(row) in names:
                    by_scan.setdefault(journal.scan(row), {})[journal.tag(row)] = journal.raw(row)
            for scan, changes in by_scan.items():
                for tag in sorted(changes, key=lambda t: names[t]):
                    if changes[tag] != values[tag]:
                        values[tag] = changes[tag]
                        expected.append((scan, tag, changes[tag]))
            with self.subTest(seed=seed):
                self.assertEqual(list(zip(found.scans.tolist(), found.tags.tolist(), found.values.tolist(), strict=True)), expected)

    def test_a_position_stands_before_the_step_that_a_moment_names(self) -> None:
        random = Random(4)
        program, profile = random_case(random)
        controller = Controller(program, profile)
        journal = controller.replay(random_log(random, controller.running))
        row = len(journal) // 2
        moment = journal.moment(row)
        position = journal.position(moment)
        self.assertLessEqual(position, row)
        self.assertEqual(journal.moment(position), moment)
        self.assertEqual(journal.position(Moment(moment.scan + 1)), journal.settled_position(moment.scan))

    def test_the_clock_turns_scans_into_times_and_back(self) -> None:
        clock = ScanClock([1, 5, 6], [0, 40, 90], [10, 50, 10], 20)
        self.assertEqual([clock.start(s) for s in (1, 4, 5, 6, 8)], [0, 30, 40, 90, 110])
        self.assertEqual([clock.scan_at(t) for t in (-1, 0, 9, 39, 89, 90, 10_000)], [0, 1, 1, 4, 5, 6, 20])


if __name__ == "__main__":
    unittest.main()
