"""Times as recorders write them, read exactly: seconds, ISO 8601 and local date forms."""

from __future__ import annotations

import datetime as dt
import re

from whorlograph.model.limits import MOST_NUMBER
from whorlograph.model.log import Clock

LIMIT = 1 << 63
_SECONDS = re.compile(r"([+-]?)(\d*)(?:[.,](\d*))?$")
_EXPONENT = re.compile(r"[+-]?\d+(?:[.,]\d*)?[eE][+-]?\d+$")
_ISO = re.compile(r"(\d{4})-(\d\d)-(\d\d)(?:[T ]+(\d\d):(\d\d)(?::(\d\d)(?:[.,](\d+))?)?)?\s*(Z|[+-]\d\d:?\d\d|[+-]\d\d)?$",
                  re.IGNORECASE)
_LOCAL = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d\d),?[T ]+(\d{1,2}):(\d\d)(?::(\d\d)(?:[.,](\d+))?)?\s*([AaPp][Mm])?$")
_DAY = re.compile(r"(\d{1,2}):(\d\d):(\d\d)(?:[.,](\d+))?$")
_EPOCH = dt.date(1970, 1, 1)
_BILLION = 1_000_000_000
_UNITS = (_BILLION, 1_000_000, 1_000, 1)
_SINCE, _UNTIL = 900_000_000, 5_000_000_000  # seconds since 1970 that a recorder's clock can show: 1998 to 2128


class Times:
    """Reads the times of one log; the first readable one decides the form.

    Set by ``look`` for a file: ``month_first``: 04/25/2031 rather than 25/04/2031, decided by what is possible; ``ambiguous``: a date of it,
    where both are; ``unit``: ns of a plain number; ``since_1970``: plain numbers count from then on.
    """

    def __init__(self) -> None:
        self.clock: Clock | None = None
        self.zone = 0
        self.month_first = False
        self.ambiguous = ""
        self.unit = _BILLION
        self.since_1970 = False
        self._days: dict[tuple[int, int, int], int] = {}

    def look(self, samples: list[str], unit: int | None = None) -> None:
        """Decide how a file's times are meant, from samples: a part of a date over 12 is a day, numbers as large as now's count from 1970.

        Args: unit: ns of the unit that the column's name gives, None: none.
        """
        found = [m for m in (_LOCAL.match(s.strip()) for s in samples) if m and m.group(2) == "/"]
        self.month_first = any(int(m.group(3)) > 12 for m in found)
        either = bool(found) and not self.month_first and not any(int(m.group(1)) > 12 for m in found)
        self.ambiguous = found[0].group(0).split()[0].rstrip(",") if either and any(m.group(1) != m.group(3) for m in found) else ""
        plain = [int(m.group(2)) for m in (_SECONDS.match(s.strip()) for s in samples if len(s) <= MOST_NUMBER) if m and m.group(2)]
        self.unit = unit or next((ns for ns in _UNITS if plain and all(_SINCE <= n * ns // _BILLION < _UNTIL for n in plain)), _BILLION)
        self.since_1970 = bool(plain) and all(_SINCE <= n * self.unit // _BILLION < _UNTIL for n in plain)

    def read(self, text: str) -> int | None:
        """Nanoseconds: since 1970 in UTC, since 1970 on a local clock, or the log's own; None where unreadable.

        A row whose form differs from the log's first (seconds, zoned, zoneless) is unreadable.
        """
        text = text.strip()
        if len(text) > MOST_NUMBER:
            return None
        if text[4:5] == "-":
            return self._date(text)
        plain = _SECONDS.match(text)
        if plain and (plain.group(2) or plain.group(3)):
            clock = Clock.ZONED if self.since_1970 else Clock.SECONDS
            if self.clock is not clock and not self.decide(clock):
                return None
            fraction = plain.group(3) or ""
            ns = int(plain.group(2) or 0) * self.unit + int((fraction + "000000000")[:9]) * self.unit // _BILLION
            ns = -ns if plain.group(1) == "-" else ns
            return ns if -LIMIT <= ns < LIMIT else None
        if _EXPONENT.match(text):
            return self._exponent(text)
        return self._date(text)

    def decide(self, clock: Clock) -> bool:
        """Whether a clock is the log's; the first that is asked for becomes it."""
        if self.clock is None:
            self.clock = clock
        return self.clock is clock

    def _exponent(self, text: str) -> int | None:
        from decimal import Decimal

        try:
            value = Decimal(text.replace(",", ".")) * _BILLION
        except ArithmeticError:  # an exponent beyond all bounds
            return None
        if abs(value.adjusted()) > 20 or not -LIMIT <= int(value) < LIMIT or not self.decide(Clock.SECONDS):
            return None
        return int(value)

    def _date(self, text: str) -> int | None:
        iso = _ISO.match(text)
        if iso:
            year, month, day = int(iso.group(1)), int(iso.group(2)), int(iso.group(3))
            clock_parts: tuple[str | None, ...] = iso.group(4), iso.group(5), iso.group(6), iso.group(7)
            zone = _zone(iso.group(8))
        else:
            parts = self._local(text)
            if parts is None:
                return None
            year, month, day, clock_parts = parts
            zone = None
        days = self._day(year, month, day)
        hour, minute, second = (int(p or 0) for p in clock_parts[:3])
        if days is None or hour > 24 or minute > 59 or second > 60:
            return None
        if not self.decide(Clock.LOCAL if zone is None else Clock.ZONED):
            return None
        self.zone = zone if zone is not None else 0
        ns = (days * 86_400 + hour * 3600 + minute * 60 + second - (zone or 0) * 60) * _BILLION
        ns += int(((clock_parts[3] or "") + "000000000")[:9])
        return ns if -LIMIT <= ns < LIMIT else None

    def _local(self, text: str) -> tuple[int, int, int, tuple[str | None, ...]] | None:
        match = _LOCAL.match(text)
        if match:
            first, second, year = int(match.group(1)), int(match.group(3)), int(match.group(4))
            day, month = (second, first) if self.month_first else (first, second)
            hour = int(match.group(5))
            if match.group(9):
                hour = hour % 12 + (12 if match.group(9).lower() == "pm" else 0)
            return year + (2000 if year < 100 else 0), month, day, (str(hour), match.group(6), match.group(7), match.group(8))
        match = _DAY.match(text)
        if match:
            return 1970, 1, 1, match.groups()
        return None

    def _day(self, year: int, month: int, day: int) -> int | None:
        key = (year, month, day)
        if key not in self._days:
            try:
                self._days[key] = (dt.date(year, month, day) - _EPOCH).days
            except ValueError:
                return None
        return self._days[key]


def _zone(text: str | None) -> int | None:
    """Minutes east of UTC; None for a time without a zone."""
    if text is None:
        return None
    if text.upper() == "Z":
        return 0
    digits = text[1:].replace(":", "")
    minutes = int(digits[:2]) * 60 + int(digits[2:] or 0)
    return -minutes if text[0] == "-" else minutes
