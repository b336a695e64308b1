"""Sequences of memories: one lets the next be set, which takes it back. What else the next asks for counts once the one before is on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.evaluate.steps import Seen

from ..alone import each_way_asks
from ..circuit import Gate
from ..writers import Kind
from .gates import gate_tag

if TYPE_CHECKING:
    from ..tracer import Tracer


def step_before(tracer: Tracer, tag: int, gates: list[Gate], seen: Seen) -> Gate | None:
    """The gate, of some that keep a memory off, that asks for the step before it; None where there is none."""
    return next((g for g in gates if not g.negated and _is_before(tracer, gate_tag(tracer, g, seen), tag, seen.step)), None)


def _is_before(tracer: Tracer, number: int | None, tag: int, step: int) -> bool:
    """Whether a memory is taken back by the rung (of a step) that sets another, or because that is on."""
    writers = tracer.writers.get(number, []) if number is not None and number != tag else []
    if not any(w.kind in (Kind.SET, Kind.COIL) for w in writers):
        return False
    return any((w.kind is Kind.RESET and (w.step == step or each_way_asks(tracer, w, tag.__eq__))) or
               (w.kind is Kind.COIL and not w.inverted and each_way_asks(tracer, w, tag.__eq__, on=False)) for w in writers)
