"""An array index that nothing keeps within the array."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Load

from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Subscripts by tags that can have values outside the array's bounds."""
    for place, _, term in facts.subscripts():
        circuit, step = facts.tracer.circuit(place.step), place.step
        names = [t for x in circuit.loads(term.index) if isinstance(x, Load) and (t := facts.load_tag(step, x)) is not None]
        if not names:
            continue
        type_ = facts.tag(names[0]).type
        if (type_.low < term.low or type_.high > term.high) and not facts.guarded(place, names):
            text = f"{facts.place(step)} takes element {facts.name(names[0])} of {term.low} to {term.high}, and nothing keeps it within"
            yield facts.finding("index-not-guarded", place, names[0], text, "outside it the controller halts", 1)
