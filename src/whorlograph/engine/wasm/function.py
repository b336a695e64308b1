"""One WebAssembly function under construction, as text."""

from __future__ import annotations

from whorlograph.model.types import ELEMENTARY, Elementary, Family


def _held_in(one: Elementary) -> str:
    if one.family is Family.BOOL:
        return "i32"
    if one.family is Family.REAL:
        return "f32" if one.bits == 32 else "f64"
    return "i64"


_MACHINE_TYPES = {name: _held_in(one) for name, one in ELEMENTARY.items()}


def machine_type(type_: Elementary | str) -> str:
    """The WebAssembly type that holds a value of an elementary type."""
    return _MACHINE_TYPES[type_ if isinstance(type_, str) else type_.name]


def raw_bits(value: str, type_: Elementary | str) -> str:
    """A value as the 64 bits that memory keeps; -0.0 becomes 0.0."""
    kind = machine_type(type_)
    if kind == "i32":
        return f"(i64.extend_i32_u {value})"
    if kind == "f32":
        return f"(i64.extend_i32_u (i32.reinterpret_f32 (f32.add {value} (f32.const 0))))"
    if kind == "f64":
        return f"(i64.reinterpret_f64 (f64.add {value} (f64.const 0)))"
    return value


def signed(value: int) -> int:
    """A 64-bit number as WebAssembly text takes it."""
    return value - (1 << 64) if value >= 1 << 63 else value


class Function:
    """Lines and locals of a function."""

    def __init__(self, name: str, params: str = "") -> None:
        self.name, self.params = name, params
        self.lines: list[str] = []
        self.locals: dict[str, str] = {}
        self.temporaries = 0

    def text(self) -> str:
        """The function as text."""
        declared = " ".join(f"(local {n} {t})" for n, t in self.locals.items())
        return f"(func {self.name} {self.params} {declared}\n" + "\n".join(self.lines) + ")\n"

    def put(self, line: str) -> None:
        """Add a statement."""
        self.lines.append(line)

    def local(self, name: str, type_: str) -> str:
        """A local by name, declared at its first use."""
        self.locals[name] = type_
        return name

    def temporary(self, type_: str) -> str:
        """A local that nothing else in this step uses."""
        self.temporaries += 1
        return self.local(f"$t{self.temporaries}_{type_}", type_)

    def fresh(self) -> None:
        """A new step begins: temporaries may be used anew."""
        self.temporaries = 0
