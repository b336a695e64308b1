"""What the wires of a rung bring: power, values, arrays and structures."""

from __future__ import annotations

from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.rung_types import RungTypes, called_instance
from whorlograph.engine.scope.wholes import moved, result_of
from whorlograph.model.ladder import (
    Block,
    InOutVariable,
    InVariable,
    Wire,
)
from whorlograph.model.paths import parse_path
from whorlograph.model.pins import output_pin
from whorlograph.model.profile import Profile
from whorlograph.model.steps import Step, Steps, rails_of, segment_at
from whorlograph.model.tags import Aggregate, Instance, Running, resolve_path

from .functions import Value
from .memory import Memory
from .places import Frame, Places
from .text_values import leaves_of


class Wires:
    """What a rung's elements give, read off its wires; ``left``: the left rails of each step."""

    m: Memory
    running: Running
    steps: Steps
    profile: Profile
    memory: dict[object, object]
    left: dict[int, frozenset[int]]
    types: dict[int, RungTypes]
    depth: int
    element: int
    places: Places

    def power(self, wires: tuple[Wire, ...], frame: Frame) -> bool:
        """OR over incoming connections; the left rail is on."""
        found = False
        for wire in wires:  # no generator: this is most of what a rung costs
            found = found or bool(self.wire(wire, frame))
        return found

    def wire(self, wire: Wire, frame: Frame) -> Value:
        source = frame.elements.get(wire.source)
        if source is None:
            return wire.source in self.rails(frame.step)
        if isinstance(source, Block):
            return frame.out.get((source.id, output_pin(wire, source)), False)
        return frame.out.get((source.id, ""), False)

    def rails(self, step: Step) -> frozenset[int]:
        """Ids of the left rails that a step hangs on."""
        known = self.left.get(step.index)
        if known is None:
            assert step.instance.pou is not None
            part, _ = segment_at(step.instance.pou.body, step.index - self.steps.first[id(step.instance)])
            known = self.left[step.index] = rails_of(part)
        return known

    def value_of(self, text: str, frame: Frame) -> Value:
        read = constant_of(text, frame.step.instance, self.running)
        if read is not None:
            return read[1]
        where = self.places.place(text, frame)
        return self.m.load(where[0]) if where is not None else 0

    def whole(self, wire: Wire, frame: Frame) -> list[int]:
        """The bits of the array or structure that a wire brings, as they are now."""
        source = frame.elements.get(wire.source)
        if isinstance(source, (InVariable, InOutVariable)):
            taking, self.element = self.element, source.id
            found = [self.m.values[tag] for tag in self.places.lies(source.expression, frame)]
            self.element = taking
            return found
        if not isinstance(source, Block):
            return []
        taken = moved(source)
        if taken is not None:
            return self.whole(taken.wires[0], frame) if taken.wires else []
        called, pin = self.called(source, frame), output_pin(wire, source)
        ref = result_of(source, pin, called.scope) if called is not None else None
        if not isinstance(ref, Aggregate):
            return []
        if source.instance:
            return [self.m.values[tag] for tag, _ in leaves_of(ref)]
        kept = self.memory.get((frame.step.index, source.id, pin, "whole"))
        return kept if isinstance(kept, list) else [0 for _ in leaves_of(ref)]

    def filled(self, bits: list[int], text: str, frame: Frame) -> None:
        """Give an array or structure by name what another holds."""
        for tag, one in zip(self.places.lies(text, frame), bits, strict=True):
            self.m.put(tag, one)

    def named(self, wire: Wire, frame: Frame) -> Wire:
        source = frame.elements.get(wire.source)
        return Wire(wire.source, output_pin(wire, source)) if isinstance(source, Block) else wire

    def called(self, element: Block, frame: Frame) -> Instance | None:
        """The instance that a block element calls, also one that was handed over."""
        path = parse_path(element.instance) if element.instance else None
        bound = frame.bound.get(path.base.lower()) if path is not None else None
        if path is None or bound is None:
            return called_instance(element, frame.step.instance, self.running)
        holder = Instance("", "", None, {path.base.lower(): bound} if isinstance(bound, Instance) else {})
        found = resolve_path(path, holder, holder)
        return found if isinstance(found, Instance) else None
