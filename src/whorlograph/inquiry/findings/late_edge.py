"""A one-shot's tag that is read before it is written."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.calls import every
from whorlograph.engine.code import Edge

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Pulses of one scan whose first reader stands above their writer."""
    order = facts.tracer.controller.calls.order
    for tag, writers in facts.written():
        if len(writers) != 1 or writers[0].kind is not Kind.COIL:
            continue
        writer = writers[0]
        if not any(isinstance(a, Edge) for a in every(facts.tracer.controller.calls.code_of(writer.step).actions)):
            continue
        readers = [u for u in facts.tracer.controller.access.of_tag(tag) if not u.writes and u.step != writer.step]
        early = [u for u in readers if order[u.step] < order[writer.step]]
        if early:
            first, written = facts.place(early[0].step), facts.place(writer.step)
            yield facts.finding("late-edge", writer, tag, f"{facts.name(tag)} lasts one scan and is read in {first}, before {written} writes it",
                                "it is seen there one scan late, or not at all where others reset it meanwhile", 3)
