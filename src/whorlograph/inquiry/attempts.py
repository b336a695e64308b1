"""Attempts: when somebody or something tried to bring a tag on, and it stayed off (ANSWERS.md)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.code import Edge
from whorlograph.engine.evaluate.steps import Seen

from .circuit import Circuit, Gate
from .links.gates import gate_tag
from .symptoms import Course, course
from .tracer import Tracer
from .writers import Kind, Writer

MOST = 100_000
DEEPEST = 4


class Attempt(Struct, frozen=True):
    """A condition of the tag came on in a scan and the tag stayed off."""

    scan: int
    condition: int


def attempts(tracer: Tracer, tag: int, until: int) -> list[Attempt]:
    """The attempts at a tag up to a scan, in order (of very many the last).

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
        if writer.kind in (Kind.RESET, Kind.BLOCK):
            continue
        for condition, on in start_conditions(tracer, tag, writer):
            found += _rises(tracer, condition, on, path, until)
            if tracer.writers.get(condition) and on:
                found += [a for a in _attempts(tracer, condition, until, seen, depth + 1) if not path.at(a.scan)]
    return found


def start_conditions(tracer: Tracer, tag: int, writer: Writer) -> list[tuple[int, bool]]:
    """(tag, state wanted) of the gates that start a rung: those beside its seal-in, else all of them."""
    circuit, seen = tracer.circuit(writer.step), tracer.seen(writer.step, 1)
    power = writer.power if writer.power is not None else writer.value
    paths = circuit.paths(power, not writer.inverted) if power is not None else []
    sealed = [p for p in paths if any(not g.negated and gate_tag(tracer, g, seen) == tag for g in p)]
    others = [p for p in paths if p not in sealed]
    shared = set.intersection(*(set(p) for p in sealed)) if sealed else set()
    gates = {g for p in others for g in p if g not in shared} if sealed else {g for p in paths for g in p}
    found = _conditions(tracer, circuit, gates, seen, tag)
    for gate in gates:
        number = gate_tag(tracer, gate, seen)
        call = tracer.written.block_in(writer.step, number) if number is not None else None
        for pin in call.pins.values() if call is not None else ():  # what starts a timer starts the rung
            if pin.type == "BOOL":
                found += _conditions(tracer, circuit, {g for p in circuit.paths(pin) for g in p}, seen, tag)
    return sorted(set(found))


def _conditions(tracer: Tracer, circuit: Circuit, gates: set[Gate], seen: Seen, tag: int) -> list[tuple[int, bool]]:
    """(tag, state wanted) of the gates that look at a BOOL tag outside the step's own blocks."""
    found: list[tuple[int, bool]] = []
    for gate in gates:
        number, load = gate_tag(tracer, gate, seen), circuit.load(gate)
        if number is None or number == tag or load is None or not tracer.boolean(number):
            continue
        if tracer.origin(seen.step, load.at).what in ("", "gate"):
            leaf = circuit.leaves.get(gate.at)
            found.append((number, leaf.rising if isinstance(leaf, Edge) else not gate.negated))
    return found


def _rises(tracer: Tracer, condition: int, on: bool, path: Course, until: int) -> list[Attempt]:
    """The scans in which a condition came on while the tag was off and stayed off."""
    scans, values = tracer.journal.history(condition)
    scans = scans[(scans > 1) & (scans <= until) & ((values != 0) == on)]
    scans = scans[(path.at_all(scans) == 0) & (path.at_all(scans + 1) == 0)]
    return [Attempt(s, condition) for s in scans[-MOST:][::-1].tolist()]
