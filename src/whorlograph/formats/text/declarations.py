"""What the grammar of the text languages makes of declarations, types and configurations."""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from whorlograph.model.paths import Member
from whorlograph.model.program import ProgramInstance
from whorlograph.model.text import Argument, Binary, Constant, Expression, Unary, Var
from whorlograph.model.types import (
    ELEMENTARY,
    UNBOUND,
    ArrayOf,
    Elementary,
    Enumeration,
    Family,
    Field,
    Initial,
    ListOf,
    Members,
    Named,
    Simple,
    Structure,
    Subrange,
    TypeRef,
)

from .statements import between
from .tokens import Piece
from .unreadable import Unreadable


class Declared(Struct, frozen=True):
    """A declaration: names with their lines, address, type, initial value; ``edge``: R_EDGE, F_EDGE or ""."""

    names: tuple[tuple[str, int], ...]
    address: str
    type: TypeRef
    initial: Initial | None
    edge: str = ""


class Section(Struct, frozen=True):
    """A section of declarations: its keyword, qualifiers, and what it declares."""

    kind: str
    qualifiers: frozenset[str]
    declared: tuple[Declared, ...]


class TypeNamed(Struct, frozen=True):
    """A data type with its initial value."""

    name: str
    line: int
    type: TypeRef
    initial: Initial | None


class TaskRead(Struct, frozen=True):
    """A task: its name, and what is set, with the lines."""

    name: str
    settings: tuple[tuple[Piece, str], ...]


class ResourceRead(Struct, frozen=True):
    """A resource, or what stands in a configuration without one."""

    name: str
    parts: tuple[Section | TaskRead | ProgramInstance, ...]


class ConfigurationRead(Struct, frozen=True):
    """A configuration."""

    name: str
    parts: tuple[Section | TaskRead | ProgramInstance | ResourceRead, ...]


