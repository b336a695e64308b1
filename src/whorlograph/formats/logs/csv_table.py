"""Logs in CSV, long form (``time,tag,value``) and wide form (``time,TagA,TagB``)."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from itertools import chain, islice
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.model.errors import ColumnsError, LogError
from whorlograph.model.limits import LOG_ROW, memory_room
from whorlograph.model.literals import counted
from whorlograph.model.log import Clock, Ints, narrowed
from whorlograph.model.profile import Profile
from whorlograph.model.shown import visible
from whorlograph.model.tags import Running

from .binding import Binder, Read
from .heading import MOST_ABOVE, column, find_header, is_comment, unit, without_comments
from .look import looks_of
from .quality import IsBad, bad_by, bad_text, is_surely_one, quality_column
from .source import SEPARATORS, Source, cells
from .table import TAG_NAMES, TIME_NAMES, VALUE_NAMES
from .time_columns import TimeColumns, time_columns
from .times import Times
from .values import meaning

EXAMPLES = 20
FULL = "it is read up to its row {:,}: the memory holds no more"
WORTH_IT = 200_000  # bytes from which the fast reader's own start is repaid
PLAIN_SECONDS = re.compile(r"-?\d{1,9}(\.\d*)?$")
PLAIN_DATE = re.compile(r"(\d{4}-\d\d-\d\d)[T ]\d\d:\d\d:\d\d(?:\.\d*)?(Z|[+-]\d\d:\d\d|)(?=[,;\t]|$)")
SAMPLES = 4000  # rows looked at to find the form of dates, and between two looks at whether to stop
Watch = Callable[[int], bool]


Lines = Iterable["tuple[int, list[str]]"]


class Rows(Struct):
    """Rows of one file as read: absolute times in ns, tags, raw values; and what was set aside.

    ``first`` and ``last`` are of all readable times, also those of rows without a known tag or value;
    ``ambiguous``: a date that can be read two ways, ``date_form``: and how it is; ``taken``: columns found by their cells;
    ``quality``: a column of qualities not understood; ``paths`` and ``alike``: the ``Binder``'s;
    ``midnights``: that times of day passed; ``twice``: tags with several columns, of which the first is read;
    ``damage``: how the file ends too early; ``stopped``: reading was stopped before the file's end.
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
    blocks: list[tuple[Ints, NDArray[Any], NDArray[Any]]] = field(default_factory=list)
    unknown: dict[str, int] = field(default_factory=dict)
    encoding: str = ""
    damage: str = ""
    stopped: bool = False
    ambiguous: str = ""
    date_form: str = ""
    taken: str = ""
    midnights: int = 0
    twice: list[str] = field(default_factory=list)
    quality: str = ""
    paths: dict[int, str] = field(default_factory=dict)
    alike: dict[str, tuple[int, str]] = field(default_factory=dict)

    def set_aside(self, line: int, why: str) -> None:
        """Count a row that cannot be used, keeping the first few as examples."""
        self.bad += 1
        if len(self.examples) < 10 * EXAMPLES:
            self.examples.append(f"{self.file}:{line}: {why}")

    def pack(self) -> None:
        """Put the rows read since the last time away into columns."""
        if self.times:
            self.blocks.append((np.array(self.times, np.int64), narrowed(np.array(self.tags, np.int64)), narrowed(np.array(self.values, np.int64))))
            self.times, self.tags, self.values = [], [], []

    def columns(self) -> tuple[Ints, NDArray[Any], NDArray[Any]]:
        """Times, tags and values as columns, handed over once."""
        self.pack()
        blocks, self.blocks = self.blocks, []
        if not blocks:
            return np.zeros(0, np.int64), np.zeros(0, np.uint8), np.zeros(0, np.uint8)
        return np.concatenate([b[0] for b in blocks]), np.concatenate([b[1] for b in blocks]), np.concatenate([b[2] for b in blocks])

    def stamp(self, time: int) -> None:
        """Note a readable time."""
        if self.first is None or time < self.first:
            self.first = time
        if self.last is None or time > self.last:
            self.last = time


def read_csv(path: Path, running: Running, profile: Profile, times: Times, watch: Watch) -> Rows:
    """Read a CSV log, whichever form it has.

    Args: watch: told of the bytes read so far; it stops the reading by True.
    Raises: LogError where it cannot be opened, is empty, or has no time column.
    """
    if path.is_file():
        with Source(path) as source:
            rows = _plainly(source, running, profile, times, watch)
        if rows is not None:
            return rows
    with Source(path) as source:
        return _generally(source, running, profile, times, watch)


