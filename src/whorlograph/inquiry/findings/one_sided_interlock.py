"""An interlock of two outputs in one direction only."""

from __future__ import annotations

from collections.abc import Iterator

from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Outputs whose coil asks another output to be off, which does not ask the same."""
    locks = {tag: facts.asked_off(tag) for tag in facts.outputs}
    for tag, others in locks.items():
        for other in sorted(others & locks.keys()):
            if tag not in locks[other]:
                writer = facts.writers_of(other)[-1]
                text = f"{facts.name(tag)} is locked out by {facts.name(other)}, but not the other way round"
                yield facts.finding("one-sided-interlock", writer, other, text, f"{facts.name(other)} can come on while {facts.name(tag)} is on", 2)