class Declarations:
    """Makes declarations, types and configurations."""

    def qualifier(self, children: list[Any]) -> str:
        word: str = children[0].text
        return word.upper()

    def names(self, children: list[Any]) -> tuple[tuple[str, int], ...]:
        return tuple((t.text, t.line) for t in children if t.kind == "NAME")

    def place(self, children: list[Any]) -> str:
        word: str = children[1].text
        return word

    def declaration(self, children: list[Any]) -> Declared:
        names, *parts = between(children) if not isinstance(children[1], str) else [children[0], *between(children[2:])]
        address = children[1] if isinstance(children[1], str) else ""
        edge = next((c.text.upper() for c in children if isinstance(c, Piece) and c.kind == "EDGE"), "")
        return Declared(names, address, parts[0], _initial(parts[1]) if len(parts) > 1 else None, edge)

    def section(self, children: list[Any]) -> Section:
        qualifiers = frozenset(c for c in children[1:] if isinstance(c, str))
        return Section(children[0].text.upper(), qualifiers, tuple(c for c in children if isinstance(c, Declared)))

    def sections(self, children: list[Any]) -> list[Section]:
        return children

    def types(self, children: list[Any]) -> list[TypeNamed]:
        return children

    def type(self, children: list[Any]) -> TypeNamed:
        parts = between(children)
        return TypeNamed(children[0].text, children[0].line, parts[0], _initial(parts[1]) if len(parts) > 1 else None)

    def named(self, children: list[Any]) -> TypeRef:
        bounds, base = between(children), named_type(children[0].text)
        if bounds and isinstance(base, Elementary):
            return Subrange(base, _whole(bounds[0]), _whole(bounds[1]))
        return base

    def sized(self, children: list[Any]) -> TypeRef:
        base, length = named_type(children[0].text), between(children)
        return Subrange(base, 0, _whole(length[0])) if isinstance(base, Elementary) and base.family is Family.STRING else base

    def bound(self, children: list[Any]) -> tuple[int, int]:
        if isinstance(children[0], Piece) and children[0].kind == "TIMES":
            if children[0].text != "*":
                raise Unreadable(children[0].line, children[0].column, f"{children[0].text!r} stands where bounds or '*' were expected")
            return UNBOUND
        low, high = between(children)
        return _whole(low), _whole(high)

    def array(self, children: list[Any]) -> TypeRef:
        *bounds, base = between(children)
        return ArrayOf(tuple(bounds), base)

    def field(self, children: list[Any]) -> list[Field]:
        names, type_, *initial = between(children)
        return [Field(n, type_, _initial(initial[0]) if initial else None) for n, _ in names]

    def struct(self, children: list[Any]) -> TypeRef:
        return Structure(tuple(f for fields in between(children) for f in fields))

    def enumerator(self, children: list[Any]) -> tuple[str, int | None]:
        given = between(children)
        return children[0].text, _whole(given[0]) if given else None

    def enumeration(self, children: list[Any]) -> TypeRef:
        values, following = [], 0
        for name, number in between(children):
            following = number if number is not None else following
            values.append((name, following))
            following += 1
        return Enumeration(tuple(values))

    def listed(self, children: list[Any]) -> Initial:
        return ListOf(tuple(c if isinstance(c, tuple) else (1, _initial(c)) for c in between(children)))

    def repeated(self, children: list[Any]) -> tuple[int, Initial | None]:
        inner = between(children)
        return int(children[0].text.replace("_", "")), _initial(inner[0]) if inner else None

    def member(self, children: list[Any]) -> tuple[str, Initial]:
        return children[0].text, _initial(children[2])

    def members(self, children: list[Any]) -> Initial:
        return Members(tuple(between(children)))

    # configurations

    def setting(self, children: list[Any]) -> tuple[Piece, str]:
        return children[0], _text(children[2])

    def task(self, children: list[Any]) -> TaskRead:
        return TaskRead(children[1].text, tuple(between(children)))

    def instance(self, children: list[Any]) -> ProgramInstance:
        names = [c for c in children if isinstance(c, Piece) and c.kind == "NAME"]
        given = [a for part in children if isinstance(part, (list, tuple)) for a in part if isinstance(a, Argument)]
        return ProgramInstance(names[0].text, names[-1].text, names[1].text if len(names) > 2 else "", tuple(given), names[0].line)

    def resource(self, children: list[Any]) -> ResourceRead:
        return ResourceRead(children[1].text, tuple(between(children)))

    def configuration(self, children: list[Any]) -> ConfigurationRead:
        return ConfigurationRead(children[1].text, tuple(between(children)))


def named_type(name: str) -> TypeRef:
    """A type by its name."""
    return ELEMENTARY.get(name.upper(), Named(name))


def _whole(value: Expression) -> int:
    """A whole number that is written down. Raises: Unreadable where it is none."""
    if isinstance(value, Constant) and isinstance(value.value, int):
        return int(value.value)
    if isinstance(value, Unary) and value.code == "NEG":
        return -_whole(value.value)
    if isinstance(value, Binary) and value.code in ("ADD", "SUB", "MUL"):
        left, right = _whole(value.left), _whole(value.right)
        return left + right if value.code == "ADD" else left - right if value.code == "SUB" else left * right
    raise Unreadable(value.line, 0, f"{_text(value)} is no number that is written down")


def _text(value: Expression) -> str:
    if isinstance(value, Var) and all(isinstance(step, Member) for step in value.steps):
        return ".".join((value.base, *(step.name for step in value.steps if isinstance(step, Member))))
    return value.text if isinstance(value, Constant) else "an expression"


def _initial(value: Any) -> Initial:
    """An initial value as the model keeps it."""
    if isinstance(value, (ListOf, Members, Simple)):
        return value
    if isinstance(value, (Constant, Var)):
        return Simple(_text(value))
    if isinstance(value, Unary) and value.code == "NEG" and isinstance(value.value, (Constant, Var)):
        named, _, rest = _text(value.value).rpartition("#")
        return Simple(f"{named}#-{rest}" if named else f"-{rest}")
    return Simple(str(_whole(value)))
