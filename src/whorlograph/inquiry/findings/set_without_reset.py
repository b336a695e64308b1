"""A set coil without a reset."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind, Writer
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches that nothing resets, and something reads; a line for all that one place sets."""
    found: dict[tuple[str, int, int], list[tuple[int, Writer]]] = {}
    for tag, writers in facts.written():
        kinds = {w.kind for w in writers}
        if Kind.SET in kinds and kinds <= {Kind.SET} and tag not in facts.logged and facts.is_read(tag):
            place = next(w for w in writers if w.kind is Kind.SET)
            step = facts.tracer.steps.all[place.step]
            found.setdefault((step.pou, step.rung.number, place.element), []).append((tag, place))
    for alike in found.values():
        tag, place = alike[0]
        one, weight = len(alike) == 1, 1 if any(facts.drives(t) for t, _ in alike) else 2
        text = f"{facts.listed(facts.name(t) for t, _ in alike)} {'is' if one else 'are'} set in {facts.place(place.step)} and reset nowhere"
        yield facts.finding("set-without-reset", place, tag, text, "once on it stays on until the controller is restarted", weight)
