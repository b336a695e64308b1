"""How often, how short and since when an input did what it did: from the log itself."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.model.literals import duration_text
from whorlograph.model.log import Ints, Log

SHORT = 1_000_000_000
SHORT_ON = 100_000_000
BOUNCE = 10_000_000
BY_HAND = 150_000_000  # ns: no hand presses a button for less


class Stay(Struct, frozen=True):
    """A stretch during which an input kept one value: start and length in ns; ``ended`` False at the log's end."""

    start: int
    length: int
    value: int
    ended: bool


class Stays(Struct, frozen=True):
    """The stretches of one tag in order, in columns: ``starts``, ``lengths`` int64[n] ns, ``values`` int64[n], ``ended`` bool[n]."""

    starts: Ints
    lengths: Ints
    values: Ints
    ended: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.starts)

    def __getitem__(self, i: int) -> Stay:
        return Stay(int(self.starts[i]), int(self.lengths[i]), int(self.values[i]), bool(self.ended[i]))

    def __iter__(self) -> Iterator[Stay]:
        return (self[i] for i in range(len(self)))

    def number_at(self, time: int) -> int | None:
        """The number of the stretch that a time falls into."""
        i = int(np.searchsorted(self.starts, time, side="right")) - 1
        return i if i >= 0 and time < self.starts[i] + max(1, self.lengths[i]) else None

    def at(self, time: int) -> Stay | None:
        """The stretch that a time falls into."""
        i = self.number_at(time)
        return self[i] if i is not None else None

    def on_at(self, times: Ints) -> NDArray[np.bool_]:
        """bool[n]: whether the tag was on at times; not where none of its stretches reaches."""
        return self._is_at(times, True)

    def off_at(self, times: Ints) -> NDArray[np.bool_]:
        """bool[n]: whether the tag was off at times; not where none of its stretches reaches."""
        return self._is_at(times, False)

    def _is_at(self, times: Ints, on: bool) -> NDArray[np.bool_]:
        if not len(self.starts):
            return np.zeros(len(times), bool)
        i = np.maximum(0, np.searchsorted(self.starts, times, side="right") - 1)
        reached = (times >= self.starts[i]) & (times < self.starts[i] + np.maximum(1, self.lengths[i]))
        found: NDArray[np.bool_] = reached & ((self.values[i] != 0) == on)
        return found

    def chosen(self, which: NDArray[np.bool_]) -> Stays:
        """Some of the stretches."""
        return Stays(self.starts[which], self.lengths[which], self.values[which], self.ended[which])


def stays(log: Log, tag: int, initial: int) -> Stays:
    """The stretches of one tag in the log, in order; of rows of one instant the last one holds."""
    rows = log.of(tag)
    times, values = log.times[rows], log.values[rows].astype(np.int64)
    if len(times):
        holds = np.append(times[1:] != times[:-1], True)
        times, values = times[holds], values[holds]
        if times[0] > 0 and values[0] != initial:
            times, values = np.append(0, times), np.append(initial, values)
        keep = np.append(True, values[1:] != values[:-1])
        times, values = times[keep], values[keep]
    ended = np.ones(len(times), bool)
    ended[-1:] = False
    return Stays(times, np.append(times[1:], log.end)[:len(times)] - times, values, ended)


def bit_stays(found: Stays, bit: int) -> Stays:
    """The stretches of one bit of a number."""
    values = found.values >> bit & 1
    keep = np.append(True, values[1:] != values[:-1])[:len(values)]
    starts = found.starts[keep]
    ends = np.append(starts[1:], found.starts[-1:] + found.lengths[-1:])
    ended = np.ones(len(starts), bool)
    ended[-1:] = found.ended[-1:]
    return Stays(starts, ends[:len(starts)] - starts, values[keep], ended)


