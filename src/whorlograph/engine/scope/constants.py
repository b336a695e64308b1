"""What a name or text stands for where it is no variable: a literal, or an enumerator (IEC 61131-3:2013, 6.3.3, 6.4.4.2)."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.model.literals import Literal, literal
from whorlograph.model.paths import parse_path
from whorlograph.model.program import Program
from whorlograph.model.tags import Instance, Running
from whorlograph.model.types import INT, ArrayOf, Enumeration, Structure, TypeRef


def constant_of(text: str, instance: Instance, running: Running) -> Literal | None:
    """The type (None: untyped) and value of a literal or an enumerator; None where the text is a variable's name.

    A variable hides a bare enumerator of the same name.
    """
    read = literal(text)
    if read is not None:
        return read
    number = running.enumerators.get(text.strip().lower()) if running.enumerators else None
    if running.enumerators and instance.pou is not None:
        number = running.enumerators.get(in_pou(instance.pou.name, text), number)  # its own come first
    if number is None:
        return None
    path = parse_path(text)
    if path is not None and (path.base.lower() in instance.scope or path.base.lower() in running.scope.scope):
        return None
    return INT, number


def in_pou(pou: str, text: str) -> str:
    """The key of an enumerator that a POU's own variables list."""
    return f"{pou.lower()}\0{text.strip().lower()}"


def enumerators(program: Program) -> dict[str, int]:
    """The value of each enumerator by ``type#name`` and, where it means one value only, by name; of one that a variable's own declaration lists also
    as ``in_pou`` has it; in lower case."""
    found: dict[str, int] = {}
    several: set[str] = set()

    def add(name: str, number: int) -> None:
        if found.setdefault(name.lower(), number) != number:
            several.add(name.lower())

    for type_name, type_ in program.types.items():
        for one in _listed(type_):
            for name, number in one.values:
                if one is type_:
                    found[f"{type_name.lower()}#{name.lower()}"] = number
                add(name, number)
    for pou in program.pous.values():
        for name, number in (pair for variable in pou.variables for one in _listed(variable.type) for pair in one.values):
            add(in_pou(pou.name, name), number)
            add(name, number)
    for variable in (v for c in program.configurations for v in (*c.variables, *(one for r in c.resources for one in r.variables))):
        for name, number in (pair for one in _listed(variable.type) for pair in one.values):
            add(name, number)
    return {name: number for name, number in found.items() if name not in several}


def _listed(type_: TypeRef) -> Iterator[Enumeration]:
    """The enumerations that a type lists itself."""
    if isinstance(type_, Enumeration):
        yield type_
    elif isinstance(type_, ArrayOf):
        yield from _listed(type_.base)
    elif isinstance(type_, Structure):
        for one in type_.fields:
            yield from _listed(one.type)
