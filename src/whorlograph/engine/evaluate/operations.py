"""Operations of the code on exact values (IEC 61131-3:2013, 6.6.2; CONTROLLER.md, Types and Other languages)."""

from __future__ import annotations

import math
import operator
from collections.abc import Callable, Sequence
from typing import Any, cast

from whorlograph.engine.code import Convert, Value
from whorlograph.engine.scope.overlap import held as cut
from whorlograph.engine.scope.widening import COMPARISONS, OF_TWO, REALS, SHIFTS
from whorlograph.engine.texts import text_operation
from whorlograph.model.literals import single
from whorlograph.model.profile import Overflow
from whorlograph.model.types import Elementary, Family

Number = bool | int | float


class NoValue(Exception):
    """There is no value: the controller halted here, or nothing is known of it."""


_COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    "GT": operator.gt, "GE": operator.ge, "EQ": operator.eq, "LE": operator.le, "LT": operator.lt, "NE": operator.ne}
_REAL: dict[str, Callable[[float], float]] = {
    "SQRT": math.sqrt, "LN": math.log, "LOG": math.log10, "EXP": math.exp, "SIN": math.sin, "COS": math.cos, "TAN": math.tan,
    "ASIN": math.asin, "ACOS": math.acos, "ATAN": math.atan}
_BITS: dict[str, Callable[[int, int], int]] = {"AND": operator.and_, "OR": operator.or_, "XOR": operator.xor}


def fit(value: Number, type_: Elementary, mode: Overflow) -> Number:
    """A result held in a type. Raises: NoValue where the controller halts."""
    if type_.family is Family.BOOL:
        return bool(value)
    if type_.family is Family.REAL:
        real = single(float(value)) if type_.bits == 32 else float(value)
        if not math.isfinite(real):
            raise NoValue
        return real
    return bounded(int(value), type_.low, type_.high, Overflow.HALT if type_.family in (Family.TIME, Family.DATE) else mode)


def bounded(value: int, low: int, high: int, mode: Overflow) -> int:
    """A whole number held between two limits. Raises: NoValue where the controller halts."""
    if low <= value <= high:
        return value
    if mode is Overflow.HALT:
        raise NoValue
    if mode is Overflow.SATURATE:
        return min(max(value, low), high)
    return low + (value - low) % (high - low + 1)


def _bits(value: int, type_: Elementary) -> int:
    """Bits cut to a type's width, as the number they stand for there."""
    found = cut(value, type_)
    return found + (1 << 64) if found < 0 and type_.low == 0 else found


def _quotient(a: int, b: int) -> int:
    if b == 0:
        raise NoValue
    return abs(a) // abs(b) * (1 if (a < 0) == (b < 0) else -1)


def _pair(code: str, a: Number, b: Number, type_: Elementary, mode: Overflow) -> Number:
    """ADD, SUB, MUL, DIV, MOD of two operands of a type."""
    if type_.family is Family.REAL:
        if code in ("DIV", "MOD"):
            if b == 0:
                raise NoValue
            return fit(a / b if code == "DIV" else math.fmod(a, b), type_, mode)
        return fit({"ADD": operator.add, "SUB": operator.sub, "MUL": operator.mul}[code](float(a), float(b)), type_, mode)
    x, y = int(a), int(b)
    if code in ("DIV", "MOD"):
        whole = _quotient(x, y)
        return fit(whole if code == "DIV" else x - y * whole, type_, mode)
    return fit({"ADD": x + y, "SUB": x - y, "MUL": x * y}[code], type_, mode)


