"""Attempts: when somebody or something tried to bring a tag on, and it stayed off (ANSWERS.md)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.ladder import Block, CoilKind, Contact, ContactKind

from .circuit import Circuit, Gate
from .symptoms import Course, course
from .tracer import Tracer, Writer

MOST = 40
DEEPEST = 4


class Attempt(Struct, frozen=True):
    """A condition of the tag came on in a scan and the tag stayed off."""

    scan: int
    condition: int


def attempts(tracer: Tracer, tag: int, until: int) -> list[Attempt]:
    """The attempts at a tag up to a scan, in order, the last forty.

    Where a rung has a seal-in, the conditions beside it (the start buttons) count; else any of its conditions.
    A start condition that the program computes passes its own attempts on.
    """
    found = _attempts(tracer, tag, until, set(), 0)
    unique = {a.scan: a for a in sorted(found, key=lambda a: a.scan)}
    return list(unique.values())[-MOST:]


def _attempts(tracer: Tracer, tag: int, until: int, seen: set[int], depth: int) -> list[Attempt]:
    if tag in seen or depth > DEEPEST:
        return []
    seen.add(tag)
    path = course(tracer.journal, tag)
    found: list[Attempt] = []
    for writer in tracer.writers.get(tag, []):
        if writer.kind in (CoilKind.RESET,) or not hasattr(writer.element, "wires"):
            continue
        for condition, on in start_conditions(tracer, tag, writer):
            found += _rises(tracer, condition, on, path, until)
            if tracer.writers.get(condition) and on:
                found += [a for a in _attempts(tracer, condition, until, seen, depth + 1) if not path.at(a.scan)]
    return found


def start_conditions(tracer: Tracer, tag: int, writer: Writer) -> list[tuple[int, bool]]:
    """(tag, state wanted) of the contacts that start a rung: those beside its seal-in, else all of them."""
    circuit = tracer.circuit(writer.step)
    flow = tracer.flow(writer.step, 1)
    paths = circuit.paths(writer.element.wires)  # type: ignore[attr-defined]
    sealed = [p for p in paths if any(_seals(circuit.contact(g), flow.tags.get(g.element), tag) for g in p)]
    others = [p for p in paths if p not in sealed]
    shared = set.intersection(*(set(p) for p in sealed)) if sealed else set()
    gates = {g for p in others for g in p if g not in shared} if sealed else {g for p in paths for g in p}
    found: list[tuple[int, bool]] = []
    for gate in gates:
        contact, number = circuit.contact(gate), flow.tags.get(gate.element)
        if contact is not None and number is not None and number != tag:
            found.append((number, contact.kind not in (ContactKind.NORMALLY_CLOSED, ContactKind.FALLING)))
    found += _through_blocks(tracer, circuit, gates, flow.tags)
    return sorted(set(found))


def _through_blocks(tracer: Tracer, circuit: Circuit, gates: set[Gate], tags: dict[int, int]) -> list[tuple[int, bool]]:
    """Conditions that lead into blocks on the rung's paths: what starts a timer starts the rung."""
    found: list[tuple[int, bool]] = []
    for gate in gates:
        if not gate.pin:
            continue
        block = circuit.ids.get(gate.element)
        for pin in block.inputs if isinstance(block, Block) else ():
            for path in circuit.paths(pin.wires):
                for inner in path:
                    contact, number = circuit.contact(inner), tags.get(inner.element)
                    if contact is not None and number is not None:
                        found.append((number, contact.kind is not ContactKind.NORMALLY_CLOSED))
    return found


def _seals(contact: Contact | None, number: int | None, tag: int) -> bool:
    return contact is not None and contact.kind is ContactKind.NORMALLY_OPEN and number == tag


def _rises(tracer: Tracer, condition: int, on: bool, path: Course, until: int) -> list[Attempt]:
    """The scans in which a condition came on while the tag was off and stayed off."""
    scans, values = tracer.journal.history(condition)
    scans = scans[(scans > 1) & (scans <= until) & ((values != 0) == on)]
    scans = scans[(path.at_all(scans) == 0) & (path.at_all(scans + 1) == 0)]
    return [Attempt(s, condition) for s in scans[-MOST:][::-1].tolist()]
