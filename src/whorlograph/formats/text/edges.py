"""Inputs declared with R_EDGE or F_EDGE: a detector of edges for each, which the body reads instead (IEC 61131-3:2013, 6.5.6.3)."""

from __future__ import annotations

from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.model.paths import Member
from whorlograph.model.program import Variable, VariableKind
from whorlograph.model.text import Apply, Argument, Assign, Do, Node, Statement, TextBody, Var, remade
from whorlograph.model.types import Named

BLOCKS = {"R_EDGE": "R_TRIG", "F_EDGE": "F_TRIG"}


def with_edges(body: TextBody, edges: dict[str, str]) -> tuple[TextBody, tuple[Variable, ...]]:
    """A body that sees the edges of some inputs, and the variables that it needs for them.

    Args: edges: by the input's name, ``R_EDGE`` or ``F_EDGE``.
    """
    names = {name.lower(): f"{name}_edge" for name in edges}
    number = max((n for s in body.statements for n in _numbers(s)), default=0)
    first = body.statements[0].line if body.statements else body.first
    begun: list[Statement] = []
    for name in edges:
        number += 3
        called, given = Var(number, first, names[name.lower()]), Var(number - 1, first, name)
        begun.append(Do(number - 2, first, Apply(number - 2, first, called, (Argument("CLK", given),))))
    variables = tuple(Variable(names[n.lower()], Named(BLOCKS[edge]), VariableKind.LOCAL, documentation=f"edge of {n}", made=True)
                      for n, edge in edges.items())
    statements = (*begun, *(_seen(s, names) for s in body.statements))
    comments = (*("" for _ in begun), *body.comments)
    return replace(body, statements=statements, comments=comments, labels=tuple((n, at + len(begun)) for n, at in body.labels)), variables


def _numbers(part: Any) -> list[int]:
    found = [part.at] if isinstance(part, Node) else []
    inside = part if isinstance(part, tuple) else [getattr(part, f) for f in part.__struct_fields__] if isinstance(part, Struct) else []
    return found + [n for p in inside for n in _numbers(p)]


def _seen(part: Any, names: dict[str, str]) -> Any:
    """A part of the tree that reads edges."""
    if isinstance(part, Var) and part.base.lower() in names and not part.steps:
        return replace(part, base=names[part.base.lower()], steps=(Member("Q"),))
    if isinstance(part, Assign):
        return replace(part, value=_seen(part.value, names))
    return remade(part, lambda p: _seen(p, names))
