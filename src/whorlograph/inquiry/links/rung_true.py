"""``rung-true``: a complete path brings power to the coil."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.power import Flow
from whorlograph.model.ladder import CoilKind, Wire
from whorlograph.model.question import LinkKind

from ..circuit import Circuit, Gate, passes
from ..trail import Link
from .gates import explain_gate, gate_tag, gate_time, gate_words

if TYPE_CHECKING:
    from ..tracer import Tracer, Writer


def changed(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, kind: LinkKind = LinkKind.RUNG_TRUE) -> Link | None:
    """The coil got its power in this scan: what completed the path."""
    wires: tuple[Wire, ...] = writer.element.wires  # type: ignore[attr-defined]
    return _negated(writer, powered(tracer, tag, writer.step, writer.element.id, wires, scan, depth, kind, change=True))


def stands(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """The coil has power: the gates on the path that keeps it."""
    wires: tuple[Wire, ...] = writer.element.wires  # type: ignore[attr-defined]
    return _negated(writer, powered(tracer, tag, writer.step, writer.element.id, wires, scan, depth, LinkKind.RUNG_TRUE, change=False))


def _negated(writer: Writer, found: Link | None) -> Link | None:
    """A negated coil with power is off."""
    if found is not None and writer.kind is CoilKind.NEGATED:
        found.value, found.text = False, f"{found.text}, so its negated coil is off"
    return found


_VERBS = {LinkKind.SET_BY: "was set by", LinkKind.RESET_BY: "was reset by", LinkKind.RUNG_TRUE: "has power in"}


def powered(tracer: Tracer, tag: int | None, step: int, element: int, wires: tuple[Wire, ...], scan: int, depth: int,
            kind: LinkKind, change: bool, what: str = "") -> Link | None:
    """Power arrives at an element: through which gates, the one that changed last first."""
    flow, circuit = tracer.flow(step, scan), tracer.circuit(step)
    gates = completing(tracer, circuit, wires, flow, tracer.flow(step, scan - 1) if change and scan > 1 else None)
    since = tracer.time(scan) if change else (tracer.since(tag, tracer.view_of(step, scan)) if tag is not None else None)
    name = what or tracer.name(tag)
    words = " and ".join(gate_words(tracer, circuit, g, flow) for g in gates[:3])
    when = f" at {tracer.at(since)}" if since is not None and change else ""
    text = f"{name} {_VERBS.get(kind, 'has power in')} {tracer.place(step)}{when}" + (f": {words}" if words else "")
    link = Link(kind, tag, kind is not LinkKind.RESET_BY, since, step, scan, text, element, tuple(g.element for g in gates))
    for i, gate in enumerate(gates[:6]):
        number = gate_tag(tracer, circuit, gate, flow)
        if i == 0 or (number is not None and not tracer.writers.get(number)):
            explain_gate(tracer, link, circuit, gate, flow, depth, change=change)
    return link


def completing(tracer: Tracer, circuit: Circuit, wires: tuple[Wire, ...], now: Flow, before: Flow | None) -> list[Gate]:
    """The gates of a complete path: those that closed in this evaluation, else all, latest change first; no seal-ins."""
    complete = circuit.complete(wires, now)
    own = set(tracer.coils)
    best: list[Gate] = []
    for path in complete:
        gates = [g for g in path if gate_tag(tracer, circuit, g, now) not in own]
        fresh = [g for g in gates if before is not None and not passes(g, before)]
        chosen = fresh or gates
        chosen.sort(key=lambda g: gate_time(tracer, circuit, g, now), reverse=True)
        latest = gate_time(tracer, circuit, chosen[0], now) if chosen else (0, -1)
        if not best or latest > gate_time(tracer, circuit, best[0], now):
            best = chosen or best
    return best
