"""Records settled in pieces, the fast way and the slow one, against values followed one by one."""

from __future__ import annotations

import unittest
from random import Random
from unittest import mock

import numpy as np

from tests.strategies import random_case
from whorlograph.engine import settled
from whorlograph.engine.controller import Controller
from whorlograph.engine.rows import packed, rows_of
from whorlograph.engine.settled import SettlingRecords, shown_tags
from whorlograph.engine.wasm import settling
from whorlograph.model.tags import Running

Change = tuple[int, int, int, int, int]  # scan, number, step, tag, value


def changes(random: Random, initial: list[int], scans: int, most: int) -> list[Change]:
    """Changes in some scans in order, several of one tag in a scan, some of tags beyond the program's own."""
    found: list[Change] = []
    scan, now = 0, [*initial, 0, 0, 0]
    for _ in range(scans):
        scan += random.choice((1, 1, 2, 1000))
        for number in range(random.randint(0, most) if random.random() < 0.9 else 6 * most):
            tag = random.randrange(len(now))
            now[tag] = random.choice([v for v in (0, 1, 2, -5, 1 << 40) if v != now[tag]])
            found.append((scan, number, 0, tag, now[tag]))
    return found


def followed(running: Running, rows: list[Change], initial: list[int], only: set[int] | None, last: int) -> list[tuple[int, int, int]]:
    """(scan, tag, value) where a shown tag's value at a scan's end is another than at the end of the one before."""
    shown = shown_tags(running, only)
    before, now, found = list(initial), dict(enumerate(initial)), []
    for scan in sorted({r[0] for r in rows if r[0] <= last}):
        for row in rows:
            if row[0] == scan:
                now[row[3]] = row[4]
        for tag in shown:
            if now[tag] != before[tag]:
                before[tag] = now[tag]
                found.append((scan, tag, now[tag]))
    return found


class Pieces(unittest.TestCase):
    """However the records are cut, and wherever the fast way takes over."""

    def test_settled_is_what_stands_at_the_end_of_each_scan(self) -> None:
        fast = 0
        for seed in range(40):
            random = Random(seed)
            running = Controller(*random_case(random)).running
            initial = [random.choice((0, 1)) for _ in running.tags]
            only = None if seed % 3 else {t.index for t in running.tags[:running.public] if random.random() < 0.5}
            rows = changes(random, initial, random.choice((0, 1, 40)), random.choice((1, 5, 60)))
            last = (rows[-1][0] if rows else 0) - seed % 2
            expected = followed(running, rows, initial, only, last if rows else 0)
            records = packed(rows_of(rows))
            for piece, worth, room, most in ((1, 0, 1, 1), (7, 0, 5, 9), (7, 1 << 30, 1, 3), (10_000, 0, 16, 1), (10_000, 1 << 30, 1, 1 << 19),
                                             (50, 50, 8, 20)):
                with mock.patch.object(settled, "WORTH_IT", worth), mock.patch.object(settling, "ROWS", room), \
                        mock.patch.object(settled, "MOST_RECORDS", most):
                    work = SettlingRecords(running, initial, only)
                    parts = [work.take(records[i:i + piece]) for i in range(0, len(records), piece)]
                    parts.append(work.close(last))
                    fast += work._fast is not None
                scans, tags, values = settled.joined(parts)
                self.assertEqual(list(zip(scans.tolist(), tags.tolist(), values.tolist(), strict=True)), expected, (seed, piece, worth))
                self.assertEqual((scans.dtype, tags.dtype, values.dtype), (np.int64, np.int32, np.int64))
        self.assertGreater(fast, 60)

    def test_without_wasmtime_the_slow_way_does_it(self) -> None:
        running = Controller(*random_case(Random(1))).running
        rows = changes(Random(2), [0] * len(running.tags), 30, 9)
        with mock.patch.object(settled, "WORTH_IT", 1), mock.patch.object(settling.FastSettling, "__init__", side_effect=OSError("no room")):
            work = SettlingRecords(running, [0] * len(running.tags))
            found = settled.joined([work.take(packed(rows_of(rows))), work.close(rows[-1][0])])
        expected = followed(running, rows, [0] * len(running.tags), None, rows[-1][0])
        self.assertEqual([list(c) for c in zip(*(c.tolist() for c in found), strict=True)], [list(e) for e in expected])


if __name__ == "__main__":
    unittest.main()
