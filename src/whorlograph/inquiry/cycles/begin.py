"""Where a cycle begins: proposed from the log, by what recurs most evenly together with everything else."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from whorlograph.model.log import Ints

from .changes import Changes

LEAST = 4  # turns that make a beginning worth proposing
MOST_STARTS = 3_000
MOST_TRIED = 150  # tags that are tried as beginnings
OWN = 0.6  # share of the turns in which a tag of the cycle changes as often as in most
NEAR = 0.9  # of the best, and as good


class Beginning(Struct, frozen=True):
    """A proposed beginning: the tag comes to a value; int64[n] when (ns); ``even``: how much of everything else comes as often in each turn,
    0 to 1; ``quiet``: the share of a turn that nothing of it happens before."""

    tag: int
    value: int
    times: Ints
    even: float
    quiet: float


def beginnings(all_changes: list[Changes]) -> list[Beginning]:
    """Where cycles may begin, the best first.

    The best beginning is one between whose times most other tags change, and each as often every time; of such that are as good the one
    that comes most often, then the one after the longest rest.
    """
    active = [c for c in all_changes if len(c.times) >= LEAST - 1]
    if not active:
        return []
    found: list[Beginning] = []
    for one in sorted(active, key=lambda c: len(c.times))[:MOST_TRIED]:
        for value in np.unique(one.values).tolist():
            times = one.times[one.values == value]
            if value == 0 or not LEAST <= len(times) <= MOST_STARTS:
                continue
            found.append(Beginning(one.tag, int(value), times, *_even(times, active)))
    best = max((b.even for b in found), default=0.0)
    return sorted(found, key=lambda b: (b.even < NEAR * best, *((-len(b.times), -b.quiet) if b.even >= NEAR * best else (-b.even, 0.0))))


def _even(times: Ints, active: list[Changes]) -> tuple[float, float]:
    """The mean, over all tags, of the share of turns in which each changes as often as in most; and how long those that do rest before."""
    shares, mine = [], []
    for other in active:
        counts = np.diff(np.searchsorted(other.times, times))
        usual, often = np.unique(counts, return_counts=True)
        most = int(often.argmax())
        shares.append(float(often[most] / len(counts)) if usual[most] > 0 else 0.0)
        if shares[-1] >= OWN:
            mine.append(other.times)
    return float(np.mean(shares)), _quiet(times, np.sort(np.concatenate(mine))) if mine else 0.0


def _quiet(times: Ints, every: Ints) -> float:
    """How long nothing of the cycle happens before each, as a share of a turn, in the middle."""
    before = np.searchsorted(every, times, side="left") - 1
    known = before >= 0
    if not known.any():
        return 0.0
    rests = times[known] - every[before[known]]
    return float(np.median(rests) / max(1.0, float(np.median(np.diff(times)))))
