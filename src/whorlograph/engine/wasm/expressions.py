"""Expressions of the code as WebAssembly text: pure but for faults, operands left to right."""

from __future__ import annotations

from whorlograph.engine.code import Const, Convert, Expr, Load, Op, Slot, Target
from whorlograph.engine.scope.widening import BITWISE, COMPARISONS, REALS, SHIFTS
from whorlograph.engine.texts import OPERATIONS, TYPES
from whorlograph.model.literals import single
from whorlograph.model.profile import Overflow
from whorlograph.model.texts import text_id
from whorlograph.model.types import ELEMENTARY, LREAL, Elementary, Family

from . import layout as at
from .function import Function, machine_type, raw_bits, signed
from .operations import Operations, too_large
from .place import Placing

_SAFE = COMPARISONS | {"AND", "OR", "XOR", "NOT", "SEL", "MAX", "MIN", "LIMIT"}
NO_TAG = "(i32.const -1)"


def may_fault(value: Expr) -> bool:
    """Whether computing a value can halt the controller."""
    if isinstance(value, Slot):
        return False
    if isinstance(value, Load):
        return bool(value.target.terms)
    if isinstance(value, Op):
        return value.code not in _SAFE or any(map(may_fault, value.args))
    if isinstance(value, Convert):
        target, source = ELEMENTARY[value.type], ELEMENTARY[value.value.type]
        harmless = value.rule == "WIDEN" and Family.REAL not in (target.family, source.family) and not too_large(source, target)
        return not harmless or may_fault(value.value)
    return False


def constant(value: bool | int | float | str, type_: str) -> str:
    """A constant of the machine type that holds it."""
    kind = machine_type(type_)
    if isinstance(value, str):
        return f"(i64.const {text_id(value)})"
    if kind == "i32":
        return f"(i32.const {int(bool(value))})"
    if kind == "i64":
        return f"(i64.const {signed(int(value))})"
    number = single(float(value)) if kind == "f32" else float(value)
    return f"({kind}.const {number.hex()})"


