"""Two tags at one address."""

from __future__ import annotations

from collections.abc import Iterator

from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Tags that are one thing under two names."""
    by_address: dict[str, list[int]] = {}
    for tag in facts.tracer.running.tags[:facts.tracer.running.public]:
        if tag.address is not None:
            by_address.setdefault(str(tag.address), []).append(tag.index)
    for address, tags in by_address.items():
        names = [facts.name(t) for t in tags if not facts.name(t).startswith("%")]
        if len(names) > 1:
            writers = [w for t in tags for w in facts.tracer.writers.get(t, ())]
            place = writers[0] if writers else None
            text = f"{facts.listed(names)} are one point, {address}"
            yield facts.finding("one-address", place, tags[0], text, "a write to one changes the other", 2)
