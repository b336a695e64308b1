"""An array index that nothing keeps within the array."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Load

from .facts import Facts, Finding
from .numbers.reach import Reach, Span


def find(facts: Facts) -> Iterator[Finding]:
    """Subscripts by tags that can have values outside the array's bounds."""
    everywhere: dict[int, Span] = {}
    for place, _, term in facts.subscripts:
        circuit, step = facts.tracer.circuit(place.step), place.step
        names = [t for x in circuit.loads(term.index) if isinstance(x, Load) and (t := facts.load_tag(step, x)) is not None]
        if not names:
            continue
        low, high = Reach(facts, place, everywhere).value(circuit, step, term.index)
        if not term.low <= low <= high <= term.high and not facts.guarded(place, names):
            text = f"{facts.place(step)} takes element {facts.name(names[0])} of {term.low} to {term.high}, and nothing keeps it within"
            yield facts.finding("index-not-guarded", place, names[0], text, "outside it the controller halts", 1)

