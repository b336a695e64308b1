"""An edge: what made it in the one scan in which it passed, or why there is none."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Edge
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from ..circuit import Gate
from ..trail import Link
from .field_input import input_link
from .gates import element_of, elements_of, explain_gate, gate_bit, gate_tag, gate_words
from .rung_false import first_out, opened_words, unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, gate: Gate, edge: Edge, seen: Seen, depth: int, change: bool) -> Link | None:
    """Why an edge passes, passed in the scan before, or does not."""
    circuit, step = tracer.circuit(seen.step), seen.step
    before = tracer.seen(step, seen.scan - 1)
    passed = seen if circuit.passes(gate, seen.result) else before if change and circuit.passes(gate, before.result) else None
    tag, bit = gate_tag(tracer, gate, seen), gate_bit(tracer, gate, seen)
    if tag is not None:
        view = tracer.view_of(step, (passed or seen).scan)
        if not tracer.writers.get(tag):
            return input_link(tracer, tag, (passed or seen).position, bit)
        return tracer.explain(tag, view, passed is not None, depth, bit)
    words, element = gate_words(tracer, gate, seen), element_of(tracer, gate, step)
    if passed is None:
        if circuit.on(edge.value, seen.result):
            return powered(tracer, None, step, element, edge.value, seen.scan, depth, LinkKind.RUNG_TRUE, False, words)
        return unpowered(tracer, None, step, element, edge.value, seen.scan, depth, what=words)
    if edge.rising:
        return powered(tracer, None, step, element, edge.value, passed.scan, depth, LinkKind.RUNG_TRUE, True, words)
    return fell(tracer, words, step, element, edge, passed.scan, depth)


def fell(tracer: Tracer, words: str, step: int, element: int, edge: Edge, scan: int, depth: int) -> Link:
    """What was there before went off in a scan: what opened first."""
    now = tracer.seen(step, scan)
    lost = first_out(tracer, edge.value, now, tracer.seen(step, scan - 1))
    since = tracer.time(scan)
    why = f": {opened_words(tracer, lost, now)}" if lost else ""
    place = tracer.place(step, element)
    found = Link(LinkKind.RUNG_FALSE, None, False, since, step, scan, f"{words} came in {place} at {tracer.at(since)}{why}", element,
                 elements_of(tracer, lost, step))
    for one in lost[:3]:
        explain_gate(tracer, found, one, now, depth, change=True)
    return found
