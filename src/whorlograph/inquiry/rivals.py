"""Coils that exclude one another, as those of two directions: they lock each other out, or one asks for what the other asks the opposite of."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from whorlograph.engine.evaluate.steps import Seen

from .circuit import Gate
from .links.gates import gate_tag
from .links.handed_as_it_is import source
from .symptoms import Course, course
from .tracer import Tracer
from .writers import Kind

MOST_RIVALS = 200  # rungs that are looked through


class Rival(Struct, frozen=True):
    """A coil that cannot be on with another: its tag, what only the other asks to be on, and what both do."""

    tag: int
    mine: frozenset[int]
    both: frozenset[int]


def rivals(tracer: Tracer, tag: int) -> Iterator[Rival]:
    """The rivals of a tag's coils which the program chooses between.

    What a device or a person chooses by may be the fault: then the question is about just that.
    """
    on, off = asked(tracer, tag, on=True), asked(tracer, tag, on=False)
    access = tracer.controller.access
    steps = {use.step for one in on | off for use in access.of_tag(one) if not use.writes} if on else set()
    for other in {t for step in steps for use in access.of_step(step) if use.writes for t in use.tags()} if len(steps) <= MOST_RIVALS else ():
        if other == tag or other in on | off or not tracer.boolean(other):
            continue
        theirs_on, theirs_off = asked(tracer, other, on=True), asked(tracer, other, on=False)
        apart = ((on & theirs_off) | (off & theirs_on)) - {tag, other}
        if on & theirs_on and any(source(tracer, one) is None for one in apart):
            yield Rival(other, on - theirs_on, on & theirs_on)


def brought_on(rival: Course, command: Course, scan: int, until: int) -> bool:
    """Whether a coil was on, or came on while a command stood that came in a scan and is over by another."""
    fell = command.next_change(scan + 1, False)
    came = rival.next_change(scan + 1, True)
    return came is not None and fell is not None and came <= fell <= until


def of_its_own(tracer: Tracer, tag: int, gates: set[Gate], everything: set[Gate], seen: Seen) -> set[Gate]:
    """Gates that start a tag; where they start either of two coils that lock each other out, those that tell the tag from the other."""
    mine = asked(tracer, tag, on=True)
    for other in asked(tracer, tag, on=False) - {tag}:
        if tag not in asked(tracer, other, on=False):
            continue
        shared = asked(tracer, other, on=True)
        if not mine - shared:
            continue
        either = {(other, True), *((one, False) for one in shared)}
        kept = {g for g in gates if (gate_tag(tracer, g, seen), g.negated) not in either}
        if not kept:
            comes = {one for one in mine - shared if _comes(course(tracer.journal, one))} or mine - shared
            kept = {g for g in everything if not g.negated and gate_tag(tracer, g, seen) in comes}
        gates = kept
    return gates


def _comes(path: Course) -> bool:
    """Whether a tag goes on in the log, but for its beginning."""
    return bool(((path.values != 0) & (path.scans > 1)).any())


def asked(tracer: Tracer, tag: int, on: bool) -> frozenset[int]:
    """The tags that all ways to bring a tag on by its coils, plain or set, ask to be on, or off; its seal-ins are none."""
    if tag not in tracer.asked_by:
        tracer.asked_by[tag] = frozenset((one, state) for one, state in _asked_by(tracer, tag) if one is not None)
    return frozenset(one for one, state in tracer.asked_by[tag] if state == on)


def _asked_by(tracer: Tracer, tag: int) -> set[tuple[int | None, bool]]:
    ways: list[set[tuple[int | None, bool]]] = []
    for writer in (w for w in tracer.writers.get(tag, ()) if w.kind is not Kind.RESET):
        if writer.kind not in (Kind.COIL, Kind.SET) or writer.power is None or writer.inverted:
            return set()
        circuit, seen = tracer.circuit(writer.step), tracer.seen(writer.step, 1)
        found = [{(gate_tag(tracer, gate, seen), not gate.negated) for gate in path} for path in circuit.paths(writer.power)]
        ways += [way for way in found if (tag, True) not in way]
    return set.intersection(*ways) if ways else set()
