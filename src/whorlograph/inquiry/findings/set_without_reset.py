"""A set coil without a reset."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches that nothing resets."""
    for tag, writers in facts.written():
        kinds = {w.kind for w in writers}
        if Kind.SET in kinds and kinds <= {Kind.SET} and tag not in facts.logged:
            place = next(w for w in writers if w.kind is Kind.SET)
            yield facts.finding("set-without-reset", place, tag, f"{facts.name(tag)} is set in {facts.place(place.step)} and reset nowhere",
                                "once on it stays on until the controller is restarted", 1)
