"""A recorded log, bound to the tags of a program: columns, not objects."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Shorts = NDArray[np.int32]


def narrowed(values: NDArray[Any]) -> NDArray[Any]:
    """The same numbers in the smallest type that holds them all: 8, 16, 32 or 64 bits, unsigned where none is negative."""
    if not len(values):
        return values.astype(np.uint8)
    low, high = int(values.min()), int(values.max())
    for kind in (np.uint8, np.int8, np.uint16, np.int16, np.uint32, np.int32):
        limits = np.iinfo(kind)
        if limits.min <= low and high <= limits.max:
            return values.astype(kind)
    return values


def distinct(values: NDArray[Any]) -> list[int]:
    """The whole numbers that occur, in order: without what numpy's own way loads besides."""
    ordered = np.sort(values)
    first = np.ones(len(ordered), bool)
    first[1:] = ordered[1:] != ordered[:-1]
    found: list[int] = ordered[first].tolist()
    return found


class Clock(StrEnum):
    """How a log writes its times."""

    SECONDS = "seconds"
    ZONED = "zoned"
    LOCAL = "local"


class Log(Struct, frozen=True):
    """Rows in order of time. ``times`` int64[rows], ns since the first row; ``tags`` and ``values`` (raw bits as
    memory keeps them) whole numbers[rows] in the narrowest types that hold them.

    ``origin``: the first row's absolute time, ns since 1970 or the log's own zero; ``zone`` the minutes
    east of UTC that the log's times were written in; ``end``: time of the last row, also of one set aside;
    ``complete``: it has been read to its end.
    """

    times: Ints
    tags: NDArray[Any]
    values: NDArray[Any]
    origin: int = 0
    end: int = 0
    clock: Clock = Clock.SECONDS
    zone: int = 0
    files: tuple[str, ...] = ()
    rows: int = 0
    set_aside: int = 0
    out_of_order: int = 0
    unknown: tuple[str, ...] = ()
    examples: tuple[str, ...] = ()
    complete: bool = True

    def of(self, tag: int) -> Ints:
        """int64[n]: the row numbers of one tag."""
        return np.nonzero(self.tags == tag)[0]


def empty_log() -> Log:
    """A log without a row."""
    return Log(np.zeros(0, np.int64), np.zeros(0, np.int32), np.zeros(0, np.int64))


def tags_logged(log: Log) -> set[int]:
    """The tags that have at least one row."""
    found: set[int] = set()
    for begin in range(0, len(log.tags), 1 << 20):  # numpy counts in 64 bits: not all rows at once
        found |= set(np.nonzero(np.bincount(log.tags[begin:begin + (1 << 20)]))[0].tolist())
    return found
