"""A step of a sequence that cannot be left."""

from __future__ import annotations

from collections.abc import Iterator

from ..links.not_met import leaves
from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Step numbers that some rung writes and no rung leaves."""
    for tag, writers in facts.written():
        if facts.tracer.boolean(tag):
            continue
        given: dict[int, int] = {}
        plain = []
        for n, writer in enumerate(writers):
            found = facts.tracer.circuit(writer.step).literal(writer.value) if writer.kind is Kind.VALUE else None
            if found is not None and isinstance(found.value, int) and not isinstance(found.value, bool):
                given.setdefault(int(found.value), n)
            else:
                plain.append(writer)
        left = {value for value in given if any(leaves(facts.tracer, tag, w, value) for w in writers)}
        if len(given) < 3 or plain or len(left) < 2:
            continue
        free = any(not any(leaves(facts.tracer, tag, w, value) for value in given) for w in writers)  # written whatever it is: a way out of all
        for value in sorted(given.keys() - left) if not free else ():
            writer = writers[given[value]]
            text = f"step {value} of {facts.name(tag)}, written in {facts.place(writer.step)}, is left by no rung"
            yield facts.finding("dead-step", writer, tag, text, "the sequence stands still there", 1)
