"""A seal-in or latch that survives the return of power without a new start."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Retained outputs, or tags that feed one, that hold themselves."""
    for tag, writers in facts.written():
        if not facts.tag(tag).retain or not facts.tracer.boolean(tag):
            continue
        latched = any(w.kind is Kind.SET for w in writers)
        sealed = any(n.tag == tag and n.on for w in writers if w.kind is Kind.COIL for needs in facts.needs(w) for n in needs)
        if latched or sealed:
            yield facts.finding("returns-with-power", writers[0], tag, f"{facts.name(tag)} holds itself and is retained",
                                "when power returns it is on again without a new start: what it drives may move by itself", 1)
