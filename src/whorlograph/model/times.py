"""Instants of a log as a person writes and reads them."""

from __future__ import annotations

import datetime as dt
import re

from .errors import UsageError
from .limits import MOST_NUMBER
from .log import Clock, Log

_BILLION = 1_000_000_000
_DAY = 86_400 * _BILLION
_OF_DAY = re.compile(r"(\d{1,2}):(\d\d)(?::(\d\d)(?:[.,](\d+))?)?$")
_NUMBER = re.compile(r"([+-]?)(\d*)(?:\.(\d*))?(?:e([+-]?\d+))?\s*s?$", re.IGNORECASE)


def local_ns(log: Log, time: int) -> int:
    """Nanoseconds since 1970 on the clock that the log was written with."""
    return log.origin + time + log.zone * 60 * _BILLION


def clock_text(log: Log, time: int, decimals: int = 3) -> str:
    """An instant: time of day where the log has one, else seconds since the log's start; never rounded up.

    Args: time: ns since the log's first row; decimals: how many of a second's.
    """
    if log.clock is Clock.SECONDS:
        return seconds(time, decimals) + " s"
    ns = local_ns(log, time) % _DAY
    second, rest = divmod(ns, _BILLION)
    text = f"{second // 3600:02d}:{second // 60 % 60:02d}:{second % 60:02d}"
    return text + ("." + f"{rest:09d}"[:decimals] if decimals else "")


def date_text(log: Log, time: int) -> str:
    """The day of an instant; "" where the log has none."""
    if log.clock is Clock.SECONDS:
        return ""
    day = dt.date(1970, 1, 1) + dt.timedelta(days=local_ns(log, time) // _DAY)
    return day.strftime("%-d %B %Y") if day.year > 1970 else ""


def seconds(time: int, decimals: int = 3) -> str:
    """Seconds with decimals, cut off."""
    sign, time = ("-" if time < 0 else ""), abs(time)
    whole, rest = divmod(time, _BILLION)
    return f"{sign}{whole}" + ("." + f"{rest:09d}"[:decimals] if decimals else "")


def parse_time(text: str, log: Log) -> int:
    """Nanoseconds since the log's first row of an instant as a person gives it.

    ISO 8601, a time of day (of the log's first day on), seconds from the log's start, or ``@`` and the log's
    own seconds. Raises: UsageError for anything else.
    """
    text = text.strip()
    if len(text) > MOST_NUMBER:
        raise UsageError("", f"{text[:20]!r}... is no time: it is {len(text):,} characters long", "write 12.5 (seconds from the log's start)")
    own = text.startswith("@")
    match = _NUMBER.match(text[1:] if own else text)
    if match and (match.group(2) or match.group(3)) and len(match.group(4) or "") < 5:
        ns = _exact(match)
        return ns - log.origin if own and log.clock is Clock.SECONDS else ns
    match = _OF_DAY.match(text)
    if match and log.clock is not Clock.SECONDS:
        fraction = int(((match.group(4) or "") + "000000000")[:9])
        of_day = (int(match.group(1)) * 3600 + int(match.group(2)) * 60 + int(match.group(3) or 0)) * _BILLION + fraction
        start = local_ns(log, 0)
        time = start // _DAY * _DAY + of_day - start
        return time + _DAY if time < 0 and time + _DAY <= log.end else time
    try:
        moment = dt.datetime.fromisoformat(text)
    except ValueError:
        raise UsageError("", f"{text!r} is no time", "write 12.5 (seconds from the log's start), 14:03:22.15, @86400.5 or an "
                         "ISO 8601 time") from None
    if log.clock is Clock.SECONDS:
        raise UsageError("", f"{text!r}: the log has no dates", "write seconds from the log's start")
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=dt.timezone(dt.timedelta(minutes=log.zone)))
    whole = int((moment.replace(microsecond=0) - dt.datetime(1970, 1, 1, tzinfo=dt.UTC)).total_seconds())
    fraction_text = re.search(r"[.,](\d+)", text)
    fraction = int((fraction_text.group(1) + "000000000")[:9]) if fraction_text else 0
    return whole * _BILLION + fraction - log.origin


def parse_moment(text: str, log: Log) -> int:
    """``parse_time``, within the log.

    Raises: UsageError for what is no time, or lies before or behind the log.
    """
    time = parse_time(text, log)
    if not 0 <= time <= log.end:
        raise UsageError("", f"{text.strip()} is not within the log", f"it goes from {clock_text(log, 0)} to {clock_text(log, log.end)}")
    return time


def _exact(match: re.Match[str]) -> int:
    exponent = int(match.group(4) or 0)
    digits = (match.group(2) or "0") + (match.group(3) or "")
    point = len(match.group(3) or "")
    shift = exponent - point + 9
    value = int(digits) * int(10 ** shift) if shift >= 0 else int(digits) // int(10 ** -shift)
    return -value if match.group(1) == "-" else value
