"""What a function of the file's own reads of the variables that are handed over to it by reference (VAR_IN_OUT)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from whorlograph.engine.calls import every
from whorlograph.engine.code import Base, Body, Call, Load, Target
from whorlograph.engine.nodes import loads

MOST = 64  # elements of one variable


def read_through(bodies: Sequence[Body], call: Call) -> Iterator[Load]:
    """The cells of what a call hands over that the function reads, each as a read of the call: those whose place does not hang on a subscript."""
    for n, ref in enumerate(call.refs):
        if not isinstance(ref, Target) or ref.base not in (Base.OWN, Base.GLOBAL, Base.PARAM) or ref.terms or ref.width:
            continue
        at = call.nodes[n] if n < len(call.nodes) else call.at
        for cell, type_ in sorted(_cells(bodies, call.body, n, 0))[:MOST]:
            yield Load(Target(ref.base, ref.cell + cell, type_, param=ref.param), type_, at)


def _cells(bodies: Sequence[Body], body: int, param: int, deep: int) -> set[tuple[int, str]]:
    """The cells of a parameter, counted from its first, that a body and those it calls read, with what they hold."""
    found: set[tuple[int, str]] = set()
    for step in bodies[body].steps:
        for action in every(step.actions):
            for one in loads(action):
                if one.target.base == Base.PARAM and one.target.param == param:
                    found |= {(one.target.cell + k, one.target.type) for k in range(min(one.target.span, MOST))}
            if isinstance(action, Call) and deep < 8:
                for n, ref in enumerate(action.refs):
                    if isinstance(ref, Target) and ref.base == Base.PARAM and ref.param == param:
                        found |= {(ref.cell + cell, type_) for cell, type_ in _cells(bodies, action.body, n, deep + 1)}
    return found
