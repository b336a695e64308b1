"""Scans that repeat are stored once and read as if written out: every answer of the journal is the same."""

from __future__ import annotations

import unittest
from random import Random
from unittest.mock import patch

import numpy as np

from tests.building import program_of
from whorlograph.engine import block, journal, repeat
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Columns, Journal
from whorlograph.engine.repeat import Repeat
from whorlograph.engine.rows import rows_of
from whorlograph.model.log import Log
from whorlograph.model.moment import Moment
from whorlograph.model.parts import Ladder, coil, no, reset, set_
from whorlograph.model.profile import Profile

Rows = list[tuple[int, int, int, int, int]]


def random_rows(random: Random) -> Rows:
    """(scan, number, step, tag, value) of scans, many of which repeat the one before."""
    found: Rows = []
    scan = 0
    while len(found) < 900:
        scan += random.choice((1, 1, 1, 7))
        size = random.randint(1, 4)
        one = [(n + 1, random.randrange(5), random.randrange(4), random.choice((0, 1, 5, -1, 1 << 40))) for n in range(size)]
        for _ in range(random.choice((1, 1, 2, 9, 60))):
            found += [(scan, *row) for row in one]
            scan += 1
    return found


def put_together(rows: Rows, cuts: list[int], least: int, most: int) -> Journal:
    """The journal of rows that come in pieces."""
    columns = Columns()
    with patch.object(repeat, "LEAST", least), patch.object(journal, "MOST_ROWS", most):
        for low, high in zip([0, *cuts], [*cuts, len(rows)], strict=True):
            columns.add(rows_of(rows[low:high]))
        columns.clock(1, 0, 10)
        return columns.journal([3, 2, 1, 0], rows[-1][0])


def falls(rows: Rows, initial: list[int]) -> dict[int, int]:
    """By tag how often it was 0 at a scan's end and not before, followed row by row."""
    now, found = dict(enumerate([*initial, 0])), dict.fromkeys(range(1 + max(row[3] for row in rows)), 0)
    for n, (scan, _, _, tag, value) in enumerate(rows):
        if not n or rows[n - 1][0] != scan:
            before = dict(now)
        now[tag] = value
        if n + 1 == len(rows) or rows[n + 1][0] != scan:
            for one in found:
                found[one] += now[one] == 0 and before[one] != 0
    return found


class Repeats(unittest.TestCase):
    """Against the same rows written out."""

    def test_every_question_has_the_answer_of_the_rows_written_out(self) -> None:
        repeats = 0
        for seed in range(25):
            random = Random(seed)
            rows = random_rows(random)
            cuts = sorted(random.sample(range(1, len(rows)), 3))
            short = put_together(rows, cuts, 12, 64)
            long = put_together(rows, [], 10**9, block.MOST_ROWS)
            repeats += sum(isinstance(b, Repeat) for b in short.blocks)
            self.assertFalse(any(isinstance(b, Repeat) for b in long.blocks))
            self.assertEqual(len(short), len(rows))
            for row, (scan, number, step, tag, value) in enumerate(rows):
                self.assertEqual((short.moment(row), short.step(row), short.tag(row), short.raw(row)), (Moment(scan, number), step, tag, value))
            for _ in range(150):
                tag, low, high = random.randrange(5), random.randrange(len(rows)), random.randrange(len(rows) + 1)
                moment = Moment(random.randint(0, rows[-1][0] + 2), random.randint(0, 5))
                for ask in (lambda j: j.last_row(tag, high), lambda j: j.next_row(tag, low), lambda j: j.value_at(tag, high),  # noqa: B023
                            lambda j: j.position(moment), lambda j: j.settled_position(moment.scan), lambda j: j.settled(tag, moment.scan),  # noqa: B023
                            lambda j: j.rows_between(tag, low, high).tolist(), lambda j: [c.tolist() for c in j.stretch(low, high)],  # noqa: B023
                            lambda j: [c.tolist() for c in j.history(tag)]):  # noqa: B023
                    self.assertEqual(ask(short), ask(long))
            for one in (short, long):
                self.assertEqual(dict(enumerate(one.falls().tolist())), falls(rows, [3, 2, 1, 0]), seed)
        self.assertGreater(repeats, 50)

    def test_rows_laid_out_for_many_questions_answer_as_the_blocks_do(self) -> None:
        for seed, room in ((1, 0), (2, 250), (3, 1 << 20)):  # none, those of some tags, those of all
            rows = random_rows(Random(seed))
            with patch.object(journal, "_OFTEN", 1):
                laid_out, blocks = (put_together(rows, [], 12, 64) for _ in range(2))
            laid_out._left, blocks._left = room, -1
            with patch.object(journal, "_OFTEN", 1):
                for position in range(0, len(rows) + 2, 3):
                    for tag in range(6):  # one of them without a row
                        self.assertEqual(laid_out.last_row(tag, position), blocks.last_row(tag, position), (seed, tag, position))
                        self.assertEqual(laid_out.value_at(tag, position), blocks.value_at(tag, position), (seed, tag, position))
            self.assertFalse(blocks._laid_out)
            self.assertEqual(sum(len(places) > 0 for places, _ in laid_out._laid_out.values()), {0: 0, 250: 1}.get(room, 4))
            self.assertGreaterEqual(laid_out._left, 0)

    def test_what_is_settled_needs_a_repeated_scan_once(self) -> None:
        for seed in range(10):
            rows = random_rows(Random(seed))
            short, long = put_together(rows, [], 12, 64), put_together(rows, [], 10**9, block.MOST_ROWS)
            self.assertLess(len(short.distinct()[0]), len(rows))
            left = []
            for one in (short, long):
                values: dict[int, int] = {}
                steps: list[tuple[int, tuple[tuple[int, int], ...]]] = []
                scans, tags, raws = (column.tolist() for column in one.distinct())
                for i, scan in enumerate(scans):
                    values[tags[i]] = raws[i]
                    state = tuple(sorted(values.items()))
                    if (i + 1 == len(scans) or scans[i + 1] != scan) and (not steps or steps[-1][1] != state):
                        steps.append((scan, state))
                left.append(steps)
            self.assertEqual(left[0], left[1])

    def test_a_set_and_a_reset_coil_powered_for_a_day_take_little(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), reset("Y1"))
            ladder.rung(no("X1"), set_("Y1"))
            ladder.rung(no("X2"), coil("Y2"))

        controller = Controller(program_of(draw, "X1 X2 Y1 Y2"), Profile())
        names = controller.running.by_name
        hour = 3_600_000_000_000
        log = Log(np.array([0, hour], np.int64), np.array([names["x1"], names["x2"]], np.int64), np.array([1, 1], np.int64), end=hour)
        found = controller.replay(log)
        self.assertGreater(len(found), 2 * 359_000)
        self.assertLess(len(found.blocks), 40)
        self.assertLess(sum(len(b.tags) for b in found.blocks), 400)
        y1 = names["y1"]
        for scan in (2, 1000, 200_000, 359_999):
            self.assertEqual(found.settled(y1, scan), 1)
            self.assertEqual(found.value_at(y1, found.position(Moment(scan, 2))), 0)


if __name__ == "__main__":
    unittest.main()
