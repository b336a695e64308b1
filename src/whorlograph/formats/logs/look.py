"""What a log looks like before it is known which column is which: names and first rows, for a person to say."""

from __future__ import annotations

from collections import Counter
from itertools import islice
from pathlib import Path

from msgspec import Struct

from whorlograph.model.profile import Profile
from whorlograph.model.shown import visible

from .heading import MOST_ABOVE, bare, find_header, is_comment, separator_of, without_comments
from .source import SEPARATORS, Source, cells
from .table import TAG_NAMES, TIME_NAMES, VALUE_NAMES
from .times import Times

SHOWN = 8  # rows


class Looks(Struct, frozen=True):
    """The names of a log's columns, its first rows, how many lines stand above them; what can be told: the columns of time, tag, value, "" else."""

    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    skip: int = 0
    time: str = ""
    tag: str = ""
    value: str = ""


def look(path: Path, profile: Profile) -> Looks:
    """Look at a log in CSV.

    Raises: LogError where it cannot be opened, or is no text.
    """
    with Source(path) as source:
        lines = list(islice(((i, line) for i, line in enumerate(source.lines(), 1) if line), MOST_ABOVE))
    return looks_of(lines, profile)


def looks_of(lines: list[tuple[int, str]], profile: Profile) -> Looks:
    """The same for its first lines, each with its number."""
    found = find_header(lines, profile.log_time, TIME_NAMES, profile.log_skip)
    if found is not None:
        names, separator, at = found.names, found.separator, found.at
    else:
        at, separator = _table(lines, profile.log_skip)
        names = [visible(c.strip()) for c in cells(lines[at][1], separator)] if lines else []
    below = [(i, cells(line, separator)) for i, line in without_comments(lines[at + 1:], separator)]
    rows = tuple(tuple(visible(c.strip()) for c in row) for _, row in below[:SHOWN])
    time = names[found.time] if found is not None else _by_cells(names, rows)
    tag, value = _named(names, profile.log_tag, TAG_NAMES), _named(names, profile.log_value, VALUE_NAMES)
    return Looks(tuple(names), rows, lines[at][0] - 1 if lines and at > 0 else 0, time, tag if value else "", value if tag else "")


def _table(lines: list[tuple[int, str]], skip: int) -> tuple[int, str]:
    """(place of the first line, separator) of as many cells as most lines have."""
    signs = Counter(separator_of(line) for number, line in lines if number > skip and any(c in line for c in SEPARATORS))
    separator = signs.most_common(1)[0][0] if signs else ","
    counts = Counter(n for number, line in lines if number > skip and not is_comment(line, separator) and (n := len(cells(line, separator))) > 1)
    most = counts.most_common(1)[0][0] if counts else 1
    place = (i for i, (number, line) in enumerate(lines) if number > skip and not is_comment(line, separator) and len(cells(line, separator)) == most)
    return next(place, 0), separator


def _by_cells(names: list[str], rows: tuple[tuple[str, ...], ...]) -> str:
    """The column of which every cell is a time, dates first."""
    for dated in (True, False):
        for i, name in enumerate(names):
            column = [r[i] for r in rows if len(r) > i]
            times = Times()
            read = [times.read(c) if (":" in c or "-" in c[1:]) == dated else None for c in column]
            known = [t for t in read if t is not None]
            if len(known) == len(read) > 1 and known == sorted(known) and known[-1] > known[0] + (0 if dated else 1):
                return name
    return ""


def _named(names: list[str], given: str, known: tuple[str, ...]) -> str:
    lower = {bare(n).lower(): n for n in names}
    return next((lower[n] for n in ((given.lower(),) if given else known) if n in lower), "")
