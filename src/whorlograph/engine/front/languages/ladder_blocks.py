"""The blocks of a rung: standard ones and those of the file's own, functions, orders to the controller (CONTROLLER.md, Blocks)."""

from __future__ import annotations

from whorlograph.engine.code import Call, Const, Expr, Invoke, Kind, Load, Op, Order, Slot, Spot, Store, Taken, Target
from whorlograph.engine.front.builder import OFF, ON
from whorlograph.engine.front.functions import Functions
from whorlograph.engine.front.names import Block as BlockMeaning
from whorlograph.engine.front.names import Variable, Whole, leaves_of
from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.engine.scope.wholes import moved
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.blocks import family as block_family
from whorlograph.model.ladder import (
    Block,
    Edge,
    InOutVariable,
    InVariable,
    Pin,
    Wire,
)
from whorlograph.model.pins import output_pin
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, ELEMENTARY, Elementary, Family

from .ladder_wires import Wires

ORDERS = {"TASK_HOLD": "hold", "TASK_RELEASE": "release", "WATCHDOG_RESTART": "restart"}


class Blocks(Wires):
    """What its blocks do."""

    def pin(self, pin: Pin, element: Block, type_: Elementary, at: int) -> Expr:
        """What goes into a pin, in its type."""
        if type_.family is not Family.BOOL:
            return self.assigned(pin.wires[0], type_, at)
        value = self.power(pin.wires, at)
        if pin.negated:
            value = Const(not value.value, "BOOL") if isinstance(value, Const) else Op("NOT", "BOOL", (value,), at)
        if pin.edge is not Edge.NONE:
            value = self.b.edge(element.id, pin.name, value, pin.edge is Edge.RISING, 0)
        return value

    def block(self, element: Block) -> None:
        at = self.b.at(element.id, "EN")
        enable = next((p for p in element.inputs if p.name.upper() == "EN"), None)
        on = self.b.keep(self.pin(enable, element, BOOL, at), at) if enable is not None and enable.wires else ON
        if (enable is not None or element.instance) and self.b.names.own is not self.b.names.own.FRAME:
            self.b.put(Taken(self.b.cell(Kind.FLAG, element.id, "call", "BOOL"), on, at))
        called = called_instance(element, self.b.instance, self.running)
        if element.instance:
            done = self.instance(element, on)
        else:
            done = self.function(element, called, on)
        self.executed[element.id] = done
        self.out[element.id, "ENO"] = done
        for pin in element.outputs:
            key = (element.id, pin.name.upper())
            if pin.negated and key in self.out:
                self.out[key] = Op("NOT", "BOOL", (self.out[key],), self.b.at(element.id, pin.name.upper()))

    def data_pins(self, element: Block) -> list[Pin]:
        return [p for p in element.inputs if p.name.upper() != "EN"]

    def instance(self, element: Block, on: Expr) -> Expr:
        """A block with an instance."""
        at = self.b.at(element.id)
        meaning = self.find(element.instance, at)
        if not isinstance(meaning, BlockMeaning):
            return OFF
        spot = meaning.where
        with self.b.when(on, at):
            for pin in self.data_pins(element):
                ref = meaning.instance.scope.get(pin.name.lower())
                if isinstance(ref, Leaf) and pin.wires:
                    node = self.b.at(element.id, pin.name.upper())
                    variable = self.b.names.pin_of(meaning, ref.tag)
                    value = self.pin(pin, element, variable.type, node)
                    self.b.store(variable, self.b.keep(value, node, variable.target) if variable.type.family is not Family.BOOL else value, node)
                elif isinstance(ref, Aggregate) and pin.wires:
                    self.fill(self.b.names.whole_pin(meaning, ref), pin.wires[0], element.id)
            if meaning.instance.pou is None:
                inputs, outputs = STANDARD_BLOCKS[meaning.instance.type_name]
                self.b.put(Invoke(block_family(meaning.instance.type_name), spot, (*inputs, *outputs)[-1][1].name, at))
            else:
                self.call(element, meaning.instance, spot, at, ())
        for name in self.used.get(element.id, {}):
            ref = meaning.instance.scope.get(name.lower())
            if isinstance(ref, Aggregate):
                self.wholes[element.id, name] = self.b.names.whole_pin(meaning, ref)
            if name != "ENO" and isinstance(ref, Leaf):
                node = self.b.at(element.id, name)
                self.out[element.id, name] = self.b.keep(self.b.load(self.b.names.pin_of(meaning, ref.tag), node), node)
        return on

    def whole(self, wire: Wire) -> Whole | list[Expr]:
        """The array or structure that a wire brings: where it lies, or its leaves."""
        source = self.ids.get(wire.source)
        if isinstance(source, (InVariable, InOutVariable)):
            found = self.find(source.expression, self.b.at(source.id))
            return found if isinstance(found, Whole) else []
        if not isinstance(source, Block):
            return []
        taken = moved(source)
        if taken is not None:
            return self.whole(taken.wires[0]) if taken.wires else []
        return self.wholes.get((source.id, output_pin(wire, source)), [])

    def fill(self, into: Whole, wire: Wire, element: int) -> None:
        """Fill an array or structure with what a wire brings."""
        self.b.fill(into, self.whole(wire), element, wire.source)

    def call(self, element: Block, called: Instance, spot: Spot, at: int, inputs: tuple[tuple[int, Expr], ...],
             results: tuple[tuple[int, int, str], ...] = ()) -> None:
        """Execute a body of the file's own inside this step."""
        body = self.b.bodies.get(called.type_name.lower())
        if body is None:
            return
        wired: dict[str, tuple[Target | Spot | None, int]] = {}
        for pin in (*element.in_outs, *element.inputs):
            source = self.ids.get(pin.wires[0].source) if pin.wires else None
            if isinstance(called.scope.get(pin.name.lower()), ByReference) and isinstance(source, (InVariable, InOutVariable)):
                found = self.find(source.expression, at)
                ref = found.where if isinstance(found, BlockMeaning) else found.target if found is not None else None
                wired[pin.name.lower()] = ref, self.b.at(source.id, "handed")
        refs = tuple(wired.get(name, (None, at)) for name, ref in called.scope.items() if isinstance(ref, ByReference))
        self.b.put(Call(body, spot, inputs, tuple(r for r, _ in refs), results, at, tuple(n for _, n in refs)))

    def function(self, element: Block, called: Instance | None, on: Expr) -> Expr:
        """A function: of the standard, of the file, or an order to the controller. OFF where its name is none."""
        at = self.b.at(element.id, "OUT")
        used = self.used.get(element.id, {})
        name = element.type_name.upper()
        if called is not None:
            return self.own_function(element, called, on, at)
        if name in ORDERS:
            return self.order(element, ORDERS[name], on, at)
        taken = moved(element)
        if taken is not None and taken.wires and self.whole(taken.wires[0]):
            return on  # what it moves is read where it goes
        receiver = self.receiver(element)
        with self.b.when(on, at):
            value = Functions(self.b).value(typed(name)[0], self.operands(element, at), self.types.operation.get(element.id, BOOL),
                                            self.types.outputs.get((element.id, "OUT")), at)
            if value is not None and on == ON:
                result = self.b.let(value, at, receiver)
            elif value is not None:
                kept = {pin: self.result(element, pin, value.type, lasting) for pin, lasting in used.items() if pin != "ENO"}
                one = self.b.keep(value, at, receiver)
                for target in kept.values():
                    self.b.put(Store(target, one, at))
        if value is None:
            return OFF
        for pin in used:
            if pin != "ENO":
                self.out[element.id, pin] = result if on == ON else self.b.let(Load(kept[pin], value.type, at), self.b.at(element.id, pin))
        return on

    def result(self, element: Block, pin: str, type_: str, lasting: bool) -> Target:
        """Where a function element remembers a result; with rows only where it is read while EN is off."""
        return self.b.cell(Kind.PRIVATE if lasting else Kind.MEMORY, element.id, f"{pin} result", type_)

    def operands(self, element: Block, at: int) -> list[Operand]:
        """The wired operands of a function."""
        kind = self.types.operation.get(element.id, BOOL)
        into = self.receiver(element)
        return [Operand(self, p, element, kind, at, into) for p in self.data_pins(element) if p.wires]

    def order(self, element: Block, what: str, on: Expr, at: int) -> Expr:
        """An order to the controller."""
        pins = [p for p in self.data_pins(element) if p.wires]
        read = self.constant(self.ids.get(pins[0].wires[0].source)) if pins else None
        task = self.tasks.get(str(read[1]).lower(), -1) if read is not None else -1
        with self.b.when(on, at):
            self.b.put(Order(what, task, at))
        for pin in self.used.get(element.id, {}):
            if pin != "ENO":
                self.out[element.id, pin] = ON
        return on

    def own_function(self, element: Block, called: Instance, on: Expr, at: int) -> Expr:
        """A function of the file's own: its variables begin anew, inputs left out take their declared value."""
        used = [p for p in self.used.get(element.id, {}) if p != "ENO"]
        names = {p: called.type_name.lower() if p == "OUT" and "out" not in called.scope else p.lower() for p in used}
        leaves = {p: ref for p in used if isinstance(ref := called.scope.get(names[p]), Leaf)}
        parts = {p: list(leaves_of(ref)) for p in used if isinstance(ref := called.scope.get(names[p]), Aggregate)}
        with self.b.when(on, at):
            inputs = []
            for pin in self.data_pins(element):
                ref = called.scope.get(pin.name.lower())
                if isinstance(ref, Leaf) and pin.wires:
                    node = self.b.at(element.id, pin.name.upper())
                    one = self.running.tags[ref.tag]
                    value = self.pin(pin, element, one.type, node)
                    variable = Variable(Target(0, ref.tag, one.type.name), one.type, one)
                    inputs.append((ref.tag - called.first, self.b.keep(self.b.ranged(variable, value, node), node)))
                elif isinstance(ref, Aggregate) and pin.wires:
                    values = self.b.leaves(self.whole(pin.wires[0]), pin.wires[0].source)
                    for tag, one_value in zip(leaves_of(ref), values, strict=False):
                        inputs.append((tag - called.first, self.b.keep(one_value, self.b.at(element.id, pin.name.upper()))))
            slots = {p: self.b.slot() for p in leaves}
            more = {tag: self.b.slot() for tags in parts.values() for tag in tags}
            results = (*((ref.tag - called.first, slots[p], self.running.tags[ref.tag].type.name) for p, ref in leaves.items()),
                       *((tag - called.first, slot, self.running.tags[tag].type.name) for tag, slot in more.items()))
            spot = Spot(0, self.b.regions.number[id(called)])
            self.call(element, called, spot, at, tuple(inputs), results)
            if on != ON:
                for name, ref in leaves.items():
                    type_ = self.running.tags[ref.tag].type.name
                    self.b.put(Store(self.result(element, name, type_, self.used[element.id][name]), Slot(slots[name], type_), at))
            for name, tags in parts.items():
                self.wholes[element.id, name] = [self.part_result(element, name, n, more[tag], tag, on, at) for n, tag in enumerate(tags)]
        for name, ref in leaves.items():
            type_ = self.running.tags[ref.tag].type.name
            value_read: Expr = Slot(slots[name], type_)
            if on != ON:
                value_read = Load(self.result(element, name, type_, self.used[element.id][name]), type_, at)
            self.out[element.id, name] = self.b.let(value_read, self.b.at(element.id, name))
        return on

    def part_result(self, element: Block, pin: str, n: int, slot: int, tag: int, on: Expr, at: int) -> Expr:
        """One leaf of what a function gives, kept for when it is not executed where that may be."""
        type_ = self.running.tags[tag].type.name
        if on == ON:
            return Slot(slot, type_)
        kept = self.b.cell(Kind.MEMORY, element.id, f"{pin} result {n}", type_)
        self.b.put(Store(kept, Slot(slot, type_), at))
        return Load(kept, type_, at)

    def receiver(self, element: Block) -> Target | None:
        """The tag that a function's result goes to; None where it goes on as a wire."""
        for other in self.takers.get(element.id, ()):
            found = self.find(other.expression, -1)
            if isinstance(found, Variable) and not found.target.terms and not found.target.width:
                return found.target
        return None


