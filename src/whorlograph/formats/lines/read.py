"""A line of text read as a rung."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

from lark import Lark, Token, Transformer, UnexpectedInput
from lark.exceptions import VisitError
from msgspec import Struct
from msgspec.structs import replace

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.ladder import CoilKind, ContactKind
from whorlograph.model.parts import Part, coil, compare, either, jump, leave, series

from .pins import COMPARISONS, power_of

_CONTACTS = {"": ContactKind.NORMALLY_OPEN, "/": ContactKind.NORMALLY_CLOSED, "^": ContactKind.RISING, "~": ContactKind.FALLING}
_COILS = {"": CoilKind.PLAIN, "/": CoilKind.NEGATED, "^": CoilKind.RISING, "~": CoilKind.FALLING, "S": CoilKind.SET, "R": CoilKind.RESET}
HERE = "_"  # in a call: power from the left goes in at this pin, or goes on from it
COMPARISON = "comparison"  # between two values: not yet a block in the power's way
_SIGNS = {sign: name for name, sign in COMPARISONS.items()}


class Line(Struct, frozen=True):
    """A rung as it was typed: its label ("" none), its parts, and the names in it by how they are used.

    ``bits``: contacts and coils; ``values``: operands and results, each with the others beside it; ``blocks``: (instance, type).
    """

    label: str
    parts: tuple[Part, ...]
    bits: tuple[str, ...]
    values: tuple[tuple[str, tuple[str, ...]], ...]
    blocks: tuple[tuple[str, str], ...]


def read_line(text: str) -> Line:
    """A rung from a line.

    Raises: ValueError with what is wrong, and where.
    """
    try:
        tree = _grammar().parse(text)
    except UnexpectedInput as error:
        raise ValueError(_wrong(text, error)) from None
    reader = _Reader()
    try:
        label, parts = reader.transform(tree)
        parts = in_front(parts)
    except VisitError as error:
        if isinstance(error.orig_exc, ValueError):
            raise error.orig_exc from None
        raise
    if not _ends(parts):
        raise ValueError("the rung does nothing: a coil (A), a block, a jump -> A or a return <- is missing at its end")
    return Line(label, tuple(parts), tuple(dict.fromkeys(reader.bits)), tuple(reader.values), tuple(dict.fromkeys(reader.blocks)))


class _Argument(Struct, frozen=True):
    """What stands between the brackets of a call: a pin with a value (a token, or a part that gives power), or with what it writes (``out``)."""

    name: str
    mark: str
    value: Any
    out: str = ""


@cache
def _grammar() -> Lark:
    return Lark((Path(__file__).parent / "rung.lark").read_text(encoding="utf-8"), parser="lalr", lexer="contextual", start="rung")


def _wrong(text: str, error: UnexpectedInput) -> str:
    """One sentence with the place."""
    ended = getattr(getattr(error, "token", None), "type", "") == "$END"
    at = error.pos_in_stream if not ended and error.pos_in_stream is not None and 0 <= error.pos_in_stream < len(text) else -1
    if at < 0:
        opened = text.count("[") > text.count("]")
        return f"the line ends too early{': a bracket [ is not closed' if opened else ''}"
    rest = text[at:at + 20].strip()
    hint = "; in brackets at least two paths stand side by side, parted by |" if rest.startswith("]") else ""
    return f"{rest!r} (column {at + 1}) does not belong there{hint}"


def in_front(parts: Iterable[Part]) -> list[Part]:
    """Parts in series, their comparisons (as they are written between two values) first, where the rail feeds them.

    A block without power keeps its last result (CONTROLLER.md, Blocks): behind contacts a comparison would go on as it was when they opened.
    Where several stand in series, or one in a branch behind contacts, the same is said with an AND, or with the contacts in each branch.

    Raises: ValueError where a block stands before one.
    """
    first: list[Part] = []
    rest: list[Part] = []
    for one in parts:
        if one.kind == COMPARISON:
            _free(rest, one)
            first.append(compare(one.block, one.pins[0][1], one.pins[1][1]))
        elif one.kind == "parallel" and _compares(one):
            _free(rest, one)
            branches = [[*rest, *_inside(branch)] for branch in one.parts]
            rest = [either(*(series(*in_front(branch)) for branch in branches))]
            if first:
                first, rest = [*first, *rest], []
        elif one.kind == "parallel":
            rest.append(either(*(series(*in_front(_inside(branch))) for branch in one.parts)))
        else:
            rest.append(replace(one, extra=tuple((name, series(*in_front(_inside(inner)))) for name, inner in one.extra)) if one.extra else one)
    if len(first) > 1:
        pins = tuple((f"IN{n + 1}", one) for n, one in enumerate(first))
        first = [Part("block", "", block="AND", power=("EN", "OUT"), extra=pins)]
    return [*first, *rest]


def _inside(part: Part) -> tuple[Part, ...]:
    """What stands in series in a part."""
    return part.parts if part.kind == "series" else (part,)


def _compares(part: Part) -> bool:
    return part.kind == COMPARISON or any(_compares(p) for p in part.parts)


def _free(before: list[Part], one: Part) -> None:
    """Raises: ValueError where a block stands before a comparison."""
    block = next((p for p in before if _blocks(p)), None)
    if block is not None:
        name = next(_named(block))
        raise ValueError(f"a comparison behind {name} would keep its last result while {name} is off: write it before, or in a rung of its own")


def _blocks(part: Part) -> bool:
    return part.kind == "block" or any(_blocks(p) for p in part.parts)


def _named(part: Part) -> Iterator[str]:
    if part.kind == "block":
        yield part.text or part.block
    for inner in part.parts:
        yield from _named(inner)


def _ends(parts: list[Part]) -> bool:
    """Whether a rung does something."""
    return any(p.kind in ("coil", "jump", "return") or (p.kind == "block" and (p.block.upper() not in COMPARISONS or bool(p.writes)))
               or _ends(list(p.parts)) for p in parts)


class _Reader(Transformer[Token, Any]):
    """Makes parts of what was parsed, and notes the names."""

    def __init__(self) -> None:
        super().__init__()
        self.bits: list[str] = []
        self.values: list[tuple[str, tuple[str, ...]]] = []
        self.blocks: list[tuple[str, str]] = []

    def rung(self, found: list[Any]) -> tuple[str, list[Part]]:
        return (found[0], found[1]) if isinstance(found[0], str) else ("", found[0])

    def label(self, found: list[Token]) -> str:
        return str(found[0])[:-1]

    def series(self, found: list[Part]) -> list[Part]:
        return found

    def mark(self, found: list[Token]) -> Token:
        return Token("MARK", str(found[0]))

    def contact(self, found: list[Token]) -> Part:
        self.bits.append(str(found[-1]))
        return Part("contact", str(found[-1]), contact=_CONTACTS[str(found[0]) if len(found) > 1 else ""])

    def branches(self, found: list[list[Part]]) -> Part:
        return either(*(series(*one) for one in found))

    def coil(self, found: list[Token]) -> Part:
        how, name = (str(found[0]).upper() if len(found) > 1 else ""), str(found[-1])
        if len(found) > 2 or how not in _COILS:
            raise ValueError(f"({' '.join(found)}) is no coil: (A), (/A), (S A), (R A), (^A) or (~A)")
        self.bits.append(name)
        return coil(name, _COILS[how])

    def jump(self, found: list[Token]) -> Part:
        return jump(str(found[0]))

    def leave(self, _: list[Token]) -> Part:
        return leave()

    def comparison(self, found: list[Token]) -> Part:
        first, sign, second = (str(f) for f in found)
        self._used(found[0], second)
        self._used(found[2], first)
        return replace(compare(_SIGNS[sign], first, second), kind=COMPARISON)

    def _used(self, operand: Token, *beside: str) -> None:
        if operand.type == "NAME":
            self.values.append((str(operand), beside))

    def pin(self, found: list[Token]) -> tuple[str, str, str]:
        return ("pin", str(found[-1]), str(found[0]) if len(found) > 1 else "")

    def power(self, found: list[list[Part]]) -> Part:
        return series(*found[0])

    def argument(self, found: list[Any]) -> _Argument:
        name, mark = (found[0][1], found[0][2]) if len(found) > 1 else ("", "")
        return _Argument(name, mark, found[-1])

    def result(self, found: list[Token]) -> _Argument:
        return _Argument(str(found[-2]), str(found[0]) if len(found) > 2 else "", None, str(found[-1]))

    def marked(self, found: list[Token]) -> _Argument:
        return _Argument(str(found[1]), str(found[0]), None)

    def block(self, found: list[Any]) -> Part:
        instance = str(found.pop(0))[:-1] if found[0].type == "INSTANCE" else ""
        kind = str(found.pop(0))[:-1]
        out = str(found.pop()) if found and isinstance(found[-1], Token) else ""
        power = power_of(kind)
        power = (next((one.name for one in found if one.value == HERE), power[0]), next((one.name for one in found if one.out == HERE), power[1]))
        given = [one for one in found if one.value is not None and one.value != HERE]
        writes = [(one.name, one.out) for one in found if one.out and one.out != HERE] + ([("OUT", out)] if out else [])
        if kind.upper() in STANDARD_BLOCKS and not instance:
            raise ValueError(f"{kind} needs a name of its own: Name:{kind}(...)")
        names = self._named(kind, [one.name for one in given])
        operands = [str(one.value) for one in given if isinstance(one.value, Token)]
        pins: list[tuple[str, str]] = []
        extra: list[tuple[str, Part]] = []
        for name, one in zip(names, given, strict=True):
            if isinstance(one.value, Part):
                extra.append((name, one.value))
            else:
                pins.append((name, str(one.value)))
                self._used(one.value, *(o for o in operands if o != str(one.value)), *(w for _, w in writes))
        self.values += [(tag, tuple(operands)) for _, tag in writes]
        if instance:
            self.blocks.append((instance, kind))
        marks = tuple((one.name, one.mark) for one in found if one.mark)
        alone = [one.name for one in found if one.value is None and not one.out]
        if any(name.upper() not in (power[0].upper(), power[1].upper()) for name in alone):
            raise ValueError(f"{kind}: a sign stands before a pin with a value, or before {power[0]} or {power[1]}")
        if "" in (one.name for one in found if one.value == HERE):
            raise ValueError(f"{kind}: {HERE} stands for power from the left at a named pin, IN := {HERE}")
        return Part("block", instance, block=kind, pins=tuple(pins), writes=tuple(writes), power=power, extra=tuple(extra), marks=marks)

    def _named(self, kind: str, names: list[str]) -> list[str]:
        """The pins of a call: those that are not named are IN, or IN1, IN2 ..., of a standard block its own in their order."""
        if all(names):
            return names
        if any(names):
            raise ValueError(f"{kind}: either every pin is named (IN := A) or none")
        if kind.upper() in STANDARD_BLOCKS:
            raise ValueError(f"{kind}: its pins are named, PT := T#5s")
        return ["IN"] if len(names) == 1 else [f"IN{n + 1}" for n in range(len(names))]
