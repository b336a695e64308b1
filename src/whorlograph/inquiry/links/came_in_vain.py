"""What a write waits for has come and gone already, while something else kept the write away: a signal during a pause."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Load
from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..pulses import calm
from ..trail import Link
from ..writers import Writer
from .gates import distinct, explain_gate, gate_tag, several_words
from .rung_false import smallest_set

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_TOLD = 3  # gates that kept it away


def add(tracer: Tracer, found: Link, writer: Writer, scan: int, since: int, depth: int) -> None:
    """Add what kept a write away when the one input that it waits for came last, since a time (ns), and went again before a scan."""
    seen = tracer.seen(writer.step, scan)
    missing = distinct(tracer, smallest_set(tracer, writer.guard, seen)[0], seen)
    gate = missing[0] if len(missing) == 1 else None
    tag = gate_tag(tracer, gate, seen) if gate is not None and isinstance(tracer.circuit(writer.step).leaves.get(gate.at), Load) else None
    if gate is None or tag is None or tag not in tracer.logged or tracer.writers.get(tag) or not tracer.boolean(tag) or tracer.now is not None:
        return
    stays = calm(tracer.stretches(tag))
    came = np.flatnonzero(((stays.values != 0) != gate.negated) & stays.ended & (stays.starts > since) & (stays.starts <= tracer.time(scan)))
    if not len(came):
        return
    stay = stays[int(came[-1])]
    at_scan = tracer.journal.clock.scan_at(stay.start) + 1
    then = tracer.seen(writer.step, at_scan)
    if then.scan != at_scan or not tracer.circuit(writer.step).passes(gate, then.result):
        return  # it was not seen, or its step did not run: that is told otherwise
    others = distinct(tracer, smallest_set(tracer, writer.guard, then)[0], then)
    if not others or gate in others:
        return
    came_at = f"{tracer.name(tag)} was {tracer.state_word(not gate.negated)} for {duration_text(stay.length)} at {tracer.at(stay.start)}"
    text = f"{came_at}, when {several_words(tracer, others, then)} blocked"
    child = Link(LinkKind.NEVER_SET, None, False, None, writer.step, at_scan, text, writer.element, about=f"the write at {tracer.at(stay.start)}")
    for other in others[:MOST_TOLD]:
        explain_gate(tracer, child, other, then, depth + 1, change=False)
    for root in child.all_roots():
        root.leads = root.leads or root.kind is RootKind.FIELD_INPUT
    if child.children or child.roots:
        found.children.append(child)
