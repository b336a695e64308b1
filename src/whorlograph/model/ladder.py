"""Elements of a ladder body and the wires between them (IEC 61131-3:2013, 8.2; IEC 61131-10)."""

from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING

from msgspec import Struct, field

from .text import Statement


class ContactKind(StrEnum):
    """The four contacts, IEC 61131-3:2013, table 74."""

    NORMALLY_OPEN = "normally open"
    NORMALLY_CLOSED = "normally closed"
    RISING = "rising"
    FALLING = "falling"


class CoilKind(StrEnum):
    """The six coils, IEC 61131-3:2013, table 75."""

    PLAIN = "coil"
    NEGATED = "negated coil"
    SET = "set"
    RESET = "reset"
    RISING = "rising coil"
    FALLING = "falling coil"


class Edge(StrEnum):
    """An edge asked for on a pin."""

    NONE = "none"
    RISING = "rising"
    FALLING = "falling"


class Wire(Struct, frozen=True):
    """Where a connection comes from: an element's id, and the output pin of a block ("" else)."""

    source: int
    pin: str = ""


class Placed(Struct, frozen=True, tag=True):
    """Where the file drew something: ``id``, left edge ``x``, top ``y``, in the file's units."""

    id: int
    x: int
    y: int
    width: int = 0
    height: int = 0
    line: int = 0


class Element(Placed, frozen=True, kw_only=True):
    """An element where the file drew it.

    ``also``: what the file asks of it besides (inverted, rising, set ...) that none of its kind does; ``turn``: of what acts in a block diagram
    and is no block, when the file has it executed.
    """

    also: tuple[str, ...] = ()
    turn: int = 0


class LeftRail(Element, frozen=True):
    """The left power rail: always on."""


class RightRail(Element, frozen=True):
    """The right power rail."""


class Contact(Element, frozen=True):
    """A contact on a tag."""

    variable: str = ""
    kind: ContactKind = ContactKind.NORMALLY_OPEN
    wires: tuple[Wire, ...] = ()


class Coil(Element, frozen=True):
    """A coil on a tag."""

    variable: str = ""
    kind: CoilKind = CoilKind.PLAIN
    wires: tuple[Wire, ...] = ()


class Pin(Struct, frozen=True):
    """An input, output or in-out pin of a block as it is wired in the body."""

    name: str
    wires: tuple[Wire, ...] = ()
    negated: bool = False
    edge: Edge = Edge.NONE
    storage: str = ""


class Block(Element, frozen=True):
    """A block: a function (no instance), a standard block, or a block of the program's own."""

    type_name: str = ""
    instance: str = ""
    inputs: tuple[Pin, ...] = ()
    in_outs: tuple[Pin, ...] = ()
    outputs: tuple[Pin, ...] = ()
    execution_order: int = 0


class InVariable(Element, frozen=True):
    """A value that goes into a pin: a literal or a variable."""

    expression: str = ""
    negated: bool = False


class OutVariable(Element, frozen=True):
    """A variable that is written with what comes out of a pin."""

    expression: str = ""
    negated: bool = False
    wires: tuple[Wire, ...] = ()


class InOutVariable(Element, frozen=True):
    """A variable that goes through an in-out pin, or is both written and read."""

    expression: str = ""
    wires: tuple[Wire, ...] = ()


class Jump(Element, frozen=True):
    """A jump to a label of the same body."""

    label: str = ""
    wires: tuple[Wire, ...] = ()


class Label(Element, frozen=True):
    """A jump's target; stands for the first rung at or below it."""

    label: str = ""


class Return(Element, frozen=True):
    """Ends the POU where it is powered."""

    wires: tuple[Wire, ...] = ()


class Connector(Element, frozen=True):
    """Power or a value that goes on elsewhere, at the continuation of the same name."""

    name: str = ""
    wires: tuple[Wire, ...] = ()


class Continuation(Element, frozen=True):
    """Where a connector's power or value goes on."""

    name: str = ""


class Comment(Element, frozen=True):
    """Words in the drawing."""

    text: str = ""


if TYPE_CHECKING:
    AnyElement = Element
else:  # what a kept program is decoded into
    AnyElement = (LeftRail | RightRail | Contact | Coil | Block | InVariable | OutVariable | InOutVariable | Jump | Label | Return | Connector
                  | Continuation | Comment)


class Rung(Struct, frozen=True):
    """A connected part of a ladder body, rails apart (CONTROLLER.md, Ladder).

    ``number`` counts from 1 within the POU; ``elements`` are sorted by (y, x), rails left out;
    ``continued`` maps a continuation's id to its connector's. ``fault`` says why it cannot be evaluated. A statement at the top level of
    Structured Text stands as a rung without elements, ``number`` its line: both are steps.
    """

    number: int
    elements: tuple[AnyElement, ...]
    labels: tuple[str, ...] = ()
    comment: str = ""
    continued: dict[int, int] = field(default_factory=dict)
    fault: str = ""
    statement: Statement | None = None

    @property
    def top(self) -> int:
        """Smallest y of the elements."""
        return min(e.y for e in self.elements)


class LadderBody(Struct, frozen=True, tag=True):
    """A ladder body: all elements as read, and the rungs they form.

    ``targets`` maps a label in lower case to the rung number it stands for; one more than the
    number of rungs is the body's end. A block diagram is made of the same elements, without rails: its networks are the rungs, and
    ``language`` says so (IEC 61131-3:2013, 8.2 and 8.3).
    """

    elements: tuple[AnyElement, ...]
    rungs: tuple[Rung, ...]
    targets: dict[str, int]
    language: str = "LD"

    @property
    def count(self) -> int:
        """How many steps it is executed in."""
        return len(self.rungs)


def wires_of(element: Element) -> tuple[Wire, ...]:
    """All connections that end at an element, in the order of its pins."""
    if isinstance(element, Block):
        return tuple([w for pin in (element.inputs + element.in_outs if element.in_outs else element.inputs) for w in pin.wires])
    wires: tuple[Wire, ...] = getattr(element, "wires", ())
    return wires
