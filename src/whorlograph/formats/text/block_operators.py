"""``S`` and ``R`` of an instruction list before the name of a block: what goes into that input, and that it is called (IEC 61131-3:2013, 7.2.7).

Before anything else they set and reset; which of the two is known once the whole program has been read.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.chart import ChartBody
from whorlograph.model.ladder import LadderBody
from whorlograph.model.program import Pou, PouKind, Program, Variable, VariableKind
from whorlograph.model.text import Apply, Argument, Assign, Choose, Constant, Do, TextBody, remade
from whorlograph.model.types import Named

OPERATORS = {"TRUE": "S", "FALSE": "R"}
_Inputs = Mapping[str, frozenset[str]]


def with_block_operators(program: Program) -> Program:
    """A program whose instruction lists hand to blocks what they set and reset of them."""
    lists = [key for key, pou in program.pous.items() if _has_lists(pou.body)]
    if not lists:
        return program
    shared = [v for c in program.configurations for v in (*c.variables, *(v for r in c.resources for v in r.variables))]
    known = {name.lower(): found for name, found in ((v.name, _inputs(v, program)) for v in shared) if found}
    made: dict[str, Pou] = {}
    for key in lists:
        pou = program.pous[key]
        inputs = known | {v.name.lower(): _inputs(v, program) for v in pou.variables}
        if any(inputs.values()):
            made[key] = replace(pou, body=_handed(pou.body, inputs, False))
    return program if not made else replace(program, pous={key: made.get(key, pou) for key, pou in program.pous.items()})


def _has_lists(body: Any) -> bool:
    return any(one.language == "IL" for one in (body.texts if isinstance(body, ChartBody) else [body] if isinstance(body, TextBody) else []))


def _inputs(variable: Variable, program: Program) -> frozenset[str]:
    """Which of the two operators are inputs of the block that a variable is."""
    if not isinstance(variable.type, Named):
        return frozenset()
    name = variable.type.name
    block = program.pous.get(name.lower())
    if block is not None and block.kind is PouKind.FUNCTION_BLOCK:
        names = {v.name.upper() for v in block.variables if v.kind is VariableKind.INPUT}
    else:
        names = {pin for pin, _ in STANDARD_BLOCKS[name.upper()][0]} if name.upper() in STANDARD_BLOCKS else set()
    return frozenset(names.intersection(OPERATORS.values()))


def _handed(part: Any, inputs: _Inputs, listed: bool) -> Any:
    """A part of a body. Args: listed: whether it is one of an instruction list."""
    if isinstance(part, LadderBody):
        return part
    if isinstance(part, TextBody):
        return replace(part, statements=tuple(_handed(s, inputs, True) for s in part.statements)) if part.language == "IL" else part
    if listed and isinstance(part, Choose) and len(part.branches) == 1 and len(part.branches[0].statements) == 1:
        written = part.branches[0].statements[0]
        if isinstance(written, Assign) and isinstance(written.value, Constant) and not written.target.steps:
            pin = OPERATORS.get(written.value.text, "")
            if pin in inputs.get(written.target.base.lower(), ()):
                called = Apply(written.at, part.line, written.target, (Argument(pin, part.branches[0].test),))
                return Do(part.at, part.line, called)
    return remade(part, lambda one: _handed(one, inputs, listed))
