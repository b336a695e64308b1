"""Set and reset whose order decides which of them dominates."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind, Writer
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches, with what dominates where both coils have power in one scan."""
    found: dict[tuple[str, int, int], list[tuple[int, Writer, bool]]] = {}
    for tag, writers in facts.written():
        setters, resetters = [w for w in writers if w.kind is Kind.SET], [w for w in writers if w.kind is Kind.RESET]
        if not setters or not resetters or len(setters) + len(resetters) < len(writers):
            continue
        together = [(s, r) for s in setters for r in resetters if not facts.exclusive(s, r)]
        if not together:
            continue  # alternatives of one statement: nothing decides between them
        last_set, last_reset = (max(some, key=facts.order) for some in zip(*together, strict=True))
        wins = facts.order(last_set) > facts.order(last_reset)
        place = last_set if wins else last_reset
        step = facts.tracer.steps.all[place.step]
        found.setdefault((step.pou, step.rung.number, place.element), []).append((tag, place, wins))
    for alike in found.values():
        tag, place, wins = alike[0]
        stops = wins and any(facts.drives(one) for one, _, _ in alike)  # of a fault's latch it is as it should be
        effect = f"while both have power it stays {'on' if wins else 'off'}" + (": what should switch it off does not do so then" if stops else "")
        names = facts.listed(facts.name(one) for one, _, _ in alike)
        text = f"{names}: the {'set' if wins else 'reset'} in {facts.place(place.step)} comes last and dominates"
        yield facts.finding("order-decides", place, tag, text, effect, 1 if stops else 3)
