"""Results that steps of an instruction list leave for others: variables of the body, one for each type (IEC 61131-3:2013, 7.2)."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from whorlograph.model.program import Pou, Program, Variable, VariableKind
from whorlograph.model.tags import Instance, Running
from whorlograph.model.text import Assign, Keep, Kept, TextBody, Var, remade

from .text_parts import parts
from .text_types import Scope


def leaves_results(pou: Pou) -> bool:
    """Whether a body's steps read what others left."""
    if not isinstance(pou.body, TextBody) or pou.body.language == "ST":
        return False
    return any(isinstance(p, Keep) and p.lasting for s in pou.body.statements for p in parts(s))


def with_results(program: Program, running: Running) -> Program:
    """The program with a variable for each result that lasts. Args: running: what it makes without them, which tells their types."""
    pous = dict(program.pous)
    for one in [*running.instances(), *running.functions.values()]:
        key = one.type_name.lower()
        if one.pou is not None and pous.get(key) is one.pou and leaves_results(one.pou):
            pous[key] = _declared(one, one.pou, running)
    return replace(program, pous=pous)


def _declared(one: Instance, pou: Pou, running: Running) -> Pou:
    scope = Scope(one, running)
    assert isinstance(pou.body, TextBody)
    kept = {p.at: scope.kept(p.value) for s in pou.body.statements for p in parts(s) if isinstance(p, Keep) and p.lasting}
    names = {at: f"result_{type_.name}" for at, type_ in kept.items()}
    types = {names[at]: type_ for at, type_ in kept.items()}
    said = "what one instruction leaves for the next"
    variables = tuple(Variable(name, type_, VariableKind.LOCAL, documentation=said, made=True, result=True) for name, type_ in types.items())
    statements = tuple(_named(s, names) for s in pou.body.statements)
    return replace(pou, variables=(*pou.variables, *variables), body=replace(pou.body, statements=statements))


def _named(part: Any, names: dict[int, str]) -> Any:
    """A part of the tree with variables where results last."""
    if isinstance(part, Keep) and part.lasting:
        return Assign(part.at, part.line, Var(part.at, part.line, names[part.at]), _named(part.value, names))
    if isinstance(part, Kept) and part.lasting:
        return Var(part.at, part.line, names[part.made])
    return remade(part, lambda p: _named(p, names))
