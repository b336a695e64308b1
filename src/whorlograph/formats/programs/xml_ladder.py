"""Ladder bodies of the XML exchange format."""

from __future__ import annotations

from collections.abc import Callable

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
from .xml_unread import Unread

Say = Callable[..., None]
Spot = tuple[int, int, int, int, int, int]
_VARIABLES = {"inVariable", "outVariable"}
_ACTING = {"outVariable", "inOutVariable", "jump", "return"}


def read_ladder(node: etree._Element, pou: str, say: Say) -> LadderBody:
    """Read the elements of a ladder body and gather them into rungs."""
    body, said = build(elements_of(node, pou, say), local(node))
    for sentence in said:
        say(node, sentence, "", pou)
    return body


def elements_of(node: etree._Element, pou: str, say: Say, others: tuple[str, ...] = ("documentation", "addData")) -> tuple[Element, ...]:
    """The elements of a diagram. Args: others: what else may stand in it, without a notice."""
    wire_points(node)
    diagram = local(node) == "FBD"
    elements: list[Element] = []
    seen: set[int] = set()
    asked: dict[int, Asked] = {}
    space = node.tag.rpartition("}")[0] + "}"
    position, unread = space + "position", Unread()
    for child in node:
        name = local(child)
        make = _MAKERS.get(name)
        if make is None:
            if name and name not in others:
                say(child, f"{name} in a ladder is not read", "the rung is evaluated without it", pou)
            continue
        unread.look(child, name)
        spot = _spot(child, position)
        if spot[0] in seen:
            say(child, f"two elements have the id {spot[0]}", "the first counts", pou)
            continue
        seen.add(spot[0])
        elements.append(make(child, spot, space, unread))
        if name in _VARIABLES:
            wanted = asked_of(child.get("negated"), child.get("edge"), child.get("storage"))
            if wanted:
                asked[spot[0]] = wanted
        if name in _ACTING and diagram and whole(child.get("executionOrderId")):
            elements[-1] = replace(elements[-1], turn=whole(child.get("executionOrderId")))
    unread.say(say, pou)
    return modified(elements, asked)


def _spot(node: etree._Element, position: str) -> Spot:
    get = node.get
    place = next(node.iterchildren(position), None)  # not find: it goes through Python's path language
    x, y = (whole(place.get("x")), whole(place.get("y"))) if place is not None else (0, 0)
    return whole(get("localId")), x, y, whole(get("width")), whole(get("height")), line_of(node)


def _wires(node: etree._Element, space: str) -> tuple[Wire, ...]:
    found = []
    wanted = space + "connection"
    for point in node.iterchildren(space + "connectionPointIn"):
        for wire in point.iterchildren(wanted):
            found.append(Wire(whole(wire.get("refLocalId")), wire.get("formalParameter", "")))
    return tuple(found)


def _text(node: etree._Element, name: str) -> str:
    child = next(node.iterchildren(name), None)
    return (child.text or "").strip() if child is not None else ""


def _contact(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    kind, also = contact_kind(asked_of(node.get("negated"), node.get("edge"), node.get("storage")))
    return Contact(*spot, _text(node, space + "variable"), kind, _wires(node, space), also=also)


def _coil(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    kind, also = coil_kind(asked_of(node.get("negated"), node.get("edge"), node.get("storage")))
    return Coil(*spot, _text(node, space + "variable"), kind, _wires(node, space), also=also)


def _pins(node: etree._Element, group: str, space: str, unread: Unread) -> tuple[Pin, ...]:
    holder = next(node.iterchildren(space + group), None)
    if holder is None:
        return ()
    pins = []
    for pin in holder:
        if local(pin) == "variable":
            unread.look(pin, "pin")
            pins.append(Pin(pin.get("formalParameter", ""), _wires(pin, space), *pin_asks(pin.get("negated"), pin.get("edge"), pin.get("storage"))))
    return tuple(pins)


def _block(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    return Block(*spot, node.get("typeName", ""), node.get("instanceName", ""), _pins(node, "inputVariables", space, unread),
                 _pins(node, "inOutVariables", space, unread), _pins(node, "outputVariables", space, unread),
                 whole(node.get("executionOrderId")))


def _in_variable(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    return InVariable(*spot, _text(node, space + "expression"), is_true(node.get("negated")))


def _out_variable(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    return OutVariable(*spot, _text(node, space + "expression"), is_true(node.get("negated")), _wires(node, space))


def _in_out_variable(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    also = [a for way in ("In", "Out") for a in asked_of(*(node.get(name + way) for name in ("negated", "edge", "storage")))]
    return InOutVariable(*spot, _text(node, space + "expression"), _wires(node, space), also=tuple(also))


def _jump(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    return Jump(*spot, node.get("label", ""), _wires(node, space))


def _comment(node: etree._Element, spot: Spot, space: str, unread: Unread) -> Element:
    return Comment(*spot, words(node))


_MAKERS: dict[str, Callable[[etree._Element, Spot, str, Unread], Element]] = {
    "leftPowerRail": lambda node, spot, space, unread: LeftRail(*spot),
    "rightPowerRail": lambda node, spot, space, unread: RightRail(*spot),
    "contact": _contact,
    "coil": _coil,
    "block": _block,
    "inVariable": _in_variable,
    "outVariable": _out_variable,
    "inOutVariable": _in_out_variable,
    "jump": _jump,
    "label": lambda node, spot, space, unread: Label(*spot, node.get("label", "")),
    "return": lambda node, spot, space, unread: Return(*spot, _wires(node, space)),
    "connector": lambda node, spot, space, unread: Connector(*spot, node.get("name", ""), _wires(node, space)),
    "continuation": lambda node, spot, space, unread: Continuation(*spot, node.get("name", "")),
    "comment": _comment,
}
