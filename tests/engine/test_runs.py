"""The runs of a task, kept as counts, answer what a plain list of (due, start) answers."""

from __future__ import annotations

import itertools
import unittest
from random import Random

import numpy as np

from whorlograph.engine.runs import RunColumns, TaskRuns, shortened

Listed = list[tuple[int, int]]  # due, start


def random_runs(random: Random, count: int) -> Listed:
    """Runs in order of time: stretches at one distance, single ones, ones that waited; no two at one instant."""
    found: Listed = []
    time = random.randrange(5)
    while len(found) < count:
        distance = random.choice((1, 2, 3, 10, 97))
        for _ in range(random.choice((1, 1, 2, 3, 20))):
            wait = 0 if random.random() < 0.8 else random.randrange(1, 4)
            found.append((time, time + wait))
            time += max(distance, wait + 1)
    return found[:count]


def kept(runs: Listed, random: Random | None = None) -> TaskRuns:
    """The same through the columns, in one piece or in many."""
    columns = RunColumns()
    cuts = sorted({0, len(runs), *(random.randrange(len(runs) + 1) for _ in range(4))}) if random is not None else [0, len(runs)]
    for low, high in itertools.pairwise(cuts):
        part = np.array(runs[low:high], np.int64).reshape(-1, 2)
        columns.started(np.zeros(high - low, np.int64), part[:, 0], part[:, 1])
    return columns.runs().get(0, TaskRuns())


class Runs(unittest.TestCase):
    """Random runs at sizes 0, 1 and many, handed over in random pieces."""

    def cases(self) -> list[tuple[Random, Listed, TaskRuns]]:
        found = []
        for seed in range(120):
            random = Random(seed)
            runs = random_runs(random, random.choice((0, 1, 2, 5, 60, 400)))
            found.append((random, runs, kept(runs, random)))
        return found

    def test_nothing_is_lost_however_it_is_handed_over(self) -> None:
        for _, runs, table in self.cases():
            dues, waits = table.written_out()
            self.assertEqual(list(zip(dues.tolist(), (dues + waits).tolist(), strict=True)), runs)
            self.assertEqual((len(table), table.waited), (len(runs), sum(s > d for d, s in runs)))
            self.assertEqual(table.longest_wait, max((s - d for d, s in runs), default=0))

    def test_what_comes_on_time_takes_one_row(self) -> None:
        many = kept([(5 + 10 * i, 5 + 10 * i) for i in range(100_000)], Random(1))
        self.assertEqual(many.table.tolist(), [[5, 10, 100_000, 0]])
        self.assertEqual(shortened(many.table).tolist(), many.table.tolist())
        self.assertEqual(len(many.with_more(1_000_005, 10, 3).table), 1)
        self.assertEqual(len(many.with_more(1_000_006, 10, 3).table), 2)

    def test_runs_between_two_times(self) -> None:
        for random, runs, table in self.cases():
            end = runs[-1][1] + 5 if runs else 5
            low = random.randrange(end)
            high = random.randrange(low, end + 1)
            dues, waits = table.between(low, high)
            self.assertEqual(list(zip(dues.tolist(), (dues + waits).tolist(), strict=True)), [(d, s) for d, s in runs if s >= low and d <= high])
            self.assertEqual(list(table.starts(low, high)), [s for _, s in runs if low <= s < high])

    def test_counts_in_cells(self) -> None:
        for random, runs, table in self.cases():
            end = runs[-1][1] + 5 if runs else 5
            edges = np.array(sorted({0, end, *(random.randrange(end + 1) for _ in range(12))}), np.int64)
            starts = [s for _, s in runs]
            last = len(edges) - 2
            expected = [sum(int(a) <= s < int(b) or (i == last and s == int(b)) for s in starts) for i, (a, b) in enumerate(itertools.pairwise(edges))]
            self.assertEqual(table.counts(edges).tolist(), expected)

    def test_the_last_start_and_what_waits_at_a_time(self) -> None:
        for random, runs, table in self.cases():
            for _ in range(20):
                time = random.randrange(-1, runs[-1][1] + 6 if runs else 5)
                self.assertEqual(table.last_start(time), max((s for _, s in runs if s <= time), default=None))
                self.assertEqual(table.waiting_at(time), next((d for d, s in runs if d <= time < s), None))

    def test_one_that_never_began_waits_from_its_instant_on(self) -> None:
        runs = TaskRuns(waiting=50)
        self.assertEqual([runs.waiting_at(t) for t in (49, 50, 10_000)], [None, 50, 50])
        self.assertEqual((len(runs), runs.longest_wait, runs.last_start(100)), (0, 0, None))


if __name__ == "__main__":
    unittest.main()
