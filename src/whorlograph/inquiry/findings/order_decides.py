"""Set and reset whose order decides which of them dominates."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches, with what dominates where both coils have power in one scan."""
    for tag, writers in facts.written():
        setters, resetters = [w for w in writers if w.kind is Kind.SET], [w for w in writers if w.kind is Kind.RESET]
        if not setters or not resetters or len(setters) + len(resetters) < len(writers):
            continue
        last_set, last_reset = (max(some, key=facts.order) for some in (setters, resetters))
        wins = facts.order(last_set) > facts.order(last_reset)
        word, place = ("set", last_set) if wins else ("reset", last_reset)
        effect = "while both have power it stays on: a stop does not stop it" if wins else "while both have power it stays off"
        text = f"{facts.name(tag)}: the {word} in {facts.place(place.step)} comes last and dominates"
        yield facts.finding("order-decides", place, tag, text, effect, 1 if wins else 3)
