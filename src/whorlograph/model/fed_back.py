"""Wires of a block diagram that lead back: the block that takes has its turn before the one that gives, by the order that the file says.

Such a wire brings what it brought at the evaluation before, FALSE or 0 at first (IEC 61131-3:2013, 8.3.3; CONTROLLER.md, Other languages).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from .ladder import Block, Connector, Continuation, Element, InVariable, OutVariable, Rung, Wire, wires_of
from .pins import output_pin

LEADS_BACK = "a wire of it leads back, and what that brings cannot be kept"


class Back(Struct, frozen=True):
    """A wire that leads back: the block that takes, which of its inputs and wires it is; the block that gives, and its output pin."""

    taker: int
    pin: int
    wire: int
    giver: int
    output: str


def leading_back(elements: Sequence[Element], continued: Mapping[int, int]) -> list[Back]:
    """The wires of a network that lead back. Args: continued: by the id of a continuation, its connector's.

    Where a loop is left and one block alone has no number, it is the first: files count from 0 too.
    """
    blocks = [e for e in elements if isinstance(e, Block)]
    ordered = {e.id: e for e in blocks if e.execution_order > 0}
    if not ordered:
        return []
    by_id = {e.id: e for e in elements}
    found = _backs(ordered, by_id, continued)
    if len(blocks) == len(ordered) + 1 and _is_looped(by_id, continued, found):
        found = _backs({e.id: e for e in blocks}, by_id, continued)
    return found


def _is_looped(by_id: Mapping[int, Element], continued: Mapping[int, int], backs: Sequence[Back]) -> bool:
    """Whether wires form a loop, those that lead back apart."""
    cut = {(b.taker, taker.inputs[b.pin].wires[b.wire].source) for b in backs if isinstance(taker := by_id[b.taker], Block)}
    waits = {n: {w.source for w in wires_of(e) if w.source in by_id and (n, w.source) not in cut} for n, e in by_id.items()}
    for n, connector in continued.items():
        waits[n].add(connector)
    while ready := [n for n, sources in waits.items() if not sources]:
        for n in ready:
            del waits[n]
        waits = {n: sources.difference(ready) for n, sources in waits.items()}
    return bool(waits)


def _backs(ordered: Mapping[int, Block], by_id: Mapping[int, Element], continued: Mapping[int, int]) -> list[Back]:
    found = []
    for taker in ordered.values():
        for n, pin in enumerate(taker.inputs):
            for k, wire in enumerate(pin.wires):
                source = _source(wire, by_id, continued)
                giver = ordered.get(source.source) if source is not None else None
                if source is not None and giver is not None and _turn(taker) <= _turn(giver):
                    found.append(Back(taker.id, n, k, giver.id, output_pin(source, giver)))
    return found


def _turn(block: Block) -> tuple[int, int, int]:
    return block.execution_order, block.y, block.x


def _source(wire: Wire, by_id: Mapping[int, Element], continued: Mapping[int, int]) -> Wire | None:
    """Where a wire comes from, through connectors of one wire."""
    for _ in by_id:
        one = by_id.get(wire.source)
        if not isinstance(one, Continuation):
            return wire
        connector = by_id.get(continued.get(one.id, one.id))
        if not isinstance(connector, Connector) or len(connector.wires) != 1:
            return None
        wire = connector.wires[0]
    return None


def with_wires_cut(elements: Sequence[Element], backs: Sequence[Back], names: Mapping[tuple[int, str], str], number: int) -> tuple[Element, ...]:
    """A network whose wires that lead back are cut: what is taken is read by name, right before, and written by name right behind what gives it.

    Args: names: of what is given, by block and pin, the variable; of a block with an instance its pin, which nothing has to write; number: ids
        from behind it are free.
    """
    by_id = {e.id: e for e in elements}
    made: dict[int, list[Element]] = {}  # by the block that takes: what it reads
    wires: dict[tuple[int, int, int], Wire] = {}
    written: dict[int, list[Element]] = {}
    for (giver, output), name in names.items():
        block = by_id[giver]
        if isinstance(block, Block) and not block.instance:
            number += 1
            written.setdefault(giver, []).append(OutVariable(number, block.x + 1, block.y, 0, 0, block.line, name, False, (Wire(giver, output),)))
    for back in backs:
        number += 1
        block, taker = by_id[back.giver], by_id[back.taker]
        inverted = isinstance(block, Block) and bool(block.instance) and any(p.negated for p in block.outputs if p.name.upper() == back.output)
        made.setdefault(back.taker, []).append(InVariable(number, taker.x - 1, taker.y, 0, 0, taker.line, names[back.giver, back.output], inverted))
        wires[back.taker, back.pin, back.wire] = Wire(number)
    found: list[Element] = []
    for one in elements:
        found += made.get(one.id, ())
        found.append(_rewired(one, wires) if one.id in made and isinstance(one, Block) else one)
        found += written.get(one.id, ())
    return tuple(found)


def cut_by_turn(rung: Rung, backs: Sequence[Back]) -> Rung:
    """A network whose wires that lead back are cut, under names that tell which block in turn gives what is taken."""
    if not backs:
        return rung
    turns = sorted((e for e in rung.elements if isinstance(e, Block)), key=_turn)
    called = {e.id: e.instance or f"{e.type_name} {n}" for n, e in enumerate(turns, 1)}
    names = {(b.giver, b.output): f"{called[b.giver]}.{b.output}" for b in backs}
    return replace(rung, elements=with_wires_cut(rung.elements, backs, names, max(e.id for e in rung.elements)))


def _rewired(block: Block, wires: Mapping[tuple[int, int, int], Wire]) -> Block:
    inputs = tuple(replace(pin, wires=tuple(wires.get((block.id, n, k), w) for k, w in enumerate(pin.wires))) for n, pin in enumerate(block.inputs))
    return replace(block, inputs=inputs)
