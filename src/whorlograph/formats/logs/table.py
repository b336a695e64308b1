"""Text tables as recorders write them: encoding, separator and columns found, rows handed on."""

from __future__ import annotations

import csv
import gzip
import io
import zlib
from pathlib import Path

from msgspec import Struct

from whorlograph.model.errors import LogError

TIME_NAMES = ("time", "timestamp", "time stamp", "date/time", "datetime", "date time", "date_time", "t", "time (s)", "time_s",
              "seconds", "zeit", "zeitstempel", "datum/zeit", "datum", "heure", "fecha", "tid", "ts")
TAG_NAMES = ("tag", "name", "tagname", "tag name", "signal", "variable", "channel", "point", "item", "kanal")
VALUE_NAMES = ("value", "val", "wert", "valeur", "valor", "state", "reading")


def read_bytes(path: Path, error: type[LogError] | type[Exception] = LogError) -> bytes:
    """A file's bytes, unpacked where it is compressed.

    Raises: LogError where it cannot be opened or unpacked.
    """
    try:
        data = path.read_bytes()
        if path.suffix.lower() == ".gz" or data[:2] == b"\x1f\x8b":
            data = gzip.decompress(data)
        elif path.suffix.lower() == ".zst" or data[:4] == b"\x28\xb5\x2f\xfd":
            data = _unzstd(data)
    except (OSError, EOFError, ValueError, zlib.error) as problem:
        what = getattr(problem, "strerror", None) or problem
        raise LogError(str(path), f"cannot be opened ({what})", "check the name and the rights") from problem
    return data


def _unzstd(data: bytes) -> bytes:
    """Unpack Zstandard, also of unknown length.

    Raises: ValueError where it is damaged.
    """
    import zstandard

    parts = []
    try:
        while data:
            frame = zstandard.ZstdDecompressor().decompressobj()
            parts.append(frame.decompress(data))
            if not frame.eof:
                raise ValueError("it is cut off")
            data = frame.unused_data
    except zstandard.ZstdError as problem:
        raise ValueError(str(problem)) from problem
    return b"".join(parts)


def decode(data: bytes) -> tuple[str, str]:
    """The text, and the encoding where it was guessed ("" for UTF-8 and UTF-16 with a mark)."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace"), ""
    try:
        return data.decode("utf-8-sig"), ""
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace"), "Windows-1252"


class Table(Struct, frozen=True):
    """A text table: its header, the separator, and its rows each with its line number."""

    file: str
    header: list[str]
    separator: str
    rows: list[tuple[int, list[str]]]
    encoding: str = ""


def read_table(path: Path, what: str) -> Table:
    """Read a text table whose first line names the columns.

    Args: what: what the file is, for the message ("log").
    Raises: LogError where it cannot be opened, is empty or binary.
    """
    data = read_bytes(path)
    if not data.strip():
        raise LogError(str(path), f"the {what} is empty", "record it again, or give another file")
    text, encoding = decode(data)
    if text[:4000].count("\x00") > 40 or sum(c < " " and c not in "\r\n\t\x00" for c in text[:4000]) > 40:
        raise LogError(str(path), f"not a text file, so no {what} in CSV", "give a CSV file")
    first = text.lstrip("\r\n").partition("\n")[0]
    separator = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text.replace("\x00", ""), newline=""), delimiter=separator)
    rows: list[tuple[int, list[str]]] = []
    try:
        header = next((r for r in reader if any(c.strip() for c in r)), [])
        for row in reader:
            if row:
                rows.append((reader.line_num, row))
    except csv.Error as problem:
        raise LogError(f"{path}:{reader.line_num}", f"the line cannot be split into cells ({problem})",
                       "look for a quote that is not closed") from problem
    return Table(str(path), [h.strip() for h in header], separator, rows, encoding)
