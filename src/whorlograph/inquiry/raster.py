"""How far a log goes: the raster of its times, from the log itself (ANSWERS.md, How far the log goes)."""

from __future__ import annotations

import numpy as np

from whorlograph.model.log import Log

ENOUGH = 50  # rows of a tag whose raster is told by themselves


def raster(log: Log, tag: int | None = None) -> int:
    """The largest step (ns) of which all distances between times are multiples; of one tag where it has rows enough.

    A recorder that samples every 100 ms leaves 100 ms, one that writes each change to the millisecond 1 ms. 0 where the log has too few rows.
    """
    times = log.times[log.of(tag)] if tag is not None else log.times
    if tag is not None and len(times) < ENOUGH:
        times = log.times
    if len(times) < ENOUGH:
        return 0
    return int(np.gcd.reduce(np.diff(times)))


def decimals(values: list[float]) -> int | None:
    """How many decimals a recorder writes: the most that any of its values has; None where they are not rounded at all."""
    most = 0
    for value in values:
        text = repr(value)
        if "e" in text or "n" in text:
            return None
        most = max(most, len(text.partition(".")[2].rstrip("0")))
    return most if most < 12 else None
