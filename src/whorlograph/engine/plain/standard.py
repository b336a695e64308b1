"""The standard functions by name, on operands that have been read (CONTROLLER.md, Other languages)."""

from __future__ import annotations

import math

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
    converted_from,
)
from whorlograph.model.profile import Overflow
from whorlograph.model.types import ELEMENTARY, LINT, Elementary, Family

from .calendar import of_calendar
from .functions import (
    Halt,
    Value,
    arithmetic,
    bitwise,
    compare,
    convert,
    divide,
    fit,
    literal,
    number,
    power,
    real_function,
    shift,
    text_function,
    widened,
    wrapped,
)
from .memory import ranged


def standard(name: str, given: dict[str, Value], sources: dict[str, Elementary | None], kind: Elementary, result: Elementary,
             mode: Overflow) -> Value | None:
    """A standard function's result; None where the name is none of the standard's, or it has no operand.

    Args: given: the operands by pin, in order; sources: their types; kind: the type that the operation is held in;
        result: that of its result.
    Raises: Halt where the controller would halt.
    """
    given = {n: widened(v, own, LINT, mode) if n in "KNLP" and (own := sources[n]) is not None else v for n, v in given.items()}
    operands = [(v, sources[n]) for n, v in given.items() if n not in NUMBER_PINS]
    data = [widened(v, own, kind, mode) if own is not None else literal(v, kind, mode) for v, own in operands]
    if not data:
        return None
    if name in TEXTS:
        return text_function(name, [str(t) for t in data], int(given.get("L", 0)), int(given.get("P", 0)))
    of_dates = of_calendar(name, data, mode)
    if of_dates is not None:
        return of_dates
    if name == "IS_VALID":
        return data[0] == data[0]
    if name == "IS_VALID_BCD":
        return all(digit in "0123456789" for digit in f"{int(data[0]) % (1 << kind.bits):x}")
    if name in ORDERS_OF_BYTES:
        turned = (int(data[0]) % (1 << kind.bits)).to_bytes(kind.bits // 8, "little")
        return wrapped(int.from_bytes(turned, "big" if "BIG" in name else "little"), kind)
    if name == "DAY_OF_WEEK":
        return (divide(int(data[0]), 86_400_000_000_000) + 4) % 7
    if name in DATE_SUMS:
        total = int(data[0]) + int(data[1]) * (1 if name.startswith(("ADD", "CONCAT")) else -1)
        return fit(total, kind, mode)
    if name == "MOVE":
        return fit(data[0], kind, mode)
    if kind.family is Family.TIME and name in {"MUL", "DIV"} | SCALED:
        times = [n for n in given if (own := sources[n]) is not None and own.family is Family.TIME]
        ordered = [*times[:1], *(n for n in given if n not in times[:1])] if name.startswith("MUL") else list(given)
        return _scaled(name, [given[n] for n in ordered], kind, mode)
    if name in {"ADD", "SUB", "MUL", "DIV", "MOD"} | TIME_SUMS:
        return arithmetic(name.partition("_")[0], data, kind, mode)
    if name == "ABS":
        return fit(abs(number(data[0])), kind, mode)
    if name == "NEG":
        return fit(-number(data[0]), kind, mode)
    if name in COMPARISONS:
        return compare(name, data)
    if name in BITWISE:
        return bitwise(name, data, kind)
    if name in SHIFTS:
        return shift(name, data[0], int(given.get("N", 0)), kind)
    if name in REALS:
        return real_function(name, float(data[0]), kind)
    if name == "EXPT":
        return power(float(data[0]), float(list(given.values())[1]), kind)
    if name == "ATAN2":
        return fit(math.atan2(float(data[0]), float(data[-1])), kind, Overflow.HALT)
    if name == "TRUNC":
        return fit(int(float(data[0])), result, mode)
    coded = bcd(name)
    if coded is not None and coded.reads:
        bits = int(data[0]) % (1 << kind.bits)
        return fit(sum((bits >> 4 * n & 15) * 10 ** n for n in range(kind.bits // 4)), result, mode)
    if coded is not None and coded.bits is not None:
        whole = kind.family in (Family.SIGNED, Family.UNSIGNED)
        value = data[0] if whole else convert(data[0], kind, LINT, mode)
        most = min(10 ** (coded.bits.bits // 4) - 1, kind.high if whole else LINT.high)
        if mode is Overflow.HALT and not 0 <= int(value) <= most:
            raise Halt("overflow", f"{value} is more than {most}, the most that its digits have room for" if int(value) > most else
                       f"{value} does not fit {coded.bits.name} ({coded.bits.low} to {coded.bits.high})")
        return convert(int(str(ranged(value, 0, most, mode)), 16), ELEMENTARY["LWORD"], coded.bits, mode)
    change = conversion(name)
    if change is not None:
        source = converted_from(change[0], next(iter(sources.values())), change[1]) or kind
        return convert(data[0], source, change[1], mode)
    return _selection(name, given, data)


def _selection(name: str, given: dict[str, Value], data: list[Value]) -> Value | None:
    if name == "SEL":
        return data[1] if given.get("G") else data[0]
    if name == "MAX":
        return max(data)
    if name == "MIN":
        return min(data)
    if name == "LIMIT":
        return min(max(data[0], data[1]), data[2])
    if name == "MUX":
        index = int(given.get("K", 0))
        if not 0 <= index < len(data):
            raise Halt("selector out of range", f"MUX {index} of {len(data)}")
        return data[index]
    return None


def _scaled(name: str, given: list[Value], kind: Elementary, mode: Overflow) -> Value:
    """TIME times or divided by numbers, one after another."""
    time: Value = given[0]
    for factor in given[1:]:
        if name.startswith("MUL"):
            time = fit(int(time) * int(factor) if not isinstance(factor, float) else int(int(time) * factor), kind, mode)
            continue
        if factor == 0:
            raise Halt("division by zero", f"{time} is divided by 0")
        time = fit(divide(int(time), int(factor)) if not isinstance(factor, float) else int(int(time) / factor), kind, mode)
    return time