def _generally(source: Source, running: Running, profile: Profile, times: Times, watch: Watch) -> Rows:
    path, lines = source.path, ((i, line) for i, line in enumerate(source.lines(), 1) if line)
    above = list(islice(lines, MOST_ABOVE))
    found = find_header(above, profile.log_time, TIME_NAMES, profile.log_skip)
    if found is None:
        wanted = profile.log_time or "time"
        first = above[0][1] if above else ""
        if {"tag", "address"} <= {h.strip().lower() for h in cells(first, max(SEPARATORS, key=first.count))}:
            raise LogError(f"{path}:1", f'no "{wanted}" column: this looks like an I/O list, not a log', "give it with --io-list")
        if first.lstrip()[:1] in ("{", "["):
            raise LogError(f"{path}:1", "this looks like JSON, not like a table", "export it as CSV (time,tag,value), VCD or Parquet")
        seen = looks_of(above, profile)
        raise ColumnsError(f"{path}:1", f'no "{wanted}" column', "add one, in seconds or ISO 8601, or name it in the profile: "
                           '[log] time = "..."', seen.names, seen.rows)
    header, separator, at = found.names, found.separator, found.time
    rows = Rows(str(path))
    numbered = ((i, cells(line, separator)) for i, line in without_comments(chain(above[found.at + 1:], lines), separator))
    samples = list(islice(numbered, SAMPLES))
    bind = Binder(running, profile)
    rows.paths, rows.alike = bind.paths, bind.alike
    when = time_columns(header, [r for _, r in samples], at, bind)
    times.look([r[at] for _, r in samples if len(r) > at], unit(header[at]))
    rows.ambiguous, rows.date_form = times.ambiguous, times.date_form
    tag_at = column(header, profile.log_tag, TAG_NAMES)
    value_at = column(header, profile.log_value, VALUE_NAMES)
    named = tag_at is not None and value_at is not None
    if not named and not profile.log_tag and not any(bind(name) for i, name in enumerate(header) if i not in when):
        tag_at, value_at = by_cells(samples, len(header), when, bind)
    if found.guessed or (tag_at is not None and not named):
        taken = [header[at], *([header[tag_at], header[value_at]] if tag_at is not None and value_at is not None else [])]
        rows.taken = f"{', '.join(taken)} {'are' if len(taken) > 1 else 'is'} taken as {'time, tag and value' if len(taken) > 1 else 'time'}"
    watched = _watched(chain(samples, numbered), source, rows, watch)
    if tag_at is not None and value_at is not None:
        quality = quality_column(header, (*(i for i in range(len(header)) if i in when), tag_at, value_at))
        is_bad = bad_by((r[quality] for _, r in samples if len(r) > quality), header[quality]) if quality is not None else None
        if quality is not None and is_bad is None and is_surely_one(header[quality]):
            rows.quality = header[quality]
        if quality is not None and is_bad is not None:
            watched = _of_good_quality(watched, quality, is_bad, tag_at, rows)
        _long(watched, len(header), when, tag_at, value_at, bind, times, rows)
    else:
        _wide(watched, header, when, bind, times, rows)
    rows.midnights = times.midnights
    _finish(source, rows)
    return rows


def _of_good_quality(lines: Lines, at: int, is_bad: IsBad, tag_at: int, rows: Rows) -> Lines:
    """The rows but those whose values the recorder itself calls bad, which are set aside."""
    for line, row in lines:
        if len(row) > max(at, tag_at) and is_bad(row[at]):
            rows.set_aside(line, bad_text(row[tag_at], row[at]))
        else:
            yield line, row


def by_cells(samples: list[tuple[int, list[str]]], width: int, when: TimeColumns, bind: Binder) -> tuple[int | None, int | None]:
    """The columns of tag and value of a long table with names of its own: most cells of the one name tags, the other can best be read as theirs.

    A recorder writes what other programs have too: a tenth of the cells is enough, by two tags or more, or all of them.
    """
    rows = [r for _, r in samples if len(r) >= width]
    places = [i for i in range(width) if i not in when]
    named: dict[int, list[tuple[list[str], Read]]] = {i: [(r, one[1]) for r in rows if (one := bind(r[i])) is not None] for i in places}
    tag = max(places, key=lambda i: len(named[i]), default=None)
    if tag is None or not named[tag]:
        return None, None
    if len(named[tag]) < len(rows) and (10 * len(named[tag]) < len(rows) or len({r[tag] for r, _ in named[tag]}) < 2):
        return None, None
    readable = {i: sum(read(r[i]) is not None for r, read in named[tag]) for i in places if i != tag}
    value = max(sorted(readable, key=lambda i: (i < tag, i)), key=lambda i: readable[i], default=None)
    return (tag, value) if value is not None and readable[value] else (None, None)


def _watched(lines: Lines, source: Source, rows: Rows, watch: Watch) -> Lines:
    """Counts rows as they pass, puts them away now and then, and stops when told to."""
    room, packed = memory_room() // LOG_ROW, 0
    for count, line in enumerate(lines, 1):
        yield line
        rows.rows = count
        if not count % SAMPLES:
            packed += len(rows.times)
            rows.pack()
            if packed > room:
                rows.stopped, rows.damage = True, FULL.format(count)
                return
            if watch(source.done()):
                rows.stopped = True
                return


