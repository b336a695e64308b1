"""Journal rows on their way from an engine into the journal: columns, and how the compiled engine packs them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.model.log import Ints, Shorts

BITS = 21  # room for a step's number within its scan
BEFORE = 1 << 20  # steps that tasks take before a scan have numbers below 0, from minus this on
# What the compiled engine writes: scan and number in one, so that scans may be counted as far as 64 bits of nanoseconds reach.
Records = NDArray[np.void]
PACKED = np.dtype([("key", "<i8"), ("step", "<i4"), ("tag", "<i4"), ("value", "<i8")])


class Rows(Struct):
    """Rows in order: ``scan`` and ``value`` int64[n], ``number``, ``step`` and ``tag`` int32[n]."""

    scan: Ints
    number: Shorts
    step: Shorts
    tag: Shorts
    value: Ints

    def __len__(self) -> int:
        return len(self.tag)

    def columns(self) -> tuple[NDArray[Any], ...]:
        """Scan, number, step, tag, value."""
        return self.scan, self.number, self.step, self.tag, self.value

    def part(self, begin: int, end: int) -> Rows:
        """Rows from one to before another; nothing is copied."""
        return Rows(*(c[begin:end] for c in self.columns()))

    def chosen(self, which: NDArray[np.bool_]) -> Rows:
        """The rows that are marked."""
        return self.taken(np.flatnonzero(which))

    def taken(self, at: Ints) -> Rows:
        """The rows at places."""
        return Rows(*(c.take(at) for c in self.columns()))

    def listed(self) -> list[tuple[int, ...]]:
        """(scan, number, step, tag, value) of each."""
        return list(zip(*(c.tolist() for c in self.columns()), strict=True))


def rows_of(listed: Sequence[tuple[int, int, int, int, int]]) -> Rows:
    """Rows of (scan, number, step, tag, value)."""
    table = np.array(listed, np.int64).reshape(-1, 5)
    number, step, tag = (table[:, n].astype(np.int32) for n in (1, 2, 3))
    return Rows(table[:, 0].copy(), number, step, tag, table[:, 4].copy())


def packed(rows: Rows) -> Records:
    """Rows as the compiled engine writes them."""
    records = np.empty(len(rows), PACKED)
    records["key"] = (rows.scan << BITS) + rows.number + BEFORE
    records["step"], records["tag"], records["value"] = rows.step, rows.tag, rows.value
    return records


def unpacked(records: Records) -> Rows:
    """Copies of what the compiled engine has written, as ``PACKED``."""
    key = records["key"]
    number = (key & ((1 << BITS) - 1)).astype(np.int32) - np.int32(BEFORE)
    return Rows(key >> BITS, number, records["step"].copy(), records["tag"].copy(), records["value"].copy())


def joined(parts: Sequence[Rows]) -> Rows:
    """Rows one after another."""
    return Rows(*(np.concatenate(c) for c in zip(*(p.columns() for p in parts), strict=True)))
