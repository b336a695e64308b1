"""Tags that are given another as it is: the pin of a block that an input is wired to, the output that a block's result is wired to."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from ..writers import Kind
from .gates import gate_tag

if TYPE_CHECKING:
    from ..tracer import Tracer

_DEEP = 4


def source(tracer: Tracer, tag: int, deep: int = _DEEP) -> int | None:
    """The input that a BOOL is, or is given as it is; None where the program makes it."""
    writers = tracer.writers.get(tag, ())
    if not writers:
        return tag
    inner = given(tracer, tag) if len(writers) == 1 and deep else None
    return source(tracer, inner, deep - 1) if inner is not None else None


def is_asked_for(tracer: Tracer, depth: int) -> bool:
    """Whether what is told at a depth is what is asked for: the tag itself, or what it is given as it is, by a block of its own rung too."""
    if depth == 0:
        return True
    handed = all(given(tracer, one) == inner for one, inner in pairwise(tracer.coils))
    return handed and (len(tracer.coils) > 1 or any(_by_own_block(tracer, one) for one in tracer.coils))


def _by_own_block(tracer: Tracer, tag: int) -> bool:
    """Whether a tag is given what a block of its own rung gives."""
    inner = given(tracer, tag)
    by, own = tracer.writers.get(inner, []) if inner is not None else [], tracer.writers.get(tag, [])
    return len(by) == 1 and by[0].kind is Kind.BLOCK and len(own) == 1 and by[0].step == own[0].step


def copies(tracer: Tracer, tag: int, deep: int = _DEEP) -> list[int]:
    """The tags that are given a tag as it is, and those that are given these."""
    access, found = tracer.controller.access, list[int]()
    for step in sorted({use.step for use in access.of_tag(tag) if not use.writes}) if deep else ():
        for one in sorted({number for use in access.of_step(step) if use.writes for number in use.tags()} - {tag}):
            if given(tracer, one) == tag and len(tracer.writers.get(one, ())) == 1:
                found += [one, *copies(tracer, one, deep - 1)]
    return found


def given(tracer: Tracer, tag: int) -> int | None:
    """The tag that a BOOL's first writer gives it as it is; None where it does otherwise."""
    writer = next(iter(tracer.writers.get(tag, ())), None)
    if writer is None or writer.kind is not Kind.COIL or writer.power is None or writer.inverted:
        return None
    paths = tracer.circuit(writer.step).paths(writer.power)
    gate = paths[0][0] if len(paths) == 1 and len(paths[0]) == 1 else None
    inner = gate_tag(tracer, gate, tracer.seen(writer.step, 1)) if gate is not None and not gate.negated else None
    return inner if inner is not None and tracer.boolean(inner) else None
