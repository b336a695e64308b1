"""Rests: conditions that only the drop of an output starts and that elapse by themselves, as the pause before the next start: nobody's command."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr
from whorlograph.model.blocks import TIMERS

from . import auxiliary
from .links.gates import gate_tag
from .writers import Kind

if TYPE_CHECKING:
    from .tracer import Tracer

DEEPEST = 3  # memories between the rest and what waits for it


def is_rest(tracer: Tracer, number: int, coils: frozenset[int], depth: int = 0) -> bool:
    """Whether a tag is on or off by a timer that nothing starts but coils of the program, one of these among them, or its contactor's own contact."""
    writers = tracer.writers.get(number, ())
    if len(writers) != 1 or depth > DEEPEST:
        return False
    writer = writers[0]
    if writer.kind is Kind.COIL and writer.power is not None and number not in coils:
        return all(is_rest(tracer, one, coils, depth + 1) for one in looked) if (looked := _looked_at(tracer, writer.step, writer.power)) else False
    call = tracer.written.block(writer.step, writer.at) if writer.kind is Kind.BLOCK else None
    if call is None or call.kind not in TIMERS or "IN" not in call.pins:
        return False
    starts = _looked_at(tracer, call.step, call.pins["IN"])
    reporting = {one for one in starts if not tracer.writers.get(one) and any(auxiliary.reports(tracer, coil, one) for coil in coils)}
    return bool((coils | reporting) & starts) and all(one in reporting or tracer.writers.get(one) for one in starts)


def _looked_at(tracer: Tracer, step: int, power: Expr) -> set[int]:
    """The tags that a value looks at."""
    circuit, seen = tracer.circuit(step), tracer.seen(step, 1)
    gates = {g for path in circuit.paths(power) for g in path}
    return {tag for g in gates if (tag := gate_tag(tracer, g, seen)) is not None}
