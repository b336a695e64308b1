"""What a compiled program calls Python for: real functions, texts, and whole numbers that their type does not hold."""

from __future__ import annotations

import math
import struct
from collections.abc import Callable

from whorlograph.engine.texts import OPERATIONS, TYPES, text_operation
from whorlograph.model.literals import cooked, raw
from whorlograph.model.profile import Overflow
from whorlograph.model.texts import text_id, text_of
from whorlograph.model.types import ELEMENTARY, LREAL

from . import layout as at
from .operations import REAL_NAMES, WHOLE_NAMES

Fail = Callable[[int, int, int], None]

_REAL: tuple[Callable[[float, float], float], ...] = (
    lambda a, b: math.sqrt(a), lambda a, b: math.log(a), lambda a, b: math.log10(a), lambda a, b: math.exp(a),
    lambda a, b: math.sin(a), lambda a, b: math.cos(a), lambda a, b: math.tan(a), lambda a, b: math.asin(a),
    lambda a, b: math.acos(a), lambda a, b: math.atan(a), math.pow, math.fmod, math.atan2)
assert len(_REAL) == len(REAL_NAMES)


def real(code: int, a: float, b: float, element: int, fail: Fail) -> float:
    """One real function in double precision; a fault where it has no result."""
    try:
        return _REAL[code](a, b)
    except (ValueError, OverflowError):
        fail(at.UNDEFINED, element, 0)
        return 0.0


def text(code: int, a: int, b: int) -> int:
    """An operation on texts: of those that take a number or a type ``b`` is it (of a type its number), else a text."""
    name = OPERATIONS[code]
    if name == "TEXT_OF":
        type_ = ELEMENTARY[TYPES[b]]
        return text_id(str(text_operation(name, cooked(a, type_), 0, type_)))
    if name in ("TEXT_WHOLE", "TEXT_REAL"):
        found = text_operation(name, text_of(a), 0, ELEMENTARY[TYPES[b]])
        return raw(found, LREAL) if name == "TEXT_REAL" else int(found)
    second = text_of(b) if name in ("TEXT_CONCAT", "TEXT_FIND", "TEXT_ORDER") else b
    result = text_operation(name, text_of(a), second, LREAL)
    return text_id(result) if isinstance(result, str) else int(result)


def _double(bits: int) -> float:
    return float(struct.unpack("<d", struct.pack("<q", bits))[0])


def _divided(a: int, b: int) -> int:
    quotient = abs(a) // abs(b)
    return quotient if (a < 0) == (b < 0) else -quotient


def whole(code: int, kind: int, a: int, b: int, element: int, mode: Overflow, fail: Fail) -> int:
    """Arithmetic on wide whole types, exact, then held in the type.

    Args: kind: the type's width, + 256 where signed, + 512 for times (always halting), + 1024 where ``a`` is unsigned, + 2048 where it is signed
        whatever the type.
    """
    bits, is_signed = kind & 255, bool(kind & 256)
    name = WHOLE_NAMES[code]
    if not is_signed and name != "REAL_TO" and not kind & 2048:
        a, b = (a + (1 << 64) if a < 0 else a), (b + (1 << 64) if b < 0 else b)
    if kind & 1024 and a < 0:
        a += 1 << 64
    if name in ("DIV", "MOD") and b == 0:
        fail(at.ZERO, element, a)
        return 0
    if name == "ADD":
        result = a + b
    elif name == "SUB":
        result = a - b
    elif name == "MUL":
        result = a * b
    elif name == "DIV":
        result = _divided(a, b)
    elif name == "MOD":
        result = a - b * _divided(a, b)
    elif name == "REAL_TO":
        result = round(_double(a))
    elif name == "TIME_REAL_MUL":
        result = int(a * _double(b))
    else:
        result = int(a / _double(b))
    return _held(result, bits, is_signed, Overflow.HALT if kind & 512 else mode, element, fail)


def _held(value: int, bits: int, is_signed: bool, mode: Overflow, element: int, fail: Fail) -> int:
    low, high = (-(1 << (bits - 1)), (1 << (bits - 1)) - 1) if is_signed else (0, (1 << bits) - 1)
    if not low <= value <= high:
        if mode is Overflow.HALT:
            fail(at.OVERFLOW, element, value)
            return 0
        if mode is Overflow.SATURATE:
            value = low if value < low else high
        else:
            value &= (1 << bits) - 1
            if is_signed and value >> (bits - 1):
                value -= 1 << bits
    return value - (1 << 64) if value >= 1 << 63 else value
