"""A normally open and a normally closed contact of one tag in series; a coil that only its own contact could switch on."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Coils of which every path asks one tag to be on and off at once, or leads through the coil's own tag."""
    for tag, writers in facts.written():
        for writer in writers:
            if writer.power is None or writer.kind not in (Kind.COIL, Kind.SET, Kind.RESET):
                continue
            paths = facts.tracer.circuit(writer.step).paths(writer.power)
            if paths and not facts.needs(writer):
                text = f"every path of {facts.place(writer.step)} to {facts.name(tag)} asks one tag to be on and off"
                yield facts.finding("contradiction", writer, tag, text, "it never has power", 1)
            elif paths and facts.tracer.only_by_itself(tag) and all(any(n.tag == tag and n.on for n in ways) for ways in facts.needs(writer)):
                text = f"every path of {facts.place(writer.step)} that can have power leads through {facts.name(tag)} itself"
                yield facts.finding("contradiction", writer, tag, text, "nothing brings it on", 1)
