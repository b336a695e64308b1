"""Literals of IEC 61131-3:2013, 6.3.3 to 6.3.5: read and written."""

from __future__ import annotations

import math
import re
import struct
from decimal import Decimal, InvalidOperation
from functools import lru_cache

from .limits import MOST_NUMBER
from .shown import visible
from .texts import text_id, text_of, unescaped
from .types import ELEMENTARY, Elementary, Family

_UNITS = {"d": 86_400_000_000_000, "h": 3_600_000_000_000, "m": 60_000_000_000, "s": 1_000_000_000,
          "ms": 1_000_000, "us": 1_000, "ns": 1}
_PART = re.compile(r"(\d+(?:\.\d+)?)(ms|us|ns|d|h|m|s)")
_INTEGER = re.compile(r"[+-]?\d(?:_?\d)*$")
_BASED = re.compile(r"([+-]?)(2|8|16)#([0-9A-Fa-f](?:_?[0-9A-Fa-f])*)$")
_REAL = re.compile(r"[+-]?\d(?:_?\d)*(?:\.\d(?:_?\d)*)?(?:[eE][+-]?\d+)?$")
_DAY = r"(?P<year>\d{1,4})-(?P<month>\d\d?)-(?P<day>\d\d?)"
_CLOCK = r"(?P<hours>\d\d?):(?P<minutes>\d\d?)(?::(?P<seconds>\d\d?(?:\.\d*)?))?"
_MOMENTS = {kind: re.compile(pattern, re.ASCII) for kind, pattern in  # recorders put a blank or a T between date and time
            {"DATE": _DAY, "TIME_OF_DAY": _CLOCK, "DATE_AND_TIME": f"{_DAY}[-T ]{_CLOCK}"}.items()}
_TIME_PREFIX = {"T", "TIME", "LT", "LTIME"}

Literal = tuple[Elementary | None, "int | float | bool | str"]


def duration(text: str) -> int:
    """Nanoseconds of a duration such as ``1s500ms``, ``1.5s`` or ``-20ms``.

    Raises: ValueError if it is none. Source: IEC 61131-3:2013, 6.3.4.2.
    """
    if len(text) > MOST_NUMBER:
        raise ValueError(text[:MOST_NUMBER])
    body = text.strip().replace("_", "").lower()
    sign = -1 if body.startswith("-") else 1
    body = body.lstrip("+-")
    total, at = Decimal(0), 0
    for part in _PART.finditer(body):
        if part.start() != at:
            raise ValueError(text)
        total += Decimal(part.group(1)) * _UNITS[part.group(2)]
        at = part.end()
    if at == 0 or at != len(body):
        raise ValueError(text)
    return sign * int(total)


def _moment(kind: str, body: str) -> int:
    """Nanoseconds of a date, a time of day, or both, without a zone."""
    import datetime as dt

    found = _MOMENTS[kind].fullmatch(body)
    if found is None:
        raise ValueError(body)
    part = found.groupdict()
    days = (dt.date(*(int(part.get(name) or start) for name, start in (("year", 1970), ("month", 1), ("day", 1)))) - dt.date(1970, 1, 1)).days
    hours, minutes, seconds = int(part.get("hours") or 0), int(part.get("minutes") or 0), Decimal(part.get("seconds") or 0)
    if hours > 23 or minutes > 59 or seconds >= 60:
        raise ValueError(body)
    return days * _UNITS["d"] + (hours * 3600 + minutes * 60) * _UNITS["s"] + int(seconds * _UNITS["s"])


_DATE_PREFIX = {"D": "DATE", "DATE": "DATE", "LD": "DATE", "LDATE": "DATE", "TOD": "TIME_OF_DAY",
                "TIME_OF_DAY": "TIME_OF_DAY", "LTOD": "TIME_OF_DAY", "DT": "DATE_AND_TIME",
                "DATE_AND_TIME": "DATE_AND_TIME", "LDT": "DATE_AND_TIME"}


