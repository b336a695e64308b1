"""One rung lowered: every element evaluated once, in the order of evaluation (CONTROLLER.md, Ladder)."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

from whorlograph.engine.scope.rung_types import called_instance, output_pin, rung_types
from whorlograph.engine.scope.widening import BITWISE, COMPARISONS, REALS, SHIFTS, conversion
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
    InOutVariable,
    InVariable,
    Jump,
    LadderBody,
    OutVariable,
    Pin,
    Return,
    Wire,
)
from whorlograph.model.literals import literal, single
from whorlograph.model.paths import parse_path
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step
from whorlograph.model.tags import Aggregate, BitOf, ByReference, Element, Instance, Leaf, Target, resolve_path
from whorlograph.model.types import BOOL, Elementary, Family

from . import layout as at
from .emit import Function, machine_type
from .operations import Operations

if TYPE_CHECKING:
    from .lower import Lowering

Bound = Target
_OFF, _ON = "(i32.const 0)", "(i32.const 1)"


class RungLowering:
    """Lowers one rung into a function under construction."""

    def __init__(self, above: Lowering, function: Function, step: Step, bound: dict[str, Bound]) -> None:
        self.above, self.f, self.step, self.bound = above, function, step, bound
        self.running = above.running
        self.types = rung_types(step, self.running)
        self.ids = {e.id: e for e in step.rung.elements}
        self.rails = above.rails(step.instance)
        self.out: dict[tuple[int, str], str] = {}
        self.executed: dict[int, str] = {}
        self.operations = Operations(above.profile.on_overflow)
        self.receiver = -1

    def lower(self, top: bool) -> list[tuple[str, int]]:
        """Emit the rung; returns (condition, rung index to go on at) for each jump and return, in order."""
        leaves: list[tuple[str, int]] = []
        body = self.step.instance.pou.body if self.step.instance.pou is not None else None
        targets = body.targets if isinstance(body, LadderBody) else {}
        count = len(body.rungs) if isinstance(body, LadderBody) else 0
        for element in () if self.step.rung.fault else evaluation_order(self.step.rung):
            if isinstance(element, Contact):
                self.contact(element)
            elif isinstance(element, Coil):
                self.coil(element)
            elif isinstance(element, Block):
                self.block(element)
            elif isinstance(element, InVariable):
                self.in_variable(element)
            elif isinstance(element, (OutVariable, InOutVariable)):
                self.out_variable(element)
            elif isinstance(element, Connector):
                self.out[element.id, ""] = self.f.keep(self.power(element.wires), "i32")
            elif isinstance(element, Continuation):
                source = self.step.rung.continued.get(element.id)
                self.out[element.id, ""] = self.out.get((source, ""), _OFF) if source is not None else _OFF
            elif isinstance(element, (Jump, Return)):
                target = targets.get(element.label.lower()) if isinstance(element, Jump) else count + 1
                taken = self.f.keep(self.power(element.wires), "i32") if target is not None else _OFF
                mark = self.above.steps.flags.get((self.step.index, element.id))
                if mark is not None:
                    self.f.store_mark(mark.number, taken)
                if target is not None:
                    leaves.append((taken, target - 1))
        return leaves

    # power and values

    def power(self, wires: tuple[Wire, ...]) -> str:
        """OR over incoming connections."""
        parts = [self.boolean(w) for w in wires]
        parts = [p for p in parts if p != _OFF]
        if not parts:
            return _OFF
        if _ON in parts:
            return _ON
        total = parts[0]
        for part in parts[1:]:
            total = f"(i32.or {total} {part})"
        return total

    def boolean(self, wire: Wire) -> str:
        kind = machine_type(self.wire_type(wire) or BOOL)
        value = self.wire(wire)
        return value if kind == "i32" or value in (_OFF, _ON) else f"({kind}.ne {value} ({kind}.const 0))"

    def wire(self, wire: Wire) -> str:
        source = self.ids.get(wire.source)
        if source is None:
            return _ON if wire.source in self.rails else _OFF
        if isinstance(source, Block):
            return self.out.get((source.id, output_pin(wire, source)), _OFF)
        return self.out.get((source.id, ""), _OFF)

    def named(self, wire: Wire) -> Wire:
        source = self.ids.get(wire.source)
        return Wire(wire.source, output_pin(wire, source)) if isinstance(source, Block) else wire

    def wire_type(self, wire: Wire) -> Elementary | None:
        """The type that a wire carries; None for an untyped literal or what gives nothing."""
        return self.types.of(self.named(wire))

    def literal_as(self, wire: Wire, type_: Elementary) -> str | None:
        """An untyped literal on a wire, printed in the type it is used in."""
        source = self.ids.get(wire.source)
        read = literal(source.expression) if isinstance(source, InVariable) else None
        if read is None or read[0] is not None or isinstance(read[1], str):
            return None
        if isinstance(read[1], float) and type_.whole:
            number = round(read[1])
            if type_.low <= number <= type_.high:
                return constant(number, type_)
            place = self.operations.place(wire.source, -1)
            return self.operations.fit(f"(i64.const {max(-1 << 62, min(1 << 62, number))})", type_, place)
        return constant(read[1], type_)

    def value(self, wire: Wire, type_: Elementary, where: str) -> str:
        """What a wire carries, widened to the type it is used in."""
        known = self.literal_as(wire, type_)
        return known if known is not None else self.operations.widened(self.wire(wire), self.wire_type(wire), type_, where)

    # names

    def target(self, text: str) -> Target | None:
        """What a name stands for here, in-out variables followed to what they are bound to."""
        path = parse_path(text)
        if path is None:
            return None
        bound = self.bound.get(path.base.lower())
        if bound is not None:
            if not path.steps:
                return bound
            if isinstance(bound, (Leaf, Aggregate, Instance)):
                return resolve_path(path, Instance("", "", None, {path.base.lower(): bound}), self.running.scope)
            return None
        return resolve_path(path, self.step.instance, self.running.scope)

    def type_of(self, target: Target) -> Elementary:
        if isinstance(target, Leaf):
            return self.running.tags[target.tag].type
        if isinstance(target, Element):
            return self.running.tags[target.first].type
        return BOOL

    def load(self, target: Target | None, element: int) -> str:
        """The value of what a name stands for; FALSE where it stands for nothing."""
        if isinstance(target, Leaf):
            return self.f.load(target.tag)
        if isinstance(target, BitOf):
            type_ = self.running.tags[target.tag].type
            word = self.f.load(target.tag)
            if machine_type(type_) != "i64":
                return word if target.bit == 0 and machine_type(type_) == "i32" else _OFF
            return f"(i32.wrap_i64 (i64.and (i64.shr_u {word} (i64.const {target.bit})) (i64.const 1)))"
        if isinstance(target, Element):
            kind = machine_type(self.running.tags[target.first].type)
            address = self.f.keep(self.offset(target, element), "i32")
            return self.f.keep(f"({kind}.load offset={self.f.cell(target.first)} (i32.shl {address} (i32.const 3)))", kind)
        return _OFF

    def offset(self, target: Element, element: int) -> str:
        """How many leaves behind the first an array's element lies, its subscripts checked."""
        for tag in self.candidates(target):
            self.f.note(tag)
        total = ""
        for subscript, low, high, stride in target.terms:
            inner = resolve_path(subscript, self.step.instance, self.running.scope)
            value = self.load(inner, element)
            if inner is not None and machine_type(self.type_of(inner)) == "i32":
                value = f"(i64.extend_i32_u {value})"
            index = f"(call $index {value} (i64.const {low}) (i64.const {high}) (i32.const {element}) (i32.const {target.first}))"
            part = self.f.keep(f"(i32.mul {index} (i32.const {stride}))", "i32")
            self.f.stop_if_faulted()
            total = f"(i32.add {total} {part})" if total else part
        return total

    @staticmethod
    def candidates(target: Element) -> list[int]:
        """The tags that an array's element may be."""
        found = [target.first]
        for _, low, high, stride in target.terms:
            found = [t + i * stride for t in found for i in range(high - low + 1)]
        return found

    def store(self, target: Target | None, value: str, element: int) -> None:
        """Write a value, already in the target's type."""
        if isinstance(target, Leaf):
            self.f.store(target.tag, value)
        elif isinstance(target, BitOf):
            type_ = self.running.tags[target.tag].type
            if machine_type(type_) != "i64" or target.bit >= type_.bits:
                return
            self.f.access.reads.add(target.tag)
            flag = f"(i64.shl (i64.extend_i32_u {value}) (i64.const {target.bit}))"
            rest = f"(i64.and {self.f.load(target.tag)} (i64.const {~(1 << target.bit)}))"
            self.f.depth += 1
            self.f.store(target.tag, self.operations.cut(f"(i64.or {rest} {flag})", type_))
            self.f.depth -= 1
        elif isinstance(target, Element):
            type_ = self.running.tags[target.first].type
            held = self.f.keep(self.f.raw_bits(value, type_), "i64")
            place = self.offset(target, element)
            self.f.access.write(set(self.candidates(target)))
            self.f.put(f"(call $put (i32.add (i32.const {target.first}) {place}) {held})")

    # elements

    def contact(self, element: Contact) -> None:
        target = self.target(element.variable)
        if target is None or isinstance(target, (Instance, Aggregate, ByReference)):
            self.out[element.id, ""] = _OFF
            return
        kind = machine_type(self.type_of(target))
        on = self.load(target, element.id)
        if kind != "i32":
            on = f"({kind}.ne {on} ({kind}.const 0))"
        if element.kind is ContactKind.NORMALLY_CLOSED:
            on = f"(i32.eqz {on})"
        elif element.kind in (ContactKind.RISING, ContactKind.FALLING):
            on = self.edge(element.id, on, element.kind is ContactKind.RISING, 2)
        power = self.power(element.wires)
        self.out[element.id, ""] = _OFF if power == _OFF else self.f.keep(on if power == _ON else f"(i32.and {power} {on})", "i32")

    def edge(self, key: object, value: str, rising: bool, first: int) -> str:
        """An edge with a memory of its own; ``first`` 2: the first evaluation never passes."""
        cell = self.above.hidden((self.step.index, key, "edge", id(self.step.instance)), 1, first)
        return self.f.keep(f"(call $rise (i32.const {cell}) {value} (i32.const {int(rising)}))", "i32")

    def coil(self, element: Coil) -> None:
        on = self.power(element.wires)
        if on not in (_OFF, _ON):
            on = self.f.keep(on, "i32")
        self.out[element.id, ""] = on
        target = self.target(element.variable)
        kind = element.kind
        if kind in (CoilKind.RISING, CoilKind.FALLING):
            on = self.edge(element.id, on, kind is CoilKind.RISING, 2)
        if target is None or isinstance(target, (Instance, Aggregate, ByReference)):
            return
        type_ = self.type_of(target)
        if kind in (CoilKind.SET, CoilKind.RESET):
            with self.f.when(on):
                self.store(target, constant(kind is CoilKind.SET, type_), element.id)
            return
        value = f"(i32.eqz {on})" if kind is CoilKind.NEGATED else on
        where = self.operations.place(element.id, -1)
        self.store(target, self.operations.widened(value, BOOL, type_, where), element.id)

    def in_variable(self, element: InVariable) -> None:
        read = literal(element.expression)
        if read is not None:
            type_ = read[0] or self.types.outputs.get((element.id, "")) or None
            value: int | float | bool = read[1] if not isinstance(read[1], str) else 0
            if type_ is None:
                self.out[element.id, ""] = constant(bool(value) != element.negated, BOOL)
                return
            self.out[element.id, ""] = constant(value != element.negated if type_ == BOOL else value, type_)
            return
        target = self.target(element.expression)
        if not isinstance(target, (Leaf, BitOf, Element)):
            self.out[element.id, ""] = _OFF
            return
        type_ = self.type_of(target)
        value_text = self.load(target, element.id)
        if element.negated:
            kind = machine_type(type_)
            value_text = f"(i32.eqz {value_text})" if kind == "i32" else value_text
        self.out[element.id, ""] = self.f.keep(value_text, machine_type(type_))

    def out_variable(self, element: OutVariable | InOutVariable) -> None:
        target = self.target(element.expression)
        known = isinstance(target, (Leaf, BitOf, Element))
        if element.wires and known and target is not None:
            source = self.ids.get(element.wires[0].source)
            type_ = self.type_of(target)
            where = self.operations.place(element.id, target.tag if isinstance(target, Leaf) else -1)
            condition = self.executed.get(source.id, _OFF) if isinstance(source, Block) else _ON
            if condition != _OFF:
                if condition != _ON:
                    self.f.put(f"(if {condition} (then")
                    self.f.depth += 1
                if type_.family is Family.BOOL:
                    value = self.power(element.wires)
                else:
                    wire = element.wires[0]
                    value = self.literal_as(wire, type_) or self.operations.held(self.wire(wire), self.wire_type(wire), type_, where)
                if isinstance(element, OutVariable) and element.negated and type_.family is Family.BOOL:
                    value = f"(i32.eqz {value})"
                value = self.f.keep(value, machine_type(type_))
                if type_.family is not Family.BOOL:
                    self.f.stop_if_faulted()
                self.store(target, value, element.id)
                if condition != _ON:
                    self.f.depth -= 1
                    self.f.put("))")
        if isinstance(element, InOutVariable) and known and target is not None:
            self.out[element.id, ""] = self.f.keep(self.load(target, element.id), machine_type(self.type_of(target)))

    # blocks

    def pin(self, pin: Pin, element: Block, type_: Elementary, where: str) -> str:
        """What goes into a pin, in its type."""
        if type_.family is Family.BOOL:
            value = self.power(pin.wires)
            if pin.negated:
                value = f"(i32.eqz {value})"
            if pin.edge is not Edge.NONE:
                value = self.edge((element.id, pin.name), value, pin.edge is Edge.RISING, 0)
            return value
        wire = pin.wires[0]
        return self.literal_as(wire, type_) or self.operations.held(self.wire(wire), self.wire_type(wire), type_, where)

    def block(self, element: Block) -> None:
        enable = next((p for p in element.inputs if p.name.upper() == "EN"), None)
        on = self.pin(enable, element, BOOL, "") if enable is not None and enable.wires else _ON
        if on not in (_ON, _OFF):
            on = self.f.keep(on, "i32")
        mark = self.above.steps.flags.get((self.step.index, element.id))
        if mark is not None:
            self.f.store_mark(mark.number, on)
        called = called_instance(element, self.step.instance, self.running)
        pins = [p for p in element.inputs if p.name.upper() != "EN"]
        conditional = on != _ON
        if conditional:
            self.f.put(f"(if {on} (then")
            self.f.depth += 1
        done = on
        if called is not None and element.instance:
            self.instance(element, called, pins)
        elif element.instance or not self.function(element, called, pins):
            done = _OFF
        if conditional:
            self.f.depth -= 1
            self.f.put("))")
        self.executed[element.id] = done
        self.out[element.id, "ENO"] = done
        self.outputs(element, called)

    def outputs(self, element: Block, called: Instance | None) -> None:
        """Make what the block's outputs hold now available to its wires."""
        used = {output_pin(w, element) for e in self.ids.values() for w in _wires(e) if w.source == element.id} - {"ENO"}
        for name in used:
            if called is not None and element.instance:
                ref = called.scope.get(name.lower())
                if isinstance(ref, Leaf):
                    type_ = self.running.tags[ref.tag].type
                    self.f.access.others.add(ref.tag)
                    text = self.f.load_at(f"(i32.const {self.f.cell(ref.tag)})", machine_type(type_))
                    self.out[element.id, name] = self.f.keep(text, machine_type(type_))
            else:
                type_ = self.types.outputs.get((element.id, name)) or BOOL
                cell = self.result_cell(element, name)
                self.out[element.id, name] = self.f.keep(self.f.load_at(f"(i32.const {cell})", machine_type(type_)), machine_type(type_))
        for pin in element.outputs:
            key = (element.id, pin.name.upper())
            if pin.negated and key in self.out:
                self.out[key] = f"(i32.eqz {self.out[key]})"

    def result_cell(self, element: Block, name: str) -> int:
        """Where a function element remembers a result."""
        return self.above.hidden((self.step.index, element.id, name, "result"))

    def fill(self, called: Instance, element: Block, pins: list[Pin]) -> None:
        """Write the wired input pins of an instance."""
        for pin in pins:
            ref = called.scope.get(pin.name.lower())
            if isinstance(ref, Leaf) and pin.wires:
                type_ = self.running.tags[ref.tag].type
                where = self.operations.place(element.id, ref.tag)
                value = self.pin(pin, element, type_, where)
                if type_.family is not Family.BOOL:
                    value = self.f.keep(value, machine_type(type_))
                    self.f.stop_if_faulted()
                self.f.store(ref.tag, value)

    def instance(self, element: Block, called: Instance, pins: list[Pin]) -> None:
        self.fill(called, element, pins)
        if called.pou is None:
            self.standard(called)
        else:
            self.call(called, element)

    def standard(self, called: Instance) -> None:
        """Execute a standard block."""
        _inputs, _outputs = STANDARD_BLOCKS[called.type_name]
        tags = [ref.tag for ref in called.scope.values() if isinstance(ref, Leaf)]
        self.f.access.write(set(tags))
        first, name = called.first, block_family(called.type_name)
        memory = self.above.hidden((id(called), "memory"), 6)
        base = f"(i32.const {first}) (i32.const {memory})"
        count = self.running.tags[tags[-1]].type
        cell = [f"(i32.load (i32.const {self.f.cell(first + i)}))" for i in range(3)]
        if name in ("TON", "TOF", "TP"):
            seen = int(first + 3 in self.above.observed)
            self.f.put(f"(call ${name.lower()} {base} (i32.const {seen}))")
        elif name == "CTU":
            self.f.put(f"(call $ctu {base} (i64.const {signed(count.high)}))")
        elif name == "CTD":
            self.f.put(f"(call $ctd {base} (i64.const {count.low}))")
        elif name == "CTUD":
            self.f.put(f"(call $ctud {base} (i64.const {count.low}) (i64.const {signed(count.high)}))")
        elif name in ("R_TRIG", "F_TRIG"):
            clk = cell[0] if name == "R_TRIG" else f"(i32.eqz {cell[0]})"
            self.f.put(f"(call $trig {base} (i64.extend_i32_u {clk}))")
        elif name == "SR":
            self.f.put(f"(call $put (i32.const {first + 2}) (i64.extend_i32_u (i32.or {cell[0]}"
                       f" (i32.and {cell[2]} (i32.eqz {cell[1]})))))")
        elif name == "RS":
            self.f.put(f"(call $put (i32.const {first + 2}) (i64.extend_i32_u (i32.and (i32.eqz {cell[1]})"
                       f" (i32.or {cell[0]} {cell[2]}))))")

    def call(self, called: Instance, element: Block) -> None:
        """Execute a body of the file's own inside this step."""
        bound = self.in_outs(called, element)
        lowered = self.above.body(called, bound)
        self.f.put(f"(call {lowered.name})")
        self.f.stop_if_faulted()
        self.f.put(f"(global.set $step (i32.const {self.step.index}))")
        self.f.access.add(lowered.access)

    def in_outs(self, called: Instance, element: Block) -> dict[str, Bound]:
        bound: dict[str, Bound] = {}
        for pin in (*element.in_outs, *element.inputs):
            if not isinstance(called.scope.get(pin.name.lower()), ByReference) or not pin.wires:
                continue
            source = self.ids.get(pin.wires[0].source)
            if isinstance(source, (InVariable, InOutVariable)):
                target = self.target(source.expression)
                if target is not None:
                    bound[pin.name.lower()] = target
        return bound

    def function(self, element: Block, called: Instance | None, pins: list[Pin]) -> bool:
        """A function's call; False where its name is none."""
        if called is None:
            return self.standard_function(element, pins)
        for name, ref in called.scope.items():
            declared = next((v for v in called.pou.variables if v.name.lower() == name), None) if called.pou is not None else None
            if declared is None or declared.kind.value not in ("external", "in-out"):
                self.above.reset(ref, self.f)
        self.fill(called, element, pins)
        self.call(called, element)
        for name, ref in called.scope.items():
            if isinstance(ref, Leaf):
                source = f"(i64.load (i32.const {self.f.cell(ref.tag)}))"
                self.f.put(f"(i64.store (i32.const {self.result_cell(element, name.upper())}) {source})")
                if name == called.type_name.lower():
                    self.f.put(f"(i64.store (i32.const {self.result_cell(element, 'OUT')}) {source})")
        return True

    def standard_function(self, element: Block, pins: list[Pin]) -> bool:
        name = element.type_name.upper()
        kind = self.types.operation.get(element.id, BOOL)
        result = self.types.outputs.get((element.id, "OUT")) or kind
        wired = [p for p in pins if p.wires]
        self.receiver = self.receiving_tag(element)
        where = self.operations.place(element.id, self.receiver)
        data = [p for p in wired if p.name.upper() not in ("G", "K", "N")]
        if not data:
            return False
        ops = self.operations
        args = [self.f.keep(self.argument(p, element, kind, where), machine_type(kind)) for p in data]
        mt = machine_type(kind)
        change = conversion(name)
        if kind.family is Family.TIME and name in ("MUL", "DIV", "MULTIME", "DIVTIME"):
            value = self.scaled(name, args[0], data[1], where)
        elif name in ("ADD", "SUB", "MUL", "DIV", "MOD", "ADD_TIME", "SUB_TIME"):
            value = args[0]
            for arg in args[1:]:
                value = self.f.keep(ops.arithmetic(name.partition("_")[0], value, arg, kind, where, self.f), mt)
                self.f.stop_if_faulted()
        elif name == "MOVE":
            value = args[0]
        elif name in ("ABS", "NEG"):
            value = self.negative(name, args[0], kind, where)
        elif name in COMPARISONS:
            tests = [ops.compare(name, a, b, kind) for a, b in itertools.pairwise(args)] or [_ON]
            value = tests[0]
            for test in tests[1:]:
                value = f"(i32.and {value} {test})"
        elif name in BITWISE:
            value = ops.bitwise(name, args, kind)
        elif name in SHIFTS:
            value = ops.shift(name, args[0], self.number(wired, "N", element), kind, where)
        elif name in REALS:
            value = ops.real(name, args[0], args[0], kind, where)
        elif name == "EXPT":
            value = self.power_of(args[0], data[1] if len(data) > 1 else data[0], kind, where)
        elif name == "TRUNC":
            whole = f"(f64.trunc {args[0] if mt == 'f64' else f'(f64.promote_f32 {args[0]})'})"
            value = ops.rounded(whole, Elementary("LREAL", Family.REAL, 64), result, where)
        elif change is not None:
            value = ops.convert(args[0], kind, change[1], where)
        else:
            chosen = self.selection(name, args, wired, element, kind, where)
            if chosen is None:
                return False
            value = chosen
        value = self.f.keep(value, machine_type(result))
        self.f.stop_if_faulted()
        self.f.put(f"(i64.store (i32.const {self.result_cell(element, 'OUT')}) {self.f.raw_bits(value, result)})")
        for pin in element.outputs:
            if pin.name.upper() not in ("OUT", "ENO"):
                self.f.put(f"(i64.store (i32.const {self.result_cell(element, pin.name.upper())}) {self.f.raw_bits(value, result)})")
        return True

    def argument(self, pin: Pin, element: Block, kind: Elementary, where: str) -> str:
        """A function's operand in the type of the operation."""
        if kind.family is Family.BOOL:
            return self.pin(pin, element, kind, where)
        known = self.literal_as(pin.wires[0], kind)
        return known if known is not None else self.operations.widened(self.wire(pin.wires[0]), self.wire_type(pin.wires[0]), kind, where)

    def number(self, pins: list[Pin], name: str, element: Block) -> str:
        """A whole number on a pin (how far to shift, which to select), as 64 bits."""
        pin = next((p for p in pins if p.name.upper() == name), None)
        if pin is None:
            return "(i64.const 0)"
        from whorlograph.model.types import LINT

        return self.value(pin.wires[0], LINT, self.operations.place(element.id, -1))

    def negative(self, name: str, value: str, kind: Elementary, where: str) -> str:
        mt = machine_type(kind)
        if mt in ("f32", "f64"):
            return f"({mt}.{'abs' if name == 'ABS' else 'neg'} {value})"
        minus = self.operations.arithmetic("SUB", "(i64.const 0)", value, kind, where, self.f)
        if name == "NEG":
            return minus
        if kind.low == 0:
            return value
        return f"(if (result i64) (i64.lt_s {value} (i64.const 0)) (then {minus}) (else {value}))"

    def power_of(self, base: str, exponent: Pin, kind: Elementary, where: str) -> str:
        from whorlograph.model.types import LREAL

        double = base if kind.bits == 64 else f"(f64.promote_f32 {base})"
        value = self.value(exponent.wires[0], LREAL, where)
        if self.wire_type(exponent.wires[0]) is None:
            known = self.literal_as(exponent.wires[0], LREAL)
            value = known if known is not None else value
        call = f"(call $real (i32.const 10) {double} {value} {where})"
        return self.operations.finite(call if kind.bits == 64 else f"(f32.demote_f64 {call})", kind, where)

    def scaled(self, name: str, time: str, factor: Pin, where: str) -> str:
        from whorlograph.model.types import LINT, LREAL

        wire = factor.wires[0]
        type_ = self.wire_type(wire)
        source = self.ids.get(wire.source)
        read = literal(source.expression) if isinstance(source, InVariable) else None
        real = (type_ is not None and type_.family is Family.REAL) or (read is not None and isinstance(read[1], float))
        verb = "MUL" if name.startswith("MUL") else "DIV"
        if real:
            double = self.value(wire, LREAL, where)
            if verb == "DIV":
                double = self.f.keep(double, "f64")
                self.f.put(f"(call $nonzero {double} {where})")
                self.f.stop_if_faulted()
            code = 6 if verb == "MUL" else 7
            return f"(call $whole (i32.const {code}) (i32.const {64 | 256 | 512}) {time} (i64.reinterpret_f64 {double}) {where})"
        return self.operations.arithmetic_wide(verb, time, self.value(wire, LINT, where), Elementary("TIME", Family.TIME, 64), where)

    def selection(self, name: str, args: list[str], wired: list[Pin], element: Block, kind: Elementary, where: str) -> str | None:
        ops = self.operations
        if name == "SEL" and len(args) >= 2:
            gate = next((p for p in wired if p.name.upper() == "G"), None)
            return ops.choose(self.power(gate.wires) if gate is not None else _OFF, args[1], args[0])
        if name in ("MAX", "MIN"):
            best = args[0]
            for arg in args[1:]:
                test = ops.compare("GT" if name == "MAX" else "LT", arg, best, kind)
                best = self.f.keep(ops.choose(test, arg, best), machine_type(kind))
            return best
        if name == "LIMIT" and len(args) == 3:
            low = self.f.keep(ops.choose(ops.compare("GT", args[0], args[1], kind), args[0], args[1]), machine_type(kind))
            return ops.choose(ops.compare("LT", args[2], low, kind), args[2], low)
        if name == "MUX":
            index = self.f.keep(self.number(wired, "K", element), "i64")
            fail = f"(call $fail (i32.const {at.SELECTOR}) {where} {index} (i64.const {len(args) - 1}))"
            self.f.put(f"(if (i64.ge_u {index} (i64.const {len(args)})) (then {fail} (return)))")
            best = args[-1]
            for i in reversed(range(len(args) - 1)):
                best = ops.choose(f"(i64.eq {index} (i64.const {i}))", args[i], best)
            return best
        return None

    def receiving_tag(self, element: Block) -> int:
        """The tag that a function's result goes to; -1 where it goes on as a wire."""
        for other in self.ids.values():
            if isinstance(other, (OutVariable, InOutVariable)) and any(w.source == element.id for w in other.wires):
                target = self.target(other.expression)
                if isinstance(target, Leaf):
                    return target.tag
        return -1


def _wires(element: object) -> tuple[Wire, ...]:
    from whorlograph.model.ladder import Element as LadderElement
    from whorlograph.model.ladder import wires_of

    return wires_of(element) if isinstance(element, LadderElement) else ()


def signed(value: int) -> int:
    """A 64-bit number as WebAssembly text takes it."""
    return value - (1 << 64) if value >= 1 << 63 else value


def constant(value: int | float | bool, type_: Elementary) -> str:
    """A literal as a constant of the machine type that holds it."""
    kind = machine_type(type_)
    if kind == "i32":
        return f"(i32.const {int(bool(value))})"
    if kind == "i64":
        return f"(i64.const {signed(int(value))})"
    number = single(float(value)) if kind == "f32" else float(value)
    return f"({kind}.const {number.hex()})"
