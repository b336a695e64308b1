"""A step of a sequence that cannot be left."""

from __future__ import annotations

from collections.abc import Iterator

from ..numbered import left_by
from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Step numbers that some rung writes and no rung leaves."""
    for tag, writers in facts.written():
        if tag in facts.tracer.left_out:
            continue  # what cannot be read may lead on
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
        ways = [left_by(facts.tracer, tag, w) for w in writers]
        left = set().union(*ways)
        if len(given) < 3 or plain or len(left) < 2:
            continue
        # What is written whatever the number is leads out of all.
        for value in sorted(given.keys() - left) if all(ways) else ():
            writer = writers[given[value]]
            text = f"step {value} of {facts.name(tag)}, written in {facts.place(writer.step)}, is left by no rung"
            yield facts.finding("dead-step", writer, tag, text, "the sequence stands still there", 1)
