"""Actions of the code as WebAssembly text."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.engine.code import (
    Action,
    Base,
    Body,
    Call,
    Copy,
    Edge,
    Expr,
    If,
    Invoke,
    Kind,
    Leave,
    Let,
    Loop,
    Order,
    Pass,
    Scope,
    Spot,
    Store,
    Taken,
    Target,
)
from whorlograph.model.blocks import COUNTERS, TIMERS
from whorlograph.model.profile import Overflow
from whorlograph.model.types import ELEMENTARY

from . import layout as at
from .expressions import Expressions, may_fault
from .function import Function, machine_type, raw_bits, signed
from .place import Placing

_ALL_BITS = (1 << 64) - 1  # constants have no more, and none below -2^63
STOP_IF_FAULTED = f"(if (i32.load (i32.const {at.FAULT})) (then (return)))"


class Actions:
    """Prints the actions of one body into a function.

    Args: checked: whether steps or passes may be too many; observed: whether anything reads the ET of a timer.
    """

    def __init__(self, function: Function, placing: Placing, mode: Overflow, checked: bool, observed: Callable[[Spot], bool]) -> None:
        self.f, self.placing, self.checked, self.observed = function, placing, checked, observed
        self.e = Expressions(function, placing, mode)
        self.body: Body = placing.body
        self.scopes: list[str] = []
        self.labels = 0
        self.step = "(i32.const -1)"

    def all(self, actions: tuple[Action, ...]) -> None:
        """Print actions in order."""
        for action in actions:
            getattr(self, f"_{type(action).__name__.lower()}")(action)

    def _faults(self, *values: Expr) -> None:
        if any(map(may_fault, values)):
            self.f.put(STOP_IF_FAULTED)

    def _let(self, one: Let) -> None:
        receiver = self.placing.number(one.receiver) if one.receiver is not None else "(i32.const -1)"
        self.f.put(f"(local.set {self.e.slot(one.slot, one.value.type)} {self.e.text(one.value, receiver)})")
        self._faults(one.value)

    def _store(self, one: Store) -> None:
        target, f = one.target, self.f
        kind = machine_type(target.type)
        if target.width and (kind != "i64" or target.low >= ELEMENTARY[target.type].bits):
            return
        value = self.e.text(one.value, self.placing.number(target))
        if may_fault(one.value):
            kept = f.temporary(machine_type(one.value.type))
            f.put(f"(local.set {kept} {value})")
            f.put(STOP_IF_FAULTED)
            value = f"(local.get {kept})"
        index = ""
        if target.terms:
            kept = f.temporary("i32")
            if "local.get" not in value[:11]:
                first = f.temporary(machine_type(one.value.type))
                f.put(f"(local.set {first} {value})")
                value = f"(local.get {first})"
            f.put(f"(local.set {kept} {self.e.index(target)})")
            f.put(STOP_IF_FAULTED)
            index = f"(local.get {kept})"
        self._write(target, value, index)

    def _write(self, target: Target, value: str, index: str) -> None:
        """Write a computed value, its subscripts already known."""
        f, number = self.f, self.placing.number(target, index)
        kind = machine_type(target.type)
        address, offset = self.placing.address(target, index)
        behind = f" offset={offset}" if offset else ""
        if target.base == Base.FRAME or (target.base == Base.HIDDEN and self._remembers(target)):
            if target.width:
                old = f"(i64.and (i64.load{behind} {address}) (i64.const {~(1 << target.low) & _ALL_BITS}))"
                new = f"(i64.or {old} (i64.shl (i64.extend_i32_u {value}) (i64.const {target.low})))"
                f.put(f"(i64.store{behind} {address} {self.e.ops.cut(new, ELEMENTARY[target.type])})")
            else:
                f.put(f"(i64.store{behind} {address} {raw_bits(value, target.type)})")
        elif target.base == Base.HIDDEN:
            f.put(f"(call $keep {number} {raw_bits(value, target.type)})")
        elif self.e.is_bit(target):
            f.put(f"(call $store_bit {number} (local.get $r{target.param}b) {value})")
        elif target.width:
            old = f"(i64.and (i64.load{behind} {address}) (i64.const {~(1 << target.low) & _ALL_BITS}))"
            new = f"(i64.or {old} (i64.shl (i64.extend_i32_u {value}) (i64.const {target.low})))"
            f.put(f"(call $put {number} {self.e.ops.cut(new, ELEMENTARY[target.type])})")
        elif kind == "i32" and not index:
            name = f.temporary("i32")
            f.put(f"(if (i32.or (i32.ne (local.tee {name} {value}) (i32.load{behind} {address})) (global.get $forcing))"
                  f" (then (call $put {number} (i64.extend_i32_u (local.get {name})))))")
        else:
            f.put(f"(call $put {number} {raw_bits(value, target.type)})")

    def _remembers(self, target: Target) -> bool:
        """Whether a hidden cell has no rows."""
        return self.body.hidden[target.cell - self.body.inner].kind == Kind.MEMORY

    def _copy(self, one: Copy) -> None:
        source = self._chosen(one.source)
        self.f.put(f"(call $copy {self._chosen(one.target)} {source} (i32.const {one.cells}))")

    def _chosen(self, target: Target) -> str:
        """The number of the first cell of a structure or array, its subscripts checked first."""
        if not target.terms:
            return self.placing.number(target)
        kept = self.f.temporary("i32")
        self.f.put(f"(local.set {kept} {self.e.index(target)})")
        self.f.put(STOP_IF_FAULTED)
        return self.placing.number(target, f"(local.get {kept})")

    def _taken(self, one: Taken) -> None:
        self.f.put(f"(call $keep {self.placing.number(one.cell)} (i64.extend_i32_u {self._safe(one.value)}))")

    def _safe(self, value: Expr) -> str:
        """A value that has been computed without a fault, or the function is left."""
        if not may_fault(value):
            return self.e.text(value)
        kind = machine_type(value.type)
        kept = self.f.temporary(kind)
        self.f.put(f"(local.set {kept} {self.e.text(value)})")
        self.f.put(STOP_IF_FAULTED)
        return f"(local.get {kept})"

    def _edge(self, one: Edge) -> None:
        value = self._safe(one.value)
        self.f.put(f"(local.set {self.e.slot(one.slot, 'BOOL')} (call $rise {self.placing.number(one.memory)} {value}"
                   f" (i32.const {int(one.rising)})))")

    def _if(self, one: If) -> None:
        self.f.put(f"(if {self._safe(one.test)} (then")
        self.all(one.then)
        if one.other:
            self.f.put(") (else")
            self.all(one.other)
        self.f.put("))")

    # loops and scopes

    def _label(self) -> str:
        self.labels += 1
        return f"$l{self.labels}"

    def _scope(self, one: Scope) -> None:
        label = self._label()
        self.scopes.append(label)
        self.f.put(f"(block {label}")
        self.all(one.actions)
        self.f.put(")")
        self.scopes.pop()

    def _leave(self, one: Leave) -> None:
        self.f.put(f"(br {self.scopes[-1 - one.depth]})")

    def _loop(self, one: Loop) -> None:
        label = self._label()
        self.f.put(f"(loop {label}")
        self._pass()
        self.all(one.actions)
        self.f.put(f"(br {label}))")

    def _pass(self, one: Pass | None = None) -> None:
        self.f.put("(global.set $num (i32.add (global.get $num) (i32.const 1)))")
        self.check()

    def check(self) -> None:
        """Whether the scan has taken too long or too many steps, after a step or pass."""
        if self.checked:
            self.f.put(f"(if (i32.gt_s (global.get $num) (global.get $limit)) (then (call $passed {self.step}) (return)))")

    # calls

    def _call(self, one: Call) -> None:
        code, placing, f = self.placing.code, self.placing, self.f
        called = code.bodies[one.body]
        kept = []
        for cell, value in one.inputs:
            name = f.temporary(machine_type(value.type))
            f.put(f"(local.set {name} {self.e.text(value)})")
            kept.append((cell, name, value.type))
        self._faults(*(v for _, v in one.inputs))
        frame = code.instances[called.frame] if called.frame >= 0 else None
        if frame is not None:
            f.put(f"(call $anew{one.body})")
            for cell, name, type_ in kept:
                f.put(f"(i64.store (i32.const {at.CELLS + 8 * (frame.own + cell)}) {raw_bits(f'(local.get {name})', type_)})")
            given = []
        else:
            given = [placing.own_of(one.where), placing.hidden_of(one.where), placing.step_of(one.where)]
        for ref, param in zip(one.refs, called.params, strict=True):
            given += self._reference(ref, param.kind)
        f.put(f"(call $b{one.body} {' '.join(given)})")
        f.put(STOP_IF_FAULTED)
        f.put(f"(global.set $step {self.step})")
        for cell, slot, type_ in one.results:
            address = at.CELLS + 8 * ((frame.own if frame is not None else 0) + cell)
            f.put(f"(local.set {self.e.slot(slot, type_)} ({machine_type(type_)}.load (i32.const {address})))")

    def _reference(self, ref: Target | Spot | None, kind: str) -> list[str]:
        """What is handed over for a VAR_IN_OUT."""
        nothing = "(i32.const 0)"
        if kind == "instance":
            if not isinstance(ref, Spot):
                return [nothing, nothing, nothing]
            return [self.placing.own_of(ref), self.placing.hidden_of(ref), self.placing.step_of(ref)]
        scrap = f"(i32.const {self.placing.code.cells})"
        if not isinstance(ref, Target):
            return [scrap] if kind == "cell" else [scrap, "(i32.const -1)"]
        index = ""
        if ref.terms:
            kept = self.f.temporary("i32")
            self.f.put(f"(local.set {kept} {self.e.index(ref)})")
            self.f.put(STOP_IF_FAULTED)
            index = f"(local.get {kept})"
        number = self.placing.number(ref, index)
        if kind == "cell":
            return [number]
        if ref.width:
            holder = ELEMENTARY[ref.type]
            keep = (64 - max(1, holder.bits)) | (256 if holder.low < 0 or holder.bits == 64 else 0)
            return [number, f"(i32.const {ref.low | keep << 8})"]
        return [number, f"(local.get $r{ref.param}b)" if self.e.is_bit(ref) else "(i32.const -1)"]

    def _invoke(self, one: Invoke) -> None:
        name = one.block
        own, memory = self.placing.own_of(one.where), self.placing.hidden_of(one.where)
        count = ELEMENTARY[one.counts]
        if name in TIMERS:
            self.f.put(f"(call ${name.lower()} {own} {memory} (i32.const {int(self.observed(one.where))}))")
        elif name in COUNTERS:
            limits = {"CTU": f"(i64.const {signed(count.high)})", "CTD": f"(i64.const {count.low})",
                      "CTUD": f"(i64.const {count.low}) (i64.const {signed(count.high)})"}[name]
            self.f.put(f"(call ${name.lower()} {own} {memory} {limits})")
        else:
            self.f.put(f"(call ${name.lower()} {own} {memory})")

    def _order(self, one: Order) -> None:
        code = {"hold": 0, "release": 1, "restart": 2}[one.what]
        self.f.put(f"(call $order (i32.const {code}) (i32.const {one.task}))")

