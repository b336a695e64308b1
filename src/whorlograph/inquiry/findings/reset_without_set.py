"""A reset coil without a set."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches that nothing sets."""
    for tag, writers in facts.written():
        kinds = {w.kind for w in writers}
        if Kind.RESET in kinds and kinds <= {Kind.RESET} and tag not in facts.logged:
            place = writers[0]
            yield facts.finding("reset-without-set", place, tag, f"{facts.name(tag)} is reset in {facts.place(place.step)} and set nowhere",
                                "it never comes on", 2)
