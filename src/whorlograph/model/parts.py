"""Rungs made of parts: contacts in series and side by side, blocks in the power's way, ends; and ladder bodies drawn from them."""

from __future__ import annotations

from dataclasses import dataclass, field

from msgspec import Struct

from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Comment,
    Contact,
    ContactKind,
    Edge,
    Element,
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
from whorlograph.model.rungs import build

_X, _Y = 100, 60


class Part(Struct, frozen=True):
    """A piece of a rung: a contact, parts in series or in parallel, a block in the power's way, or an end.

    ``power``: the pins through which power goes in and out; ``extra``: pins with a power of their own; ``marks``: pins that are inverted (/)
    or ask for an edge (^ rising, ~ falling).
    """

    kind: str
    text: str = ""
    parts: tuple[Part, ...] = ()
    contact: ContactKind = ContactKind.NORMALLY_OPEN
    coil: CoilKind = CoilKind.PLAIN
    block: str = ""
    pins: tuple[tuple[str, str], ...] = ()
    writes: tuple[tuple[str, str], ...] = ()
    power: tuple[str, str] = ("", "")
    extra: tuple[tuple[str, Part], ...] = ()
    marks: tuple[tuple[str, str], ...] = ()


def no(tag: str) -> Part:
    """A normally open contact."""
    return Part("contact", tag)


def nc(tag: str) -> Part:
    """A normally closed contact."""
    return Part("contact", tag, contact=ContactKind.NORMALLY_CLOSED)


def rises(tag: str) -> Part:
    """A rising contact."""
    return Part("contact", tag, contact=ContactKind.RISING)


def falls(tag: str) -> Part:
    """A falling contact."""
    return Part("contact", tag, contact=ContactKind.FALLING)


def series(*parts: Part) -> Part:
    """Parts one behind the other."""
    return Part("series", parts=parts)


def either(*parts: Part) -> Part:
    """Parts side by side."""
    return Part("parallel", parts=parts)


def coil(tag: str, kind: CoilKind = CoilKind.PLAIN) -> Part:
    """A coil."""
    return Part("coil", tag, coil=kind)


def set_(tag: str) -> Part:
    """A set coil."""
    return coil(tag, CoilKind.SET)


def reset(tag: str) -> Part:
    """A reset coil."""
    return coil(tag, CoilKind.RESET)


def timer(kind: str, instance: str, preset: str) -> Part:
    """A timer in the power's way: IN from the left, Q to the right."""
    return Part("block", instance, block=kind, pins=(("PT", preset),), power=("IN", "Q"))


def counter(instance: str, preset: str, back: Part) -> Part:
    """An up counter: counts on power's rise, set back by a contact of its own."""
    return Part("block", instance, block="CTU", pins=(("PV", preset),), power=("CU", "Q"), extra=(("R", back),))


def call(kind: str, *pins: tuple[str, str], out: str = "", instance: str = "") -> Part:
    """A function or block behind EN, its result (OUT) written to a tag."""
    return Part("block", instance, block=kind, pins=pins, writes=(("OUT", out),) if out else (), power=("EN", "ENO"))


def compare(kind: str, first: str, second: str) -> Part:
    """A comparison in the power's way: EN from the left, OUT to the right."""
    return Part("block", "", block=kind, pins=(("IN1", first), ("IN2", second)), power=("EN", "OUT"))


def jump(label: str) -> Part:
    """A jump."""
    return Part("jump", label)


def leave() -> Part:
    """A return."""
    return Part("return")


