"""Ladder bodies of the XML exchange format."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import cast

from lxml import etree
from msgspec.structs import replace

from whorlograph.model.ladder import (
    Block,
    Coil,
    Comment,
    Connector,
    Contact,
    Continuation,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    Label,
    LadderBody,
    LeftRail,
    OutVariable,
    Pin,
    Return,
    RightRail,
    Wire,
)
from whorlograph.model.modifiers import Asked, asked_of, coil_kind, contact_kind, is_true, modified, pin_asks
from whorlograph.model.rungs import build

from .xml_points import wire_points
from .xml_types import line_of, local, whole, words
from .xml_unread import Unread, inside

Say = Callable[..., None]
Spot = tuple[int, int, int, int, int, int]
_VARIABLES = {"inVariable", "outVariable"}
_WITH_VALUES = (*_VARIABLES, "inOutVariable")
_QUIET = ("", "documentation", "addData")
_ACTING = {"outVariable", "inOutVariable", "jump", "return"}


def read_ladder(node: etree._Element, pou: str, say: Say) -> LadderBody:
    """Read the elements of a ladder body and gather them into rungs."""
    body, said = build(elements_of(node, pou, say), local(node))
    for sentence in said:
        say(node, sentence, "", pou)
    return body


def elements_of(node: etree._Element, pou: str, say: Say, others: tuple[str, ...] = _QUIET) -> tuple[Element, ...]:
    """The elements of a diagram. Args: others: what else may stand in it, without a notice."""
    wire_points(node)
    diagram = local(node) == "FBD"
    elements: list[Element] = []
    seen: set[int] = set()
    asked: dict[int, Asked] = {}
    reader = _Reader(node.tag.rpartition("}")[0] + "}")
    for child in node:
        known = reader.known.get(child.tag)
        if known is None:
            name = local(child)
            if name and name not in others:
                say(child, f"{name} in a ladder is not read", "the rung is evaluated without it", pou)
            continue
        name, make = known
        found = reader.drawn(child, name)
        number = found.spot[0]
        if number in seen:
            say(child, f"two elements have the id {number}", "the first counts", pou)
            continue
        seen.add(number)
        elements.append(make(found))
        if name in _VARIABLES:
            wanted = asked_of(*found.asked)
            if wanted:
                asked[number] = wanted
        if name in _ACTING and diagram and whole(found.at.get("executionOrderId")):
            elements[-1] = replace(elements[-1], turn=whole(found.at.get("executionOrderId")))
    reader.unread.say(say, pou)
    return modified(elements, asked)


class _Drawn:
    """What a file says of one element: its attributes, where it is drawn, what is wired to it, and the name or value that it is on."""

    __slots__ = ("at", "node", "reader", "spot", "text", "wires")

    def __init__(self, reader: _Reader, node: etree._Element, at: dict[str, str], spot: Spot, wires: list[Wire], text: str) -> None:
        self.reader, self.node, self.at, self.spot, self.wires, self.text = reader, node, at, spot, tuple(wires), text

    @property
    def asked(self) -> tuple[str | None, str | None, str | None]:
        """What stands beside it."""
        get = self.at.get
        return get("negated"), get("edge"), get("storage")


class _Reader:
    """Reads elements, each in one pass through what stands in it: files of machines have tens of thousands."""

    def __init__(self, space: str) -> None:
        self.unread = Unread()
        self.known = {space + name: (name, make) for name, make in _MAKERS.items()}
        self.space, self.position, self.point, self.wire = space, space + "position", space + "connectionPointIn", space + "connection"
        self.variable = space + "variable"
        self.parts = {name: frozenset(space + part for part in inside(name)) for name in (*_MAKERS, "pin")}
        self.texts = {"contact": space + "variable", "coil": space + "variable"} | dict.fromkeys(_WITH_VALUES, space + "expression")

    def drawn(self, node: etree._Element, name: str) -> _Drawn:
        """An element, and a look at what is not read of it."""
        at = _attributes(node)
        self.unread.look(node, name, at)
        place, text, wires = None, None, list[Wire]()
        named, known = self.texts.get(name), self.parts[name]
        for part in node:
            tag = part.tag
            if tag == self.point:
                self._wires(part, wires)
            elif tag == self.position:
                place = part if place is None else place
            elif tag == named:
                text = part if text is None else text
            elif tag not in known and local(part) not in _QUIET:
                self.unread.note(node, part)
        x, y = (whole(place.get("x")), whole(place.get("y"))) if place is not None else (0, 0)
        spot = whole(at.get("localId")), x, y, whole(at.get("width")), whole(at.get("height")), line_of(node)
        return _Drawn(self, node, at, spot, wires, (text.text or "").strip() if text is not None else "")

    def _wires(self, point: etree._Element, wires: list[Wire]) -> None:
        for one in point:
            if one.tag == self.wire:
                wires.append(Wire(whole(one.get("refLocalId")), one.get("formalParameter", "")))

    def pins(self, node: etree._Element, group: str) -> tuple[Pin, ...]:
        """The pins of a block of one group."""
        holder = next(node.iterchildren(self.space + group), None)
        pins, known = list[Pin](), self.parts["pin"]
        if holder is None:
            return ()
        for pin in holder:
            if pin.tag == self.variable:
                at, wires = _attributes(pin), list[Wire]()
                for part in pin:
                    if part.tag == self.point:
                        self._wires(part, wires)
                    elif part.tag not in known and local(part) not in _QUIET:
                        self.unread.note(pin, part)
                name = at.pop("formalParameter", "")
                if at:
                    self.unread.look(pin, "pin", at)
                    pins.append(Pin(name, tuple(wires), *pin_asks(at.get("negated"), at.get("edge"), at.get("storage"))))
                else:
                    pins.append(Pin(name, tuple(wires)))
            elif local(pin) not in _QUIET:
                self.unread.note(holder, pin)
        return tuple(pins)


def _attributes(node: etree._Element) -> dict[str, str]:
    return dict(cast("Sequence[tuple[str, str]]", node.items()))  # of a document that was parsed they are never bytes


def _contact(found: _Drawn) -> Element:
    kind, also = contact_kind(asked_of(*found.asked))
    return Contact(*found.spot, found.text, kind, found.wires, also=also)


def _coil(found: _Drawn) -> Element:
    kind, also = coil_kind(asked_of(*found.asked))
    return Coil(*found.spot, found.text, kind, found.wires, also=also)


def _block(found: _Drawn) -> Element:
    get, pins = found.at.get, found.reader.pins
    inputs, in_outs, outputs = (pins(found.node, group) for group in ("inputVariables", "inOutVariables", "outputVariables"))
    return Block(*found.spot, get("typeName", ""), get("instanceName", ""), inputs, in_outs, outputs, whole(get("executionOrderId")))


def _in_out_variable(found: _Drawn) -> Element:
    get = found.at.get
    also = [a for way in ("In", "Out") for a in asked_of(*(get(name + way) for name in ("negated", "edge", "storage")))]
    return InOutVariable(*found.spot, found.text, found.wires, also=tuple(also))


_MAKERS: dict[str, Callable[[_Drawn], Element]] = {
    "leftPowerRail": lambda found: LeftRail(*found.spot),
    "rightPowerRail": lambda found: RightRail(*found.spot),
    "contact": _contact,
    "coil": _coil,
    "block": _block,
    "inVariable": lambda found: InVariable(*found.spot, found.text, is_true(found.at.get("negated"))),
    "outVariable": lambda found: OutVariable(*found.spot, found.text, is_true(found.at.get("negated")), found.wires),
    "inOutVariable": _in_out_variable,
    "jump": lambda found: Jump(*found.spot, found.at.get("label", ""), found.wires),
    "label": lambda found: Label(*found.spot, found.at.get("label", "")),
    "return": lambda found: Return(*found.spot, found.wires),
    "connector": lambda found: Connector(*found.spot, found.at.get("name", ""), found.wires),
    "continuation": lambda found: Continuation(*found.spot, found.at.get("name", "")),
    "comment": lambda found: Comment(*found.spot, words(found.node)),
}
