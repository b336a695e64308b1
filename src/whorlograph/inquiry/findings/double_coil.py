"""A plain coil for one tag in two places."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from whorlograph.model.program import VariableKind

from ..writers import Kind, Writer
from .facts import Facts, Finding

MOST = 50  # places of one tag that are held against one another


def find(facts: Facts) -> Iterator[Finding]:
    """Tags that several plain coils write."""
    for tag, writers in facts.written():
        places = _running_together(facts, facts.places([w for w in writers if w.kind is Kind.COIL]))
        if len(places) > 1 and not any(w.bit >= 0 for w in writers) and not _at_work(facts, tag, places) and not _of_actions(facts, tag, places):
            names = facts.where(places)
            how = "by plain coils" if facts.tracer.steps.all[places[-1].step].rung.statement is None else "unconditionally"
            yield facts.finding("double-coil", places[-1], tag, f"{facts.name(tag)} is written {how} in {names}",
                                f"where all of them run the last one counts: {facts.place(places[-1].step)}", 1)


def _running_together(facts: Facts, places: list[Writer]) -> list[Writer]:
    """The places of which another may run beside it: a jump or return makes alternatives of the others."""
    if len(places) > MOST:
        return places
    return [one for one in places if any(other is not one and facts.both_run(one.step, other.step) for other in places)]


def _of_actions(facts: Facts, tag: int, places: list[Writer]) -> bool:
    """Whether a block's pin is given in actions of one chart: a block that several actions call in turn."""
    calls = facts.tracer.controller.calls
    return facts.tag(tag).kind is VariableKind.INPUT and all(calls.instance(w.step).name in facts.charts for w in places)


def _at_work(facts: Facts, tag: int, places: list[Writer]) -> bool:
    """Whether a text uses a tag again and again: written in one statement, or read before it is written anew."""
    tracer = facts.tracer
    if any(tracer.steps.all[w.step].rung.statement is None for w in places):
        return False
    order = tracer.paths.order
    turns = sorted({int(order[w.step]) for w in places})
    reads = [int(order[u.step]) for u in tracer.controller.access.of_tag(tag) if not u.writes]
    return all(any(one < read <= next_ for read in reads) for one, next_ in pairwise(turns))
