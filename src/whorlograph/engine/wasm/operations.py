"""Standard functions lowered to WebAssembly expressions, checked as the profile's overflow mode asks."""

from __future__ import annotations

from whorlograph.engine.texts import OPERATIONS
from whorlograph.model.profile import Overflow
from whorlograph.model.types import Elementary, Family

from .function import machine_type

_COMPARE = {"GT": "gt", "GE": "ge", "EQ": "eq", "LE": "le", "LT": "lt", "NE": "ne"}
_REAL_CODES = {n: i for i, n in enumerate(("SQRT", "LN", "LOG", "EXP", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN", "EXPT", "MOD", "ATAN2"))}
_WHOLE_CODES = {n: i for i, n in enumerate(("ADD", "SUB", "MUL", "DIV", "MOD", "REAL_TO", "TIME_REAL_MUL", "TIME_REAL_DIV"))}
REAL_NAMES, WHOLE_NAMES = tuple(_REAL_CODES), tuple(_WHOLE_CODES)


def wide(type_: Elementary) -> bool:
    """Whether a type's arithmetic needs more than 64 bits to be checked."""
    return type_.bits == 64 and type_.whole


def too_large(source: Elementary, target: Elementary) -> bool:
    """Whether an operand may be more than the signed type holds that it stands beside."""
    return source.family is Family.UNSIGNED and wide(source) and wide(target) and target.low < 0


def type_code(type_: Elementary) -> int:
    """A type as a number for calls out of the module: width, and 256 where it is signed."""
    return type_.bits | (256 if type_.low < 0 else 0) | (512 if type_.family in (Family.TIME, Family.DATE) else 0)


class Operations:
    """Prints expressions; the element and receiving tag go into a fault's place."""

    def __init__(self, mode: Overflow) -> None:
        self.mode = mode

    def fit(self, value: str, type_: Elementary, where: str) -> str:
        """A 64-bit result held in a whole type of up to 32 bits (wider ones are checked where they arise)."""
        if type_.bits == 64:
            return value
        if self.mode is Overflow.HALT:
            return f"(call $fit {value} (i64.const {type_.low}) (i64.const {type_.high}) {where})"
        if self.mode is Overflow.SATURATE:
            return f"(call $clamp {value} (i64.const {type_.low}) (i64.const {type_.high}))"
        return self.cut(value, type_)

    @staticmethod
    def cut(value: str, type_: Elementary) -> str:
        """Bits cut to a type's width, with its sign."""
        if type_.bits == 64:
            return value
        if type_.low < 0:
            shift = 64 - type_.bits
            return f"(i64.shr_s (i64.shl {value} (i64.const {shift})) (i64.const {shift}))"
        return f"(i64.and {value} (i64.const {type_.high}))"

    def finite(self, value: str, type_: Elementary, where: str) -> str:
        """A real result that is neither infinite nor undefined."""
        return f"(call ${'single' if type_.bits == 32 else 'double'} {value} {where})"

    def arithmetic(self, name: str, a: str, b: str, type_: Elementary, where: str) -> str:
        """ADD, SUB, MUL, DIV, MOD of two operands of a type."""
        if type_.family is Family.REAL:
            kind = machine_type(type_)
            if name in ("DIV", "MOD"):
                return f"(call ${name.lower()}_{kind} {a} {b} {where})"
            return self.finite(f"({kind}.{name.lower()} {a} {b})", type_, where)
        if wide(type_) or (name == "MUL" and type_.bits == 32 and type_.low == 0):
            return f"(call $whole (i32.const {_WHOLE_CODES[name]}) (i32.const {type_code(type_)}) {a} {b} {where})"
        if name in ("DIV", "MOD"):
            return self.fit(f"(call ${name.lower()} {a} {b} {where})", type_, where)
        return self.fit(f"(i64.{name.lower()} {a} {b})", type_, where)

    def real(self, name: str, a: str, b: str, type_: Elementary, where: str) -> str:
        """A function that is computed in double outside the module and rounded once."""
        single = type_.bits == 32
        if single:
            a, b = f"(f64.promote_f32 {a})", f"(f64.promote_f32 {b})"
        call = f"(call $real (i32.const {_REAL_CODES[name]}) {a} {b} {where})"
        return self.finite(f"(f32.demote_f64 {call})" if single else call, type_, where)

    @staticmethod
    def compare(name: str, a: str, b: str, type_: Elementary) -> str:
        """A comparison of two operands of a type."""
        kind, verb = machine_type(type_), _COMPARE[name]
        if type_.family is Family.STRING and verb not in ("eq", "ne"):
            return f"(i64.{verb}_s (call $text (i32.const {OPERATIONS.index('TEXT_ORDER')}) {a} {b}) (i64.const 0))"
        if kind in ("f32", "f64") or verb in ("eq", "ne"):
            return f"({kind}.{verb} {a} {b})"
        sign = "u" if kind == "i32" or (type_.low == 0 and type_.bits == 64) else "s"
        return f"({kind}.{verb}_{sign} {a} {b})"

    @staticmethod
    def choose(condition: str, yes: str, no: str) -> str:
        """One of two values."""
        return f"(select {yes} {no} {condition})"

    def bitwise(self, name: str, args: list[str], type_: Elementary) -> str:
        """AND, OR, XOR, NOT."""
        kind = machine_type(type_)
        if name == "NOT":
            return f"(i32.eqz {args[0]})" if kind == "i32" else self.cut(f"(i64.xor {args[0]} (i64.const -1))", type_)
        total = args[0]
        for arg in args[1:]:
            total = f"({kind}.{name.lower()} {total} {arg})"
        return total if kind == "i32" else self.cut(total, type_)

    def shift(self, name: str, value: str, count: str, type_: Elementary, where: str) -> str:
        """SHL, SHR, ROL, ROR."""
        if type_.family is Family.BOOL:
            value = f"(i64.extend_i32_u {value})"
        bits = value if type_.bits == 64 else f"(i64.and {value} (i64.const {(1 << type_.bits) - 1}))"
        if name in ("ROL", "ROR"):
            result = f"(call $rotate (i32.const {int(name == 'ROL')}) {bits} {count} (i64.const {type_.bits}) {where})"
        else:
            result = f"(call $shift (i32.const {int(name == 'SHL')}) {bits} {count} (i64.const {type_.bits}) {where})"
        result = self.cut(result, type_)
        return f"(i32.wrap_i64 (i64.and {result} (i64.const 1)))" if type_.family is Family.BOOL else result

    def widened(self, value: str, source: Elementary | None, target: Elementary, where: str) -> str:
        """An operand brought to the type that it is computed in; ``source`` None for a literal already in it."""
        if source is None or source == target:
            return value
        have, want = machine_type(source), machine_type(target)
        if too_large(source, target):
            return self.narrowed(value, source, target, where)
        if have == want:
            return value
        if want == "i32":
            return f"({have}.ne {value} ({have}.const 0))"
        if have == "i32":
            return f"(i64.extend_i32_u {value})" if want == "i64" else f"({want}.convert_i32_u {value})"
        if have == "i64":
            sign = "u" if source.low == 0 else "s"
            return f"({want}.convert_i64_{sign} {value})"
        if want == "f64":
            return f"(f64.promote_f32 {value})"
        if want == "f32":
            return self.finite(f"(f32.demote_f64 {value})", target, where)
        return self.rounded(value, source, target, where)

    @staticmethod
    def scaled(verb: str, time: str, factor: str, where: str) -> str:
        """TIME times or divided by a real number."""
        code = _WHOLE_CODES[f"TIME_REAL_{verb}"]
        return f"(call $whole (i32.const {code}) (i32.const {64 | 256 | 512}) {time} (i64.reinterpret_f64 {factor}) {where})"

    def rounded(self, value: str, source: Elementary, target: Elementary, where: str) -> str:
        """A real turned into a whole number, half to even, then held."""
        value = value if source.bits == 64 else f"(f64.promote_f32 {value})"
        bits = f"(i64.reinterpret_f64 {value})"
        return f"(call $whole (i32.const {_WHOLE_CODES['REAL_TO']}) (i32.const {type_code(target)}) {bits} (i64.const 0) {where})"

    def held(self, value: str, source: Elementary | None, target: Elementary, where: str) -> str:
        """A value on its way into a variable of another type: widened, or checked."""
        if source is None or source == target:
            return value
        if machine_type(target) == "i64" and machine_type(source) == "i64":
            if Family.BITS in (source.family, target.family):
                return self.cut(value, target)
            return self.narrowed(value, source, target, where)
        return self.widened(value, source, target, where)

    def narrowed(self, value: str, source: Elementary, target: Elementary, where: str) -> str:
        """A whole number held in another whole type."""
        if target.low <= source.low and target.high >= source.high:
            return value
        if (wide(source) and source.low == 0) or wide(target):
            kind = type_code(target) | (1024 if source.low == 0 else 2048)
            return f"(call $whole (i32.const 0) (i32.const {kind}) {value} (i64.const 0) {where})"
        return self.fit(value, target, where)

    def convert(self, value: str, source: Elementary, target: Elementary, where: str) -> str:
        """A conversion function (CONTROLLER.md, Types)."""
        thousand = "(i64.const 1000000)"
        if source.family is Family.TIME and target.family not in (Family.TIME, Family.DATE):
            if target.family is Family.REAL:
                double = f"(f64.div (f64.convert_i64_s {value}) (f64.const 1000000))"
                return double if target.bits == 64 else self.finite(f"(f32.demote_f64 {double})", target, where)
            if target.family is Family.BOOL:
                return f"(i64.ne {value} (i64.const 0))"
            return self.narrowed(f"(i64.div_s {value} {thousand})", source, target, where)
        if target.family is Family.TIME and source.family is not Family.TIME:
            if source.family is Family.REAL:
                milliseconds = self.rounded(value, source, target, where)
            elif wide(source) and source.low == 0:
                milliseconds = self.narrowed(value, source, target, where)
            else:
                milliseconds = self.widened(value, source, target, where)
            return self.arithmetic_wide("MUL", milliseconds, thousand, target, where)
        if source.family is Family.REAL and target.family is Family.BITS:
            return self.cut(f"(call $bits_of {value if source.bits == 64 else f'(f64.promote_f32 {value})'})", target)
        if Family.BITS in (source.family, target.family) and machine_type(source) == machine_type(target):
            return self.cut(value, target)
        return self.held(value, source, target, where)

    @staticmethod
    def arithmetic_wide(name: str, a: str, b: str, type_: Elementary, where: str) -> str:
        """Arithmetic on 64-bit types."""
        return f"(call $whole (i32.const {_WHOLE_CODES[name]}) (i32.const {type_code(type_)}) {a} {b} {where})"
