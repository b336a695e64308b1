"""Seal-ins through other rungs: a request that the output itself keeps up, which the output follows (``R := (Start OR Out) AND Stop; Out := R``)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from whorlograph.engine.code import Call, Expr, Load
from whorlograph.engine.evaluate.steps import Seen

from . import auxiliary
from .alone import DEEPEST, decides, helped, power_of, ways_of
from .circuit import Gate, Path
from .generators import upstream
from .links.gates import gate_bit, gate_tag, gate_words
from .writers import Writer

if TYPE_CHECKING:
    from .tracer import Tracer, Vantage

MOST_WAYS = 200


class Place(Struct, frozen=True):
    """A gate of a step."""

    step: int
    gate: Gate


Way = frozenset[Place]


def ways_round(tracer: Tracer, tag: int, writer: Writer) -> list[Way]:
    """All ways to bring a tag on by a rung, with the rungs opened up through which it keeps itself on; [] where it does not by others."""
    power = power_of(tracer, tag, writer)
    if power is None:
        return []
    found, opened = _ways(tracer, tag, writer.step, power, frozenset((tag,)))
    return found if opened and len(found) <= MOST_WAYS else []


def way_round(tracer: Tracer, tag: int) -> frozenset[int]:
    """The other tags through which a tag may keep itself on."""
    return frozenset(one for one in followers(tracer, tag) if tag in followers(tracer, one))


def followers(tracer: Tracer, tag: int) -> frozenset[int]:
    """The tags that a tag, or what reports it back, helps to bring on: those through which it may keep itself on are among them."""
    known = tracer.followers.get(tag)
    if known is None:
        known = tracer.followers[tag] = helped(tracer, (tag, *(a.tag for a in auxiliary.of_tag(tracer, tag) if a.sure))) - {tag}
    return known


class Kept(Struct):
    """How a tag keeps itself on: the other tags that it does so through, the gates besides that all ways of that have in common, by what they are
    called, the values of its rungs, and whether there are no gates besides.
    """

    through: list[int] = []
    ends: dict[str, Place] = {}
    rungs: list[tuple[int, Expr]] = []
    alone: bool = True


def kept_by_itself(tracer: Tracer, tag: int, step: int, power: Expr, view: Vantage, holding: set[tuple[int, int]]) -> Kept | None:
    """How a value is on only because a tag is, as seen from a moment; None where it is on by something else too.

    Of the gates besides those are left of which each would end it.
    Args: holding: the tag, and the contacts that report it back, each with the bit of it, -1 the whole.
    """
    found = _kept(tracer, tag, (step, power), view, holding, frozenset())
    if found is not None:
        found.ends = {words: end for words, end in found.ends.items() if not _goes_on_by_another(tracer, end, found.rungs, view)}
    return found


def _kept(tracer: Tracer, tag: int, made: tuple[int, Expr], view: Vantage, holding: set[tuple[int, int]],
          passed: frozenset[int]) -> Kept | None:
    step, power = made
    circuit, seen = tracer.circuit(step), tracer.seen(step, tracer.ran(step, view))
    all_ways = [_kept_way(tracer, tag, path, seen, view, holding, passed) for path in circuit.complete(power, seen.result)]
    ways = [way for way in all_ways if way is not None]
    if not ways or len(ways) < len(all_ways):
        return None
    ends = {words: end for words, end in ways[0].ends.items() if all(words in way.ends for way in ways)}
    through = list(dict.fromkeys(one for way in ways for one in way.through))
    return Kept(through, ends, [made, *(one for way in ways for one in way.rungs)], all(way.alone for way in ways))


def _kept_way(tracer: Tracer, tag: int, path: Path, seen: Seen, view: Vantage, holding: set[tuple[int, int]],
              passed: frozenset[int]) -> Kept | None:
    """How a path is complete only because a tag is on; None where it is without."""
    found, itself = Kept(), False
    for gate in path:
        if holds(tracer, gate, seen, holding):
            itself = True
            continue
        number, inner = gate_tag(tracer, gate, seen), None
        if number is not None and not gate.negated and number not in passed and len(passed) <= DEEPEST and number in followers(tracer, tag):
            by = decides(tracer, number)
            inner = _kept(tracer, tag, by, view, holding, passed | {number}) if by is not None else None
        if inner is None:
            found.ends[gate_words(tracer, gate, seen)] = Place(seen.step, gate)
            found.alone = False
            continue
        itself = True
        found.through += [number or 0, *inner.through]
        found.ends |= inner.ends
        found.rungs += inner.rungs
        found.alone = found.alone and inner.alone
    return found if itself else None


def holds(tracer: Tracer, gate: Gate, seen: Seen, holding: set[tuple[int, int]]) -> bool:
    """Whether a gate passes because a tag is on. Args: holding: as in ``kept_by_itself``."""
    number, load = gate_tag(tracer, gate, seen), tracer.circuit(seen.step).load(gate)
    if number is None or gate.negated or (number, gate_bit(tracer, gate, seen)) not in holding:
        return False
    return load is None or tracer.wrote_before(number, load.at, seen) is None  # what the same step gave it before is not the tag as it was


def _goes_on_by_another(tracer: Tracer, end: Place, rungs: list[tuple[int, Expr]], view: Vantage) -> bool:
    """Whether a way without a gate may come to be complete once that does not pass: nothing on it is open, but for what the same decides."""
    mine = _outside(tracer, end)
    for step, power in rungs:
        circuit, seen = tracer.circuit(step), tracer.seen(step, tracer.ran(step, view))
        for path in circuit.paths(power):
            opened = [_outside(tracer, Place(step, gate)) for gate in circuit.open_gates(path, seen.result)]
            if not opened or (step == end.step and end.gate in path):
                continue  # complete only through the tag itself, or gone with the gate
            if mine is None or not any(theirs is not None and not theirs & mine for theirs in opened):
                return True
    return False


def _outside(tracer: Tracer, place: Place) -> set[int] | None:
    """The tags from outside that decide what a gate looks at; None where they are too many."""
    circuit, seen = tracer.circuit(place.step), tracer.seen(place.step, 1)
    number, leaf = gate_tag(tracer, place.gate, seen), circuit.leaves.get(place.gate.at)
    loads = circuit.loads(circuit.behind(leaf)) if number is None and leaf is not None and not isinstance(leaf, Call) else ()
    cells = [tracer.cell(one, seen) for one in loads if isinstance(one, Load)]
    found: set[int] = set()
    for tag in [number] if number is not None else [cell.number for cell in cells if cell is not None]:
        above = upstream(tracer, tag) if tracer.writers.get(tag) else [tag]
        if above is None:
            return None
        found |= set(above)
    return found


def _ways(tracer: Tracer, tag: int, step: int, power: Expr, passed: frozenset[int]) -> tuple[list[Way], bool]:
    """The ways of a value; and whether any was opened up."""
    seen, found, opened = tracer.seen(step, 1), list[Way](), False
    for path in ways_of(tracer, step, power):
        ways: list[Way] = [frozenset()]
        for gate in path:
            number = gate_tag(tracer, gate, seen) if not gate.negated else None
            by = decides(tracer, number) if number is not None and number not in passed else None
            if number is not None and by is not None and len(passed) <= DEEPEST and number in followers(tracer, tag):
                more, _ = _ways(tracer, tag, *by, passed | {number})
                ways, opened = [way | other for way in ways for other in more], True
            else:
                ways = [way | {Place(step, gate)} for way in ways]
            if len(ways) > MOST_WAYS:
                return ways, opened
        found += ways
    return found, opened
