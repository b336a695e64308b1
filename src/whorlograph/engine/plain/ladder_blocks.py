"""The blocks of a rung: standard ones and those of the file's own, functions, orders to the controller (CONTROLLER.md, Blocks)."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.rung_types import RungTypes
from whorlograph.engine.scope.wholes import moved, result_of
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.blocks import family as block_family
from whorlograph.model.ladder import (
    Block,
    Edge,
    Element,
    InOutVariable,
    InVariable,
    OutVariable,
    Pin,
    wires_of,
)
from whorlograph.model.literals import raw
from whorlograph.model.paths import parse_path
from whorlograph.model.pins import output_pin
from whorlograph.model.program import VariableKind
from whorlograph.model.steps import Step
from whorlograph.model.tags import Aggregate, ByReference, Chosen, Instance, Leaf, Ref, resolve_path
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, Family

from .blocks import BLOCKS
from .blocks import Memory as BlockMemory
from .functions import Halt, Value
from .ladder_wires import Wires
from .memory import Where
from .places import Frame
from .standard import standard
from .text_values import leaves_of

DEEPEST_CALL = 100
ORDERS = ("TASK_HOLD", "TASK_RELEASE", "WATCHDOG_RESTART")


class Blocks(Wires):
    """What its blocks do. ``ordered``: told of orders to the controller."""

    ordered: Callable[[str, str], None]

    def flagged(self, step: Step, element: Element, taken: bool) -> None:
        """Note whether a jump, return or call is taken."""
        raise NotImplementedError

    def body(self, instance: Instance, bound: dict[str, Ref | Where], own: bool) -> None:
        """Execute the body of an instance."""
        raise NotImplementedError

    def pin(self, pin: Pin, element: Block, frame: Frame, boolean: bool) -> Value:
        """What goes into a pin: power, or the value of its first connection, inverted or as an edge where asked."""
        value: Value = self.power(pin.wires, frame) if boolean else self.wire(pin.wires[0], frame)
        if pin.negated:
            value = not value
        if pin.edge is not Edge.NONE:
            key = (frame.step.index, element.id, pin.name)
            before = bool(self.memory.get(key, False))
            self.memory[key] = bool(value)
            self.m.keep(frame.step.index, element.id, f"{pin.name} edge", int(bool(value)))
            value = (value and not before) if pin.edge is Edge.RISING else (before and not value)
        return value

    def block(self, element: Block, frame: Frame) -> None:
        enable = next((p for p in element.inputs if p.name.upper() == "EN"), None)
        on = bool(self.pin(enable, element, frame, True)) if enable is not None and enable.wires else True
        self.flagged(frame.step, element, on)
        called = self.called(element, frame)
        pins = [p for p in element.inputs if p.name.upper() != "EN"]
        if called is not None and element.instance:
            self.instance(element, called, pins, on, frame)
        elif element.instance:
            on = False
        else:
            on = self.function(element, called, pins, on, frame)
        if on:
            frame.executed.add(element.id)
        frame.out[element.id, "ENO"] = on
        for pin in element.outputs:
            key = (element.id, pin.name.upper())
            if pin.negated and key in frame.out:
                frame.out[key] = not frame.out[key]

    def fill(self, called: Instance, element: Block, pins: list[Pin], frame: Frame) -> None:
        """Write the wired input pins of an instance."""
        for pin in pins:
            ref = called.scope.get(pin.name.lower())
            if isinstance(ref, Leaf) and pin.wires:
                boolean = self.running.tags[ref.tag].type.family is Family.BOOL
                value = self.pin(pin, element, frame, boolean)
                self.m.store((ref.tag, -1), value, None if boolean else self.types[frame.step.index].of(self.named(pin.wires[0], frame)))
            elif isinstance(ref, Aggregate) and pin.wires:
                for (tag, _), bits in zip(leaves_of(ref), self.whole(pin.wires[0], frame), strict=True):
                    self.m.put(tag, bits)

    def instance(self, element: Block, called: Instance, pins: list[Pin], on: bool, frame: Frame) -> None:
        if on:
            self.fill(called, element, pins, frame)
            if called.pou is None:
                self.standard(called)
            else:
                self.call(called, self.in_outs(element, frame))
        scope = called.scope
        for name, ref in scope.items():
            if isinstance(ref, Leaf):
                frame.out[element.id, name.upper()] = self.m.load((ref.tag, -1))

    def standard(self, called: Instance) -> None:
        """Execute a standard block on its pins."""
        inputs, outputs = STANDARD_BLOCKS[called.type_name]
        names = [n for n, _ in (*inputs, *outputs)]
        places = {n: called.scope[n.lower()].tag for n in names}  # type: ignore[union-attr]
        values = {n: self.m.load((t, -1)) for n, t in places.items()}
        memory = self.memory.setdefault(id(called), BlockMemory())
        count = self.running.tags[places[names[-1]]].type
        BLOCKS[block_family(called.type_name)](values, memory, self.m.now, count.low, count.high)  # type: ignore[arg-type]
        for name, _ in outputs:
            self.m.put(places[name], int(values[name]))

    def call(self, called: Instance, bound: dict[str, Ref | Where]) -> None:
        """Execute the body of a block or function of the file's own inside the caller's step."""
        self.depth += 1
        if self.depth > DEEPEST_CALL:
            raise Halt("calls too deep", f"calls nested beyond {DEEPEST_CALL}")
        self.anew(called)
        self.body(called, bound, False)
        self.depth -= 1

    def anew(self, instance: Instance) -> None:
        """Temporaries begin anew."""
        for variable in instance.pou.variables if instance.pou is not None else ():
            ref = instance.scope.get(variable.name.lower())
            if variable.kind is VariableKind.TEMP and ref is not None:
                self.reset(ref)

    def reset(self, ref: Ref) -> None:
        if isinstance(ref, Leaf):
            self.m.put(ref.tag, self.running.tags[ref.tag].initial)
        elif isinstance(ref, Aggregate):
            for part in (*ref.items, *ref.fields.values()):
                self.reset(part)

    def in_outs(self, element: Block, frame: Frame) -> dict[str, Ref | Where]:
        """What the in-out pins of a call stand for."""
        bound: dict[str, Ref | Where] = {}
        for pin in (*element.in_outs, *element.inputs):
            source = frame.elements.get(pin.wires[0].source) if pin.wires else None
            if not isinstance(source, (InVariable, InOutVariable)):
                continue
            path = parse_path(source.expression)
            outer = frame.bound.get(path.base.lower()) if path is not None else None
            if path is not None and outer is not None and not path.steps:
                bound[pin.name.lower()] = outer
                continue
            target = resolve_path(path, frame.step.instance, self.running.scope) if path is not None else None
            if isinstance(target, Chosen) and path is not None:
                self.places.away(target.ref.first, target.terms, frame)
                bound[pin.name.lower()] = self.places.item(path, frame)
                continue
            if isinstance(target, (Aggregate, Instance)):
                bound[pin.name.lower()] = target
                continue
            where = self.places.place(source.expression, frame)
            if where is not None:
                bound[pin.name.lower()] = where[0]
        called = self.called(element, frame)
        scope = called.scope if called is not None else {}
        return {name: ref for name, ref in bound.items() if isinstance(scope.get(name), ByReference)}

    def function(self, element: Block, called: Instance | None, pins: list[Pin], on: bool, frame: Frame) -> bool:
        key = (frame.step.index, element.id, "result")
        kept: dict[str, Value] = self.memory.setdefault(key, {})  # type: ignore[assignment]
        types = self.types[frame.step.index]
        order = element.type_name.upper()
        if on and called is not None:
            kept.update(self.own_function(called, element, pins, frame))
        elif on and order in ORDERS:
            named = next((e for p in pins for w in p.wires if (e := frame.elements.get(w.source)) is not None), None)
            read = constant_of(named.expression, frame.step.instance, self.running) if isinstance(named, InVariable) else None
            self.ordered(order, str(read[1]) if read is not None else "")
            kept["OUT"] = True
        elif on and (taken := moved(element)) is not None and taken.wires and self.whole(taken.wires[0], frame):
            pass  # what it moves is read where it goes
        elif on:
            result = self.standard_function(element, pins, frame)
            if result is None:
                on = False
            else:
                kept["OUT"] = result
        if on:
            self.remembered(element, kept, types, frame)
        for pin in element.outputs:
            name = pin.name.upper()
            if name != "ENO":
                default: Value = False if types.outputs.get((element.id, name)) in (BOOL, None) else 0
                frame.out[element.id, name] = kept.get(name, kept.get("OUT", default))
        frame.out.setdefault((element.id, "OUT"), kept.get("OUT", 0))
        return on

    def remembered(self, element: Block, kept: dict[str, Value], types: RungTypes, frame: Frame) -> None:
        """Note the results that are kept for when EN is off."""
        for name in {output_pin(w, element) for e in frame.step.rung.elements for w in wires_of(e) if w.source == element.id}:
            type_ = types.outputs.get((element.id, name)) or BOOL
            value = kept.get(name, kept.get("OUT", 0))
            self.m.keep(frame.step.index, element.id, f"{name} result", raw(value, type_))

    def own_function(self, called: Instance, element: Block, pins: list[Pin], frame: Frame) -> dict[str, Value]:
        """Call a function of the file's own: its variables begin anew, inputs left out take their declared value."""
        for name, ref in called.scope.items():
            declared = next((v for v in called.pou.variables if v.name.lower() == name), None)  # type: ignore[union-attr]
            if declared is None or declared.kind not in (VariableKind.EXTERNAL, VariableKind.IN_OUT):
                self.reset(ref)
        self.fill(called, element, pins, frame)
        self.call(called, self.in_outs(element, frame))
        results: dict[str, Value] = {}
        for name, part in called.scope.items():
            if isinstance(part, Leaf):
                results[name.upper()] = self.m.load((part.tag, -1))
        result = called.scope.get(called.type_name.lower())
        if isinstance(result, Leaf):
            results["OUT"] = self.m.load((result.tag, -1))
        for pin in {output_pin(w, element) for e in frame.step.rung.elements for w in wires_of(e) if w.source == element.id}:
            whole = result_of(element, pin, called.scope)
            if isinstance(whole, Aggregate):
                self.memory[frame.step.index, element.id, pin, "whole"] = [self.m.values[tag] for tag, _ in leaves_of(whole)]
        return results

    def standard_function(self, element: Block, pins: list[Pin], frame: Frame) -> Value | None:
        """A standard function's result; None where the name is none of the standard's."""
        name, types = typed(element.type_name)[0], self.types[frame.step.index]
        kind = types.operation.get(element.id, BOOL)
        result = types.outputs.get((element.id, "OUT")) or kind
        wired = [p for p in pins if p.wires]
        boolean = kind.family is Family.BOOL
        given = {p.name.upper(): self.pin(p, element, frame, (boolean and p.name.upper() not in ("K", "N")) or p.name.upper() == "G") for p in wired}
        sources = {p.name.upper(): types.of(self.named(p.wires[0], frame)) for p in wired}
        self.m.fault_tag = self.receiver(element, frame)
        return standard(name, given, sources, kind, result, self.profile.on_overflow)

    def receiver(self, element: Block, frame: Frame) -> int:
        """The tag that a function's result goes to; -1 where it goes on as a wire."""
        for other in frame.step.rung.elements:
            if isinstance(other, (OutVariable, InOutVariable)) and any(w.source == element.id for w in other.wires):
                path = parse_path(other.expression)
                target = resolve_path(path, frame.step.instance, self.running.scope) if path is not None else None
                if isinstance(target, Leaf):
                    return target.tag
        return -1
