"""An array index that nothing keeps within the array."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.calls import every
from whorlograph.engine.code import Load, Store, Target

from ..writers import Kind, Writer
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Subscripts by tags that can have values outside the array's bounds."""
    calls = facts.tracer.controller.calls
    for step in sorted(calls.instance_of):
        circuit = facts.tracer.circuit(step)
        stores = [a for a in every(calls.code_of(step).actions) if isinstance(a, Store)]
        targets: list[Target] = [a.target for a in stores]
        targets += [x.target for a in stores for x in circuit.loads(a.value) if isinstance(x, Load)]
        for target in targets:
            for term in target.terms:
                names = [t for x in circuit.loads(term.index) if isinstance(x, Load) and (t := facts.load_tag(step, x)) is not None]
                if not names:
                    continue
                tag = names[0]
                type_ = facts.tag(tag).type
                place = Writer(step, term.at, facts.tracer.origin(step, term.at).element, Kind.VALUE, guards=facts.guards_of(step))
                if (type_.low < term.low or type_.high > term.high) and not facts.guarded(place, names):
                    text = f"{facts.place(step)} takes element {facts.name(tag)} of {term.low} to {term.high}, and nothing keeps it within"
                    yield facts.finding("index-not-guarded", place, tag, text, "outside it the controller halts", 1)
