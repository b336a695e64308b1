"""Times as recorders write them, read exactly: seconds, ISO 8601 and local date forms."""

from __future__ import annotations

import datetime as dt
import re

from whorlograph.model.limits import MOST_NUMBER
from whorlograph.model.log import Clock

LIMIT = 1 << 63
_SECONDS = re.compile(r"([+-]?)(\d*)(?:[.,](\d*))?$")
_EXPONENT = re.compile(r"[+-]?\d+(?:[.,]\d*)?[eE][+-]?\d+$")
_OF_DAY = r"(?P<hour>\d{1,2}):(?P<minute>\d\d)(?::(?P<second>\d\d)(?:[.,:](?P<part>\d+))?)?"  # 05:34:35:120 is written too
_ZONE = r"\s*(?P<zone>Z|[+-]\d\d:?\d\d|[+-]\d\d)?$"
_LATER = rf",?[T ]+{_OF_DAY}\s*(?P<half>[AaPp][Mm])?$"
_ISO = re.compile(rf"(?P<year>\d{{4}})(?P<sign>[-/.])(?P<month>\d{{1,2}})(?P=sign)(?P<day>\d{{1,2}})(?:[T ]+{_OF_DAY})?{_ZONE}", re.IGNORECASE)
_BASIC = re.compile(r"(?P<year>\d{4})(?P<month>\d\d)(?P<day>\d\d)T(?P<hour>\d\d)(?P<minute>\d\d)(?:(?P<second>\d\d)(?:[.,](?P<part>\d+))?)?"
                    + _ZONE, re.IGNORECASE)
_LOCAL = re.compile(rf"(?P<date>(?P<first>\d{{1,2}})(?P<sign>[./-])(?P<other>\d{{1,2}})(?P=sign)(?P<year>\d{{4}}|\d\d)){_LATER}")
_NAMED = re.compile(rf"(?P<day>\d{{1,2}})[-./ ]+(?P<name>[^\W\d]{{3,9}})[-./, ]+(?P<year>\d{{4}}|\d\d){_LATER}")
_NAME_FIRST = re.compile(rf"(?P<name>[^\W\d]{{3,9}})[-./ ]+(?P<day>\d{{1,2}})[-./, ]+(?P<year>\d{{4}}|\d\d){_LATER}")
_DAY = re.compile(r"(?P<hour>\d{1,2}):(?P<minute>\d\d):(?P<second>\d\d)(?:[.,:](?P<part>\d+))?$")
# In English, German, French, Spanish, Italian, Portuguese, Dutch and Danish.
_MONTHS = ({"jan", "gen", "ene"}, {"feb", "fév", "fev"}, {"mar", "mär", "mrz", "maa"}, {"apr", "avr", "abr"}, {"may", "mai", "mag", "mei", "maj"},
           {"jun", "juin", "giu"}, {"jul", "juil", "lug"}, {"aug", "aoû", "aou", "ago"}, {"sep", "set"}, {"oct", "okt", "ott", "out"}, {"nov"},
           {"dec", "dez", "déc", "dic"})
_EPOCH = dt.date(1970, 1, 1)
_BILLION = 1_000_000_000
_HALF_DAY = 43_200  # seconds
_UNITS = (_BILLION, 1_000_000, 1_000, 1)
_SINCE, _UNTIL = 900_000_000, 5_000_000_000  # seconds since 1970 that a recorder's clock can show: 1998 to 2128