class Expressions:
    """Prints the expressions of one body into a function."""

    def __init__(self, function: Function, placing: Placing, mode: Overflow) -> None:
        self.f, self.placing = function, placing
        self.ops = Operations(mode)
        self.mode = mode

    def text(self, value: Expr, receiver: str = NO_TAG) -> str:
        """A value; ``receiver``: the number of the tag that a fault names, i32."""
        if isinstance(value, Slot):
            return f"(local.get {self.slot(value.number, value.type)})"
        if isinstance(value, Load):
            return self.load(value.target)
        if isinstance(value, Const):
            return constant(value.value, value.type)
        if isinstance(value, Convert):
            return self._convert(value, receiver)
        return self._operation(value, receiver)

    def slot(self, number: int, type_: str) -> str:
        """The local that a slot is."""
        kind = machine_type(type_)
        return self.f.local(f"$s{number}_{kind}", kind)

    # targets

    def index(self, target: Target) -> str:
        """What a target's subscripts add to its cell, checked; "" where it has none."""
        total = ""
        for term in target.terms:
            first = self.placing.number(target)
            index = f"(call $index {self.text(term.index)} (i64.const {term.low}) (i64.const {term.high}) (i32.const {term.at}) {first})"
            part = f"(i32.mul {index} (i32.const {term.stride}))" if term.stride != 1 else index
            total = f"(i32.add {total} {part})" if total else part
        return total

    def load(self, target: Target) -> str:
        """What a target holds."""
        if self.is_bit(target):
            return f"(call $load_bit (local.get $r{target.param}) (local.get $r{target.param}b))"
        address, offset = self.placing.address(target, self.index(target))
        kind = machine_type(target.type)
        behind = f" offset={offset}" if offset else ""
        if not target.width:
            return f"({kind}.load{behind} {address})"
        if kind != "i64":
            return f"(i32.load{behind} {address})" if target.low == 0 and kind == "i32" else "(i32.const 0)"
        return f"(i32.wrap_i64 (i64.and (i64.shr_u (i64.load{behind} {address}) (i64.const {target.low})) (i64.const 1)))"

    def is_bit(self, target: Target) -> bool:
        """Whether a target is a BOOL handed over, that may be a bit of something."""
        return target.param >= 0 and self.placing.body.params[target.param].kind == "bit" and not target.width

    # operations

    def _operation(self, value: Op, receiver: str) -> str:
        where = f"(i32.const {value.at}) {receiver}"
        args = [self.text(a, receiver) for a in value.args]
        of = ELEMENTARY[value.args[0].type]
        code, ops = value.code, self.ops
        if code.startswith("TEXT_"):
            return self._text(value, args)
        if code in COMPARISONS:
            return ops.compare(code, args[0], args[1], of)
        if code in BITWISE:
            return ops.bitwise(code, args, of)
        if code in ("ADD", "SUB", "MUL", "DIV", "MOD"):
            total = args[0]
            for arg in args[1:]:
                total = ops.arithmetic(code, total, arg, of, where)
            return total
        if code in ("NEG", "ABS"):
            return self._negative(code, args[0], of, where)
        if code in SHIFTS:
            return ops.shift(code, args[0], args[1], of, where)
        if code in REALS:
            return ops.real(code, args[0], args[0] if of.bits == 32 else "(f64.const 0)", of, where)
        if code == "ATAN2":
            return ops.real(code, args[0], args[1], of, where)
        if code == "EXPT":
            double = args[0] if of.bits == 64 else f"(f64.promote_f32 {args[0]})"
            call = f"(call $real (i32.const 10) {double} {args[1]} {where})"
            return ops.finite(call if of.bits == 64 else f"(f32.demote_f64 {call})", of, where)
        if code in ("TIME_MUL", "TIME_DIV"):
            factor = args[1] if code == "TIME_MUL" else f"(call $over_zero {args[1]} {where})"
            return ops.scaled(code[5:], args[0], factor, where)
        return self._selection(code, args, value, where)

    @staticmethod
    def _text(value: Op, args: list[str]) -> str:
        """An operation on texts, outside the module."""
        second = args[1] if len(args) > 1 else "(i64.const 0)"
        if value.code in ("TEXT_OF", "TEXT_WHOLE", "TEXT_REAL"):
            second = f"(i64.const {TYPES.index(value.args[0].type if value.code == 'TEXT_OF' else value.type)})"
        first = raw_bits(args[0], value.args[0].type)
        call = f"(call $text (i32.const {OPERATIONS.index(value.code)}) {first} {second})"
        return f"(f64.reinterpret_i64 {call})" if value.code == "TEXT_REAL" else call

    def _negative(self, code: str, value: str, type_: Elementary, where: str) -> str:
        kind = machine_type(type_)
        if kind in ("f32", "f64"):
            return f"({kind}.{code.lower()} {value})"
        if code == "NEG":
            return self.ops.arithmetic("SUB", "(i64.const 0)", value, type_, where)
        if type_.low == 0:
            return value
        kept = self.f.temporary("i64")
        minus = self.ops.arithmetic("SUB", "(i64.const 0)", f"(local.get {kept})", type_, where)
        return f"(if (result i64) (i64.lt_s (local.tee {kept} {value}) (i64.const 0)) (then {minus}) (else (local.get {kept})))"

    def _selection(self, code: str, args: list[str], value: Op, where: str) -> str:
        """SEL, MAX, MIN, LIMIT, MUX: all operands first, then the choice."""
        type_ = ELEMENTARY[value.type]
        kind = machine_type(type_)
        kept = [self.f.temporary(machine_type(a.type)) for a in value.args]
        sets = " ".join(f"(local.set {k} {a})" for k, a in zip(kept, args, strict=True))
        got = [f"(local.get {k})" for k in kept]
        ops = self.ops
        if code == "SEL":
            result = ops.choose(got[0], got[2], got[1])
        elif code in ("MAX", "MIN"):
            best = self.f.temporary(kind)
            verb = "GT" if code == "MAX" else "LT"
            sets += f" (local.set {best} {got[0]})"
            for arg in got[1:]:
                sets += f" (local.set {best} {ops.choose(ops.compare(verb, arg, f'(local.get {best})', type_), arg, f'(local.get {best})')})"
            result = f"(local.get {best})"
        elif code == "LIMIT":
            low = self.f.temporary(kind)
            sets += f" (local.set {low} {ops.choose(ops.compare('GT', got[0], got[1], type_), got[0], got[1])})"
            result = ops.choose(ops.compare("LT", got[2], f"(local.get {low})", type_), got[2], f"(local.get {low})")
        else:
            many = len(got) - 1
            sets += (f" (if (i64.ge_u {got[0]} (i64.const {many})) (then (call $fail (i32.const {at.SELECTOR}) {where} {got[0]}"
                     f" (i64.const {many - 1}))))")
            result = got[-1]
            for i in reversed(range(many - 1)):
                result = ops.choose(f"(i64.eq {got[0]} (i64.const {i}))", got[i + 1], result)
        return f"(block (result {kind}) {sets} {result})"

    def _convert(self, value: Convert, receiver: str) -> str:
        where = f"(i32.const {value.at}) {receiver}"
        source, target = ELEMENTARY[value.value.type], ELEMENTARY[value.type]
        inner = self.text(value.value, receiver)
        if value.rule == "WIDEN":
            return self.ops.widened(inner, source, target, where)
        if value.rule == "HOLD":
            return self.ops.held(inner, source, target, where)
        if value.rule == "TO":
            return self.ops.convert(inner, source, target, where)
        if value.rule == "TRUNC":
            double = inner if source.bits == 64 else f"(f64.promote_f32 {inner})"
            return self.ops.rounded(f"(f64.trunc {double})", LREAL, target, where)
        if target.family is Family.STRING:
            return f"(call $text (i32.const {OPERATIONS.index('TEXT_CUT')}) {inner} (i64.const {value.high}))"
        low, high = f"(i64.const {signed(value.low)})", f"(i64.const {signed(value.high)})"
        if self.mode is Overflow.HALT:
            return f"(call $fit {inner} {low} {high} {where})"
        return f"(call ${'clamp' if self.mode is Overflow.SATURATE else 'turned'} {inner} {low} {high})"
