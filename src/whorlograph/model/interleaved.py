"""Networks of a block diagram whose turns lie among one another, by the order that the file says, and that see what the others write.

Each network is executed as a whole; where that would give another result than block after block in the file's order, they are one network.
"""

from __future__ import annotations

from collections.abc import Sequence

from .ladder import Block, Coil, Element, InOutVariable, InVariable, Jump, OutVariable, Return, wires_of

Group = list[Element]
_Uses = dict[str, list[tuple[int, int]]]  # by name: (network, turn)


def together(groups: Sequence[Group]) -> list[Group]:
    """Networks in the order in which they would be executed, those that have to be one put together. Not where jumps lead on."""
    found = [list(group) for group in groups]
    orders = [e.execution_order for group in found for e in group if isinstance(e, Block) and e.execution_order > 0]
    if len(set(orders)) < len(orders) or any(isinstance(e, (Jump, Return)) for group in found for e in group):
        return found  # numbered anew in each network, or no list of what is executed one after the other
    while pairs := _at_odds(found):
        into = list(range(len(found)))  # by network: that which it becomes part of
        for one, other in pairs:
            low, high = sorted((_last(into, one), _last(into, other)))
            into[high] = low
        joined: dict[int, Group] = {}
        for n, group in enumerate(found):
            joined.setdefault(_last(into, n), []).extend(group)
        found = sorted(joined.values(), key=first_turn)
    return found


def _last(into: list[int], n: int) -> int:
    while into[n] != n:
        n = into[n]
    return n


def order_of(element: Element) -> int:
    """When the file has an element executed; 0 where it does not say."""
    return element.execution_order if isinstance(element, Block) else element.turn


def first_turn(group: Sequence[Element]) -> int:
    """When a network has its turn, as the file says; 0 where it does not."""
    return min((order_of(e) for e in group if order_of(e)), default=0)


def _at_odds(groups: Sequence[Group]) -> set[tuple[int, int]]:
    """Networks of which one writes what the other reads or writes, in the other order than one after the other."""
    written: _Uses = {}
    read: _Uses = {}
    for n, group in enumerate(groups):
        turns = _turns(group)
        for one in group:
            turn = turns.get(one.id, 0)
            if turn and isinstance(one, (OutVariable, InOutVariable, Coil)) and one.wires:
                written.setdefault(_base(one.variable if isinstance(one, Coil) else one.expression), []).append((n, turn))
            elif turn and isinstance(one, Block) and one.instance:
                written.setdefault(_base(one.instance), []).append((n, turn))
            if turn and isinstance(one, (InVariable, InOutVariable)):
                read.setdefault(_base(one.expression), []).append((n, turn))
    return {(n, m) for name, writers in written.items() for n, turn in writers for m, other in (*read.get(name, ()), *writers)
            if n != m and (n < m) != (turn < other)}


def _turns(group: Group) -> dict[int, int]:
    """By element: when it has its turn; of what the file does not number, that of the block that it belongs to."""
    turns = {e.id: order_of(e) for e in group}
    for one in group:
        if not turns[one.id] and not isinstance(one, Block):
            turns[one.id] = max((turns.get(w.source, 0) for w in wires_of(one)), default=0)
    first: dict[int, int] = {}
    for one in group:
        for wire in wires_of(one):
            if turns[one.id]:
                first[wire.source] = min(first.get(wire.source, turns[one.id]), turns[one.id])
    return turns | {e.id: first[e.id] for e in group if isinstance(e, InVariable) and e.id in first}


def _base(text: str) -> str:
    return text.strip().lower().partition(".")[0].partition("[")[0]
