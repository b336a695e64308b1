"""What names are declared to be, before anything is made of the declarations (IEC 61131-3:2013, 6.4, 6.5)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from .paths import Bit, Index, Member
from .program import Program
from .text import Sub
from .types import ArrayOf, Named, Structure, TypeRef


def type_at(program: Program, known: Mapping[str, TypeRef], base: str, steps: Iterable[Member | Bit | Sub | Index]) -> TypeRef | None:
    """The type of a name with what follows it; None where that is not declared. Args: known: declared types by name in lower case."""
    type_ = known.get(base.lower())
    for step in steps:
        type_ = plain_type(type_, program)
        if isinstance(type_, ArrayOf) and isinstance(step, (Sub, Index)):
            type_ = type_.base
        elif isinstance(type_, Structure) and isinstance(step, Member):
            type_ = next((f.type for f in type_.fields if f.name.lower() == step.name.lower()), None)
        elif isinstance(type_, Named) and isinstance(step, Member):
            inside = program.pous.get(type_.name.lower())
            type_ = next((v.type for v in inside.variables if v.name.lower() == step.name.lower()), None) if inside is not None else None
        else:
            return None
    return type_


def plain_type(type_: TypeRef | None, program: Program) -> TypeRef | None:
    """What the name of a type stands for."""
    seen: set[str] = set()
    while isinstance(type_, Named) and type_.name.lower() in program.types and type_.name.lower() not in seen:
        seen.add(type_.name.lower())
        type_ = program.types[type_.name.lower()]
    return type_
