"""A plain coil for one tag in two places."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Tags that several plain coils write."""
    for tag, writers in facts.written():
        places = facts.places([w for w in writers if w.kind is Kind.COIL])
        if len(places) > 1 and not any(w.bit >= 0 for w in writers):
            names = facts.where(places)
            yield facts.finding("double-coil", places[-1], tag, f"{facts.name(tag)} is written by plain coils in {names}",
                                f"where all of them run the last one counts: {facts.place(places[-1].step)}", 1)
