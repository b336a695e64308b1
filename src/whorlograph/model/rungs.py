"""Ladder elements gathered into rungs, in the order in which they are executed."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping
from heapq import heappop, heappush
from itertools import accumulate
from operator import attrgetter

from msgspec.structs import replace

from .fed_back import LEADS_BACK, cut_by_turn, leading_back
from .interleaved import first_turn, order_of, together
from .ladder import Block, Comment, Connector, Continuation, Element, InVariable, Jump, Label, LadderBody, LeftRail, RightRail, Rung, Wire, wires_of
from .modifiers import odd_modifier
from .pins import unknown_pins, with_standard_pins

_PLACE = attrgetter("y", "x")


class _Parts:
    """Disjoint sets of element ids."""

    def __init__(self, ids: Iterable[int]) -> None:
        self.parent = {i: i for i in ids}

    def find(self, i: int) -> int:
        parent = self.parent
        while (above := parent[i]) != i:
            parent[i] = i = parent[above]  # each second one on the way is hung higher
        return i

    def join(self, a: int, b: int) -> None:
        one, other = self.find(a), self.find(b)
        if one != other:
            self.parent[one] = other


def build(elements: tuple[Element, ...], language: str = "LD") -> tuple[LadderBody, list[str]]:
    """Gather elements into rungs, ordered by the smallest y (then x) of their elements; a block diagram by the file's order of execution, if any.

    Returns: the body, and sentences about what does not fit (a label that is missing or doubled, a
    connector without continuation, a wire from nowhere, a loop of wires, an element that is asked for what it cannot do).
    Source: CONTROLLER.md, Ladder.
    """
    said: list[str] = []
    by_id = {e.id: e for e in elements}
    active = [with_standard_pins(e) if isinstance(e, Block) else e for e in elements if not isinstance(e, (LeftRail, RightRail, Label, Comment))]
    parts = _Parts(e.id for e in active)
    continued = _join(active, by_id, parts, said)
    groups: dict[int, list[Element]] = {}
    for element in active:
        groups.setdefault(parts.find(element.id), []).append(element)
    by_place = [sorted(g, key=_PLACE) for g in groups.values()]
    ordered = sorted(by_place, key=lambda g: (g[0].y, g[0].x))
    tops = [g[0].y for g in ordered]
    by_order = language == "FBD" and any(map(order_of, active))
    if by_order:
        ordered = [_in_turn(g) for g in together(sorted(ordered, key=first_turn))]
        tops = [min(e.y for e in g) for g in ordered]
    below = list(accumulate(tops, max))  # the first of them that is at or below a place is that of the rungs
    targets = _targets(elements, below, said)
    comments = _comments(elements, below)
    rungs = []
    labels: dict[int, list[str]] = {}
    for name, number in targets.items():
        labels.setdefault(number, []).append(name)
    for index, group in enumerate(ordered):
        own = {e.id: continued[e.id] for e in group if e.id in continued} if continued else {}
        rung = Rung(index + 1, tuple(group), tuple(labels.get(index + 1, ())), comments.get(index, ""), own)
        back = leading_back(group, own) if by_order else []
        cut = cut_by_turn(rung, back)
        looped = len(evaluation_order(cut)) != len(cut.elements)
        text = "its wires form a loop" if looped else odd_modifier(group) or (LEADS_BACK if back else "")
        if text == LEADS_BACK:
            rung = replace(rung, fault=text)  # till what it brings has a name
        elif text:
            unit = "network" if language == "FBD" else "rung"
            said.append(f"{unit} {index + 1}: {text}: it is not executed, what it alone writes comes from the log")
            rung = Rung(rung.number, rung.elements, rung.labels, rung.comment, own, text)
        rungs.append(rung)
    for rung in rungs:
        for element in rung.elements:
            written = by_id[element.id]
            renamed = _renamed(written, element) if element is not written else ""
            if renamed:
                said.append(f"rung {rung.number}: {renamed}")
            if isinstance(element, Jump) and element.label.lower() not in targets:
                said.append(f"rung {rung.number}: jump to {element.label or 'no label'}, which does not exist: "
                            "the jump is never taken")
    return LadderBody(elements, tuple(rungs), targets, language), said


def _renamed(written: Element, element: Element) -> str:
    """That pins of a block are taken for others, in words; "" where they are not."""
    if not isinstance(element, Block) or not isinstance(written, Block) or not unknown_pins(written):
        return ""
    now = [p.name for p in element.inputs if all(p.name != w.name for w in written.inputs)]
    taken = " and ".join(now) + (", in this order" if len(now) > 1 else "")
    return f"{written.type_name} has no {' and no '.join(unknown_pins(written))}: taken as {taken}"


def _in_turn(group: list[Element]) -> list[Element]:
    """Elements of a block diagram as they have their turn, of those whose inputs are known: as the file says, else by their place; a variable
    that is read right before what takes it first."""
    first: dict[int, int] = {}
    for element in group:
        for wire in wires_of(element):
            first[wire.source] = min(first.get(wire.source, order_of(element)), order_of(element))
    return sorted(group, key=lambda e: (first.get(e.id, 0), 0, e.y, e.x) if isinstance(e, InVariable) else (order_of(e), 1, e.y, e.x))


def _join(active: list[Element], by_id: dict[int, Element], parts: _Parts, said: list[str]) -> dict[int, int]:
    named: dict[str, int] = {}
    for element in active:
        if isinstance(element, Connector):
            if element.name.lower() in named:
                said.append(f"two connectors are called {element.name}: the first counts")
            named.setdefault(element.name.lower(), element.id)
    continued: dict[int, int] = {}
    for element in active:
        for wire in wires_of(element):
            if wire.source in parts.parent:
                parts.join(element.id, wire.source)
            elif wire.source not in by_id:
                said.append(f"element {element.id} is wired from {wire.source}, which does not exist: no power comes from there")
        if isinstance(element, Continuation):
            other = named.get(element.name.lower())
            if other is None:
                said.append(f"continuation {element.name} has no connector: no power comes from there")
            else:
                continued[element.id] = other
                parts.join(element.id, other)
    return continued


def _targets(elements: tuple[Element, ...], below: list[int], said: list[str]) -> dict[str, int]:
    targets: dict[str, int] = {}
    for element in sorted((e for e in elements if isinstance(e, Label)), key=_PLACE):
        name = element.label.lower()
        if name in targets:
            said.append(f"label {element.label} stands twice: the upper one counts")
            continue
        targets[name] = bisect_left(below, element.y) + 1
    return targets


def _comments(elements: tuple[Element, ...], below: list[int]) -> dict[int, str]:
    """Each comment belongs to the first rung at or below it."""
    found: dict[int, str] = {}
    for element in sorted((e for e in elements if isinstance(e, Comment)), key=_PLACE):
        index = bisect_left(below, element.y)
        if index < len(below) and element.text:
            found[index] = f"{found[index]} · {element.text}" if index in found else element.text
    return found


def sources(element: Element, rung: Rung, ids: Mapping[int, Element]) -> tuple[Wire, ...]:
    """The wires that must be evaluated before an element: those from elements of its rung."""
    if isinstance(element, Continuation):
        other = rung.continued.get(element.id)
        return (Wire(other),) if other is not None else ()
    return tuple(w for w in wires_of(element) if w.source in ids)


def evaluation_order(rung: Rung) -> list[Element]:
    """Elements in the order of evaluation: of those whose inputs are all known, the smallest (y, x).

    Elements in a loop of wires are left out. Source: CONTROLLER.md, Ladder.
    """
    known = _ORDERS.get(id(rung))
    if known is not None and known[0] is rung:
        return known[1]
    order = _order(rung)
    if len(_ORDERS) > 50_000:
        _ORDERS.clear()
    _ORDERS[id(rung)] = (rung, order)
    return order


def _is_ordered(rung: Rung, ids: Mapping[int, Element]) -> bool:
    """Whether each element stands behind all that it waits for: the order is that of the elements then, and mostly it is so."""
    behind = set[int]()
    for element in rung.elements:
        if isinstance(element, Continuation):
            if rung.continued.get(element.id, element.id) not in behind and element.id in rung.continued:
                return False
        else:
            for wire in wires_of(element):
                if wire.source not in behind and wire.source in ids:
                    return False
        behind.add(element.id)
    return True


# By identity, the rung kept so that its number is not given to another: three layers ask for the same order.
_ORDERS: dict[int, tuple[Rung, list[Element]]] = {}


def _order(rung: Rung) -> list[Element]:
    ids = {e.id: e for e in rung.elements}
    if _is_ordered(rung, ids):
        return [*rung.elements]
    place = {e.id: i for i, e in enumerate(rung.elements)}
    waits: dict[int, int] = {}
    feeds: dict[int, list[int]] = {}
    for element in rung.elements:
        before = {w.source for w in sources(element, rung, ids)}
        waits[element.id] = len(before)
        for source in before:
            feeds.setdefault(source, []).append(element.id)
    ready: list[int] = []
    for element in rung.elements:
        if waits[element.id] == 0:
            heappush(ready, place[element.id])
    order = []
    while ready:
        element = rung.elements[heappop(ready)]
        order.append(element)
        for fed in feeds.get(element.id, ()):
            waits[fed] -= 1
            if waits[fed] == 0:
                heappush(ready, place[fed])
    return order
