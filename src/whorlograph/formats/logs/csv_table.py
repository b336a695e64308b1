"""Logs in CSV, long form (``time,tag,value``) and wide form (``time,TagA,TagB``)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from whorlograph.model.errors import LogError
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Plant

from .table import TAG_NAMES, TIME_NAMES, VALUE_NAMES, Table, read_table
from .times import Times
from .values import value_reader

Read = Callable[[str], "int | None"]


@dataclass(slots=True)
class Rows:
    """Rows of one file as read: absolute times in ns, tags, raw values; and what was set aside.

    ``stamps`` are all readable times, also those of rows without a known tag or value.
    """

    file: str
    times: list[int] = field(default_factory=list)
    tags: list[int] = field(default_factory=list)
    values: list[int] = field(default_factory=list)
    first: int | None = None
    last: int | None = None
    rows: int = 0
    usable: int = 0
    bad: int = 0
    examples: list[str] = field(default_factory=list)
    unknown: dict[str, int] = field(default_factory=dict)
    encoding: str = ""

    def set_aside(self, line: int, why: str) -> None:
        """Count a row that cannot be used, keeping the first few as examples."""
        self.bad += 1
        if len(self.examples) < 20:
            self.examples.append(f"{self.file}:{line}: {why}")

    def stamp(self, time: int) -> None:
        """Note a readable time."""
        if self.first is None or time < self.first:
            self.first = time
        if self.last is None or time > self.last:
            self.last = time


class Binder:
    """Finds the tag that a column or row names, once for each name."""

    def __init__(self, plant: Plant) -> None:
        self.plant = plant
        self._known: dict[str, tuple[int, Read] | None] = {}

    def __call__(self, name: str) -> tuple[int, Read] | None:
        if name not in self._known:
            tag = self.plant.find(name)
            self._known[name] = None if tag is None else (tag, value_reader(self.plant.tags[tag]))
        return self._known[name]


def _column(header: list[str], given: str, names: tuple[str, ...]) -> int | None:
    lower = [h.lower() for h in header]
    if given:
        return lower.index(given.lower()) if given.lower() in lower else None
    return next((lower.index(n) for n in names if n in lower), None)


def read_csv(path: Path, plant: Plant, profile: Profile, times: Times) -> Rows:
    """Read a CSV log, whichever form it has.

    Raises: LogError where it cannot be opened, is empty, or has no time column.
    """
    table = read_table(path, "log")
    at = _column(table.header, profile.log_time, TIME_NAMES)
    if at is None:
        wanted = profile.log_time or "time"
        raise LogError(f"{path}:1", f'no "{wanted}" column', "add one, in seconds or ISO 8601, or name it in the profile: "
                       '[log] time = "..."')
    rows = Rows(str(path), encoding=table.encoding)
    day = _date_column(table, at)
    times.look([r[at] for _, r in table.rows[:2000] if len(r) > at])
    tag_at = _column(table.header, profile.log_tag, TAG_NAMES)
    value_at = _column(table.header, profile.log_value, VALUE_NAMES)
    rows.rows = len(table.rows)
    if tag_at is not None and value_at is not None:
        _long(table, (at, day), tag_at, value_at, Binder(plant), times, rows)
    else:
        _wide(table, (at, day), Binder(plant), times, rows)
    return rows


def _date_column(table: Table, at: int) -> int | None:
    """The column with the date where the time column holds times of day only."""
    lower = [h.lower() for h in table.header]
    first = next((r for _, r in table.rows if len(r) > at and r[at].strip()), None)
    for name in ("date", "datum", "day"):
        if name in lower and lower.index(name) != at and first is not None and first[at].count(":") >= 1 and "-" not in first[at]:
            return lower.index(name)
    return None


def _time(row: list[str], at: tuple[int, int | None], times: Times) -> int | None:
    if len(row) <= at[0]:
        return None
    if at[1] is not None and len(row) > at[1]:
        return times.read(f"{row[at[1]].strip()} {row[at[0]].strip()}")
    return times.read(row[at[0]])


def _long(table: Table, at: tuple[int, int | None], tag_at: int, value_at: int, bind: Binder, times: Times, rows: Rows) -> None:
    width = len(table.header)
    for line, row in table.rows:
        time = _time(row, at, times)
        if time is None:
            rows.set_aside(line, f"time {row[at[0]][:40]!r} cannot be read" if len(row) > at[0] else "the row has no time")
            continue
        rows.stamp(time)
        if len(row) <= max(tag_at, value_at) or (len(row) > width and any(c.strip() for c in row[width:])):
            rows.set_aside(line, f"{len(row)} cells, {width} expected")
            continue
        rows.usable += 1
        bound = bind(row[tag_at])
        if bound is None:
            rows.unknown[row[tag_at].strip()] = rows.unknown.get(row[tag_at].strip(), 0) + 1
            continue
        text = row[value_at]
        value = bound[1](text)
        if value is None:
            if text.strip():
                rows.usable -= 1
                rows.set_aside(line, f"value {text[:40]!r} is none of {row[tag_at].strip()}")
            continue
        rows.times.append(time)
        rows.tags.append(bound[0])
        rows.values.append(value)


def _wide(table: Table, at: tuple[int, int | None], bind: Binder, times: Times, rows: Rows) -> None:
    width = len(table.header)
    columns: list[tuple[int, int, Read]] = []
    seen: set[int] = set()
    for i, name in enumerate(table.header):
        if i in at or not name:
            continue
        bound = bind(name)
        if bound is None:
            rows.unknown[name] = rows.unknown.get(name, 0) + len(table.rows)
        elif bound[0] not in seen:
            seen.add(bound[0])
            columns.append((i, *bound))
    for line, row in table.rows:
        time = _time(row, at, times)
        if time is None:
            rows.set_aside(line, f"time {row[at[0]][:40]!r} cannot be read" if len(row) > at[0] else "the row has no time")
            continue
        rows.stamp(time)
        if len(row) > width and any(c.strip() for c in row[width:]):
            rows.set_aside(line, f"{len(row)} cells, {width} expected")
            continue
        if len(row) < width:
            rows.set_aside(line, f"{len(row)} cells, {width} expected; the cells that are there are used")
            rows.bad -= 1
        rows.usable += 1
        for i, tag, read in columns:
            text = row[i] if i < len(row) else ""
            if not text or text.isspace():
                continue
            value = read(text)
            if value is None:
                rows.set_aside(line, f"value {text[:40]!r} is none of {table.header[i]}")
                continue
            rows.times.append(time)
            rows.tags.append(tag)
            rows.values.append(value)
