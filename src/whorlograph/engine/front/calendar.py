"""Dates and times of day put together and taken apart, as expressions (IEC 61131-3:2013, 6.6.2.5.13)."""

from __future__ import annotations

from whorlograph.engine.code import Const, Convert, Expr, Op
from whorlograph.model.calendar import DATE_PIECES, DAY, date_part, dates_made
from whorlograph.model.types import ELEMENTARY, LINT

from .builder import Builder

_EPOCH = 719_468  # days from 1 March of the year 0 to 1 January 1970
_ERA = 146_097  # days in 400 years


class Calendar:
    """Counts days from 1 March, so that the day that leap years add is the year's last."""

    def __init__(self, build: Builder) -> None:
        self.b = build

    def value(self, name: str, values: list[Expr], at: int) -> Expr | None:
        """What such a function gives; None for another. Args: values: in LINT; of what is taken apart the date, in its own type."""
        part, made = date_part(name), dates_made(name)
        if part is not None:
            return Convert("HOLD", "INT", self._part(part, self.b.keep(Convert("WIDEN", LINT.name, values[0], at), at), at), at)
        if made is None or len(values) != len(made[1]):
            return None
        given = {piece: self.b.keep(Convert("RANGE", LINT.name, value, at, *DATE_PIECES[piece].range), at)
                 for piece, value in zip(made[1], values, strict=True)}
        total: Expr = Const(0, LINT.name)
        if "YEAR" in given:
            total = _op("MUL", self._days(given["YEAR"], given["MONTH"], given["DAY"], at), DAY, at)
        for piece, value in given.items():
            if DATE_PIECES[piece].length:
                total = _op("ADD", total, _op("MUL", value, DATE_PIECES[piece].length, at), at)
        return Convert("TO", ELEMENTARY[made[0]].name, total, at)

    def _days(self, year: Expr, month: Expr, day: Expr, at: int) -> Expr:
        """Days since 1 January 1970."""
        early = _test("LE", month, 2, at)
        whole = self.b.keep(_op("SUB", year, _choice(early, 1, 0, at), at), at)
        since_march = _op("ADD", month, _choice(early, 9, -3, at), at)
        in_year = _op("ADD", _op("DIV", _op("ADD", _op("MUL", since_march, 153, at), 2, at), 5, at), day, at)
        years = _op("ADD", _op("SUB", _op("ADD", _op("MUL", whole, 365, at), _op("DIV", whole, 4, at), at), _op("DIV", whole, 100, at), at),
                    _op("DIV", whole, 400, at), at)
        return _op("SUB", _op("ADD", years, in_year, at), _EPOCH + 1, at)

    def _part(self, part: str, moment: Expr, at: int) -> Expr:
        length = DATE_PIECES[part].length
        if length:
            return _op("MOD", _op("DIV", moment, length, at), DATE_PIECES[part].range[1] + 1, at)
        days = self.b.keep(_op("ADD", _op("DIV", moment, DAY, at), _EPOCH, at), at)
        in_era = self.b.keep(_op("MOD", days, _ERA, at), at)
        leaps = _op("SUB", _op("ADD", _op("SUB", in_era, _op("DIV", in_era, 1460, at), at), _op("DIV", in_era, 36_524, at), at),
                    _op("DIV", in_era, _ERA - 1, at), at)
        year = self.b.keep(_op("DIV", leaps, 365, at), at)
        in_year = self.b.keep(_op("SUB", in_era, _op("SUB", _op("ADD", _op("MUL", year, 365, at), _op("DIV", year, 4, at), at),
                                                     _op("DIV", year, 100, at), at), at), at)
        month = self.b.keep(_op("DIV", _op("ADD", _op("MUL", in_year, 5, at), 2, at), 153, at), at)  # 0: March
        if part == "DAY":
            return _op("ADD", _op("SUB", in_year, _op("DIV", _op("ADD", _op("MUL", month, 153, at), 2, at), 5, at), at), 1, at)
        late = _test("GE", month, 10, at)
        if part == "MONTH":
            return _op("ADD", month, _choice(late, -9, 3, at), at)
        whole = _op("ADD", year, _op("MUL", _op("DIV", days, _ERA, at), 400, at), at)
        return _op("ADD", whole, _choice(late, 1, 0, at), at)


def _op(name: str, left: Expr, right: Expr | int, at: int) -> Expr:
    return Op(name, LINT.name, (left, Const(right, LINT.name) if isinstance(right, int) else right), at)


def _test(name: str, left: Expr, right: int, at: int) -> Expr:
    return Op(name, "BOOL", (left, Const(right, LINT.name)), at)


def _choice(test: Expr, yes: int, no: int, at: int) -> Expr:
    return Op("SEL", LINT.name, (test, Const(no, LINT.name), Const(yes, LINT.name)), at)
