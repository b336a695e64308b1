"""Walks ladder bodies as the model has them: every element of every rung, one after the other, as CONTROLLER.md says it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.pin_values import computed_at
from whorlograph.engine.scope.rung_types import RungTypes, called_instance, rung_types
from whorlograph.engine.scope.unreadable import unreadable
from whorlograph.engine.scope.wholes import moved, result_of
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.blocks import family as block_family
from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Connector,
    Contact,
    ContactKind,
    Continuation,
    Edge,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    OutVariable,
    Pin,
    Return,
    Wire,
    wires_of,
)
from whorlograph.model.literals import raw
from whorlograph.model.paths import parse_path
from whorlograph.model.pins import output_pin
from whorlograph.model.program import VariableKind
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step, rails_of, segment_at
from whorlograph.model.tags import Aggregate, ByReference, Chosen, Instance, Leaf, Ref, resolve_path
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, Family

from .blocks import BLOCKS
from .blocks import Memory as BlockMemory
from .functions import Halt, Value
from .memory import Memory, Where
from .places import Frame, Places
from .standard import standard
from .text import Text
from .text_values import leaves_of

DEEPEST_CALL = 100
ORDERS = ("TASK_HOLD", "TASK_RELEASE", "WATCHDOG_RESTART")

class Ladder:
    """Evaluates bodies on a memory.

    Args: comes: told before each step of a program's own body; passed: told after each step; ordered: told of orders to the
        controller (what, the task's name).
    """

    def __init__(self, memory: Memory, comes: Callable[[], None], passed: Callable[[], None], ordered: Callable[[str, str], None]) -> None:
        self.m, self.comes, self.passed, self.ordered = memory, comes, passed, ordered
        self.running, self.steps, self.profile = memory.running, memory.steps, memory.profile
        self.memory: dict[object, object] = {}
        self.left: dict[int, frozenset[int]] = {}
        self.depth = self.element = 0
        self.passes: dict[tuple[int, int], tuple[int, int, int, int]] = {}  # (scan, times, first number, last number)
        self.before: dict[tuple[int, int], int] = {}
        self.types: dict[int, RungTypes] = {}
        self.orders: dict[int, list[Element]] = {}
        self.elements: dict[int, dict[int, Element]] = {}  # by step, by id
        self.text = Text(self)
        self.places = Places(memory, self.text, lambda: self.element)

    def flagged(self, step: Step, element: Element, taken: bool) -> None:
        """Note whether a jump, return or call is taken."""
        flag = self.steps.flags.get((step.index, element.id))
        if flag is not None:
            self.m.put(flag.number, int(taken))

    # execution

    def program(self, instance: Instance) -> None:
        """Run a program once: its temporaries begin anew."""
        self.anew(instance)
        self.body(instance, {}, True)

    def anew(self, instance: Instance) -> None:
        """Temporaries begin anew."""
        for variable in instance.pou.variables if instance.pou is not None else ():
            ref = instance.scope.get(variable.name.lower())
            if variable.kind is VariableKind.TEMP and ref is not None:
                self.reset(ref)

    def body(self, instance: Instance, bound: dict[str, Ref | Where], own: bool) -> None:
        """Execute a ladder body from its first rung to its end, a return, or a halt.

        Args: own: it is a program's, between whose steps tasks may run.
        """
        steps = self.steps.of(instance)
        if instance.pou is None or not steps:
            return
        body = instance.pou.body
        at = 0
        while at < len(steps):
            if own:
                self.comes()
            self.m.number += 1
            self.m.current = steps[at].index
            label = self.rung(steps[at], bound)
            self.m.current = steps[at].index
            self.passed()
            if label is None:
                at += 1
                continue
            part, first = segment_at(body, at)
            if label == "":
                at = first + part.count
                continue
            target = first + part.targets.get(label.lower(), at - first + 2) - 1
            if target <= at:
                self.back(steps[at].index, steps[target].index, instance, own)
            at = target

    def back(self, step: int, target: int, instance: Instance, own: bool) -> None:
        """A jump goes back: count it for this scan, in a POU that is called for all its instances together."""
        if not own:
            first = self.steps.of(instance)[0].index
            apart = min(s.index for s in self.steps.all if s.instance.type_name.lower() == instance.type_name.lower()) - first
            step, target = step + apart, target + apart
        scan, times, since, _ = self.passes.get((step, target), (0, 0, 0, 0))
        if scan != self.m.scan:
            scan, times, since = self.m.scan, 0, self.m.number
        self.passes[step, target] = scan, times + 1, since, self.m.number

    def taken(self) -> Iterator[tuple[int, int, int]]:
        """(step, target, times) of jumps back that were taken another number of times in this scan than in the one before."""
        for way, (scan, times, _, _) in self.passes.items():
            now = times if scan == self.m.scan else 0
            if self.before.get(way, 0) != now:
                self.before[way] = now
                yield *way, now

    def rung(self, step: Step, bound: dict[str, Ref | Where]) -> str | None:
        """Evaluate a rung; the label to go on at, "" to end the POU, None to go on below."""
        if step.rung.statement is not None:
            return self.text.run(step, bound)
        if step.index not in self.orders:
            self.elements[step.index] = {e.id: e for e in step.rung.elements}
            self.orders[step.index] = [] if unreadable(step.rung, step.instance, self.running) else evaluation_order(step.rung)
            self.types[step.index] = rung_types(step, self.running)
        frame = Frame(step, bound, self.elements[step.index])
        leave: str | None = None
        for element in self.orders[step.index]:
            self.element = element.id
            if isinstance(element, Contact):
                self.contact(element, frame)
            elif isinstance(element, Coil):
                self.coil(element, frame)
            elif isinstance(element, Block):
                self.block(element, frame)
                self.m.current = step.index
            elif isinstance(element, InVariable):
                computed = computed_at(element.expression, element.id)
                value = self.value_of(element.expression, frame) if computed is None else self.text.at_pin(computed, step, bound)
                frame.out[element.id, ""] = (not value) if element.negated else value
            elif isinstance(element, (OutVariable, InOutVariable)):
                self.variable(element, frame)
            elif isinstance(element, Connector):
                frame.out[element.id, ""] = self.power(element.wires, frame)
            elif isinstance(element, Continuation):
                source = step.rung.continued.get(element.id)
                frame.out[element.id, ""] = frame.out.get((source, ""), False) if source is not None else False
            elif isinstance(element, (Jump, Return)):
                taken = self.power(element.wires, frame)
                if isinstance(element, Jump) and element.label.lower() not in step.instance.pou.body.targets:  # type: ignore[union-attr]
                    taken = False
                self.flagged(step, element, taken)
                if taken and leave is None:
                    leave = element.label if isinstance(element, Jump) else ""
        return leave

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

    def contact(self, element: Contact, frame: Frame) -> None:
        where = self.places.place(element.variable, frame)
        on = bool(self.m.load(where[0])) if where is not None else False
        passes = on
        if element.kind is ContactKind.NORMALLY_CLOSED:
            passes = not on if where is not None else False
        elif element.kind in (ContactKind.RISING, ContactKind.FALLING):
            key = (frame.step.index, element.id)
            before = self.memory.get(key)
            self.memory[key] = on
            self.m.keep(frame.step.index, element.id, "edge", int(on))
            rising = element.kind is ContactKind.RISING
            passes = before is not None and before != on and on == rising
        frame.out[element.id, ""] = self.power(element.wires, frame) and passes

    def coil(self, element: Coil, frame: Frame) -> None:
        on = self.power(element.wires, frame)
        frame.out[element.id, ""] = on
        kind = element.kind
        if kind in (CoilKind.RISING, CoilKind.FALLING):
            key = (frame.step.index, element.id)
            before = self.memory.get(key)
            self.memory[key] = on
            self.m.keep(frame.step.index, element.id, "edge", int(on))
            on = before is not None and before != on and on == (kind is CoilKind.RISING)
        if kind in (CoilKind.SET, CoilKind.RESET) and not on:
            return
        where = self.places.place(element.variable, frame)
        if where is None:
            return
        value = not on if kind in (CoilKind.NEGATED, CoilKind.RESET) else on
        self.m.store(where[0], value, None)

    def variable(self, element: OutVariable | InOutVariable, frame: Frame) -> None:
        source = frame.elements.get(element.wires[0].source) if element.wires else None
        if element.wires and not (isinstance(source, Block) and source.id not in frame.executed):
            self.stored(element, frame)
        if isinstance(element, InOutVariable):
            frame.out[element.id, ""] = self.value_of(element.expression, frame)

    def stored(self, element: OutVariable | InOutVariable, frame: Frame) -> None:
        """What the wire brings is stored."""
        if self.places.part(element.expression, frame) is not None:
            self.filled(self.whole(element.wires[0], frame), element.expression, frame)
            return
        where = self.places.place(element.expression, frame)
        if where is not None:
            value: Value = self.power(element.wires, frame) if where[1].family is Family.BOOL else self.wire(element.wires[0], frame)
            if isinstance(element, OutVariable) and element.negated:
                value = not value
            self.m.store(where[0], value, self.types[frame.step.index].of(self.named(element.wires[0], frame)))

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

    # blocks

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

    def called(self, element: Block, frame: Frame) -> Instance | None:
        """The instance that a block element calls, also one that was handed over."""
        path = parse_path(element.instance) if element.instance else None
        bound = frame.bound.get(path.base.lower()) if path is not None else None
        if path is None or bound is None:
            return called_instance(element, frame.step.instance, self.running)
        holder = Instance("", "", None, {path.base.lower(): bound} if isinstance(bound, Instance) else {})
        found = resolve_path(path, holder, holder)
        return found if isinstance(found, Instance) else None

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
        given = {p.name.upper(): self.pin(p, element, frame, (boolean and p.name.upper() not in ("K", "N")) or p.name.upper() == "G")
                 for p in wired}
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