@lru_cache(maxsize=65_536)
def literal(text: str) -> Literal | None:
    """Read a literal: its type where the text names one (else None), and its value.

    Returns: None where the text is no literal. Booleans come as bool, REAL as float, times in ns.
    """
    text = text.strip()
    if len(text) > MOST_NUMBER and text[:1] not in "'\"":
        return None
    upper = text.upper()
    if upper in ("TRUE", "FALSE"):
        return ELEMENTARY["BOOL"], upper == "TRUE"
    if text[:1] in "'\"" and len(text) >= 2 and text[-1] == text[0]:
        return ELEMENTARY["STRING" if text[0] == "'" else "WSTRING"], unescaped(text[1:-1])
    based = _BASED.match(text)
    if based:
        value = int(based.group(3).replace("_", ""), int(based.group(2)))
        return None, -value if based.group(1) == "-" else value
    if "#" in text:
        return _typed(text, upper)
    if _INTEGER.match(text):
        return None, int(text.replace("_", ""))
    if _REAL.match(text):
        return None, float(text.replace("_", ""))
    return None


def _typed(text: str, upper: str) -> Literal | None:
    prefix, _, body = upper.partition("#")
    try:
        if prefix in _TIME_PREFIX:
            return ELEMENTARY["TIME"], duration(body)
        if prefix in _DATE_PREFIX:
            kind = _DATE_PREFIX[prefix]
            return ELEMENTARY[kind], _moment(kind, body)
    except (ValueError, InvalidOperation):
        return None
    typed = ELEMENTARY.get(prefix)
    inner = literal(text.partition("#")[2]) if typed else None
    if typed is None or inner is None:
        return None
    value = inner[1]
    if (typed.family is Family.STRING) != isinstance(value, str):
        return None
    if typed.family is Family.BOOL:
        return typed, bool(value)
    if typed.family is Family.REAL:
        return typed, float(value)
    return typed, value


def times_text(count: int) -> str:
    """How often: "once", "7 times", "1,187 times"."""
    return "once" if count == 1 else f"{count:,} times"


def counted(count: int, one: str, many: str = "") -> str:
    """How many of something: "1 row", "1,187 rows"; ``many`` where it is not the word with an s."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def duration_text(ns: int) -> str:
    """A duration as a person writes it: ``3 d 2 h``, ``1 min 5 s``, ``500 ms``, ``1.25 s``."""
    if ns == 0:
        return "0 s"
    sign, ns = ("-" if ns < 0 else ""), abs(ns)
    if ns < 1_000:
        return f"{sign}{ns} ns"
    if ns < 1_000_000:
        return f"{sign}{_trim(ns, 1_000)} us"
    if ns < 1_000_000_000:
        return f"{sign}{_trim(ns, 1_000_000)} ms"
    if ns < 60 * _UNITS["s"]:
        return f"{sign}{_trim(ns, 1_000_000_000)} s"
    if ns < 3600 * _UNITS["s"]:
        minutes, rest = divmod(ns, _UNITS["m"])
        return f"{sign}{minutes} min" + (f" {rest // _UNITS['s']} s" if rest >= _UNITS["s"] else "")
    if ns >= 72 * _UNITS["h"]:
        days, rest = divmod(ns, _UNITS["d"])
        return f"{sign}{days} d" + (f" {rest // _UNITS['h']} h" if rest >= _UNITS["h"] else "")
    hours, rest = divmod(ns, _UNITS["h"])
    return f"{sign}{hours} h" + (f" {rest // _UNITS['m']} min" if rest >= _UNITS["m"] else "")


def _trim(value: int, unit: int) -> str:
    whole, rest = divmod(value, unit)
    if not rest:
        return str(whole)
    digits = len(str(unit)) - 1
    return f"{whole}." + f"{rest:0{digits}d}"[:3].rstrip("0") if str(f"{rest:0{digits}d}"[:3]).strip("0") else str(whole)


def duration_literal(ns: int) -> str:
    """A duration as the standard writes it: ``T#1m5s500ms``."""
    sign, rest, out = "-" if ns < 0 else "", abs(ns), ""
    for unit, size in _UNITS.items():
        count, rest = divmod(rest, size)
        out += f"{count}{unit}" if count else ""
    return f"T#{sign}{out or '0s'}"


