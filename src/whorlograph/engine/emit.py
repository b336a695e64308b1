"""The printer: small typed steps (load, store, operation, if, loop, mark) as WebAssembly text."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from msgspec import Struct, field

from whorlograph.model.tags import Tag
from whorlograph.model.types import Elementary, Family

from . import layout as at


def machine_type(type_: Elementary) -> str:
    """The WebAssembly type that holds a value of an elementary type."""
    if type_.family is Family.BOOL:
        return "i32"
    if type_.family is Family.REAL:
        return "f32" if type_.bits == 32 else "f64"
    return "i64"


class Access(Struct):
    """What a step reads before it has surely written it, what else it reads or writes, and what it writes.

    A tag written twice in one evaluation counts as read: it may go to and fro in every scan.
    """

    reads: set[int] = field(default_factory=set)
    others: set[int] = field(default_factory=set)
    writes: set[int] = field(default_factory=set)

    def write(self, tags: set[int]) -> None:
        """Note a write to tags (one, those that share its bits, an array's)."""
        self.reads |= tags & self.writes
        self.writes |= tags
        self.others |= tags

    def add(self, other: Access) -> None:
        """Take over what a called body accesses."""
        self.reads |= other.reads
        self.others |= other.others
        self.write(other.writes)


class Function:
    """One WebAssembly function under construction."""

    def __init__(self, name: str, tags: list[Tag], public: int) -> None:
        self.name, self.tags, self.public = name, tags, public
        self.lines: list[str] = []
        self.locals: dict[str, str] = {}
        self.used: dict[str, int] = {}
        self.depth = 0
        self.sure: set[int] = set()
        self.access = Access()
        self.shares: dict[int, set[int]] = {}

    def text(self) -> str:
        """The function as text."""
        declared = " ".join(f"(local {n} {t})" for n, t in self.locals.items())
        return f"(func {self.name} {declared}\n" + "\n".join(self.lines) + ")\n"

    def fresh(self) -> None:
        """A new rung begins: locals may be used anew."""
        self.used = {}

    def local(self, type_: str) -> str:
        """A local that this rung does not use yet."""
        number = self.used.get(type_, 0)
        self.used[type_] = number + 1
        name = f"${type_}_{number}"
        self.locals[name] = type_
        return name

    def put(self, line: str) -> None:
        """Add a statement."""
        self.lines.append(line)

    def keep(self, value: str, type_: str) -> str:
        """Compute a value now; returns how to read it later."""
        name = self.local(type_)
        self.lines.append(f"(local.set {name} {value})")
        return f"(local.get {name})"

    @contextmanager
    def when(self, condition: str) -> Iterator[None]:
        """Statements that run only under a condition."""
        self.lines.append(f"(if {condition} (then")
        self.depth += 1
        yield
        self.depth -= 1
        self.lines.append("))")

    def cell(self, number: int) -> int:
        """Address of a cell."""
        return at.CELLS + 8 * number

    def load(self, tag: int) -> str:
        """A tag's value as its step sees it now."""
        self.note(tag)
        return self.load_at(f"(i32.const {self.cell(tag)})", machine_type(self.tags[tag].type))

    @staticmethod
    def load_at(address: str, type_: str) -> str:
        """The value of a machine type at an address."""
        return f"({type_}.load {address})"

    def note(self, tag: int) -> None:
        """The step reads a tag; one that it has surely written before in the same evaluation need not wake it."""
        if tag < self.public:
            (self.access.others if tag in self.sure else self.access.reads).add(tag)

    def raw_bits(self, value: str, type_: Elementary) -> str:
        """A value as the 64 bits that memory keeps."""
        kind = machine_type(type_)
        if kind == "i32":
            return f"(i64.extend_i32_u {value})"
        if kind == "f32":
            return f"(i64.extend_i32_u (i32.reinterpret_f32 (f32.add {value} (f32.const 0))))"
        if kind == "f64":
            return f"(i64.reinterpret_f64 (f64.add {value} (f64.const 0)))"
        return value

    def store(self, tag: int, value: str) -> None:
        """Write a tag; a change goes to the journal and wakes its readers."""
        if tag < self.public:
            self.access.write({tag} | self.shares.get(tag, set()))
            if self.depth == 0:
                self.sure.add(tag)
        type_ = self.tags[tag].type
        if tag >= self.public:
            self.put(f"(i64.store (i32.const {self.cell(tag)}) {self.raw_bits(value, type_)})")
        elif type_.family is Family.BOOL:
            name = self.local("i32")
            self.put(f"(if (i32.ne (local.tee {name} {value}) (i32.load (i32.const {self.cell(tag)})))"
                     f" (then (call $chg (i32.const {tag}) (i64.extend_i32_u (local.get {name})))))")
        else:
            self.put(f"(call $put (i32.const {tag}) {self.raw_bits(value, type_)})")

    def store_mark(self, number: int, value: str) -> None:
        """Write a path mark."""
        self.put(f"(call $put (i32.const {number}) (i64.extend_i32_u {value}))")

    def stop_if_faulted(self) -> None:
        """Leave this function when the controller has just halted."""
        self.put(f"(if (i32.load (i32.const {at.FAULT})) (then (return)))")
