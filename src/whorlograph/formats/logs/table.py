"""Text tables as recorders write them: encoding, separator and columns found, rows handed on."""

from __future__ import annotations

import csv
from pathlib import Path

from msgspec import Struct

from whorlograph.model.errors import LogError

from .source import SEPARATORS, Source

TIME_NAMES = ("time", "timestamp", "time stamp", "date/time", "datetime", "date time", "date_time", "t", "time (s)", "time_s",
              "seconds", "zeit", "zeitstempel", "datum/zeit", "datum", "heure", "fecha", "tid", "ts")
TAG_NAMES = ("tag", "name", "tagname", "tag name", "signal", "variable", "channel", "point", "item", "kanal")
VALUE_NAMES = ("value", "val", "wert", "valeur", "valor", "state", "reading", "new value", "new_value", "newvalue", "new")


class Table(Struct, frozen=True):
    """A text table: its header, the separator, and its rows each with its line number."""

    file: str
    header: list[str]
    separator: str
    rows: list[tuple[int, list[str]]]
    encoding: str = ""


def read_table(path: Path, what: str, separator: str = "") -> Table:
    """Read a text table whose first line names the columns.

    Args: what: what the file is, for the message ("log"); separator: of its cells, "" where the first line tells it.
    Raises: LogError where it cannot be opened, is empty or binary.
    """
    with Source(path, what) as source:
        lines = list(source.lines())
    if source.damage:
        raise LogError(str(path), f"the packed {what} is damaged ({source.damage})", "fetch the file again")
    first = next((line for line in lines if line), "")
    separator = separator or max(SEPARATORS, key=first.count)
    reader = csv.reader([f"{line}\n" for line in lines], delimiter=separator)
    rows: list[tuple[int, list[str]]] = []
    try:
        header = next((r for r in reader if any(c.strip() for c in r)), [])
        for row in reader:
            if row:
                rows.append((reader.line_num, row))
    except csv.Error as problem:
        raise LogError(f"{path}:{reader.line_num}", f"the line cannot be split into cells ({problem})",
                       "look for a quote that is not closed") from problem
    return Table(str(path), [h.strip() for h in header], separator, rows, "Windows-1252" if source.guessed else "")
