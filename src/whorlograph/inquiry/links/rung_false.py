"""``rung-false``: no complete path brings power to the coil."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.power import Flow
from whorlograph.model.ladder import CoilKind, ContactKind, Wire
from whorlograph.model.question import LinkKind, RootKind

from ..circuit import Circuit, Gate, Path, passes
from ..trail import Link, Root
from .gates import explain_gate, gate_time, gate_words

if TYPE_CHECKING:
    from ..tracer import Tracer, Writer


def changed(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """The coil lost its power in this scan: the contact that opened first on the path that was lost last."""
    now, before = tracer.flow(writer.step, scan), tracer.flow(writer.step, scan - 1)
    wires: tuple[Wire, ...] = writer.element.wires  # type: ignore[attr-defined]
    circuit = tracer.circuit(writer.step)
    lost = first_out(tracer, circuit, wires, now, before)
    if not lost:
        return stands(tracer, tag, writer, scan, depth)
    since = tracer.time(scan)
    first = gate_words(tracer, circuit, lost[0], now)
    text = f"{tracer.name(tag)} went off at {tracer.at(since)}: in {tracer.place(writer.step)} {first} opened first"
    link = Link(LinkKind.RUNG_FALSE, tag, writer.kind == "negated coil", since, writer.step, scan, text, writer.element.id,
                tuple(g.element for g in lost))
    for gate in lost[:3]:
        explain_gate(tracer, link, circuit, gate, now, depth, change=True)
    return link


def first_out(tracer: Tracer, circuit: Circuit, wires: tuple[Wire, ...], now: Flow, before: Flow) -> list[Gate]:
    """The gates that opened on paths that were complete before: first-out of the path lost last, then the others'."""
    firsts: list[tuple[tuple[int, int], Gate]] = []
    for path in circuit.complete(wires, before):
        opened = circuit.open_gates(path, now)
        if opened:
            ordered = sorted(opened, key=lambda g: gate_time(tracer, circuit, g, now))
            firsts.append((gate_time(tracer, circuit, ordered[0], now), ordered[0]))
    firsts.sort(key=lambda f: f[0], reverse=True)
    return list(dict.fromkeys(g for _, g in firsts))


def stands(tracer: Tracer, tag: int | None, writer: Writer, scan: int, depth: int, kind: LinkKind = LinkKind.RUNG_FALSE) -> Link | None:
    """The coil has no power: the smallest set of gates that would complete a path."""
    wires: tuple[Wire, ...] = writer.element.wires  # type: ignore[attr-defined]
    found = unpowered(tracer, tag, writer.step, writer.element.id, wires, scan, depth, kind)
    if found is not None and writer.kind is CoilKind.NEGATED:
        found.value, found.text = True, f"{found.text}, so its negated coil is on"
    return found


def unpowered(tracer: Tracer, tag: int | None, step: int, element: int, wires: tuple[Wire, ...], scan: int, depth: int,
              kind: LinkKind = LinkKind.RUNG_FALSE, what: str = "") -> Link | None:
    """No power arrives at an element: which gates block, and why each does."""
    flow, circuit = tracer.flow(step, scan), tracer.circuit(step)
    blocking, contradiction = smallest_set(tracer, circuit, wires, flow)
    since = tracer.since(tag, tracer.view_of(step, scan)) if tag is not None else None
    name = what or tracer.name(tag)
    if contradiction:
        text = f"{name}: every path of {tracer.place(step)} asks one tag to be on and off at once"
        root = Root(RootKind.PROGRAM, tag, False, None, text, f"correct {tracer.place(step)}", step=step)
        return Link(kind, tag, False, since, step, scan, text, element, roots=[root])
    if not blocking:
        return Link(kind, tag, False, since, step, scan, f"{name} is off: nothing is wired to it in {tracer.place(step)}", element)
    words = " and ".join(gate_words(tracer, circuit, g, flow) for g in blocking[:3])
    more = f" and {len(blocking) - 3} more" if len(blocking) > 3 else ""
    verb = "block" if len(blocking) > 1 else "blocks"
    text = f"{name} has no power in {tracer.place(step)}: {words}{more} {verb}"
    link = Link(kind, tag, False, since, step, scan, text, element, tuple(g.element for g in blocking))
    ordered = sorted(blocking, key=lambda g: gate_time(tracer, circuit, g, flow), reverse=True)
    for gate in ordered[:6]:
        explain_gate(tracer, link, circuit, gate, flow, depth, change=False)
    return link


def smallest_set(tracer: Tracer, circuit: Circuit, wires: tuple[Wire, ...], flow: Flow) -> tuple[list[Gate], bool]:
    """The fewest gates that would complete a path; of equally few, those that changed last.

    A seal-in of a coil on the trail is no way in, unless there is no other; nor is a path that contradicts itself.
    Returns: the gates, and whether every path contradicts itself.
    """
    paths = circuit.paths(wires)
    sound = [p for p in paths if not circuit.contradicts(p, flow)]
    if paths and not sound:
        return [], True
    free = [p for p in sound if not _sealed(tracer, circuit, p, flow)] or sound
    best: tuple[tuple[int, int, int], Path] | None = None
    for path in free:
        opened = circuit.open_gates(path, flow)
        latest = max((gate_time(tracer, circuit, g, flow) for g in opened), default=(0, 0))
        key = (-len(opened), *latest)
        if best is None or key > best[0]:
            best = (key, path)
    return (circuit.open_gates(best[1], flow) if best is not None else []), False


def _sealed(tracer: Tracer, circuit: Circuit, path: Path, flow: Flow) -> bool:
    for gate in path:
        contact = circuit.contact(gate)
        if contact is not None and contact.kind is ContactKind.NORMALLY_OPEN and flow.tags.get(gate.element) in tracer.coils \
                and not passes(gate, flow):
            return True
    return False
