"""Whether a standard function can be computed of its operands (IEC 61131-3:2013, 6.6.2.5), for texts and for drawings."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.calendar import date_part, dates_made
from whorlograph.model.pins import FUNCTION_PINS
from whorlograph.model.types import Elementary, Family

from .widening import (
    ARITHMETIC,
    BITWISE,
    CHECKS,
    COMPARISONS,
    DATE_SUMS,
    OF_TWO,
    ORDERS_OF_BYTES,
    REALS,
    SCALED,
    SELECTIONS,
    SHIFTS,
    TEXTS,
    TIME_SUMS,
    TIMES,
    conversion,
    widen,
)

_ONE = REALS | CHECKS | ORDERS_OF_BYTES | {"ABS", "NEG", "NOT", "TRUNC", "MOVE", "LEN", "DAY_OF_WEEK"}
_TWO = DATE_SUMS.keys() | TIMES | OF_TWO | {"SUB", "DIV", "MOD", "NE"}
NEEDS_ALL = _ONE | DATE_SUMS.keys() | {"EXPT"}  # in a drawing: of the others what is not wired is 0
_SEVERAL = COMPARISONS | {"ADD", "MUL", "MAX", "MIN", "MUX", "CONCAT"}
_NO_DATES = (ARITHMETIC - {"ADD", "SUB"}) | REALS  # a point in time times two is nothing


class Operand(Struct, frozen=True):
    """One of them: how it is named to a person, its type (None: an untyped literal), whether it is a literal with a fraction."""

    what: str
    kind: Elementary | None
    fraction: bool = False

    @property
    def is_text(self) -> bool:
        """Whether it is a text."""
        return self.is_of(Family.STRING)

    def is_of(self, *families: Family) -> bool:
        """Whether its type is of some families."""
        return self.kind is not None and self.kind.family in families

    @property
    def is_whole(self) -> bool:
        """Whether it is a whole number or a bit string, or a literal that can be one."""
        return not self.fraction and (self.kind is None or self.kind.of_bits)

    @property
    def is_real(self) -> bool:
        """Whether it is a REAL or LREAL."""
        return self.fraction or self.is_of(Family.REAL)


def unfit(name: str, data: list[Operand], counts: list[Operand], standard: bool) -> str:
    """Why a function or sign cannot be computed of its operands; "" where it can.

    Args: name: in capital letters; counts: what chooses, or says how many; data: the others; standard: whether it is a function of any types, not
        a conversion.
    """
    for one in counts:
        if one.is_real or (one.kind is not None and not one.kind.decides):
            return f"{one.what} is no whole number, and {name} counts by it"
    wrong = _wrong_kinds(name, data)
    if wrong or not data:
        return wrong
    return _mixed(name, data) if standard else _converted(name, data)


def unlike(name: str, own: Elementary | None, data: list[Operand]) -> str:
    """Why a function that names its type cannot be computed of operands that do not widen to it; "" where it can. Args: own: that type."""
    if own is None or own.family is Family.STRING:
        return ""
    for one in data:
        if (one.fraction and own.family is not Family.REAL) or (one.kind is not None and widen(one.kind, own) != own):
            return f"{one.what} is {'a number with a fraction' if one.kind is None else f'of type {one.kind.name}'}, and {name} takes {own.name}"
    return ""


def wrong_number(name: str, count: int) -> str:
    """Why a function does not take so many operands; "" where it does. Args: name: in capital letters."""
    if name in FUNCTION_PINS:
        pins = FUNCTION_PINS[name]
        return "" if count == len(pins) else f"{name} takes {', '.join(pins)}"
    made = dates_made(name)
    if made is not None:
        return "" if count == len(made[1]) else f"{name} takes {', '.join(made[1])}"
    if name in _ONE or conversion(name) is not None:
        return "" if count == 1 else f"{name} takes one operand"
    if name in _TWO and count != 2:
        return f"{name} takes two operands"
    return f"{name} takes two operands or more" if name in _SEVERAL and count < 2 else ""


def _wrong_kinds(name: str, data: list[Operand]) -> str:
    """Why bits cannot be turned or joined, digits not be looked at, a number not be cut, or what times and dates do not allow."""
    real = next((one for one in data if one.is_real), None)
    if name in BITWISE | SHIFTS and real is not None:
        return f"{real.what} is a REAL, and {name} takes bits"
    if "TRUNC" in name and any(one.is_of(Family.TIME, Family.DATE, Family.STRING) for one in data):
        return f"{name} takes a number, {data[0].what} is none"
    if name in ORDERS_OF_BYTES | {"IS_VALID_BCD"} and not all(one.is_whole for one in data):
        return f"{name} takes whole numbers and bit strings"
    return _wrong_times(name, data, real) or _wrong_dates(name, data)


def _wrong_times(name: str, data: list[Operand], real: Operand | None) -> str:
    """Why times cannot be added, multiplied or divided."""
    times = [one for one in data if one.is_of(Family.TIME)]
    if name in TIMES and not times:
        return f"{name} takes a TIME, {data[0].what} is none"
    if name in TIME_SUMS and real is not None:
        return f"{real.what} is a REAL, and {name} takes times"
    if name not in {"MUL", "DIV"} | SCALED or not times:
        return ""
    if name.startswith("DIV") and not data[0].is_of(Family.TIME):
        return f"{data[0].what} is no TIME, and what divides it is one"
    if name.startswith("MUL") and len(times) > 1:
        return f"{times[0].what} and {times[1].what} are TIMEs: no number says how often"
    return ""


def _wrong_dates(name: str, data: list[Operand]) -> str:
    """Why dates cannot be counted with, put together or taken apart."""
    dated = next((one for one in data if one.is_of(Family.DATE)), None)
    if dated is not None and name in _NO_DATES:
        return f"{dated.what} is a date, and {name} takes none"
    if dated is not None and name in ("ADD", "SUB"):
        fitting = (Family.TIME, Family.DATE) if name == "SUB" and dated is data[0] else (Family.TIME,)
        beside = next((one for one in data if one is not dated and not one.is_of(*fitting)), None if name == "ADD" or dated is data[0] else data[0])
        return f"{dated.what} is a date, and {beside.what} beside it is no TIME" if beside is not None else ""
    if dates_made(name) is not None:
        odd = next((one for one in data if not one.is_whole), None)
        return f"{odd.what} is no whole number, and {name} takes them" if odd is not None else ""
    if (date_part(name) is not None or name == "DAY_OF_WEEK") and not all(one.is_of(Family.DATE) for one in data):
        return f"{name.partition('.')[0]} takes a date or a time of day"
    if name in DATE_SUMS:
        wanted = (Family.DATE, Family.TIME if name.endswith("TIME") else Family.DATE)
        odd = next((one for one, family in zip(data, wanted, strict=False) if not one.is_of(family)), None)
        return f"{odd.what} is none of what {name} takes" if odd is not None else ""
    return ""


def _mixed(name: str, data: list[Operand]) -> str:
    """Why a function cannot be computed: texts go with texts only, and not into sums."""
    texts = [one.is_text for one in data]
    if not any(texts):
        return f"{name} takes texts, {data[0].what} is none" if name in TEXTS else ""
    if name not in TEXTS | COMPARISONS | SELECTIONS:
        return f"{data[texts.index(True)].what} is a text, and {name} takes none"
    return "" if all(texts) else f"{data[texts.index(False)].what} is no text"


def _converted(name: str, data: list[Operand]) -> str:
    """Why a conversion cannot be computed: its operand is a text where it should not be, or the other way round."""
    change = conversion(name)
    if change is None or change[0] is None:
        return ""
    if data[0].is_real and change[0].family is not Family.REAL:
        return f"{data[0].what} is a REAL, and {name} takes none"
    timed = (Family.TIME, Family.DATE)
    if data[0].kind is not None and not data[0].is_of(change[0].family) and (data[0].is_of(*timed) or change[0].family in timed):
        return f"{data[0].what} is {'a time or date' if data[0].is_of(*timed) else 'none'}, and {name} takes {change[0].name}"
    return taken(change[0], data[0], name)


def taken(type_: Elementary | None, value: Operand, name: str) -> str:
    """Why a variable of a type cannot take a value; "" where it can."""
    if type_ is None or (type_.family is Family.STRING) == value.is_text:
        return ""
    return f"{value.what} is no text, {name} is one" if type_.family is Family.STRING else f"{value.what} is a text, {name} is none"
