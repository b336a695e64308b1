"""Logs in CSV, long form (``time,tag,value``) and wide form (``time,TagA,TagB``)."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec import Struct, field

from whorlograph.model.errors import LogError
from whorlograph.model.log import Clock, Ints, Shorts
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Plant

from .table import TAG_NAMES, TIME_NAMES, VALUE_NAMES, Table, read_table
from .times import Times
from .values import value_reader

EXAMPLES = 20
WORTH_IT = 200_000  # bytes from which the fast reader's own start is repaid
PLAIN_SECONDS = re.compile(r"-?\d{1,9}(\.\d*)?$")
PLAIN_DATE = re.compile(r"(\d{4}-\d\d-\d\d)[T ]\d\d:\d\d:\d\d(?:\.\d*)?(Z|[+-]\d\d:\d\d|)(?=[,;\t]|$)")
Read = Callable[[str], "int | None"]


class Rows(Struct):
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
    blocks: list[tuple[Ints, Shorts, Ints]] = field(default_factory=list)
    unknown: dict[str, int] = field(default_factory=dict)
    encoding: str = ""

    def set_aside(self, line: int, why: str) -> None:
        """Count a row that cannot be used, keeping the first few as examples."""
        self.bad += 1
        if len(self.examples) < 10 * EXAMPLES:
            self.examples.append(f"{self.file}:{line}: {why}")

    def columns(self) -> tuple[Ints, Shorts, Ints]:
        """Times, tags and values as columns, handed over once."""
        blocks = self.blocks or [(np.array(self.times, np.int64), np.array(self.tags, np.int32), np.array(self.values, np.int64))]
        self.blocks = []
        return np.concatenate([b[0] for b in blocks]), np.concatenate([b[1] for b in blocks]), np.concatenate([b[2] for b in blocks])

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
    rows = _plainly(path, plant, profile, times)
    if rows is not None:
        return rows
    table = read_table(path, "log")
    at = _column(table.header, profile.log_time, TIME_NAMES)
    if at is None:
        wanted = profile.log_time or "time"
        raise LogError(f"{path}:1", f'no "{wanted}" column', "add one, in seconds or ISO 8601, or name it in the profile: "
                       '[log] time = "..."')
    rows = Rows(table.file, encoding=table.encoding)
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


def _plainly(path: Path, plant: Plant, profile: Profile, times: Times) -> Rows | None:
    """Read a long file of plain lines fast; None where it is not of that kind."""
    try:
        if path.stat().st_size < WORTH_IT or path.suffix.lower() in (".gz", ".zst"):
            return None
        with path.open("rb") as file:
            header, first = file.readline().removeprefix(b"\xef\xbb\xbf").decode().strip(), file.readline().decode()
    except (OSError, UnicodeDecodeError):
        return None
    separator = max(",;\t", key=header.count)
    names = [h.strip() for h in header.split(separator)]
    order = (_column(names, profile.log_time, TIME_NAMES), _column(names, profile.log_tag, TAG_NAMES),
             _column(names, profile.log_value, VALUE_NAMES))
    time_text = first.partition(separator)[0]
    if len(names) != 3 or order != (0, 1, 2) or not (PLAIN_SECONDS.match(time_text) or PLAIN_DATE.match(time_text)):
        return None
    try:
        from .plain_lines import NotPlain, PlainLines
    except (ImportError, OSError):
        return None
    rows, bind = Rows(str(path)), Binder(plant)

    def slow(text: str, line: int) -> tuple[int, int, int] | None:
        _long(Table(rows.file, names, separator, [(line, text.rstrip("\r").split(separator))]), (0, None), 1, 2, bind, times, rows)
        rows.rows += 1
        date = PLAIN_DATE.match(text)
        if date is not None and times.clock is (Clock.ZONED if date.group(2) else Clock.LOCAL):
            midnight = Times().read(date.group(1) + "T00:00:00" + date.group(2))
            if midnight is not None:
                reader.expect_date(date.group(0), midnight)
        if not rows.times:
            return None
        return rows.times.pop(), rows.tags.pop(), rows.values.pop()

    def bad(line: int, text: str, tag: int) -> None:
        rows.set_aside(line, f"value {text[:40]!r} is none of {plant.tags[tag].name}")

    reader = PlainLines(separator, bind, plant.tags, slow, bad)
    before = times.clock, times.zone
    try:
        with path.open("rb") as file:
            file.readline()
            if times.read(time_text) is None:
                return None
            if times.clock is Clock.SECONDS:
                reader.expect_seconds()
            reader.read(file)
    except NotPlain:
        times.clock, times.zone = before
        return None
    plain = reader.number("usable")
    rows.rows += plain + reader.refused
    rows.usable += plain
    if reader.number("low") <= reader.number("high"):
        rows.stamp(reader.number("low"))
        rows.stamp(reader.number("high"))
    rows.blocks = reader.blocks
    rows.examples.sort(key=lambda e: int(e[len(rows.file) + 1:].partition(":")[0]))
    for name, count in reader.unknown().items():
        rows.unknown[name] = rows.unknown.get(name, 0) + count
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
