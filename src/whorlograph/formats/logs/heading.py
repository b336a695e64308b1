"""What recorders put around a table: lines above the header, comments, units behind names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from whorlograph.model.shown import visible

from .source import cells

MOST_ABOVE = 200  # lines looked at for the header
UNITS = {"s": 1_000_000_000, "sec": 1_000_000_000, "ms": 1_000_000, "msec": 1_000_000, "us": 1_000, "µs": 1_000, "ns": 1}
_UNIT = re.compile(r"\s*(?:\[([^\]]*)\]|\(([^)]*)\))\s*$")


def column(header: list[str], given: str, names: tuple[str, ...]) -> int | None:
    """The column of a name that was given, else of the first of some names; a unit behind it does not count."""
    lower = [h.lower() for h in header]
    plain = [bare(h) for h in lower]
    if given:
        wanted = given.lower()
        return lower.index(wanted) if wanted in lower else plain.index(wanted) if wanted in plain else None
    return next((where.index(n) for n in names for where in (lower, plain) if n in where), None)


def bare(name: str) -> str:
    """A column's name without the unit behind it."""
    return _UNIT.sub("", name).strip()


def unit(name: str) -> int | None:
    """Nanoseconds of the unit of time behind a column's name; None where there is none."""
    found = _UNIT.search(name)
    return UNITS.get((found.group(1) or found.group(2) or "").strip().lower()) if found else None


def separator_of(line: str) -> str:
    """What sets a line's cells apart."""
    return max(",;\t", key=line.count)


def is_comment(line: str, separator: str) -> bool:
    """Whether a line is a remark of the recorder's."""
    return line.startswith("#") or (line.startswith(";") and separator != ";")


def find_header(lines: list[tuple[int, str]], time: str, names: tuple[str, ...], skip: int) -> tuple[int, list[str], str] | None:
    """The header's place among the first lines, its names, and the separator: where a column of time is named, as a remark or not.

    Args: time: the time column's name as the profile gives it; skip: lines to leave out, as the profile says.
    """
    for at, (number, line) in enumerate(lines):
        if number <= skip:
            continue
        text = line.lstrip("#").strip() if line.startswith("#") else line
        separator = separator_of(text)
        header = [visible(h.strip()) for h in cells(text, separator)]
        if (len(header) > 1 or not at) and column(header, time, names) is not None:
            return at, header, separator
    return None


def without_comments(lines: Iterable[tuple[int, str]], separator: str) -> Iterator[tuple[int, str]]:
    """Lines of rows only."""
    return ((number, line) for number, line in lines if line and not is_comment(line, separator))
