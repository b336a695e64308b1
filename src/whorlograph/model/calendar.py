"""The pieces of dates and times of day, and the functions that put them together and take them apart (IEC 61131-3:2013, 6.6.2.5.13)."""

from __future__ import annotations

from msgspec import Struct

DAY = 86_400_000_000_000  # ns


class DatePiece(Struct, frozen=True):
    """A piece of a date or time of day: from which number to which, how long one is (ns; 0: not always the same)."""

    range: tuple[int, int]
    length: int = 0


DATE_PIECES = {"YEAR": DatePiece((1970, 2261)), "MONTH": DatePiece((1, 12)), "DAY": DatePiece((1, 31)),
               "HOUR": DatePiece((0, 23), 3_600_000_000_000), "MINUTE": DatePiece((0, 59), 60_000_000_000),
               "SECOND": DatePiece((0, 59), 1_000_000_000), "MILLISECOND": DatePiece((0, 999), 1_000_000)}
_PIECES = tuple(DATE_PIECES)
_KINDS_OF_DATES = {"DATE": ("DATE", _PIECES[:3]), "LDATE": ("LDATE", _PIECES[:3]), "TOD": ("TIME_OF_DAY", _PIECES[3:]), "LTOD": ("LTOD", _PIECES[3:]),
                   "DT": ("DATE_AND_TIME", _PIECES), "LDT": ("LDT", _PIECES)}


def dates_made(name: str) -> tuple[str, tuple[str, ...]] | None:
    """(type of the result, pieces in order) of CONCAT_DATE, CONCAT_TOD, CONCAT_DT and those of the long types; None for others."""
    return _KINDS_OF_DATES.get(name[7:]) if name.startswith("CONCAT_") else None


def date_splits(name: str) -> tuple[str, ...]:
    """The pieces that SPLIT_DATE, SPLIT_TOD, SPLIT_DT ... gives back, in order; () for others."""
    return _KINDS_OF_DATES.get(name[6:], ("", ()))[1] if name.startswith("SPLIT_") else ()


def date_part(name: str) -> str | None:
    """The piece that is meant by ``SPLIT_DATE.YEAR``: one of what SPLIT_DATE gives back; None for others."""
    left, dot, piece = name.rpartition(".")
    return piece if dot and piece in date_splits(left) else None