def moment_literal(ns: int, type_: Elementary) -> str:
    """A date, a time of day or both as the standard writes them: ``DT#2026-03-01-12:30:00``."""
    import datetime as dt

    days, rest = divmod(ns, _UNITS["d"])
    seconds, parts = divmod(rest, _UNITS["s"])
    clock = f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}" + (f".{parts:09}".rstrip("0") if parts else "")
    if type_.name in ("TIME_OF_DAY", "LTOD"):
        return f"TOD#{clock}"
    try:
        date = (dt.date(1970, 1, 1) + dt.timedelta(days=days)).isoformat()
    except OverflowError:
        return str(ns)
    return f"D#{date}" if type_.name in ("DATE", "LDATE") else f"DT#{date}-{clock}"


def text_for(value: int | float | bool | str, type_: Elementary) -> str:
    """A value as text, as conversions to STRING give it."""
    if isinstance(value, str):
        return value
    if type_.family is Family.BOOL:
        return "TRUE" if value else "FALSE"
    if type_.family is Family.REAL:
        return real_text(float(value), type_.bits)
    if type_.family is Family.TIME:
        return duration_literal(int(value))
    return moment_literal(int(value), type_) if type_.family is Family.DATE else str(int(value))


def number_in(text: str, type_: Elementary) -> int | float:
    """What a conversion from STRING reads in a text; 0 where it is no literal of the type."""
    body = text.strip()
    found = literal(body)
    if found is None and type_.family is Family.TIME:
        found = literal(f"T#{body}")
    elif found is None and type_.family is Family.DATE:
        found = literal(f"{type_.name}#{body}")
    value = found[1] if found is not None else 0
    if isinstance(value, str) or (isinstance(value, float) and not math.isfinite(value)):
        return 0
    return value if type_.family is Family.REAL else round(value)


def real_text(value: float, bits: int) -> str:
    """The shortest decimal that reads back as the same REAL or LREAL; -0.0 as 0.0."""
    if value == 0:
        return "0.0"
    if bits == 64:
        return repr(value)
    for digits in range(1, 10):
        text = f"{value:.{digits}g}"
        if struct.pack("<f", float(text)) == struct.pack("<f", value):
            return repr(float(text))
    return repr(value)


def single(value: float) -> float:
    """Round to single precision; infinite where REAL cannot hold it."""
    try:
        return float(struct.unpack("<f", struct.pack("<f", value))[0])
    except OverflowError:
        return float("inf") if value > 0 else float("-inf")


def raw(value: int | float | bool | str, type_: Elementary) -> int:
    """A value as the 64 bits that memory and journal keep, read as a signed integer."""
    if isinstance(value, str):
        return text_id(value)
    if type_.family is Family.REAL:
        real = float(value) + 0.0  # -0.0 is kept as 0.0, so that no change is seen where none can be read
        if type_.bits == 32:
            return int(struct.unpack("<I", struct.pack("<f", single(real)))[0])
        return int(struct.unpack("<q", struct.pack("<d", real))[0])
    number = int(value)
    return number - (1 << 64) if number >= 1 << 63 else number


def cooked(bits: int, type_: Elementary) -> int | float | bool | str:
    """The value that 64 kept bits stand for."""
    if type_.family is Family.STRING:
        return text_of(bits)
    if type_.family is Family.BOOL:
        return bits != 0
    if type_.family is Family.REAL:
        if type_.bits == 32:
            return float(struct.unpack("<f", struct.pack("<I", bits & 0xFFFFFFFF))[0])
        return float(struct.unpack("<d", struct.pack("<q", bits))[0])
    return bits + (1 << 64) if bits < 0 and type_.low == 0 else bits


def said_value(value: bool | int | float | str, type_: Elementary) -> str:
    """A value as a person reads it: on, off, a number, a time with its unit, a date, a text in quotes."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, str):
        return f"'{visible(value)}'"
    if type_.family is Family.TIME:
        return duration_text(int(value))
    if type_.family is Family.DATE:
        return moment_literal(int(value), type_).partition("#")[2]
    if isinstance(value, float):
        return real_text(value, 32) if type_.bits == 32 else repr(float(f"{value:.12g}"))
    return str(value)


def value_text(bits: int, type_: Elementary) -> str:
    """A kept value as result files write it (DESIGN section 7): BOOL 0 or 1, TIME in ns."""
    value = cooked(bits, type_)
    if type_.family is Family.BOOL:
        return "1" if value else "0"
    if type_.family is Family.REAL:
        return real_text(float(value), type_.bits)
    return str(value)