def short_stays(log: Log, tag: int, value: int, initial: int) -> list[Stay]:
    """The stretches with a value that were short: under a second, and a fifth of what stood before and after.

    So the bounce of a contact that changes for good is none.
    """
    found = calm(stays(log, tag, initial))
    limit = SHORT_ON if value else SHORT
    which = np.zeros(len(found), bool)
    around = np.minimum(found.lengths[:-2], found.lengths[2:])
    which[1:-1] = (found.values[1:-1] == value) & (found.lengths[1:-1] < limit) & (found.lengths[1:-1] * 5 <= around)
    return list(found.chosen(which))


def calm(found: Stays) -> Stays:
    """The stretches with the bounce of changing contacts taken out: changes within ten milliseconds that end
    on the other side are one change, at the first of them.
    """
    if not len(found):
        return found
    brief = found.ended & (found.lengths <= BOUNCE)
    brief[0] = False
    # Each run of brief stretches belongs to the longer one behind it, which is never missing: the last has not ended.
    settles = np.nonzero(~brief)[0]
    run = np.searchsorted(settles, np.arange(len(brief)))
    joins = np.nonzero(brief & (found.values == found.values[settles[run]]))[0]
    joins = joins[np.append(True, run[joins][1:] != run[joins][:-1])] if len(joins) else joins
    lengths, ended = found.lengths.copy(), found.ended.copy()
    ends = settles[run[joins]]
    lengths[joins] = found.starts[ends] + found.lengths[ends] - found.starts[joins]
    ended[joins] = found.ended[ends]
    gone = np.zeros(len(brief) + 1, np.int8)
    gone[joins + 1] += 1
    gone[ends + 1] -= 1
    return Stays(found.starts, lengths, found.values, ended).chosen(np.cumsum(gone[:-1]) == 0)


def last_change(log: Log, tag: int, until: int) -> tuple[int, int] | None:
    """(time, value) of the log's last change of a tag up to a time; None where it never changed by then."""
    rows = log.of(tag)
    rows = rows[log.times[rows] <= until]
    if not len(rows):
        return None
    values = log.values[rows]
    changes = np.nonzero(values[1:] != values[:-1])[0]
    if not len(changes):
        return None
    row = rows[changes[-1] + 1]
    return int(log.times[row]), int(log.values[row])


def grows(lengths: list[int]) -> bool:
    """Whether lengths grow: from six up, where Mann and Kendall's rank test gives that one chance in a hundred by itself.

    The statistic counts the pairs whose later member is longer, less those whose is shorter; its variance is corrected for ties.
    """
    n = len(lengths)
    if n < 6:
        return False
    values = np.array(lengths[-2000:], np.int64)
    n = len(values)
    score = int(sum(np.sign(values[i + 1:] - values[i]).sum() for i in range(n - 1)))
    _, ties = np.unique(values, return_counts=True)
    spread = (n * (n - 1) * (2 * n + 5) - int((ties * (ties - 1) * (2 * ties + 5)).sum())) / 18
    return score > 1 and spread > 0 and (score - 1) / spread ** 0.5 > 2.326


def history(found: list[Stay], off: bool, time_text: list[str], bounced: bool = False) -> str:
    """The short stays in words: how many, how long, since when, whether they grow.

    Args: off: the stays are openings; time_text: the first one's time; bounced: whether there are bounces beside them.
    """
    if len(found) < 2:
        return ""
    lengths = [s.length for s in found]
    word = "openings" if off else "closings"
    shortest, longest = duration_text(min(lengths)), duration_text(max(lengths))
    span = shortest if shortest == longest else f"{shortest} to {longest}"
    more = ", growing longer" if grows(lengths) else ""
    tail = f": {'' if max(lengths) < BY_HAND else 'switched for a moment, or '}a loose wire or a worn switch" if off else ""
    apart = "; bounces as it changes not counted" if bounced else ""
    return f"{len(found)} short {word} in this log ({span}{more}{apart}), the first at {time_text[0]}{tail}"
