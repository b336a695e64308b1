"""Dates and times of day put together and taken apart, by Python's calendar."""

from __future__ import annotations

from datetime import date, timedelta

from whorlograph.model.calendar import DATE_PIECES, DAY, date_part, dates_made
from whorlograph.model.profile import Overflow

from .functions import Value, divide
from .memory import ranged

_START = date(1970, 1, 1)


def of_calendar(name: str, data: list[Value], mode: Overflow) -> Value | None:
    """What such a function gives; None for another.

    Raises: Halt where a month, a day ... is none and the mode is halt.
    """
    part, made = date_part(name), dates_made(name)
    if part is not None:
        moment = int(data[0])
        if DATE_PIECES[part].length:
            return divide(moment, DATE_PIECES[part].length) % (DATE_PIECES[part].range[1] + 1)
        day = _START + timedelta(divide(moment, DAY))
        return int(getattr(day, part.lower()))
    if made is None or len(data) != len(made[1]):
        return None
    given = {piece: int(ranged(value, *DATE_PIECES[piece].range, mode)) for piece, value in zip(made[1], data, strict=True)}
    total = sum(value * DATE_PIECES[piece].length for piece, value in given.items())
    if "YEAR" in given:
        first = date(given["YEAR"], given["MONTH"], 1)
        total += ((first - _START).days + given["DAY"] - 1) * DAY
    return total
