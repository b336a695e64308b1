"""Parts of words, ``Word.%B1`` (IEC 61131-3:2013, 6.5.2.2): the shifts that they are computed by, and back to the part that shifts mean.

How far is shifted is a constant whose text is the part's name. That marks it: what is written as a shift in a text is no part.
"""

from __future__ import annotations

from collections.abc import Callable

from .text import Apply, Assign, Binary, Constant, Expression, Unary, Var, applied

_KINDS = {"B": ("BYTE", 8), "W": ("WORD", 16), "D": ("DWORD", 32)}
_WIDEST = 64
Number = Callable[[], int]


def _kind(name: str) -> tuple[str, int, int]:
    """(type, bits, lowest bit) of a part. Raises: ValueError behind the widest word's last one."""
    type_, width = _KINDS[name[1].upper()]
    low = int(name[2:]) * width if len(name) < 6 else _WIDEST
    if low >= _WIDEST:
        raise ValueError(f"{name} is behind the last part of the widest word")
    return type_, width, low


def part_read(word: Var, name: str, number: Number) -> Expression:
    """The value of a part. Args: number: numbers the nodes. Raises: ValueError for a part that no word has."""
    type_, _, low = _kind(name)
    return applied(number, f"TO_{type_}", applied(number, "SHR", word, _by(number, word.line, name, low)))


def part_assigned(word: Var, name: str, value: Expression, number: Number) -> Assign:
    """A part written: the word's other bits stay. Args, raises: as above."""
    type_, width, low = _kind(name)
    line = word.line

    def again() -> Var:
        return Var(number(), line, word.base, word.steps)

    def literal(of: int) -> Constant:
        return Constant(number(), line, str(of), "", of)

    others = Binary(number(), line, "AND", again(), Unary(number(), line, "NOT", literal(((1 << width) - 1) << low)))
    # Of the word's own type before it is shifted.
    wide = Binary(number(), line, "OR", Binary(number(), line, "AND", again(), literal(0)), applied(number, f"TO_{type_}", value))
    return Assign(number(), line, word, Binary(number(), line, "OR", others, applied(number, "SHL", wide, _by(number, line, name, low))))


def read_part(one: Expression) -> tuple[Expression, str] | None:
    """(word, name) of the part that an expression reads; None of another."""
    return _shifted(one.arguments[0].value, "SHR") if isinstance(one, Apply) and len(one.arguments) == 1 else None


def own_reads(one: Assign) -> tuple[int, ...]:
    """The nodes by which an assignment to a part keeps the word's other bits: nobody reads the word there; () of another."""
    if assigned_part(one) is None or not isinstance(one.value, Binary) or not isinstance(one.value.right, Apply):
        return ()
    others, wide = one.value.left, one.value.right.arguments[0].value
    masked = [others, wide.left] if isinstance(wide, Binary) else [others]
    return tuple(part.left.at for part in masked if isinstance(part, Binary))


def assigned_part(one: Assign) -> tuple[str, Expression] | None:
    """(name, value) of the part that an assignment writes; None of another."""
    found = _shifted(one.value.right, "SHL") if isinstance(one.value, Binary) else None
    if found is None or not isinstance(found[0], Binary) or not isinstance(found[0].right, Apply):
        return None
    value = found[0].right.arguments[0].value
    return (found[1], value) if value is not None else None


def _by(number: Number, line: int, name: str, low: int) -> Constant:
    return Constant(number(), line, name.upper(), "", low)


def _shifted(one: Expression | None, by: str) -> tuple[Expression, str] | None:
    if isinstance(one, Apply) and one.called.base == by and len(one.arguments) == 2:
        shifted, far = (a.value for a in one.arguments)
        if shifted is not None and isinstance(far, Constant) and far.text[:1] == "%":
            return shifted, far.text
    return None
