"""The columns of a table that together give a row's time: of the time, and of a date and milliseconds that stand beside it."""

from __future__ import annotations

import re

from msgspec import Struct

from .binding import Binder
from .times import Times

MILLISECONDS = ("ms", "msec", "msecs", "millis", "millisec", "millisecond", "milliseconds", "millisekunde", "millisekunden")
_THOUSANDTHS = re.compile(r"\d{1,3}$")
_WHOLE_SECOND = re.compile(r":\d\d(?:\s*[AaPp][Mm])?$|^\d{1,10}$")


class TimeColumns(Struct, frozen=True):
    """The columns that give a row's time: of the time (of day), of the date beside it, of the milliseconds beside it (-1: none)."""

    time: int
    day: int = -1
    milliseconds: int = -1

    def read(self, row: list[str], times: Times) -> int | None:
        """A row's time; None where it cannot be read."""
        if len(row) <= self.time:
            return None
        dated = 0 <= self.day < len(row)
        time = times.read(f"{row[self.day].strip()} {row[self.time].strip()}" if dated else row[self.time])
        if time is None or not 0 <= self.milliseconds < len(row):
            return time
        part = row[self.milliseconds].strip()
        return time + int(part) * 1_000_000 if _THOUSANDTHS.match(part) else None

    def why_not(self, row: list[str]) -> str:
        """Why it cannot be read."""
        text = row[self.time] if len(row) > self.time else ""
        if 0 <= self.milliseconds < len(row) and not _THOUSANDTHS.match(row[self.milliseconds].strip()):
            text = f"{text} {row[self.milliseconds]}"
        return f"time {text[:40]!r} cannot be read" if len(row) > self.time else "the row has no time"

    def __contains__(self, column: int) -> bool:
        """Whether a column is one of them."""
        return column in (self.time, self.day, self.milliseconds)


def time_columns(header: list[str], samples: list[list[str]], at: int, bind: Binder) -> TimeColumns:
    """Those of a table; what is called as a tag of the program is that tag's. Args: samples: its first rows; at: the column of the time."""
    lower = [h.strip().lower() if bind(h) is None else "" for h in header]
    return TimeColumns(at, _date_column(lower, samples, at), _milliseconds_column(lower, samples, at))


def _date_column(lower: list[str], samples: list[list[str]], at: int) -> int:
    """The column with the date where the time column holds times of day only; -1: none."""
    first = next((r for r in samples if len(r) > at and r[at].strip()), None)
    for name in ("date", "datum", "day"):
        if name in lower and lower.index(name) != at and first is not None and first[at].count(":") >= 1 and "-" not in first[at]:
            return lower.index(name)
    return -1


def _milliseconds_column(lower: list[str], samples: list[list[str]], at: int) -> int:
    """The column with the milliseconds where the time column holds whole seconds only; -1: none."""
    found = next((i for i, name in enumerate(lower) if name in MILLISECONDS and i != at), -1)
    rows = [r for r in samples if len(r) > max(found, at)]
    if found < 0 or not rows or not all(_WHOLE_SECOND.search(r[at].strip()) and _THOUSANDTHS.match(r[found].strip()) for r in rows):
        return -1
    return found