@dataclass(slots=True)
class Ladder:
    """A ladder body under construction, from top to bottom.

    ``y``: where the next rung begins; ``following``: the last number that is taken; ``rail``: the number of the left rail, 0 for one of its own.
    """

    elements: list[Element] = field(default_factory=list)
    y: int = 40
    following: int = 2
    rail: int = 0

    def __post_init__(self) -> None:
        if not self.rail:
            self.rail = 1
            self.elements.append(LeftRail(1, 20, 20, 3, 40))

    def _new(self) -> int:
        self.following += 1
        return self.following

    def comment(self, text: str) -> None:
        """Words above the next rung."""
        self.elements.append(Comment(self._new(), 40, self.y, 400, 20, text=text))
        self.y += 30

    def label(self, name: str) -> None:
        """A label at the next rung."""
        self.elements.append(Label(self._new(), 40, self.y, 60, 15, label=name))
        self.y += 20

    def rung(self, *parts: Part, comment: str = "") -> None:
        """A rung; ends (coils, jumps) that come together at its right stand below one another."""
        if comment:
            self.comment(comment)
        _wires, _, height = self._place(series(*parts), (Wire(self.rail),), 100, self.y)
        self.y += height + 40

    def _place(self, part: Part, wires: tuple[Wire, ...], x: int, y: int) -> tuple[tuple[Wire, ...], int, int]:
        """Draw a part from a point; where its power goes on, how wide and how high it is."""
        if part.kind == "series":
            left, highest = x, _Y
            for inner in part.parts:
                wires, width, height = self._place(inner, wires, left, y)
                left, highest = left + width, max(highest, height)
            return wires, left - x, highest
        if part.kind == "parallel":
            outs: list[Wire] = []
            top, widest = y, 0
            for inner in part.parts:
                out, width, height = self._place(inner, wires, x, top)
                outs += out
                top, widest = top + height, max(widest, width)
            return tuple(outs), widest, top - y
        if part.kind == "block":
            return self._block(part, wires, x, y)
        number = self._new()
        if part.kind == "contact":
            self.elements.append(Contact(number, x, y, 30, 15, variable=part.text, kind=part.contact, wires=wires))
            return (Wire(number),), _X, _Y
        if part.kind == "coil":
            self.elements.append(Coil(number, x, y, 30, 15, variable=part.text, kind=part.coil, wires=wires))
        elif part.kind == "jump":
            self.elements.append(Jump(number, x, y, 60, 15, label=part.text, wires=wires))
        elif part.kind == "return":
            self.elements.append(Return(number, x, y, 60, 15, wires=wires))
        else:
            raise ValueError(f"{part.kind} is no part of a rung")
        return wires, _X, _Y

    def _block(self, part: Part, wires: tuple[Wire, ...], x: int, y: int) -> tuple[tuple[Wire, ...], int, int]:
        number, marks = self._new(), dict(part.marks)
        inputs = [_pin(part.power[0], marks, wires)]
        row = y + 40
        for name, inner in part.extra:
            out, _, high = self._place(inner, (Wire(self.rail),), x - _X, row + 40)
            inputs.append(_pin(name, marks, out))
            row += high
        for name, text in part.pins:
            source = self._new()
            self.elements.append(InVariable(source, x - 40, row, 60, 15, expression=text))
            inputs.append(_pin(name, marks, (Wire(source),)))
            row += 20
        outputs = [_pin(part.power[1], marks)]
        for n, (name, tag) in enumerate(part.writes):
            target = self._new()
            if all(pin.name != name for pin in outputs):
                outputs.append(_pin(name, marks))
            self.elements.append(OutVariable(target, x + 110, y + 40 + 20 * n, 60, 15, expression=tag, wires=(Wire(number, name),)))
        if part.power[0] == "EN" and part.power[1] != "ENO":
            outputs.insert(0, Pin("ENO"))
        self.elements.append(Block(number, x + 30, y, 80, 40 + 20 * len(inputs), type_name=part.block, instance=part.text,
                                   inputs=tuple(inputs), outputs=tuple(outputs)))
        return (Wire(number, part.power[1]),), 2 * _X, max(_Y, row - y + 20)

    def body(self) -> LadderBody:
        """The finished body."""
        ends = tuple(Wire(e.id) for e in self.elements if isinstance(e, Coil))
        rail = RightRail(2, 1500, 20, 3, 40)
        return build((*self.elements, rail) if ends else tuple(self.elements))[0]


_EDGES = {"^": Edge.RISING, "~": Edge.FALLING}


def _pin(name: str, marks: dict[str, str], wires: tuple[Wire, ...] = ()) -> Pin:
    mark = next((m for n, m in marks.items() if n.upper() == name.upper()), "")
    return Pin(name, wires, mark == "/", _EDGES.get(mark, Edge.NONE))