def _finish(source: Source, rows: Rows) -> None:
    rows.encoding = "Windows-1252" if source.guessed else ""
    if source.damage:
        if not rows.rows:
            raise LogError(rows.file, f"cannot be opened ({source.damage})", "pack it again")
        rows.damage = f"the packed file is damaged behind its {counted(rows.rows, 'row')} ({source.damage})"
        rows.set_aside(rows.rows + 2, rows.damage)


def _plainly(source: Source, running: Running, profile: Profile, times: Times, watch: Watch) -> Rows | None:
    """Read a long file of plain lines fast; None where it is not of that kind."""
    if source.size < WORTH_IT or profile.log_skip or profile.log_true or profile.log_false:
        return None
    try:
        start = source.stream.peek(4096)[:4096].removeprefix(b"\xef\xbb\xbf").decode("utf-8", "ignore").split("\n")
        if len(start) < 3:
            return None
    except (OSError, UnicodeDecodeError):
        return None
    header, first = start[0].strip(), start[1]
    separator = max(SEPARATORS, key=header.count)
    names = [h.strip() for h in header.split(separator)]
    order = (column(names, profile.log_time, TIME_NAMES, True), column(names, profile.log_tag, TAG_NAMES),
             column(names, profile.log_value, VALUE_NAMES))
    time_text = first.partition(separator)[0]
    if unit(names[0]) not in (None, 1_000_000_000):
        return None
    if len(names) != 3 or order != (0, 1, 2) or not (PLAIN_SECONDS.match(time_text) or PLAIN_DATE.match(time_text)):
        return None
    try:
        from .plain_lines import NotPlain, PlainLines
    except (ImportError, OSError):
        return None
    rows, bind = Rows(str(source.path)), Binder(running, profile)
    rows.paths, rows.alike = bind.paths, bind.alike

    def slow(text: str, line: int) -> tuple[int, int, int] | None:
        if is_comment(text, separator):
            return None
        _long([(line, cells(text.rstrip("\r"), separator))], 3, TimeColumns(0), 1, 2, bind, times, rows)
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
        rows.set_aside(line, f"value {text[:40]!r} is none of {running.tags[tag].name}{meaning(text)}")

    try:
        reader = PlainLines(separator, bind, running.tags, slow, bad)
    except OSError:
        return None
    before = times.clock, times.zone
    try:
        source.stream.readline()
        times.look([time_text])
        if times.read(time_text) is None:
            return None
        if times.clock is Clock.SECONDS:
            reader.expect_seconds()
        rows.stopped = reader.read(source.stream, lambda: watch(source.done()))
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
    if reader.full:
        rows.damage = FULL.format(rows.rows)
    rows.examples.sort(key=lambda e: int(e[len(rows.file) + 1:].partition(":")[0]))
    for name, count in reader.unknown().items():
        rows.unknown[name] = rows.unknown.get(name, 0) + count
    _finish(source, rows)
    return rows


def _long(lines: Lines, width: int, when: TimeColumns, tag_at: int, value_at: int, bind: Binder, times: Times, rows: Rows) -> None:
    for line, row in lines:
        time = when.read(row, times)
        if time is None:
            rows.set_aside(line, when.why_not(row))
            continue
        rows.stamp(time)
        if len(row) <= max(tag_at, value_at) or (len(row) > width and any(c.strip() for c in row[width:])):
            rows.set_aside(line, f"{len(row)} cells, {width} expected")
            continue
        rows.usable += 1
        bound = bind(row[tag_at])
        if bound is None:
            name = visible(row[tag_at].strip())
            rows.unknown[name] = rows.unknown.get(name, 0) + 1
            continue
        text = row[value_at]
        value = bound[1](text)
        if value is None:
            if text.strip():
                rows.usable -= 1
                rows.set_aside(line, f"value {text[:40]!r} is none of {row[tag_at].strip()}{meaning(text)}")
            continue
        rows.times.append(time)
        rows.tags.append(bound[0])
        rows.values.append(value)


def _wide(lines: Lines, header: list[str], when: TimeColumns, bind: Binder, times: Times, rows: Rows) -> None:
    width = len(header)
    columns: list[tuple[int, int, Read]] = []
    seen: set[int] = set()
    strange: list[str] = []
    for i, name in enumerate(header):
        if i in when or not name:
            continue
        bound = bind(name)
        if bound is None:
            strange.append(name)
        elif bound[0] in seen:
            rows.twice.append(name)
        else:
            seen.add(bound[0])
            columns.append((i, *bound))
    for line, row in lines:
        time = when.read(row, times)
        if time is None:
            rows.set_aside(line, when.why_not(row))
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
                rows.set_aside(line, f"value {text[:40]!r} is none of {header[i]}{meaning(text)}")
                continue
            rows.times.append(time)
            rows.tags.append(tag)
            rows.values.append(value)
    for name in strange:
        rows.unknown[name] = rows.unknown.get(name, 0) + rows.rows
