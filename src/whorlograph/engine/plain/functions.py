"""Standard functions, evaluated plainly with Python's exact integers and rounded reals."""

from __future__ import annotations

import itertools
import math
import struct

from whorlograph.model.literals import number_in, text_for
from whorlograph.model.profile import Overflow
from whorlograph.model.types import Elementary, Family

Value = bool | int | float | str
_DAY = 86_400_000_000_000


class Halt(Exception):
    """The controller halts: what happened, with the values."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code
        self.text = text


def fit(value: Value, type_: Elementary, mode: Overflow) -> Value:
    """A result held in a type: as it is, or as the profile's overflow mode says.

    Raises: Halt where it does not fit and the mode is halt, or a REAL is infinite or undefined.
    """
    if isinstance(value, str):
        return value
    if type_.family is Family.BOOL:
        return bool(value)
    if type_.family is Family.REAL:
        real = float(value)
        if type_.bits == 32:
            try:
                real = struct.unpack("<f", struct.pack("<f", real))[0]
            except OverflowError:
                real = math.inf
        if not math.isfinite(real):
            raise Halt("overflow", f"a {type_.name} result is infinite or undefined")
        return real
    whole = int(value)
    if type_.low <= whole <= type_.high:
        return whole
    if mode is Overflow.HALT or type_.family in (Family.TIME, Family.DATE):
        shown = str(whole) if -(1 << 63) < whole < (1 << 63) - 1 else "the result"  # what 64 bits cannot say is not told
        raise Halt("overflow", f"{shown} does not fit {type_.name} ({type_.low} to {type_.high})")
    if mode is Overflow.SATURATE:
        return type_.low if whole < type_.low else type_.high
    return wrapped(whole, type_)


def wrapped(value: int, type_: Elementary) -> int:
    """The bits of a whole number cut to a type's width."""
    bits = value & ((1 << type_.bits) - 1)
    return bits - (1 << type_.bits) if type_.low < 0 and bits >> (type_.bits - 1) else bits


def number(value: Value) -> bool | int | float:
    """A value that is no text."""
    assert not isinstance(value, str)
    return value


def widened(value: Value, source: Elementary | None, target: Elementary, mode: Overflow) -> Value:
    """An operand as the operation's type sees it; milliseconds count only in conversions, not here.

    Raises: Halt where an ULINT is more than the signed type that it stands beside holds, and the mode is halt.
    """
    if isinstance(value, str) or (source is target and type(value) is int and target.family is not Family.BOOL):
        return value
    if target.family is Family.REAL:
        return fit(float(value), target, Overflow.HALT)
    if target.family is Family.BOOL:
        return bool(value)
    if source is not None and source.whole and target.whole and target.bits == 64:
        if source.low < 0 <= target.low or (source.family is Family.BITS and target.low < 0):
            return wrapped(int(value), target)  # bits are carried
        if source.low == 0 and source.bits == 64 and target.low < 0:
            return fit(value, target, mode)
    return int(value)


def literal(value: Value, target: Elementary, mode: Overflow) -> Value:
    """A literal without a type of its own in the operation's: bits are cut, numbers held. Raises: Halt where it does not fit."""
    if isinstance(value, float) and target.whole:
        return fit(round(value), target, mode)
    if target.family is Family.BITS and not isinstance(value, str):
        return wrapped(int(value), target)
    return fit(value, target, mode) if target.whole else widened(value, None, target, mode)


def divide(a: int, b: int) -> int:
    """Whole division, truncated toward zero."""
    if b == 0:
        raise Halt("division by zero", f"{a} is divided by 0")
    quotient = abs(a) // abs(b)
    return quotient if (a < 0) == (b < 0) else -quotient


def arithmetic(name: str, args: list[Value], type_: Elementary, mode: Overflow) -> Value:
    """ADD, SUB, MUL, DIV, MOD of operands already widened; each partial result is held in the type."""
    total = args[0]
    for arg in args[1:]:
        if type_.family is Family.REAL:
            total = fit(_real(name, float(total), float(arg)), type_, mode)
            continue
        a, b = int(total), int(arg)
        if name == "ADD":
            total = a + b
        elif name == "SUB":
            total = a - b
        elif name == "MUL":
            total = a * b
        elif name == "DIV":
            total = divide(a, b)
        else:
            if b == 0:
                raise Halt("division by zero", f"{a} is divided by 0")
            total = a - b * divide(a, b)
        total = fit(total, type_, mode)
    return total


def _real(name: str, a: float, b: float) -> float:
    if name == "DIV":
        if b == 0:
            raise Halt("division by zero", f"{a} is divided by 0")
        return a / b
    if name == "MOD":
        if b == 0:
            raise Halt("division by zero", f"{a} is divided by 0")
        return math.fmod(a, b)
    return a + b if name == "ADD" else a - b if name == "SUB" else a * b


def compare(name: str, args: list[Value]) -> bool:
    """GT, GE, EQ, LE, LT, NE along all operands."""
    tests = {"GT": lambda a, b: a > b, "GE": lambda a, b: a >= b, "EQ": lambda a, b: a == b, "LE": lambda a, b: a <= b,
             "LT": lambda a, b: a < b, "NE": lambda a, b: a != b}
    return all(tests[name](a, b) for a, b in itertools.pairwise(args))


