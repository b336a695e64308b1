"""How often, how short and since when an input did what it did: from the log itself."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from whorlograph.model.literals import duration_text
from whorlograph.model.log import Log

SHORT = 1_000_000_000
SHORT_ON = 100_000_000
BOUNCE = 10_000_000


class Stay(Struct, frozen=True):
    """A stretch during which an input kept one value: start and length in ns; ``ended`` False at the log's end."""

    start: int
    length: int
    value: int
    ended: bool


def stays(log: Log, tag: int, initial: int) -> list[Stay]:
    """The stretches of one tag in the log, in order."""
    rows = log.of(tag)
    times, values = log.times[rows], log.values[rows]
    if not len(times):
        return []
    keep = np.ones(len(times), bool)
    keep[1:] = values[1:] != values[:-1]
    times, values = times[keep], values[keep]
    ends = np.append(times[1:], log.end)
    found = [Stay(int(t), int(e - t), int(v), i + 1 < len(times)) for i, (t, e, v) in enumerate(zip(times, ends, values, strict=True))]
    if found[0].start > 0 and found[0].value != initial:
        found.insert(0, Stay(0, found[0].start, initial, True))
    return found


def short_stays(log: Log, tag: int, value: int, initial: int) -> list[Stay]:
    """The stretches with a value that were short: under a second, and a fifth of what stood before and after.

    So the bounce of a contact that changes for good is none.
    """
    found = calm(stays(log, tag, initial))
    limit = SHORT_ON if value else SHORT
    return [s for before, s, after in zip(found, found[1:], found[2:], strict=False)
            if s.value == value and s.length < limit and s.length * 5 <= min(before.length, after.length)]


def calm(found: list[Stay]) -> list[Stay]:
    """The stretches with the bounce of changing contacts taken out: changes within ten milliseconds that end
    on the other side are one change, at the first of them.
    """
    kept: list[Stay] = []
    i = 0
    while i < len(found):
        j = i
        while j + 1 < len(found) and found[j].ended and found[j].length <= BOUNCE and i > 0:
            j += 1
        if j > i and found[j].value == found[i].value:
            kept.append(Stay(found[i].start, found[j].start + found[j].length - found[i].start, found[i].value, found[j].ended))
            i = j + 1
        else:
            kept.append(found[i])
            i += 1
    return kept


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
    """Whether lengths grow on the whole: later half clearly longer than the earlier."""
    if len(lengths) < 3:
        return False
    half = len(lengths) // 2
    return sum(lengths[-half:]) > 1.25 * sum(lengths[:half])


def history(found: list[Stay], off: bool, time_text: list[str]) -> str:
    """The short stays in words: how many, how long, since when, whether they grow.

    Args: off: the stays are openings; time_text: the first one's time.
    """
    if len(found) < 2:
        return ""
    lengths = [s.length for s in found]
    word = "openings" if off else "closings"
    shortest, longest = duration_text(min(lengths)), duration_text(max(lengths))
    span = shortest if shortest == longest else f"{shortest} to {longest}"
    more = ", growing longer" if grows(lengths) else ""
    tail = ": a loose wire or a worn switch" if off else ""
    return f"{len(found)} short {word} in this log ({span}{more}), the first at {time_text[0]}{tail}"
