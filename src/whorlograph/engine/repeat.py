"""Scans whose rows repeat those of the scan before: stored once with a count, read as if written out (CONTROLLER.md, The journal)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from whorlograph.model.log import Ints

from .rows import BEFORE, BITS, Rows

LEAST = 256  # rows written out that make a repetition worth an entry of its own


class Repeat(Struct):
    """The rows of one scan, ``count`` times over, scan after scan from ``base`` on.

    ``numbers``, ``steps``, ``tags``, ``values`` int64[k] of the k rows of each scan.
    """

    base: int
    count: int
    numbers: Ints
    steps: Ints
    tags: Ints
    values: Ints

    def __len__(self) -> int:
        return self.count * len(self.tags)

    def key(self, i: int) -> int:
        """Scan and number of a row in one."""
        return (self.scan(i) << BITS) + int(self.numbers[i % len(self.tags)]) + BEFORE

    def scan(self, i: int) -> int:
        """The scan of a row."""
        return self.base + i // len(self.tags)

    def step(self, i: int) -> int:
        """The step of a row."""
        return int(self.steps[i % len(self.tags)])

    def tag(self, i: int) -> int:
        """The tag of a row."""
        return int(self.tags[i % len(self.tags)])

    def raw(self, i: int) -> int:
        """The raw value of a row."""
        return int(self.values[i % len(self.tags)])

    def position(self, scan: int, number: int) -> int:
        """How many rows come before a number of a scan."""
        turn = scan - self.base
        if turn < 0:
            return 0
        if turn >= self.count:
            return len(self)
        return turn * len(self.tags) + int(np.searchsorted(self.numbers, number, side="left"))

    def holds(self, tag: int) -> bool:
        """Whether there is a row of a tag."""
        return bool((self.tags == tag).any())

    def rows(self, tag: int, low: int, high: int) -> Ints:
        """int64[n]: the rows of one tag from one to before another, in order."""
        size = len(self.tags)
        mine = np.nonzero(self.tags == tag)[0]
        turns = np.arange(low // size, min(self.count, -(-high // size)), dtype=np.int64)
        found: Ints = (turns[:, None] * size + mine).ravel()
        return found[(found >= low) & (found < high)]

    def last(self, tag: int, before: int) -> int:
        """The last row of a tag before a row; -1 where there is none."""
        size = len(self.tags)
        found = self.rows(tag, max(0, before - 2 * size), before)
        return int(found[-1]) if len(found) else -1

    def first(self, tag: int, after: int) -> int:
        """The first row of a tag from a row on; -1 where there is none."""
        found = self.rows(tag, after, min(len(self), after + 2 * len(self.tags)))
        return int(found[0]) if len(found) else -1

    def raws(self, rows: Ints) -> Ints:
        """int64[n]: the raw values of rows."""
        return self.values[rows % len(self.tags)]

    def scans_of(self, rows: Ints) -> Ints:
        """int64[n]: the scans of rows."""
        return self.base + rows // len(self.tags)

    def steps_of(self, rows: Ints) -> Ints:
        """int64[n]: the steps that wrote rows."""
        return self.steps[rows % len(self.tags)]

    def stretch(self, low: int, high: int) -> tuple[Ints, Ints]:
        """int64[n] each: steps and tags of the rows from one to before another."""
        rows = np.arange(low, high) % len(self.tags)
        return self.steps[rows], self.tags[rows]

    def once(self) -> tuple[Ints, Ints, Ints]:
        """int64[k] each: scans, tags and raw values of one turn: the others leave nothing else behind."""
        return np.full(len(self.tags), self.base, np.int64), self.tags, self.values

    def goes_on(self, other: Repeat) -> bool:
        """Whether another repetition takes up where this one ends."""
        return other.base == self.base + self.count and all(
            np.array_equal(a, b) for a, b in ((self.numbers, other.numbers), (self.steps, other.steps), (self.tags, other.tags),
                                              (self.values, other.values)))


def parted(rows: Rows) -> Iterator[tuple[Rows, Repeat | None]]:
    """Rows in order, in pieces: those to be written out, and the repetitions between them."""
    done = 0
    for begin, size, count in _repetitions(rows):
        # The first of the scans stays written out: what it changed may differ from what the next ones repeat.
        if begin > done:
            yield rows.part(done, begin), None
        one = rows.part(begin, begin + size)
        yield one, Repeat(int(one.scan[0]), count, *(c.astype(np.int64) for c in one.columns()[1:]))
        done = begin + size * count
    if done < len(rows):
        yield rows.part(done, len(rows)), None


def _repetitions(rows: Rows) -> list[tuple[int, int, int]]:
    """(first row, rows of a scan, scans) of each repetition that is worth it."""
    scans = rows.scan
    if len(scans) < LEAST:
        return []
    begins = np.nonzero(np.append(True, scans[1:] != scans[:-1]))[0]
    sizes = np.diff(np.append(begins, len(scans)))
    # The last scan may go on in the next records.
    alike = (sizes[1:-1] == sizes[:-2]) & (scans[begins[1:-1]] == scans[begins[:-2]] + 1) if len(sizes) > 2 else np.zeros(0, bool)
    found = []
    for first, last in _stretches(alike):
        size, a, b = int(sizes[first]), int(begins[first]), int(begins[last] + sizes[last])
        if b - a < LEAST:
            continue
        same = np.ones(last - first, bool)
        for whole in rows.columns()[1:]:
            column = whole[a:b].reshape(-1, size)
            same &= (column[1:] == column[:-1]).all(axis=1)
        for begin, end in _stretches(same):
            if (end - begin) * size >= LEAST:
                found.append((a + (begin + 1) * size, size, end - begin))
    return found


def _stretches(flags: Any) -> list[tuple[int, int]]:
    """(first, last) of the entries that runs of True join: entry i + 1 is joined to entry i where flag i holds."""
    edges = np.diff(np.concatenate([[0], flags.astype(np.int8), [0]]))
    return list(zip(np.nonzero(edges == 1)[0].tolist(), np.nonzero(edges == -1)[0].tolist(), strict=True))