def bitwise(name: str, args: list[Value], type_: Elementary) -> Value:
    """AND, OR, XOR, NOT on BOOL or bit strings (whole numbers as their bits)."""
    if type_.family is Family.BOOL:
        flags = [bool(a) for a in args]
        if name == "NOT":
            return not flags[0]
        return all(flags) if name == "AND" else any(flags) if name == "OR" else sum(flags) % 2 == 1
    total = int(args[0])
    if name == "NOT":
        return wrapped(~total, type_)
    for arg in args[1:]:
        total = total & int(arg) if name == "AND" else total | int(arg) if name == "OR" else total ^ int(arg)
    return wrapped(total, type_)


def shift(name: str, value: Value, count: int, type_: Elementary) -> Value:
    """SHL, SHR, ROL, ROR; a shift by the width or more gives 0, a negative one halts."""
    if count < 0:
        raise Halt("negative shift", f"{name} by {count}")
    width = type_.bits
    bits = int(value) & ((1 << width) - 1)
    if name in ("ROL", "ROR"):
        count %= width
        if name == "ROR":
            count = (width - count) % width
        return wrapped(bits << count | bits >> (width - count), type_)
    if count >= width:
        return 0 if type_.family is not Family.BOOL else False
    return wrapped(bits << count if name == "SHL" else bits >> count, type_)


def convert(value: Value, source: Elementary, target: Elementary, mode: Overflow) -> Value:
    """A conversion function (CONTROLLER.md, Types): bits are carried, reals rounded half to even, times in ms."""
    if target.family is Family.STRING:
        return text_for(value, source)
    if isinstance(value, str):
        found = number_in(value, target)
        if target.family is Family.REAL or target.family is Family.BOOL:
            return fit(found, target, mode)
        return fit(max(-(1 << 63), min((1 << 63) - 1, int(found))), target, mode) if target.family is not Family.BITS else wrapped(
            max(-(1 << 63), min((1 << 63) - 1, int(found))), target)
    if source.family is Family.DATE and target.family is Family.DATE:
        rest = int(value) - divide(int(value), _DAY) * _DAY
        return rest if target.name in ("TIME_OF_DAY", "LTOD") and source is not target else \
            int(value) - rest if target.name in ("DATE", "LDATE") and source is not target else value
    if source.family is Family.TIME and target.family not in (Family.TIME, Family.DATE):
        return _from_time(int(value), target, mode)
    if target.family is Family.TIME and source.family is not Family.TIME:
        if source.family is Family.REAL:
            return fit(round(float(value)) * 1_000_000, target, mode)
        return fit(int(value) * 1_000_000, target, mode)
    if target.family is Family.BOOL:
        return value != 0
    if source.family is Family.REAL and target.whole:
        if target.family is Family.BITS:
            return wrapped(round(float(value)), target)
        return fit(round(float(value)), target, mode)
    if target.family is Family.REAL:
        return fit(float(value), target, mode)
    if Family.BITS in (source.family, target.family):
        return wrapped(int(value), target)
    return fit(int(value), target, mode)


def _from_time(ns: int, target: Elementary, mode: Overflow) -> Value:
    if target.family is Family.BOOL:
        return ns != 0
    if target.family is Family.REAL:
        return fit(ns / 1_000_000, target, mode)
    return fit(divide(ns, 1_000_000), target, mode)


def real_function(name: str, value: float, type_: Elementary) -> Value:
    """SQRT, LN, EXP and their kin: computed in double, rounded once."""
    functions = {"SQRT": math.sqrt, "LN": math.log, "LOG": math.log10, "EXP": math.exp, "SIN": math.sin, "COS": math.cos,
                 "TAN": math.tan, "ASIN": math.asin, "ACOS": math.acos, "ATAN": math.atan}
    try:
        return fit(functions[name](value), type_, Overflow.HALT)
    except (ValueError, OverflowError):
        raise Halt("undefined result", f"{name} of {value}") from None


def power(base: float, exponent: float, type_: Elementary) -> Value:
    """EXPT: computed in double, rounded once."""
    try:
        result = math.pow(base, exponent)
    except (ValueError, OverflowError):
        raise Halt("undefined result", f"{base} to the power {exponent}") from None
    return fit(result, type_, Overflow.HALT)


def text_function(name: str, texts: list[str], length: int, place: int) -> Value:
    """LEN, LEFT, RIGHT, MID, CONCAT, INSERT, DELETE, REPLACE, FIND; places count from 1, what lies outside counts as the end."""
    one, length = texts[0], max(0, length)
    if name == "LEN":
        return len(one)
    if name == "FIND":
        return one.find(texts[-1]) + 1 if texts[-1] else 0
    if name == "CONCAT":
        return "".join(texts)
    if name == "LEFT":
        return one[:length]
    if name == "RIGHT":
        return one[max(0, len(one) - length):]
    if name == "INSERT":
        place = max(0, place)
        return one[:place] + texts[-1] + one[place:]
    place = max(1, place) - 1
    if name == "MID":
        return one[place:place + length]
    return one[:place] + (texts[-1] if name == "REPLACE" else "") + one[place + length:]
