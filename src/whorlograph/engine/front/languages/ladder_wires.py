"""What the wires of a rung carry: power, values in the types that they are used in, and what stands at their ends."""

from __future__ import annotations

from functools import cached_property

from whorlograph.engine.code import Const, Convert, Expr, Op, Target
from whorlograph.engine.front.builder import OFF, ON, Builder, held, untyped, widened
from whorlograph.engine.front.names import Meaning, Whole
from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.pin_values import element_at
from whorlograph.model.ladder import (
    Block,
    Element,
    InOutVariable,
    InVariable,
    LadderBody,
    OutVariable,
    Rung,
    Wire,
    wires_of,
)
from whorlograph.model.literals import Literal, literal
from whorlograph.model.pins import output_pin
from whorlograph.model.types import Elementary, Family

from .text_values import Values


class Wires:
    """A rung on its way: what each of its elements and pins gives."""

    def __init__(self, build: Builder, body: LadderBody, rung: Rung, rails: frozenset[int], tasks: dict[str, int]) -> None:
        self.b, self.body, self.rung, self.rails, self.tasks = build, body, rung, rails, tasks
        self.running = build.running
        self.types = build.reading.types(rung, build.instance)
        self.ids = {e.id: e for e in rung.elements}
        self.out: dict[tuple[int, str], Expr] = {}
        self.executed: dict[int, Expr] = {}
        self.wholes: dict[tuple[int, str], Whole | list[Expr]] = {}  # arrays and structures that blocks give, by element and pin
        self.used: dict[int, dict[str, bool]] = {}  # by block: output pin, and whether any but a variable's element takes it
        self.takers: dict[int, list[OutVariable | InOutVariable]] = {}  # by what they take from
        for element in rung.elements:
            for wire in wires_of(element):
                if isinstance(element, (OutVariable, InOutVariable)):
                    self.takers.setdefault(wire.source, []).append(element)
                source = self.ids.get(wire.source)
                if isinstance(source, Block):
                    pins = self.used.setdefault(source.id, {})
                    name = output_pin(wire, source)
                    pins[name] = pins.get(name, False) or not isinstance(element, (OutVariable, InOutVariable))

    @cached_property
    def values(self) -> Values:
        """Lowers the expressions that stand in the rung."""
        return Values(self.b, self.b.reading.scope(self.b.instance))

    def power(self, wires: tuple[Wire, ...], at: int) -> Expr:
        """OR over incoming connections."""
        parts = [p for p in (self.boolean(w) for w in wires) if p != OFF]
        if not parts:
            return OFF
        if ON in parts:
            return ON
        return parts[0] if len(parts) == 1 else Op("OR", "BOOL", tuple(parts), at)

    def boolean(self, wire: Wire) -> Expr:
        """What a wire carries, as power: on where it is not 0."""
        value, source = self.wire(wire), self.ids.get(wire.source)
        if value.type == "BOOL":
            return value
        return Convert("WIDEN", "BOOL", value, self.b.at(wire.source, output_pin(wire, source) if isinstance(source, Block) else ""))

    def wire(self, wire: Wire) -> Expr:
        source = self.ids.get(wire.source)
        if source is None:
            return ON if wire.source in self.rails else OFF
        pin = output_pin(wire, source) if isinstance(source, Block) else ""
        return self.out.get((source.id, pin), OFF)

    def wire_type(self, wire: Wire) -> Elementary | None:
        """The type that a wire carries; None for an untyped literal or what gives nothing."""
        source = self.ids.get(wire.source)
        return self.types.of(Wire(wire.source, output_pin(wire, source)) if isinstance(source, Block) else wire)

    def constant(self, element: Element | None) -> Literal | None:
        """The literal or enumerator that an element stands for."""
        if not isinstance(element, (InVariable, InOutVariable)):
            return None
        return constant_of(element.expression, self.b.instance, self.running)

    def literal_as(self, wire: Wire, type_: Elementary, at: int, into: Target | None = None) -> Expr | None:
        """An untyped literal on a wire, in the type it is used in. Args: into: the tag that a fault names."""
        source = self.ids.get(wire.source)
        read = literal(source.expression) if isinstance(source, InVariable) else None
        if read is None or read[0] is not None or isinstance(read[1], str):
            return None
        made = untyped(read[1], type_, at)
        return self.b.let(made, at, into) if into is not None and not isinstance(made, Const) else made

    def value(self, wire: Wire, type_: Elementary, at: int, into: Target | None = None) -> Expr:
        """What a wire carries, widened to the type it is used in. Args: into: the tag that a fault names."""
        known = self.literal_as(wire, type_, at, into)
        if known is not None:
            return known
        # What literals alone come to at a pin has no type of its own: it is held in the one in which it is used.
        return held(self.wire(wire), type_, at) if self.types.of(wire) is None else widened(self.wire(wire), type_, at)

    def assigned(self, wire: Wire, type_: Elementary, at: int) -> Expr:
        """What a wire carries, on its way into a variable or pin of a type."""
        if type_.family is Family.BOOL:
            return self.boolean(wire)
        known = self.literal_as(wire, type_, at)
        return known if known is not None else held(self.wire(wire), type_, at)

    def find(self, text: str, at: int) -> Meaning | None:
        """What a name stands for here."""
        element = element_at(text, self.b.origins[at].element) if at >= 0 else None
        return self.b.names.find(text, at) if element is None else self.values.names.find(element)
