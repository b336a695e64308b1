"""The journal: every value change of a replay, in columns, asked without running again."""

from __future__ import annotations

from bisect import bisect_left
from typing import Any

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.model.log import Ints, Shorts
from whorlograph.model.moment import Moment, ScanClock

from . import layout as at

Records = NDArray[np.void]
BITS = 21  # room for a step's number within its scan


class Columns:
    """Journal rows as the engine hands them over, block by block."""

    def __init__(self) -> None:
        self.blocks: list[Records] = []
        self.rows = 0

    def add(self, block: Records) -> None:
        """Take one block of records: scan, number, step, tag (int32) and value (int64)."""
        self.blocks.append(block)
        self.rows += len(block)


class Fault(Struct, frozen=True):
    """Why the controller halted. ``step`` and ``element`` are -1 and 0 where there is none; ``tag`` None likewise."""

    scan: int
    number: int
    step: int
    element: int
    code: str
    tag: int | None
    text: str


class Row(Struct, frozen=True):
    """One change, for a person: at which moment, by which step (-1: an input, -2: the controller), what."""

    moment: Moment
    step: int
    tag: int
    old: int
    new: int


class Journal(Struct):
    """All rows of a replay in order.

    ``key`` int64[rows]: scan and step number in one; ``step`` int32[rows]; ``tag`` int32[rows]; ``value``
    int64[rows], raw bits. ``initial``: every tag's raw value before the first scan.
    """

    key: Ints
    step: Shorts
    tag: Shorts
    value: Ints
    initial: list[int]
    clock: ScanClock
    fault: Fault | None = None
    complete: bool = True
    _order: Ints | None = None
    _bounds: Ints | None = None
    _rows: dict[int, Ints] = field(default_factory=dict)
    _keys: dict[int, Ints] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.key)

    def rows(self, tag: int) -> Ints:
        """int64[n]: the rows of one tag, in order."""
        found = self._rows.get(tag)
        if found is None:
            if self._order is None:
                # numpy sorts 16 bits by radix, in one pass.
                small = bool(len(self.tag)) and int(self.tag.max()) < 1 << 16 and int(self.tag.min()) >= 0
                self._order = np.argsort(self.tag.astype(np.uint16) if small else self.tag, kind="stable")
                sorted_tags = self.tag[self._order]
                top = int(sorted_tags[-1]) + 2 if len(sorted_tags) else 1
                self._bounds = np.searchsorted(sorted_tags, np.arange(top))
            bounds = self._bounds
            assert bounds is not None
            if tag < 0 or tag >= len(bounds) - 1:
                found = np.zeros(0, np.int64)
            else:
                found = self._order[bounds[tag]:bounds[tag + 1]]
            self._rows[tag] = found
        return found

    def keys(self, tag: int) -> Ints:
        """int64[n]: the keys of one tag's rows."""
        found = self._keys.get(tag)
        if found is None:
            found = self._keys[tag] = self.key[self.rows(tag)]
        return found

    # positions: a position p stands for "all rows before row p have happened"

    def position(self, moment: Moment) -> int:
        """The rows that happened before a step saw its values: those of earlier scans and smaller numbers."""
        return int(np.searchsorted(self.key, (moment.scan << BITS) + moment.step, side="left"))

    def settled_position(self, scan: int) -> int:
        """The rows up to the end of a scan."""
        return int(np.searchsorted(self.key, (scan + 1) << BITS, side="left"))

    def last_row(self, tag: int, position: int) -> int | None:
        """The last row of a tag before a position."""
        rows = self.rows(tag)
        i = int(np.searchsorted(rows, position, side="left"))
        return int(rows[i - 1]) if i else None

    def next_row(self, tag: int, position: int) -> int | None:
        """The first row of a tag at or after a position."""
        rows = self.rows(tag)
        i = int(np.searchsorted(rows, position, side="left"))
        return int(rows[i]) if i < len(rows) else None

    def value_at(self, tag: int, position: int) -> int:
        """A tag's raw value at a position."""
        row = self.last_row(tag, position)
        if row is not None:
            return int(self.value[row])
        return self.initial[tag] if tag < len(self.initial) else 0

    def settled(self, tag: int, scan: int) -> int:
        """A tag's raw value at a scan's end."""
        keys = self.keys(tag)
        i = bisect_left(keys, (scan + 1) << BITS) if len(keys) < 64 else int(np.searchsorted(keys, (scan + 1) << BITS))
        if i == 0:
            return self.initial[tag] if tag < len(self.initial) else 0
        return int(self.value[self.rows(tag)[i - 1]])

    def moment(self, row: int) -> Moment:
        """When a row happened."""
        key = int(self.key[row])
        return Moment(key >> BITS, key & ((1 << BITS) - 1))

    def time(self, row: int) -> int:
        """The clock of a row's scan, ns since the log's first row."""
        return self.clock.start(int(self.key[row]) >> BITS)

    def row(self, number: int) -> Row:
        """One row for a person."""
        tag = int(self.tag[number])
        return Row(self.moment(number), int(self.step[number]), tag, self.value_at(tag, number), int(self.value[number]))

    def at_row(self, number: int) -> tuple[int, int]:
        """(scan, step index) of a row."""
        return int(self.key[number]) >> BITS, int(self.step[number])


def build_journal(columns: Columns, initial: list[int], last_scan: int, fault: Fault | None = None, last: bool = False) -> Journal:
    """Put the blocks of a run together, with the clock taken out.

    Args: last: the run is over: blocks are given up one by one, so that the rows are held once only.
    """
    scans: list[int] = []
    starts: list[int] = []
    periods: list[int] = []
    parts: tuple[list[Any], ...] = ([], [], [], [])
    blocks = columns.blocks if last else list(columns.blocks)
    blocks.reverse()
    while blocks:
        block: Any = blocks.pop()
        tag = block["tag"]
        scans += block["scan"][tag == at.CLOCK_START].tolist()
        starts += block["value"][tag == at.CLOCK_START].tolist()
        periods += block["value"][tag == at.CLOCK_PERIOD].tolist()
        rows = block[tag >= 0]
        for part, column in zip(parts, ((rows["scan"].astype(np.int64) << BITS) + rows["number"], rows["step"], rows["tag"], rows["value"]),
                                strict=True):
            part.append(np.ascontiguousarray(column))
    found = []
    for part, kind in zip(parts, (np.int64, np.int32, np.int32, np.int64), strict=True):
        found.append(np.concatenate(part) if len(part) != 1 else part[0]) if part else found.append(np.zeros(0, kind))
        part.clear()
    return Journal(found[0], found[1], found[2], found[3], initial, ScanClock(scans, starts, periods, last_scan), fault)
