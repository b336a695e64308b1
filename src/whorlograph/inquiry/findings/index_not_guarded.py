"""An array index that nothing keeps within the array."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Load
from whorlograph.model.literals import cooked
from whorlograph.model.program import VariableKind

from ..attempts import elements
from ..writers import Kind
from .facts import Facts, Finding
from .numbers.reach import reach


def find(facts: Facts) -> Iterator[Finding]:
    """Subscripts by tags that can have values outside the array's bounds."""
    for place, _, term in facts.subscripts():
        circuit, step = facts.tracer.circuit(place.step), place.step
        names = [t for x in circuit.loads(term.index) if isinstance(x, Load) and (t := facts.load_tag(step, x)) is not None]
        if not names:
            continue
        seen = facts.tracer.seen(step, 1)
        chosen = [t for x in circuit.loads(term.index) if isinstance(x, Load) and (n := facts.load_tag(step, x)) is not None
                  for t in elements(facts.tracer, x, n, seen)] if facts.plain_load(circuit, term.index) is not None else []
        type_ = facts.tag(names[0]).type
        low, high = reach(facts, place, term.index)
        within = (type_.low >= term.low and type_.high <= term.high) or (term.low <= low and high <= term.high) or \
            (bool(chosen) and all(_only_given(facts, t, term.low, term.high) for t in chosen))
        if not within and not facts.guarded(place, names):
            text = f"{facts.place(step)} takes element {facts.name(names[0])} of {term.low} to {term.high}, and nothing keeps it within"
            yield facts.finding("index-not-guarded", place, names[0], text, "outside it the controller halts", 1)


def _only_given(facts: Facts, tag: int, low: int, high: int) -> bool:
    """Whether a tag begins within two bounds and is given nothing but literals within them."""
    circuits = [(facts.tracer.circuit(w.step), w) for w in facts.writers_of(tag)]
    given = [circuit.literal(w.value) if w.kind is Kind.VALUE and w.bit < 0 else None for circuit, w in circuits]
    first = int(cooked(facts.tag(tag).initial, facts.tag(tag).type))
    own = bool(given) or facts.tag(tag).kind is VariableKind.LOCAL  # nobody outside gives what is declared within
    return own and tag not in facts.logged and low <= first <= high and \
        all(one is not None and isinstance(one.value, int) and low <= one.value <= high for one in given)