class Times:
    """Reads the times of one log; the first readable one decides the form.

    Set by ``look`` for a file: ``month_first``: 04/25/2031 rather than 25/04/2031, decided by what is possible; ``ambiguous``: a date of it
    that could be either; ``shown_by``: one that could not, "" where there is none; ``unit``: ns of a plain number; ``since_1970``: plain
    numbers count from then on. ``midnights``: how often its times of day began anew; ``in_order``: they are read as they stand in the file.
    """

    def __init__(self) -> None:
        self.clock: Clock | None = None
        self.zone = 0
        self.month_first = False
        self.ambiguous = self.shown_by = ""
        self.unit = _BILLION
        self.since_1970 = False
        self.midnights = 0
        self.in_order = True
        self._of_day = 0
        self._days: dict[tuple[int, int, int], int] = {}

    def look(self, samples: list[str], unit: int | None = None) -> None:
        """Decide how a file's times are meant, from samples: a part of a date over 12 is a day, numbers as large as now's count from 1970.

        Args: unit: ns of the unit that the column's name gives, None: none.
        """
        self.midnights = self._of_day = 0
        self.in_order = True
        found = [m for m in (_LOCAL.match(s.strip()) for s in samples) if m and m["sign"] == "/"]
        self.month_first = any(int(m["other"]) > 12 for m in found)
        both = [m["date"] for m in found if int(m["first"]) <= 12 >= int(m["other"]) and m["first"] != m["other"]]
        self.ambiguous = both[0] if both else ""
        self.shown_by = next((m["date"] for m in found if max(int(m["first"]), int(m["other"])) > 12), "")
        plain = [int(m.group(2)) for m in (_SECONDS.match(s.strip()) for s in samples if len(s) <= MOST_NUMBER) if m and m.group(2)]
        self.unit = unit or next((ns for ns in _UNITS if plain and all(_SINCE <= n * ns // _BILLION < _UNTIL for n in plain)), _BILLION)
        self.since_1970 = bool(plain) and all(_SINCE <= n * self.unit // _BILLION < _UNTIL for n in plain)

    @property
    def date_form(self) -> str:
        """How dates of figures are read, and what shows that."""
        form = "month first" if self.month_first else "day first"
        return f"{form}, as {self.shown_by} shows" if self.shown_by else f"{form}; write dates as 2031-04-25 to be sure"

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
        iso = _ISO.match(text) or _BASIC.match(text)
        match = iso or _LOCAL.match(text) or _NAMED.match(text) or _NAME_FIRST.match(text) or _DAY.match(text)
        if match is None:
            return None
        zone = _zone(iso["zone"]) if iso is not None else None
        hour, minute, second = (int(match[p] or 0) for p in ("hour", "minute", "second"))
        if match.re is _DAY:
            days: int | None = self._passed((hour * 60 + minute) * 60 + second)
        else:
            days = self._day(*self._date_of(match))
            half = (match["half"] or "").lower() if iso is None else ""
            hour = hour % 12 + (12 if half == "pm" else 0) if half else hour
        if days is None or hour > 24 or minute > 59 or second > 60:
            return None
        if not self.decide(Clock.LOCAL if zone is None else Clock.ZONED):
            return None
        self.zone = zone if zone is not None else 0
        ns = (days * 86_400 + hour * 3600 + minute * 60 + second - (zone or 0) * 60) * _BILLION
        ns += int(((match["part"] or "") + "000000000")[:9])
        return ns if -LIMIT <= ns < LIMIT else None

    def _date_of(self, match: re.Match[str]) -> tuple[int, int, int]:
        """Year, month and day of a date; a month that has no such name is 0."""
        year = int(match["year"])
        year += 2000 if year < 100 else 0
        if match.re is _LOCAL:
            first, other = int(match["first"]), int(match["other"])
            return (year, first, other) if self.month_first else (year, other, first)
        if match.re in (_NAMED, _NAME_FIRST):
            name = match["name"].lower()
            month = next((n for n, names in enumerate(_MONTHS, 1) if name.startswith(tuple(names))), 0)
            return year, month, int(match["day"])
        return year, int(match["month"]), int(match["day"])

    def _passed(self, second: int) -> int:
        """The day of a time of day that has no date, 0 the first: where it falls back by more than half a day, midnight has passed."""
        if not self.in_order:
            return 0
        late = second - self._of_day > _HALF_DAY and self.midnights > 0  # a row from before midnight, a little late
        if self._of_day - second > _HALF_DAY:
            self.midnights += 1
        if not late:
            self._of_day = second
        return self.midnights - late

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