class Operand:
    """One operand of a function: read in the type that it is asked for."""

    def __init__(self, rung: Blocks, pin: Pin, element: Block, kind: Elementary, at: int, into: Target | None) -> None:
        self.rung, self.pin, self.element, self.kind, self.at, self.into = rung, pin, element, kind, at, into
        self.name = pin.name.upper()
        self.type = rung.wire_type(pin.wires[0])

    @property
    def real(self) -> bool:
        """Whether it is a real number."""
        read = self.rung.constant(self.rung.ids.get(self.pin.wires[0].source))
        return (self.type is not None and self.type.family is Family.REAL) or (read is not None and isinstance(read[1], float))

    @property
    def time(self) -> bool:
        """Whether it is a TIME."""
        return self.type is not None and self.type.family is Family.TIME

    def value(self) -> Expr:
        """In the operation's type."""
        return self.rung.pin(self.pin, self.element, self.kind, self.at) if self.kind.family is Family.BOOL else \
            self.rung.value(self.pin.wires[0], self.kind, self.at, self.into)

    def as_type(self, name: str) -> Expr:
        """In a type of its own."""
        if name == "BOOL":
            return self.rung.pin(self.pin, self.element, BOOL, self.at)
        return self.rung.value(self.pin.wires[0], ELEMENTARY[name], self.at, self.into)
