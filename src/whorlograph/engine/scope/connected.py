"""What a configuration connects to a program's parameters: a body before the program that hands it in, one behind it that takes it out
(IEC 61131-3:2013, 6.8). They run under the program's task, a step for each parameter, and stand where the configuration says it.
"""

from __future__ import annotations

from itertools import count

from msgspec import Struct

from whorlograph.model.paths import Member
from whorlograph.model.place import Place
from whorlograph.model.program import Pou, PouKind, ProgramInstance, VariableKind
from whorlograph.model.tags import Instance
from whorlograph.model.text import Argument, Assign, Statement, TextBody, Unary, Var

from .text_parts import parts


class Connected(Struct, frozen=True):
    """What runs before and behind a program; ``refused``: what cannot be connected, each with why."""

    before: tuple[Instance, ...] = ()
    behind: tuple[Instance, ...] = ()
    refused: tuple[str, ...] = ()


def connected(one: ProgramInstance, made: Instance, pou: Pou, file: str, taken: frozenset[str], first: int) -> Connected:
    """The bodies around a program.

    Args: made: its instance; taken: names of globals in lower case, which a program must not have; first: the number of the next tag.
    """
    if not one.connected:
        return Connected()
    kinds = {v.name.lower(): v.kind for v in pou.variables}
    numbers = count(1 + max((p.at for a in one.connected for v in (a.value, a.output) if v is not None for p in parts(v)), default=0))
    ins: list[Statement] = []
    outs: list[Statement] = []
    refused = []
    for given in one.connected:
        why = _refusal(given, kinds) or (f"program {one.name} and a global have one name" if one.name.lower() in taken else "")
        if why:
            refused.append(why)
            continue
        line = (given.value or given.output or Var(0, one.line, "")).line
        own = Var(next(numbers), line, made.name, (Member(given.name),))
        if given.value is not None:
            ins.append(Assign(next(numbers), line, own, given.value))
        elif given.output is not None:
            outs.append(Assign(next(numbers), line, given.output, Unary(next(numbers), line, "NOT", own) if given.negated else own))
    return Connected(_around(one, made, file, ins, "inputs", first), _around(one, made, file, outs, "outputs", first), tuple(refused))


def _refusal(given: Argument, kinds: dict[str, VariableKind]) -> str:
    """Why something cannot be connected; "" where it can."""
    if not given.name:
        return "a value without the name of its parameter"
    kind = kinds.get(given.name.lower())
    if kind is None:
        return f"{given.name}, which it does not declare"
    wanted = VariableKind.INPUT if given.value is not None else VariableKind.OUTPUT
    return "" if kind is wanted else f"{given.name}, which is no {wanted} of it"


def _around(one: ProgramInstance, made: Instance, file: str, statements: list[Statement], what: str, first: int) -> tuple[Instance, ...]:
    if not statements:
        return ()
    name = f"{one.name}'s {what}"
    body = TextBody.of(tuple(statements), one.source, one.line)
    holder = Pou(name, PouKind.PROGRAM, (), body, place=Place(file, one.line, name))
    return (Instance(name, name, holder, {made.name.lower(): made}, first, one.task, outside={made.name.lower()}),)
