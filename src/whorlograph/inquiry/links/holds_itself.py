"""Of something that holds itself: while it is on, who started it and what would end it; while it is off, what made it drop out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr
from whorlograph.engine.evaluate.steps import Seen

from .. import auxiliary
from ..round_about import holds, kept_by_itself, way_round
from ..tracer import Vantage
from ..trail import Link
from ..writers import Kind, Writer
from .gates import gate_tag, several_words

if TYPE_CHECKING:
    from ..tracer import Tracer


def add_start(tracer: Tracer, found: Link, tag: int, last: Writer, view: Vantage, depth: int) -> None:
    """Of something that holds itself and is on: that it does, and who started it."""
    row = tracer.last_row(tag, tracer.position(view), last.bit)
    power = last.power if last.power is not None else last.value
    if power is None or last.inverted:
        return
    holding = {(tag, last.bit), *((a.tag, -1) for a in auxiliary.of_tag(tracer, tag))}
    kept = kept_by_itself(tracer, tag, last.step, power, view, holding)
    if kept is None:
        found.text += _held_besides(tracer, tracer.seen(last.step, tracer.ran(last.step, view)), power, holding)
    if kept is None or any(tag in way_round(tracer, one) for one in tracer.coils if one != tag):
        return  # or it was told of a tag above
    through = list(dict.fromkeys(tracer.name(one) for one in kept.through if all(w.kind is not Kind.BLOCK for w in tracer.writers[one])))
    ends = " and ".join(kept.ends) or ("nothing in its rung" if kept.alone else "")
    found.text += "; it holds itself" + (f" through {' and '.join(through)}" if through else "")
    found.text += f", and {ends} would end it" if ends else ""
    start = tracer.change(row, depth + 1, last.bit) if row is not None and tracer.journal.step(row) >= 0 else None
    if start is not None:
        found.children.append(start)


def _held_besides(tracer: Tracer, seen: Seen, power: Expr, holding: set[tuple[int, int]]) -> str:
    """That something which has power otherwise would hold itself without that, in words; "" where it would not."""
    complete = tracer.circuit(seen.step).complete(power, seen.result)
    held = [path for path in complete if any(holds(tracer, gate, seen, holding) for gate in path)]
    others = [gate for path in complete if held and path not in held for gate in path if gate not in held[0]]
    return f"; without {several_words(tracer, others, seen)} it would hold itself" if others else ""


def add_drop(tracer: Tracer, found: Link, tag: int, last: Writer, view: Vantage, depth: int) -> None:
    """Of something that holds itself and is off: beside what would start it again, what made it drop out."""
    circuit, seen = tracer.circuit(last.step), tracer.seen(last.step, tracer.ran(last.step, view))
    row = tracer.last_row(tag, tracer.position(view))
    if row is None or last.power is None or tracer.journal.step(row) < 0:
        return
    through = way_round(tracer, tag)
    if any(one in through for one in tracer.coils):
        return
    if through or any(not g.negated and gate_tag(tracer, g, seen) == tag for p in circuit.paths(last.power) for g in p):
        drop = tracer.change(row, depth + 1)
        if drop is not None:
            found.children.append(drop)
