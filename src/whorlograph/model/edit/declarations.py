"""Declarations changed: initial value, type, address, description; tags declared as they are typed."""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec.structs import replace

from whorlograph.model.address import parse_address
from whorlograph.model.ladder import LadderBody
from whorlograph.model.program import Configuration, Program, Resource, Variable, VariableKind
from whorlograph.model.types import BOOL, ELEMENTARY, Elementary, Family, Named, Simple

from ..literals import literal
from .choice import Choice

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*$")


def declared(program: Program, pou: str, name: str) -> tuple[str, Variable] | None:
    """Where a name is declared, as a POU sees it: the POU's name, or "" for a global one; None where nowhere."""
    low = name.lower()
    own = program.pous.get(pou.lower())
    for one in own.variables if own is not None else ():
        if one.name.lower() == low and one.kind is not VariableKind.EXTERNAL:
            return own.name if own is not None else "", one
    for config in program.configurations:
        for variables in (config.variables, *(r.variables for r in config.resources)):
            for one in variables:
                if one.name.lower() == low:
                    return "", one
    return None


def with_variable(program: Program, pou: str, name: str, change: Callable[[Variable], Variable]) -> Program:
    """The program with a declaration changed, where the POU finds it."""
    found = declared(program, pou, name)
    if found is None:
        raise ValueError(f"{name} is declared nowhere")

    def changed(variables: tuple[Variable, ...]) -> tuple[Variable, ...]:
        return tuple(change(v) if v is found[1] else v for v in variables)

    if found[0]:
        key = found[0].lower()
        return replace(program, pous=program.pous | {key: replace(program.pous[key], variables=changed(program.pous[key].variables))})
    configs = tuple(replace(c, variables=changed(c.variables), resources=tuple(replace(r, variables=changed(r.variables)) for r in c.resources))
                    for c in program.configurations)
    return replace(program, configurations=configs)


def with_tag(program: Program, pou: str, name: str, type_: Elementary = BOOL) -> Program:
    """The program with a name declared where nothing is yet: a global tag where there are globals, else one of the POU's own."""
    if not _NAME.match(name) or declared(program, pou, name) is not None:
        return program
    if not program.configurations:
        key = pou.lower()
        fresh = Variable(name, type_, VariableKind.LOCAL)
        return replace(program, pous=program.pous | {key: replace(program.pous[key], variables=(*program.pous[key].variables, fresh))})
    config = program.configurations[0]
    fresh = Variable(name, type_, VariableKind.GLOBAL)
    if config.variables or not any(r.variables for r in config.resources):
        changed: Configuration = replace(config, variables=(*config.variables, fresh))
    else:
        first: Resource = replace(config.resources[0], variables=(*config.resources[0].variables, fresh))
        resources = (first, *config.resources[1:])
        changed = replace(config, resources=resources)
    return replace(program, configurations=(changed, *program.configurations[1:]))


def with_instance(program: Program, pou: str, name: str, type_: Named) -> Program:
    """The program with an instance of a block among a POU's own, where the name is declared nowhere yet.

    Raises: ValueError where it is declared as something else.
    """
    found = declared(program, pou, name)
    if found is not None:
        known = found[1].type
        if not isinstance(known, Named) or known.name.upper() != type_.name.upper():
            raise ValueError(f"{name} is declared already, and is no {type_.name}")
        return program
    key = pou.lower()
    fresh = Variable(name, type_, VariableKind.LOCAL)
    return replace(program, pous=program.pous | {key: replace(program.pous[key], variables=(*program.pous[key].variables, fresh))})


def without_bodies(program: Program) -> Program:
    """The program with nothing to execute: its declarations stay."""
    return replace(program, pous={key: replace(pou, body=LadderBody((), (), {})) for key, pou in program.pous.items()})


def shifted(program: Program, first: str, by: int) -> Program:
    """The program with an address and all behind it, of its area and size, moved by some bytes (words of their own for sizes W, D, L).

    Raises: ValueError where one would come before 0.
    """
    start = parse_address(first)
    assert start is not None

    def moved(variable: Variable) -> Variable:
        one = parse_address(variable.address) if variable.address else None
        if one is None or (one.area, one.size, len(one.numbers)) != (start.area, start.size, len(start.numbers)) or one.numbers < start.numbers:
            return variable
        numbers = (*one.numbers[:-2], one.numbers[-2] + by, one.numbers[-1]) if one.size == "X" and len(one.numbers) > 1 else \
            (*one.numbers[:-1], one.numbers[-1] + by)
        if min(numbers) < 0:
            raise ValueError(f"{variable.name} at {variable.address} would come before 0")
        return replace(variable, address=str(replace(one, numbers=numbers)))

    def all_of(variables: tuple[Variable, ...]) -> tuple[Variable, ...]:
        return tuple(moved(v) for v in variables)

    pous = {k: replace(p, variables=all_of(p.variables)) for k, p in program.pous.items()}
    configs = tuple(replace(c, variables=all_of(c.variables), resources=tuple(replace(r, variables=all_of(r.variables)) for r in c.resources))
                    for c in program.configurations)
    return replace(program, pous=pous, configurations=configs)


def choices(program: Program, pou: str, name: str) -> list[Choice[Program]]:
    """What can be changed of a tag's declaration."""
    found = declared(program, pou, name)
    if found is None:
        return []
    one = found[1]

    def starts(text: str) -> Program:
        value = literal(text.strip()) if text.strip() else None
        if text.strip() and value is None:
            raise ValueError(f"{text} is no value")
        return with_variable(program, pou, name, lambda v: replace(v, initial=Simple(text.strip()) if text.strip() else None))

    def typed(text: str) -> Program:
        type_ = ELEMENTARY.get(text.strip().upper())
        if type_ is None:
            raise ValueError(f"{text} is no elementary type: INT, DINT, REAL, BOOL ...")
        return with_variable(program, pou, name, lambda v: replace(v, type=type_))

    def placed(text: str) -> Program:
        if text.strip() and parse_address(text.strip()) is None:
            raise ValueError(f"{text} is no address: %QX0.3, %IW4 ...")
        return with_variable(program, pou, name, lambda v: replace(v, address=text.strip()))

    def said(text: str) -> Program:
        return with_variable(program, pou, name, lambda v: replace(v, documentation=text.strip()))

    def block(text: str) -> Program:
        if not re.fullmatch(r"[+-]?\d+", text.strip()) or not int(text):
            raise ValueError("write how far: +1, -2")
        return shifted(program, one.address, int(text))

    start = one.initial.text if isinstance(one.initial, Simple) else ""
    listed = [Choice(f"{one.name}: what it is", said, "a description", one.documentation, edits=True),
              Choice(f"{one.name}: another address", placed, "%QX0.3; nothing: none", one.address)]
    if one.address:
        listed.append(Choice(f"{one.address} and all behind it: shift the block", block, "how many bytes, of words how many: +1, -2"))
    if isinstance(one.type, Elementary):
        listed += [Choice(f"{one.name}: what it starts with", starts, f"a value of {one.type.name}; nothing: the type's own", start)]
        if one.type.family is not Family.STRING:
            listed.append(Choice(f"{one.name}: another type", typed, "INT, DINT, REAL ...", one.type.name))
    return listed
