"""The standard functions as expressions (IEC 61131-3:2013, 6.6.2; CONTROLLER.md, Other languages)."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Protocol

from whorlograph.engine.code import Const, Convert, Expr, Op
from whorlograph.engine.scope.widening import (
    BITWISE,
    COMPARISONS,
    DATE_SUMS,
    NUMBER_PINS,
    ORDERS_OF_BYTES,
    REALS,
    SCALED,
    SHIFTS,
    TEXTS,
    TIME_SUMS,
    bcd,
    conversion,
)
from whorlograph.model.calendar import DAY
from whorlograph.model.types import LINT, LREAL, TIME, Elementary, Family

from .builder import Builder, held
from .calendar import Calendar

_SUMS = {"ADD", "SUB", "MUL", "DIV", "MOD", *TIME_SUMS, *DATE_SUMS}
MOST = 1 << 20  # more letters than any text has


class Argument(Protocol):
    """An operand of a function, in whatever language it was written."""

    name: str

    @property
    def real(self) -> bool:
        """Whether it is a real number."""

    @property
    def time(self) -> bool:
        """Whether it is a TIME."""

    def value(self) -> Expr:
        """In the operation's type."""

    def as_type(self, name: str) -> Expr:
        """In a type of its own."""


class Functions:
    """Makes expressions of calls."""

    def __init__(self, build: Builder) -> None:
        self.b = build
        self.calendar = Calendar(build)

    def value(self, name: str, args: Sequence[Argument], kind: Elementary, result: Elementary | None, at: int) -> Expr | None:
        """A standard function's result; None where its name is none of the standard's, or it has no operands.

        Args: name: in capitals; kind: the type that the operation is held in; result: that of its result, where known.
        """
        data = [a for a in args if a.name not in NUMBER_PINS]
        if not data:
            return None
        type_ = kind.name
        if name in BITWISE:
            operands = tuple([self.b.keep(a.value(), at) for a in data])
            return Op(name, type_, operands[:1] if name == "NOT" else operands, at)
        if name in COMPARISONS:
            tests: list[Expr] = [Op(name, "BOOL", pair, at) for pair in itertools.pairwise([self.b.keep(a.value(), at) for a in data])]
            return tests[0] if len(tests) == 1 else Op("AND", "BOOL", tuple(tests), at) if tests else Const(True, "BOOL")
        if kind.family is Family.TIME and name in {"MUL", "DIV"} | SCALED:
            return self._scaled(name, data, at)
        if name == "EXPT":
            base = self.b.keep(data[0].value(), at)
            return Op("EXPT", type_, (base, (data[1] if len(data) > 1 else data[0]).as_type(LREAL.name)), at)
        chosen = self._chosen(name, args, at)
        values = [self.b.keep(a.value(), at) for a in data]
        if name in TEXTS:
            return self._text(name, values, args, at)
        if name in _SUMS:
            verb = "ADD" if name.startswith("CONCAT") else name.partition("_")[0]
            total = values[0]
            for value in values[1:]:
                total = Op(verb, type_, (total, value), at)
            return total
        of_dates = self.calendar.value(name, values, at)
        if of_dates is not None:
            return of_dates
        if name == "IS_VALID":
            return Op("EQ", "BOOL", (values[0], values[0]), at)
        if name == "IS_VALID_BCD":
            return Op("AND", "BOOL", tuple(Op("LE", "BOOL", (d, Const(9, "LWORD")), at) for d in self._places(values[0], kind, 4, at)), at)
        if name in ORDERS_OF_BYTES:
            return self._turned(values[0], kind, at) if "BIG" in name else values[0]
        if name == "DAY_OF_WEEK":
            days = Op("DIV", LINT.name, (Convert("WIDEN", LINT.name, values[0], at), Const(DAY, LINT.name)), at)
            since_sunday = Op("MOD", LINT.name, (Op("ADD", LINT.name, (days, Const(4, LINT.name)), at), Const(7, LINT.name)), at)
            return Convert("HOLD", "INT", since_sunday, at)
        if name == "MOVE":
            return values[0]
        if name in ("ABS", "NEG"):
            return Op(name, type_, (values[0],), at)
        if name in SHIFTS:
            return Op(name, type_, (values[0], self._number(args, "N")), at)
        if name in REALS:
            return Op(name, type_, (values[0],), at)
        if name == "ATAN2":
            return Op(name, type_, (values[0], values[-1]), at)
        if name == "TRUNC":
            target = result or LINT
            return Convert("TRUNC", target.name, values[0], at)
        coded = bcd(name)
        if coded is not None:
            way, into = (self._of_digits, coded.number) if coded.reads else (self._digits, coded.bits)
            return way(values[0], kind, into or LINT, at)
        change = conversion(name)
        if change is not None:
            return self._converted(values[0], kind, change[1], at)
        return self._selection(name, values, chosen, type_, at)

    def _places(self, value: Expr, source: Elementary, width: int, at: int) -> list[Expr]:
        """The groups of so many bits that a value is made of, in LWORD, the lowest first."""
        bits = self.b.keep(Convert("TO", "LWORD", value, at), at)
        return [Op("AND", "LWORD", (Op("SHR", "LWORD", (bits, Const(n, LINT.name)), at), Const((1 << width) - 1, "LWORD")), at)
                for n in range(0, source.bits, width)]

    def _turned(self, value: Expr, kind: Elementary, at: int) -> Expr:
        """The same bytes in the other order."""
        found: Expr | None = None
        for n, byte in enumerate(reversed(self._places(value, kind, 8, at))):
            moved = Op("SHL", "LWORD", (byte, Const(8 * n, LINT.name)), at)
            found = moved if found is None else Op("OR", "LWORD", (found, moved), at)
        return Convert("TO", kind.name, found, at) if found is not None else value

    def _of_digits(self, value: Expr, source: Elementary, target: Elementary, at: int) -> Expr:
        """The number that digits in binary coded decimal stand for; one above nine counts as what it is."""
        found: Expr = Const(0, LINT.name)
        for n, digit in enumerate(self._places(value, source, 4, at)):
            place = Op("MUL", LINT.name, (Convert("TO", LINT.name, digit, at), Const(10 ** n, LINT.name)), at)
            found = Op("ADD", LINT.name, (found, place), at) if n else place
        return held(found, target, at)

    def _digits(self, value: Expr, source: Elementary, target: Elementary, at: int) -> Expr:
        """A number's digits in binary coded decimal, held in as many as there is room for."""
        most = 10 ** (target.bits // 4) - 1
        if source.family not in (Family.SIGNED, Family.UNSIGNED):
            value, source = Convert("TO", LINT.name, value, at), LINT
        kept = Convert("RANGE", source.name, value, at, 0, min(most, source.high))
        whole = self.b.keep(Convert("TO", LINT.name, kept, at), at)
        found: Expr = Const(0, "LWORD")
        for n in range(target.bits // 4):
            digit = Op("MOD", LINT.name, (Op("DIV", LINT.name, (whole, Const(10 ** n, LINT.name)), at), Const(10, LINT.name)), at)
            bits = Op("SHL", "LWORD", (Convert("TO", "LWORD", digit, at), Const(4 * n, LINT.name)), at)
            found = Op("OR", "LWORD", (found, bits), at) if n else bits
        return Convert("TO", target.name, found, at)

    def _converted(self, value: Expr, source: Elementary, target: Elementary, at: int) -> Expr:
        """A conversion: texts are read and written, the others carried."""
        if target.family is Family.STRING:
            return value if source.family is Family.STRING else Op("TEXT_OF", target.name, (value,), at)
        if source.family is not Family.STRING:
            if source.family is Family.DATE and target.family is Family.DATE and source is not target:
                return self._part_of_date(self.b.keep(value, at), target, at)
            return Convert("TO", target.name, value, at)
        if target.family is Family.REAL:
            return held(Op("TEXT_REAL", LREAL.name, (value,), at), target, at)
        found = Op("TEXT_WHOLE", target.name if target.bits == 64 and target.low < 0 else LINT.name, (value,), at)
        if target.family is Family.BOOL:
            return Op("NE", "BOOL", (found, Const(0, LINT.name)), at)
        return held(found, target, at)

    @staticmethod
    def _part_of_date(value: Expr, target: Elementary, at: int) -> Expr:
        """The day of an instant, or its time of day."""
        plain, day = Convert("WIDEN", LINT.name, value, at), Const(DAY, LINT.name)
        rest = Op("MOD", LINT.name, (plain, day), at)
        if target.name in ("TIME_OF_DAY", "LTOD"):
            return Convert("TO", target.name, rest, at)
        if target.name in ("DATE", "LDATE"):
            return Convert("TO", target.name, Op("SUB", LINT.name, (plain, rest), at), at)
        return Convert("TO", target.name, plain, at)

    def _text(self, name: str, values: list[Expr], args: Sequence[Argument], at: int) -> Expr:
        """A function on texts, made of few operations: what is left of a place, and what is behind it."""
        type_, one = "STRING", values[0]

        def number(pin: str, low: int) -> Expr:
            given = Op("MAX", LINT.name, (self._number(args, pin), Const(low, LINT.name)), at)
            return self.b.keep(Op("MIN", LINT.name, (given, Const(MOST, LINT.name)), at), at)

        def joined(*parts: Expr) -> Expr:
            found = parts[0]
            for part in parts[1:]:
                found = Op("TEXT_CONCAT", type_, (found, part), at)
            return found

        def cut(code: str, value: Expr, count: Expr) -> Expr:
            return Op(code, type_, (value, count), at)

        def less(value: Expr) -> Expr:
            return Op("SUB", LINT.name, (value, Const(1, LINT.name)), at)

        if name == "LEN":
            return Op("TEXT_LEN", "INT", (one,), at)
        if name == "FIND":
            return Op("TEXT_FIND", "INT", (one, values[-1]), at)
        if name == "CONCAT":
            return joined(*values)
        if name in ("LEFT", "RIGHT"):
            return cut(f"TEXT_{name}", one, number("L", 0))
        if name == "INSERT":
            place = number("P", 0)
            return joined(cut("TEXT_LEFT", one, place), values[-1], cut("TEXT_TAIL", one, place))
        before, length = self.b.keep(less(number("P", 1)), at), number("L", 0)
        if name == "MID":
            return cut("TEXT_LEFT", cut("TEXT_TAIL", one, before), length)
        left, right = cut("TEXT_LEFT", one, before), cut("TEXT_TAIL", one, Op("ADD", LINT.name, (before, length), at))
        return joined(left, values[-1], right) if name == "REPLACE" else joined(left, right)

    def _chosen(self, name: str, args: Sequence[Argument], at: int) -> Expr | None:
        """What chooses among the operands, which comes before them."""
        if name == "SEL":
            gate = next((a for a in args if a.name == "G"), None)
            return self.b.keep(gate.as_type("BOOL"), at) if gate is not None else Const(False, "BOOL")
        return self.b.keep(self._number(args, "K"), at) if name == "MUX" else None

    @staticmethod
    def _number(args: Sequence[Argument], name: str) -> Expr:
        """A whole number on a pin: how far to shift, which to select."""
        pin = next((a for a in args if a.name == name), None)
        return pin.as_type(LINT.name) if pin is not None else Const(0, LINT.name)

    def _scaled(self, name: str, data: list[Argument], at: int) -> Expr:
        """TIME times or divided by a number."""
        verb = "MUL" if name.startswith("MUL") else "DIV"
        first = next((one for one in data if one.time), data[0]) if verb == "MUL" else data[0]
        found = self.b.keep(first.value(), at)
        for factor in (one for one in data if one is not first):
            value = self.b.keep(factor.as_type(LREAL.name), at) if factor.real else held(self.b.keep(factor.as_type(LINT.name), at), TIME, at)
            found = Op(f"TIME_{verb}" if factor.real else verb, TIME.name, (found, value), at)
        return found

    def _selection(self, name: str, values: list[Expr], chosen: Expr | None, type_: str, at: int) -> Expr | None:
        if name == "SEL" and len(values) >= 2 and chosen is not None:
            return Op("SEL", type_, (chosen, values[0], values[1]), at)
        if name in ("MAX", "MIN"):
            return Op(name, type_, tuple(values), at)
        if name == "LIMIT" and len(values) == 3:
            return Op("LIMIT", type_, tuple(values), at)
        if name == "MUX" and chosen is not None:
            return Op("MUX", type_, (chosen, *values), at)
        return None
