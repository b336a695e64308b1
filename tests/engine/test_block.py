"""Blocks of journal rows: narrow columns give back what was put in, and are asked from several threads."""

from __future__ import annotations

import unittest
from random import Random
from threading import Thread

import numpy as np

from whorlograph.engine.block import Block, make_block
from whorlograph.engine.journal import Columns
from whorlograph.engine.rows import PACKED, Rows, rows_of, unpacked
from whorlograph.engine.wasm import layout as at


def random_columns(random: Random, count: int) -> list[list[int]]:
    """Scans, numbers, steps, tags and values of rows in order."""
    far = random.choice((3, 500, 70_000, 1 << 20))
    scans = sorted(random.randrange(far) + 10**6 for _ in range(count))
    rows = [[s, random.randrange(random.choice((3, 300, 70_000)))] for s in scans]
    rows.sort()
    wide = random.choice((0.0, 0.1, 1.0))
    values = [random.choice((-(1 << 63), (1 << 63) - 1, 128, -129, 70_000)) if random.random() < wide else random.choice((0, 1, -128, 127))
              for _ in rows]
    return [[r[0] for r in rows], [r[1] for r in rows], [random.choice((-2, -1, 0, 5, random.choice((200, 40_000)))) for _ in rows],
            [random.randrange(random.choice((2, 300, 70_000))) for _ in rows], values]


class Blocks(unittest.TestCase):
    """Against the lists they were made of."""

    def made(self, seed: int) -> tuple[list[list[int]], Block]:
        random = Random(seed)
        columns = random_columns(random, random.randint(1, 400))
        return columns, make_block(Rows(*(np.array(c, np.int64) for c in columns)))

    def test_rows_come_back_as_they_went_in(self) -> None:
        types = set()
        for seed in range(120):
            (scans, numbers, steps, tags, values), block = self.made(seed)
            self.assertEqual([block.scan(i) for i in range(len(block))], scans)
            self.assertEqual([(block.key(i) & ((1 << 21) - 1)) - (1 << 20) for i in range(len(block))], numbers)
            self.assertEqual([block.step(i) for i in range(len(block))], steps)
            self.assertEqual([block.tag(i) for i in range(len(block))], tags)
            self.assertEqual([block.raw(i) for i in range(len(block))], values)
            rows = np.arange(len(block))
            self.assertEqual((block.raws(rows).tolist(), block.scans_of(rows).tolist()), (values, scans))
            self.assertEqual([c.tolist() for c in block.once()], [scans, tags, values])
            types |= {(c.dtype.kind, c.dtype.itemsize) for c in (block.scans, block.numbers, block.steps, block.tags)}
        self.assertTrue({("u", 2), ("u", 4), ("i", 4)} <= types, "narrow and wide columns were tried")

    def test_rows_of_a_tag_and_places_of_a_moment(self) -> None:
        for seed in range(120, 200):
            (scans, numbers, _, tags, _), block = self.made(seed)
            random = Random(seed)
            for tag in {*random.sample(tags, min(4, len(tags))), -1, 10**6}:
                mine = [i for i, t in enumerate(tags) if t == tag]
                self.assertEqual(block.rows(tag, 0, len(block)).tolist(), mine)
                self.assertEqual(block.holds(tag), bool(mine))
                low, high = sorted((random.randrange(len(tags) + 1), random.randrange(len(tags) + 1)))
                self.assertEqual(block.rows(tag, low, high).tolist(), [i for i in mine if low <= i < high])
                self.assertEqual(block.last(tag, high), max((i for i in mine if i < high), default=-1))
                if low < len(tags):
                    self.assertEqual(block.first(tag, low), min((i for i in mine if i >= low), default=-1))
            for _ in range(20):
                scan, number = random.choice(scans) + random.randint(-1, 1), random.choice((0, 1, random.choice(numbers), 1 << 20))
                self.assertEqual(block.position(scan, number), sum((s, n) < (scan, number) for s, n in zip(scans, numbers, strict=True)))

    def test_many_threads_may_ask_a_fresh_block(self) -> None:
        for seed in range(200, 240):
            (_, _, _, tags, _), block = self.made(seed)
            wrong: list[object] = []

            def ask(block: Block = block, tags: list[int] = tags, wrong: list[object] = wrong) -> None:
                try:
                    if block.rows(tags[0], 0, len(block)).tolist() != [i for i, t in enumerate(tags) if t == tags[0]]:
                        wrong.append("rows")
                except Exception as error:
                    wrong.append(error)

            threads = [Thread(target=ask) for _ in range(6)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            self.assertEqual(wrong, [])

    def test_rows_of_the_clock_may_be_cut_apart_anywhere(self) -> None:
        rows = [(1, 0, -1, at.CLOCK_START, 0), (1, 0, -1, at.CLOCK_PERIOD, 10), (1, 1, 0, 3, 1), (2, 0, -1, at.CLOCK_START, 10),
                (2, 0, -1, at.CLOCK_PERIOD, 25), (2, 1, 0, 3, 0)]
        for cut in range(len(rows) + 1):
            columns = Columns()
            for part in (rows[:cut], rows[cut:]):
                columns.note(rows_of([row for row in part if row[3] < 0]))
                columns.add(rows_of([row for row in part if row[3] >= 0]))
            found = columns.journal([0] * 5, 3)
            self.assertEqual((len(found), found.clock.start(2), found.clock.start(3)), (2, 10, 35), cut)

    def test_a_journal_made_before_does_not_change_with_what_comes_later(self) -> None:
        columns = Columns()
        columns.clock(1, 0, 10)
        columns.add(rows_of([(1, 1, 0, 3, 1), (2, 1, 0, 3, 0)]))
        early = columns.journal([0] * 5, 2)
        # One record alone: a view of one row is laid out like a copy, and must be one all the same.
        memory = np.array([((3 << 21) + (1 << 20) + 1, 0, 4, 7)], PACKED)
        columns.add(unpacked(memory))
        memory["value"] = 99
        columns.add(rows_of([(s, 1, 0, 3, s & 1) for s in range(4, 100)]))
        late = columns.journal([0] * 5, 100)
        self.assertEqual((len(early), len(late)), (2, 99))
        self.assertEqual(early.value_at(3, 2), 0)
        self.assertEqual(late.value_at(4, len(late)), 7)
        self.assertEqual([late.raw(r) for r in range(2)], [early.raw(r) for r in range(2)])


if __name__ == "__main__":
    unittest.main()
