"""What recorders put around a table: lines above the header, comments, units behind names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from msgspec import Struct

from whorlograph.model.log import Clock
from whorlograph.model.shown import visible

from .source import SEPARATORS, cells
from .times import Times

MOST_ABOVE = 200  # lines looked at for the header
LOOKED = 5  # rows below it in which a time is looked for
UNITS = {"s": 1_000_000_000, "sec": 1_000_000_000, "ms": 1_000_000, "msec": 1_000_000, "us": 1_000, "µs": 1_000, "ns": 1}
NUMBERS = ("", "#", "no", "nr", "num", "number", "row", "line", "index", "idx", "id", "seq", "lfd nr", "lfd. nr", "pos")  # of rows, in front
_UNIT = re.compile(r"\s*(?:\[([^\]]*)\]|\(([^)]*)\))\s*$")
_BEHIND = re.compile(r"(?<=[a-z])[_ .](ms|msec|us|µs|ns|s|sec)$", re.IGNORECASE)  # of a column of time: time_ms


def column(header: list[str], given: str, names: tuple[str, ...], of_time: bool = False) -> int | None:
    """The column of a name that was given, else of the first of some names; a unit behind it does not count.

    Args: of_time: the unit may stand there without brackets, as in ``time_ms``.
    """
    lower = [h.lower() for h in header]
    plain = [_BEHIND.sub("", bare(h)) if of_time else bare(h) for h in lower]
    if given:
        wanted = given.lower()
        return lower.index(wanted) if wanted in lower else plain.index(wanted) if wanted in plain else None
    return next((where.index(n) for n in names for where in (lower, plain) if n in where), None)


def bare(name: str) -> str:
    """A column's name without the unit behind it."""
    return _UNIT.sub("", name).strip()


def unit(name: str) -> int | None:
    """Nanoseconds of the unit of time behind the name of a column of time, in brackets or not; None where there is none."""
    found = _UNIT.search(name)
    if found:
        return UNITS.get((found.group(1) or found.group(2) or "").strip().lower())
    behind = _BEHIND.search(name)
    return UNITS.get(behind.group(1).lower() if behind else name.strip().lower())


def separator_of(line: str) -> str:
    """What sets a line's cells apart."""
    return max(SEPARATORS, key=line.count)


def is_comment(line: str, separator: str) -> bool:
    """Whether a line is a remark of the recorder's."""
    return line.startswith("#") or (line.startswith(";") and separator != ";")


class Heading(Struct, frozen=True):
    """A table's header: its place among the lines looked at, the names, what sets cells apart, the column of time; ``guessed``: by its cells."""

    at: int
    names: list[str]
    separator: str
    time: int
    guessed: bool = False


def find_header(lines: list[tuple[int, str]], time: str, names: tuple[str, ...], skip: int) -> Heading | None:
    """The header among the first lines: where a column of time is named, as a remark or not, and a time stands below it; else the line
    before two rows that begin alike; else the first line that names time: its rows are then told as unreadable.

    Args: time: the time column's name as the profile gives it; skip: lines to leave out, as the profile says.
    """
    named: Heading | None = None
    for at, (number, line) in enumerate(lines):
        if number > skip:
            text = line.lstrip("#").strip() if line.startswith("#") else line
            header, separator = _split(text)
            found = column(header, time, names, True)
            if found is not None and (len(header) > 1 or not at):
                one = Heading(at, header, separator, found)
                if at == len(lines) - 1 and any(len(cells(above, separator)) == len(header) > 1 for _, above in lines[:at]):
                    continue  # a last row like those above it, in which a cell happens to be called so
                if _time_below(lines[at + 1:], one):
                    return one
                named = named or one
    return (_before_rows(lines, skip) or (_none_above(lines, skip) if named is None else None) if not time else None) or named


def _time_below(lines: list[tuple[int, str]], heading: Heading) -> bool:
    """Whether a time stands in the column of time, in the first row or a few on; so it counts too where no row is left to tell."""
    rows = [cells(line, heading.separator) for _, line in lines if not is_comment(line, heading.separator)][:LOOKED]
    return not rows or any(_as_many(r, heading.names) and Times().read(r[heading.time]) is not None for r in rows)


def _as_many(row: list[str], names: list[str]) -> bool:
    """Whether a row has a cell for each name, empty ones behind apart."""
    return len(row) >= len(names) and not any(c.strip() for c in row[len(names):])


def _split(line: str) -> tuple[list[str], str]:
    separator = separator_of(line)
    return [visible(h.strip()) for h in cells(line, separator)], separator


def _before_rows(lines: list[tuple[int, str]], skip: int) -> Heading | None:
    """The line of names above two rows of as many cells, in one column of which times stand."""
    for at, (number, line) in enumerate(lines[:-2]):
        header, separator = _split(line)
        if number <= skip or len(header) < 2 or len(set(header)) < len(header) or is_comment(line, separator):
            continue
        rows = [r for _, below in lines[at + 1:at + 3] if len(r := cells(below, separator)) == len(header)]
        if len(rows) < 2:
            continue
        numbered = header[0].lower().rstrip(".") in NUMBERS
        fitting = [i for i, name in enumerate(header)
                   if not _is_time(name) and not (numbered and i == 0) and _times(rows[0][i], rows[1][i], i - numbered)]
        if fitting:  # a date before a number, which may be anything
            dated = next((i for i in fitting if not _number(rows[0][i])), fitting[0])
            return Heading(at, header, separator, dated, True)
    return None


def _none_above(lines: list[tuple[int, str]], skip: int) -> Heading | None:
    """A table without a header: rows of time, tag and value from the first line on, the columns called by their number."""
    rows = [(at, *_split(line)) for at, (number, line) in enumerate(lines[:skip + 10]) if number > skip and not line.startswith("#")][:2]
    if len(rows) < 2 or any(len(row) != 3 for _, row, _ in rows):
        return None
    (at, first, separator), (_, second, _) = rows
    found = next((i for i in range(3) if _times(first[i], second[i], i)), None)
    return Heading(at - 1, [f"column {n}" for n in (1, 2, 3)], separator, found, True) if found is not None else None


def _number(text: str) -> bool:
    """Whether a time is a plain number."""
    times = Times()
    times.read(text)
    return times.clock is Clock.SECONDS


def _is_time(text: str) -> bool:
    """Whether a cell is a time of any form."""
    times = Times()
    times.look([text])
    return times.read(text) is not None


def _times(first: str, second: str, place: int) -> bool:
    """Whether two cells are times: dates, or in the first column numbers that do not fall."""
    times = Times()
    times.look([first, second])
    one, two = times.read(first), times.read(second)
    return one is not None and two is not None and (":" in first or (place == 0 and one <= two))


def without_comments(lines: Iterable[tuple[int, str]], separator: str) -> Iterator[tuple[int, str]]:
    """Lines of rows only."""
    return ((number, line) for number, line in lines if line and not is_comment(line, separator))
