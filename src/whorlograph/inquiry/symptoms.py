"""Which symptom a tag has, and when: from its settled values, or from what the log recorded of it."""

from __future__ import annotations

from bisect import bisect_right

from msgspec import Struct

from whorlograph.engine.journal import BITS, Journal
from whorlograph.model.log import Log
from whorlograph.model.question import Symptom

CHATTER_CHANGES = 4
CHATTER_SPAN = 1_000_000_000


class Course(Struct, frozen=True):
    """A tag's settled values: ``scans`` at which they changed, and the raw values from then on."""

    first: int
    scans: tuple[int, ...]
    values: tuple[int, ...]

    def at(self, scan: int) -> int:
        """The settled value of a scan."""
        i = bisect_right(self.scans, scan)
        return self.values[i - 1] if i else self.first

    def last_change(self, scan: int, on: bool) -> int | None:
        """The last scan up to one at which the tag went on (or off)."""
        i = bisect_right(self.scans, scan)
        while i:
            i -= 1
            if bool(self.values[i]) == on:
                return self.scans[i]
        return None

    def next_change(self, scan: int, on: bool) -> int | None:
        """The first scan from one on at which the tag is on (or off)."""
        if bool(self.at(scan)) == on:
            return scan
        for s, v in zip(self.scans, self.values, strict=True):
            if s >= scan and bool(v) == on:
                return s
        return None

    def changes_between(self, low: int, high: int) -> int:
        """How many changes after one scan up to another."""
        return bisect_right(self.scans, high) - bisect_right(self.scans, low)


def course(journal: Journal, tag: int) -> Course:
    """A tag's course in a replay."""
    rows = journal.rows(tag)
    first = journal.initial[tag] if tag < len(journal.initial) else 0
    scans: list[int] = []
    values: list[int] = []
    for scan, value in zip((journal.key[rows] >> BITS).tolist(), journal.value[rows].tolist(), strict=True):
        if scans and scans[-1] == scan:
            values[-1] = value
        else:
            scans.append(scan)
            values.append(value)
    kept_scans, kept_values, last = [], [], first
    for scan, value in zip(scans, values, strict=True):
        if value != last:
            kept_scans.append(scan)
            kept_values.append(value)
            last = value
    return Course(first, tuple(kept_scans), tuple(kept_values))


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
