"""A block of journal rows in columns as narrow as they can be: ten million changes are to fit into a laptop."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.model.log import Ints, narrowed

from .rows import BEFORE, BITS, Rows

MOST_ROWS = 1 << 16  # a row's place within its block takes 16 bits
Narrow = NDArray[Any]
_LIMITS = {kind: (int(np.iinfo(kind).min), int(np.iinfo(kind).max))
           for kind in (np.int8, np.uint8, np.int16, np.uint16, np.int32, np.uint32, np.int64, np.uint64)}


class Block(Struct):
    """At most 65,536 rows in order: of each the scan (counted from ``base``), number, step, tag and raw value.

    ``small`` int8[n] holds the values that fit; the others stand in ``wide`` int64[m], at the rows ``wide_at`` uint16[m].
    """

    base: int
    scans: Narrow
    numbers: Narrow
    steps: Narrow
    tags: Narrow
    small: Narrow
    wide_at: Narrow
    wide: Ints
    _order: Narrow | None = None
    _bounds: Narrow | None = None

    def __len__(self) -> int:
        return len(self.tags)

    def key(self, i: int) -> int:
        """Scan and number of a row in one."""
        return ((self.base + int(self.scans[i])) << BITS) + int(self.numbers[i]) + BEFORE

    def scan(self, i: int) -> int:
        """The scan of a row."""
        return self.base + int(self.scans[i])

    def step(self, i: int) -> int:
        """The step of a row."""
        return int(self.steps[i])

    def tag(self, i: int) -> int:
        """The tag of a row."""
        return int(self.tags[i])

    def position(self, scan: int, number: int) -> int:
        """How many rows come before a number of a scan."""
        offset = scan - self.base
        if offset < 0:
            return 0
        kind = self.scans.dtype.type
        if offset > _LIMITS[kind][1]:
            return len(self)
        place = kind(offset)  # of the column's own type: else numpy would bring the whole column to another
        low = int(self.scans.searchsorted(place))
        kind = self.numbers.dtype.type
        least, most = _LIMITS[kind]
        if number < least or number <= -BEFORE:
            return low
        high = int(self.scans.searchsorted(place, "right"))
        if number > most:
            return high
        return low + int(self.numbers[low:high].searchsorted(kind(number)))

    def raw(self, i: int) -> int:
        """The raw value of a row."""
        if len(self.wide_at):
            at = int(self.wide_at.searchsorted(np.uint16(i)))
            if at < len(self.wide_at) and self.wide_at[at] == i:
                return int(self.wide[at])
        return int(self.small[i])

    def raws(self, rows: Ints) -> Ints:
        """int64[k]: the raw values of rows."""
        found = self.small[rows].astype(np.int64)
        if len(self.wide_at):
            at = np.minimum(np.searchsorted(self.wide_at, rows), len(self.wide_at) - 1)
            hit = self.wide_at[at] == rows
            found[hit] = self.wide[at[hit]]
        return found

    def scans_of(self, rows: Ints) -> Ints:
        """int64[k]: the scans of rows."""
        return self.scans[rows].astype(np.int64) + self.base

    def steps_of(self, rows: Ints) -> Ints:
        """int64[k]: the steps that wrote rows."""
        return self.steps[rows].astype(np.int64)

    def stretch(self, low: int, high: int) -> tuple[Ints, Ints]:
        """int64[n] each: steps and tags of the rows from one to before another."""
        return self.steps[low:high].astype(np.int64), self.tags[low:high].astype(np.int64)

    def once(self) -> tuple[Ints, Ints, Ints]:
        """int64[n] each: scans, tags and raw values of all rows."""
        values = self.small.astype(np.int64)
        values[self.wide_at] = self.wide
        return self.scans.astype(np.int64) + self.base, self.tags.astype(np.int64), values

    def holds(self, tag: int) -> bool:
        """Whether there is a row of a tag."""
        return len(self._of(tag)) > 0

    def rows(self, tag: int, low: int, high: int) -> Ints:
        """int64[k]: the rows of one tag from one to before another, in order."""
        found = self._of(tag)
        if low > 0 or high < len(self):
            found = found[np.searchsorted(found, low):np.searchsorted(found, high)]
        return found.astype(np.int64)

    def last(self, tag: int, before: int) -> int:
        """The last row of a tag before a row; -1 where there is none."""
        found = self._of(tag)
        n = int(found.searchsorted(np.uint16(before - 1), "right")) if before > 0 else 0
        return int(found[n - 1]) if n else -1

    def first(self, tag: int, after: int) -> int:
        """The first row of a tag from a row on; -1 where there is none."""
        found = self._of(tag)
        n = int(found.searchsorted(np.uint16(after)))
        return int(found[n]) if n < len(found) else -1

    def _of(self, tag: int) -> Narrow:
        """uint16[k]: the rows of one tag, in order."""
        if self._order is None:
            self._index()
        order, bounds = self._order, self._bounds
        assert order is not None and bounds is not None
        if tag < 0 or tag >= len(bounds) - 1:
            return order[:0]
        return order[bounds[tag]:bounds[tag + 1]]

    def _index(self) -> None:
        # numpy sorts 16 bits by radix, in one pass.
        order = np.argsort(self.tags, kind="stable")
        top = int(self.tags.max()) + 2 if len(self) else 1
        counts = np.bincount(self.tags, minlength=top - 1)
        bounds = np.zeros(top, np.uint32)
        np.cumsum(counts, out=bounds[1:])
        # The order last: blocks are shared with journals that other threads ask, and it says that the index is there.
        self._bounds = bounds
        self._order = order.astype(np.uint16)


def make_block(rows: Rows) -> Block:
    """Put rows into a block: at most 65,536, scans and numbers ascending together, no tag negative."""
    scans, values = rows.scan, rows.value
    base = int(scans[0]) if len(scans) else 0
    fits = (values >= -128) & (values <= 127)
    if fits.all():
        wide_at, wide = np.zeros(0, np.uint16), np.zeros(0, np.int64)
    else:
        wide_at = np.nonzero(~fits)[0].astype(np.uint16)
        wide = values[wide_at]
    return Block(base, narrowed(scans - base), narrowed(rows.number), narrowed(rows.step), narrowed(rows.tag), values.astype(np.int8), wide_at, wide)