def operation(code: str, given: Sequence[Value], type_: Elementary, mode: Overflow) -> Value:
    """One operation.

    Args: type_: that of the operands (of SEL and MUX: of what is chosen).
    Raises: NoValue where the controller halts.
    """
    if code.startswith("TEXT_"):
        return text_operation(code, given[0], given[1] if len(given) > 1 else 0, type_)
    if code in COMPARISONS:
        return _COMPARE[code](given[0], given[1])
    if code in ("SEL", "MUX") or type_.family is Family.STRING:
        return _chosen(code, given)
    args = cast(Sequence[Number], given)
    if code in ("ADD", "SUB", "MUL", "DIV", "MOD"):
        total = args[0]
        for arg in args[1:]:
            total = _pair(code, total, arg, type_, mode)
        return total
    if code in ("NOT", *_BITS):
        return _bitwise(code, args, type_)
    if code in ("NEG", "ABS"):
        return fit(-args[0] if code == "NEG" or args[0] < 0 else args[0], type_, mode)
    if code in SHIFTS:
        return _shift(code, int(args[0]), int(args[1]), type_)
    if code in ("TIME_MUL", "TIME_DIV"):
        if code == "TIME_DIV" and args[1] == 0:
            raise NoValue
        return fit(int(args[0] * args[1] if code == "TIME_MUL" else args[0] / args[1]), type_, mode)
    if code in REALS or code in OF_TWO:
        try:
            found = _REAL[code](float(args[0])) if code in REALS else math.pow(args[0], args[1]) if code == "EXPT" else math.atan2(args[0], args[1])
            return fit(found, type_, mode)
        except (ValueError, OverflowError):
            raise NoValue from None
    return _chosen(code, args)


def _bitwise(code: str, args: Sequence[Number], type_: Elementary) -> Value:
    if code == "NOT":
        return not args[0] if type_.family is Family.BOOL else _bits(~int(args[0]), type_)
    total = int(args[0])
    for arg in args[1:]:
        total = _BITS[code](total, int(arg))
    return bool(total) if type_.family is Family.BOOL else _bits(total, type_)


def _shift(code: str, value: int, count: int, type_: Elementary) -> Value:
    if count < 0:
        raise NoValue
    width = max(1, type_.bits)
    bits = value & ((1 << width) - 1)
    if code in ("ROL", "ROR"):
        left = count % width if code == "ROL" else -count % width
        bits = bits << left | bits >> (width - left)
    else:
        bits = 0 if count >= width else bits << count if code == "SHL" else bits >> count
    return bool(bits & 1) if type_.family is Family.BOOL else _bits(bits, type_)


def _chosen(code: str, given: Sequence[Value]) -> Value:
    args = cast(Sequence[Number], given)  # texts have an order too
    if code == "SEL":
        return args[2] if args[0] else args[1]
    if code in ("MAX", "MIN"):
        return max(args) if code == "MAX" else min(args)
    if code == "LIMIT":
        return min(max(args[0], args[1]), args[2])
    if not 0 <= args[0] < len(args) - 1:
        raise NoValue
    return args[1 + int(args[0])]


def converted(one: Convert, value: Value, source: Elementary, target: Elementary, mode: Overflow) -> Value:
    """A value brought to another type by a rule of the code. Raises: NoValue where the controller halts."""
    if isinstance(value, str):
        return value[:one.high] if one.rule == "RANGE" else value
    if one.rule == "RANGE":
        return bounded(int(value), one.low, one.high, mode)
    if one.rule == "TRUNC":
        return fit(int(float(value)), target, mode)
    if one.rule == "TO" and Family.TIME in (source.family, target.family) and source.family is not target.family and target.family is not Family.DATE:
        return _time(value, source, target, mode)
    if target.family is Family.BOOL:
        return value != 0
    if source.family is Family.REAL and target.whole:
        nearest = round(float(value))
        return _bits(nearest, target) if target.family is Family.BITS and one.rule == "TO" else fit(nearest, target, mode)
    if target.whole and one.rule != "WIDEN" and Family.BITS in (source.family, target.family):
        return _bits(int(value), target)
    if not target.whole or one.rule != "WIDEN":
        return fit(value, target, mode)
    if source.whole and target.bits == 64 and (source.low < 0 <= target.low or (source.family is Family.BITS and target.low < 0)):
        return _bits(int(value), target)
    return fit(value, target, mode) if source.family is Family.UNSIGNED and source.bits == 64 else int(value)


def _time(value: Number, source: Elementary, target: Elementary, mode: Overflow) -> Value:
    """Between TIME and another type a number counts milliseconds."""
    if target.family is Family.TIME:
        return fit(round(value) * 1_000_000, target, mode)
    if target.family is Family.BOOL:
        return value != 0
    return fit(value / 1_000_000, target, mode) if target.family is Family.REAL else fit(_quotient(int(value), 1_000_000), target, mode)
