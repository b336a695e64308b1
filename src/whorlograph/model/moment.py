"""A moment: one instant of a replay, and the clock that turns scans into times."""

from __future__ import annotations

from bisect import bisect_right

import numpy as np
from msgspec import Struct

from .log import Ints


class Moment(Struct, frozen=True, order=True):
    """A scan (from 1; 0 is before the first) and a step inside it (from 1; 0 is the scan's start)."""

    scan: int
    step: int = 0


class ScanClock(Struct, frozen=True):
    """When each scan started: stretches of scans at even distance.

    ``scans``, ``starts`` (ns) and ``periods`` (ns) of each stretch's first scan; ``last`` the last scan.
    """

    scans: list[int]
    starts: list[int]
    periods: list[int]
    last: int

    def start(self, scan: int) -> int:
        """The clock of a scan, ns since the log's first row; 0 for scan 0."""
        if scan <= 0 or not self.scans:
            return 0
        i = max(0, bisect_right(self.scans, scan) - 1)
        return self.starts[i] + (scan - self.scans[i]) * self.periods[i]

    def start_all(self, scans: Ints) -> Ints:
        """int64[n]: the clocks of scans from 1 on, ns."""
        if not self.scans:
            return np.zeros(len(scans), np.int64)
        if len(self.scans) == 1:
            return self.starts[0] + (scans - self.scans[0]) * self.periods[0]
        firsts = np.array(self.scans, np.int64)
        at = np.maximum(0, np.searchsorted(firsts, scans, side="right") - 1)
        starts: Ints = np.array(self.starts, np.int64)[at] + (scans - firsts[at]) * np.array(self.periods, np.int64)[at]
        return starts

    def scan_at(self, time: int) -> int:
        """The last scan that started at or before a time, at most the last one; 0 before the first."""
        if not self.starts or time < self.starts[0]:
            return 0
        i = bisect_right(self.starts, time) - 1
        scan = self.scans[i] + (time - self.starts[i]) // self.periods[i]
        if i + 1 < len(self.scans):
            scan = min(scan, self.scans[i + 1] - 1)
        return min(scan, self.last)

    def period(self, scan: int) -> int:
        """From this scan's start to the next one's, ns."""
        if not self.scans:
            return 0
        return self.periods[max(0, bisect_right(self.scans, scan) - 1)]
