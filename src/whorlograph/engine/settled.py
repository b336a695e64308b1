"""Settled values: what a scan leaves behind, as columns for files (DESIGN section 7, replay)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.model.log import Ints, Shorts
from whorlograph.model.tags import Running

from .journal import Journal
from .rows import BITS, PACKED, Records

if TYPE_CHECKING:
    from .wasm.settling import FastSettling

Flags = NDArray[np.bool_]
SettledRows = tuple[Ints, Shorts, Ints]  # scans int64[n], tags int32[n], values int64[n] raw, by scan, then tag name
WORTH_IT = 50_000  # records in one piece from which the fast way's own start is repaid
MOST_RECORDS = 1 << 19  # settled at once
EVER = 1 << 62


class Settled(Struct, frozen=True):
    """Rows ordered by scan, then tag name: ``scans`` int64[n], ``tags`` int32[n], ``values`` int64[n] raw,
    ``starts`` int64[n] the scan's clock in ns. ``tags_shown`` in order of name, with their first values."""

    scans: Ints
    tags: Shorts
    values: Ints
    starts: Ints
    tags_shown: list[int]
    first: list[int]


def shown_tags(running: Running, only: set[int] | None = None) -> list[int]:
    """The tags that result files show, by name in order of code points."""
    found = [t for t in running.tags[:running.public] if t.listed and (only is None or t.index in only)]
    return [t.index for t in sorted(found, key=lambda t: t.name)]


class Settling:
    """Settles rows piece by piece; a piece ends with a scan. What stands in the tags between pieces is all that is kept.

    ``shown``, ``first``: the tags by name, and their values before the first scan; ``last`` int64[n]: theirs at the end of the piece
    before; ``ranks`` int64[t + 1]: by tag its place among them, -1: not shown, the last entry for all beyond the program's own.
    """

    def __init__(self, running: Running, initial: Sequence[int], only: set[int] | None = None) -> None:
        self.shown = shown_tags(running, only)
        self.first = [initial[t] for t in self.shown]
        self.ranks = np.full(len(running.tags) + 1, -1, np.int64)
        self.ranks[np.array(self.shown, np.int64)] = np.arange(len(self.shown))
        self._tags = np.array(self.shown, np.int32)
        self.last = np.array(self.first, np.int64)

    def take(self, scans: Ints, tags: Ints, values: Ints, last_scan: int) -> SettledRows:
        """Rows in order, to settled ones: scans int64[n], tags int32[n], values int64[n], by scan, then tag name.

        Args: last_scan: rows behind it do not count.
        """
        ranks = self.ranks.take(tags, mode="clip")
        keep = np.flatnonzero((ranks >= 0) & (scans <= last_scan))
        if len(keep) < len(ranks):
            ranks, scans, values = ranks.take(keep), scans.take(keep), values.take(keep)
        keys = scans * max(1, len(self.shown)) + ranks
        order = np.argsort(keys, kind="stable")  # the journal is nearly in this order
        keys, values, ranks = keys.take(order), values.take(order), ranks.take(order)
        first = np.ones(len(keys), bool)
        first[1:] = keys[1:] != keys[:-1]
        last = np.ones(len(keys), bool)
        last[:-1] = first[1:]
        # A row is a change: a tag with one row in a scan has another value behind it. One with several may be back where it was.
        changed = np.flatnonzero(last & (first | self._differs(ranks, values, first, last)))
        ends = np.flatnonzero(last)
        self.last[ranks.take(ends)] = values.take(ends)  # of a tag's several, the last one stays
        return scans.take(order.take(changed)), self._tags.take(ranks.take(changed)), values.take(changed)

    def _differs(self, ranks: Ints, values: Ints, first: Flags, last: Flags) -> Flags:
        """bool[n]: for the last rows of tags with several rows in a scan, whether the value is another than that before the scan."""
        found = np.zeros(len(ranks), bool)
        ends = np.nonzero(last & ~first)[0]
        if not len(ends):
            return found
        # Such tags are few: all their rows, tag by tag in order of time; each group's value before is the row's before it.
        several = np.zeros(len(self.shown), bool)
        several[ranks[ends]] = True
        concerned = np.nonzero(several[ranks])[0]
        by_tag = concerned[np.argsort(ranks[concerned], kind="stable")]
        lasts = by_tag[last[by_tag]]
        before = np.empty(len(lasts), np.int64)
        before[1:] = values[lasts[:-1]]
        begins = np.ones(len(lasts), bool)
        begins[1:] = ranks[lasts[1:]] != ranks[lasts[:-1]]
        before[begins] = self.last[ranks[lasts[begins]]]
        found[lasts] = values[lasts] != before
        return found


class SettlingRecords:
    """Settles records as an engine hands them over, in pieces of any size: the last scan of one may go on in the next.

    Fast from the first large piece on, where wasmtime loads.
    """

    def __init__(self, running: Running, initial: Sequence[int], only: set[int] | None = None) -> None:
        self._slow = Settling(running, initial, only)
        self._fast: FastSettling | None = None
        self._loads = True
        self._open = np.zeros(0, PACKED)  # of the scan that may go on

    @property
    def first(self) -> list[tuple[int, int]]:
        """(tag number, raw value) of each shown tag before the first scan, in order of name."""
        return list(zip(self._slow.shown, self._slow.first, strict=True))

    def take(self, records: Records) -> SettledRows:
        """The settled rows of all scans that end in these records."""
        if self._fast is None and self._loads and len(records) >= WORTH_IT:
            self._begin()
            records, self._open = np.concatenate([self._open, records]), self._open[:0]
        if self._fast is not None:
            return joined(self._fast.take(records))
        return joined([self._slowly(records[i:i + MOST_RECORDS]) for i in range(0, len(records), MOST_RECORDS)])

    def close(self, last_scan: int) -> SettledRows:
        """Those of the scan that was still open, if it is not behind the last one."""
        return self._fast.close(last_scan) if self._fast is not None else self._settled(self._open, last_scan)

    def _begin(self) -> None:
        try:
            from .wasm.settling import FastSettling

            self._fast = FastSettling(self._slow.shown, self._slow.ranks, self._slow.last)
        except (ImportError, OSError):
            self._loads = False

    def _slowly(self, records: Records) -> SettledRows:
        records = np.concatenate([self._open, records])
        scans = records["key"] >> BITS
        ended = int(np.searchsorted(scans, scans[-1]))
        self._open = records[ended:]
        return self._settled(records[:ended], EVER)

    def _settled(self, records: Records, last_scan: int) -> SettledRows:
        return self._slow.take(records["key"] >> BITS, records["tag"].astype(np.int64), records["value"].copy(), last_scan)


def joined(parts: Sequence[SettledRows]) -> SettledRows:
    """Settled rows one after another."""
    if len(parts) == 1:
        return parts[0]
    if not parts:
        return np.zeros(0, np.int64), np.zeros(0, np.int32), np.zeros(0, np.int64)
    return np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts]), np.concatenate([p[2] for p in parts])


def settle(journal: Journal, running: Running, only: set[int] | None = None) -> Settled:
    """One row for each tag whose settled value differs from that of the scan before."""
    settling = Settling(running, journal.initial, only)
    scans, tags, values = settling.take(*journal.distinct(), journal.clock.last)
    return Settled(scans, tags, values, journal.clock.start_all(scans), settling.shown, settling.first)
