"""Files of other kinds, told by how they begin: what each is, and what to do to have what is in it read."""

from __future__ import annotations

_SHEET = "save the sheet as CSV"
_KINDS: dict[bytes, tuple[str, str]] = {
    b"PK\x03\x04": ("a zip archive or a spreadsheet", f"unpack it; of a spreadsheet, {_SHEET}"),
    b"\xd0\xcf\x11\xe0": ("a spreadsheet or document of the older kind", _SHEET),
    b"7z\xbc\xaf": ("a packed archive", "unpack it"),
    b"Rar!\x1a": ("a packed archive", "unpack it"),
    **{b"BZh%d1AY&SY" % level: ("a packed file (bzip2)", "unpack it, or pack it with gzip or zstd") for level in range(1, 10)},
    b"\xfd7zXZ": ("a packed file (xz)", "unpack it, or pack it with gzip or zstd"),
    b"%PDF": ("a PDF document", "give what it was printed from"),
    b"\x89PNG": ("a picture", "give a CSV file of what it shows"),
    b"\xff\xd8\xff": ("a picture", "give a CSV file of what it shows"),
    b"SQLite f": ("a database", "write its table out as CSV"),
    b"PAR1\x15": ("a Parquet file", "give it a name that ends in .parquet"),
}
_PAGES = (b"<!doctype html", b"<html")
LONGEST = 64  # bytes that tell, a mark and blanks before them


def foreign(start: bytes) -> tuple[str, str] | None:
    """What a file is that is none of ours, and what to do; None where it may be. Args: start: its first bytes."""
    if start.removeprefix(b"\xef\xbb\xbf").lstrip().lower().startswith(_PAGES):
        return "a web page", "save the data instead of the page that offers it"
    return next((told for magic, told in _KINDS.items() if start.startswith(magic)), None)
