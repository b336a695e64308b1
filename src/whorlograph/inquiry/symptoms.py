"""Which symptom a tag has, and when: from its settled values, or from what the log recorded of it."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.journal import Journal, changes
from whorlograph.model.log import Ints, Log
from whorlograph.model.question import Symptom

CHATTER_CHANGES = 4
CHATTER_SPAN = 1_000_000_000


class Course(Struct, frozen=True):
    """A tag's settled values: ``scans`` int64[n] at which they changed, and the raw ``values`` int64[n] from then on."""

    first: int
    scans: Ints
    values: Ints

    def _upto(self, scan: int) -> int:
        return int(np.searchsorted(self.scans, scan, side="right"))

    def at(self, scan: int) -> int:
        """The settled value of a scan."""
        i = self._upto(scan)
        return int(self.values[i - 1]) if i else self.first

    def at_all(self, scans: Ints) -> Ints:
        """int64[n]: the settled values of scans."""
        i = np.searchsorted(self.scans, scans, side="right")
        return np.concatenate([[self.first], self.values])[i]

    def last_change(self, scan: int, on: bool) -> int | None:
        """The last scan up to one at which the tag went on (or off)."""
        found = np.nonzero((self.values[:self._upto(scan)] != 0) == on)[0]
        return int(self.scans[found[-1]]) if len(found) else None

    def next_change(self, scan: int, on: bool) -> int | None:
        """The first scan from one on at which the tag is on (or off)."""
        if bool(self.at(scan)) == on:
            return scan
        i = self._upto(scan)
        found = np.nonzero((self.values[i:] != 0) == on)[0]
        return int(self.scans[i + found[0]]) if len(found) else None

    def first_began(self, value: bool, scan: int) -> int | None:
        """The scan since which the tag has a value in a scan that it never had before; None where it had, or has another."""
        turns = self.scans[((self.values != 0) == value) & (self.scans > 1) & (self.scans <= scan)]
        return int(turns[0]) if bool(self.at(1)) != value and len(turns) == 1 and bool(self.at(scan)) == value else None

    def changes_between(self, low: int, high: int) -> int:
        """How many changes after one scan up to another."""
        return self._upto(high) - self._upto(low)


def course(journal: Journal, tag: int) -> Course:
    """A tag's course in a replay."""
    return Course(_first(journal, tag), *journal.settled_changes(tag))


def course_seen(journal: Journal, order: NDArray[np.int32], tag: int, step: int) -> Course:
    """A tag's course as a step sees it, which those before it in a scan may have written and those behind it write again.

    Args: order: by step its place in a scan.
    """
    rows, first = journal.rows(tag), _first(journal, tag)
    steps, scans = journal.steps(rows), journal.scans(rows)
    before = (steps < 0) | (order[np.maximum(steps, 0)] < order[step])
    return Course(first, *changes(first, np.where(before, scans, scans + 1), journal.raws(rows)))


def _first(journal: Journal, tag: int) -> int:
    return journal.initial[tag] if tag < len(journal.initial) else 0


def recorded(log: Log, tag: int, time: int, default: int) -> int | None:
    """What the log recorded of a tag at a time; None where it has no row of it by then."""
    rows = log.of(tag)
    i = int((log.times[rows] <= time).sum())
    return int(log.values[rows[i - 1]]) if i else None


def detect(path: Course, journal: Journal, scan: int) -> Symptom:
    """The symptom that a tag's state at a scan suggests (ANSWERS.md, The symptoms)."""
    start = journal.clock.scan_at(max(0, journal.clock.start(scan) - CHATTER_SPAN))
    if path.changes_between(start, scan) > CHATTER_CHANGES:
        return Symptom.CHATTERS
    if path.at(scan):
        return Symptom.WILL_NOT_DROP_OUT
    return Symptom.DROPPED_OUT if path.last_change(scan, False) is not None else Symptom.WILL_NOT_PULL_IN
