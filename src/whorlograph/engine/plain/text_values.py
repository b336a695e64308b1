"""What an expression of Structured Text comes to, and what its names stand for, in the reference interpreter (CONTROLLER.md, Other languages)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from msgspec import Struct, field

from whorlograph.engine.scope.text_types import Scope, cut_of
from whorlograph.engine.scope.widening import SCALED
from whorlograph.model.paths import Bit, Member
from whorlograph.model.steps import Step, Steps
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, member
from whorlograph.model.text import (
    Apply,
    Binary,
    Constant,
    Expression,
    Kept,
    Sub,
    Unary,
    Var,
)
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, ELEMENTARY, LINT, Elementary, Family

from .functions import Halt, Value, fit, widened, wrapped
from .memory import Memory, Where
from .standard import standard

Bound = dict[str, "Ref | Where"]


class Walker(Protocol):
    """What walks the bodies: counts steps, executes blocks and what is called."""

    m: Memory
    steps: Steps
    element: int

    def passed(self) -> None:
        """A step or pass is over."""

    def ordered(self, what: str, name: str) -> None:
        """An order to the controller."""

    def standard(self, called: Instance) -> None:
        """Execute a standard block on its pins."""

    def call(self, called: Instance, bound: Bound) -> None:
        """Execute a body inside the caller's step."""

    def reset(self, ref: Ref) -> None:
        """A variable begins anew."""


class Frame(Struct):
    """One evaluation of one statement at the top level."""

    step: Step
    scope: Scope
    bound: Bound
    called: set[int]
    results: dict[int, Value] = field(default_factory=dict)
    label: str | None = None


class _Plan(Struct):
    """How a function of the standard is computed, whatever goes in: in which type, ``held`` and ``result``: that of its result; ``pins``: what goes
    in, by pin, and the type that it is widened to, None: it scales a time. ``known_by`` is kept, which is known by its numbers.
    """

    known_by: tuple[Expression, Elementary | None]
    name: str
    kind: Elementary
    held: Elementary
    result: Elementary
    pins: list[tuple[str, Expression, Elementary | None]]


def _plan(node: Expression, want: Elementary | None, scope: Scope) -> _Plan:
    known_by = node, want
    if isinstance(node, Unary):
        name, given = node.code, [("IN", node.value)]
    elif isinstance(node, Binary):
        name, given = node.code, [("IN1", node.left), ("IN2", node.right)]
    else:
        assert isinstance(node, Apply)
        name, given = node.called.base.upper(), scope.given(node)
    called, name = name, typed(name)[0]
    if want is not None and want.family is Family.BOOL and name not in ("AND", "OR", "XOR", "NOT", "SEL", "MAX", "MIN", "LIMIT", "MUX", "MOVE"):
        want = None
    kind, result = scope.operation(called, given, want)
    scaled = kind.family is Family.TIME and name in {"MUL", "DIV"} | SCALED
    is_time = [(k := scope.kind(one)) is not None and k.family is Family.TIME for _, one in given]
    time = given[is_time.index(True)][0] if scaled and any(is_time) else given[0][0] if given else ""  # of a product either may be the TIME
    pins = [(pin, one, None if scaled and pin != time else LINT if pin in ("K", "N", "L", "P") else BOOL if pin == "G" else
             ELEMENTARY["LREAL"] if name == "EXPT" and pin == "IN2" else kind) for pin, one in given]
    return _Plan(known_by, name, kind, result or want or kind, result or kind, pins)


class Values:
    """Evaluates expressions on the memory that ladder works on.

    Args: function: calls a function of the file's own.
    """

    def __init__(self, walker: Walker, function: Callable[[Apply, Instance, Frame], Value]) -> None:
        self.l, self.m, self.function = walker, walker.m, function
        self.running, self.profile = walker.m.running, walker.m.profile
        self._plans: dict[tuple[Scope, int, int], _Plan] = {}

    def true(self, one: Expression, f: Frame) -> bool:
        """A value as a condition."""
        return bool(self.value(one, BOOL, f)[0])

    def assigned(self, one: Expression, type_: Elementary, at: int, f: Frame) -> Value:
        """A value on its way into a variable of a type."""
        value, kind = self.value(one, type_, f)
        self.l.element = at
        return self.held(value, kind, type_)

    def held(self, value: Value, kind: Elementary, type_: Elementary) -> Value:
        """A value held in the type of what takes it."""
        if type_.family is Family.BOOL:
            return bool(value)
        if kind == type_ or isinstance(value, str):
            return value
        if Family.BITS in (kind.family, type_.family) and type_.whole and kind.whole:
            return wrapped(int(value), type_)
        if isinstance(value, float) and type_.whole:
            value = round(value)
        return fit(value, type_, self.profile.on_overflow)

    def value(self, one: Expression, want: Elementary | None, f: Frame) -> tuple[Value, Elementary]:
        """A value and its type; one without a type takes the one that is wanted."""
        if isinstance(one, Constant):
            return self.constant(one, want)
        if isinstance(one, Var):
            read = f.scope.constant(one)
            if read is not None:
                return int(read[1]), read[0] or ELEMENTARY["INT"]
            where = self.place(one, f)
            type_ = f.scope.variable(one) or BOOL
            return (self.m.load(where) if where is not None else 0), type_
        if isinstance(one, (Unary, Binary)):
            return self.operation(one, want, f)
        if isinstance(one, Kept):
            return f.results[one.made], f.scope.kept(one.value)
        called = f.scope.function(one)
        if called is not None:
            return self.function(one, called, f), f.scope.result(called) or BOOL
        cut = cut_of(one.called.base)
        if cut is not None:
            given = f.scope.given(one)
            kind = f.scope.operation("TRUNC", given, None)[0]
            target = cut.target or (want if want is not None and want.whole else ELEMENTARY["DINT"])
            value = self.as_type(given[0][1], kind, f)
            self.l.element = one.at
            return fit(int(value), target, self.profile.on_overflow), target
        return self.operation(one, want, f)

    def constant(self, one: Constant, want: Elementary | None) -> tuple[Value, Elementary]:
        """A literal in its own type, or the one that is wanted."""
        if one.named:
            return one.value, ELEMENTARY[one.named]
        assert not isinstance(one.value, str)
        type_ = want
        if type_ is None or type_.bits == 0 or (type_.family is Family.BOOL and not isinstance(one.value, bool) and one.value not in (0, 1)):
            type_ = ELEMENTARY["REAL" if isinstance(one.value, float) else "DINT"]
        self.l.element = one.at
        if type_.family is Family.BOOL:
            return bool(one.value), type_
        if isinstance(one.value, float) and type_.whole:
            return fit(round(one.value), type_, self.profile.on_overflow), type_
        if type_.family is Family.REAL:
            return fit(float(one.value), type_, self.profile.on_overflow), type_
        if type_.family is Family.BITS:
            return wrapped(int(one.value), type_), type_
        return fit(one.value, type_, self.profile.on_overflow), type_

    def as_type(self, one: Expression, type_: Elementary, f: Frame) -> Value:
        """A value widened to the type in which it is computed."""
        value, kind = self.value(one, type_, f)
        if kind == type_ or isinstance(value, str):
            return value
        mode = self.profile.on_overflow
        return fit(float(value), type_, mode) if type_.family is Family.REAL else widened(value, kind, type_, mode)

    def operation(self, node: Expression, want: Elementary | None, f: Frame) -> tuple[Value, Elementary]:
        """A function of the standard on what goes in."""
        key = f.scope, id(node), id(want)
        known = self._plans.get(key)
        if known is None:
            known = self._plans[key] = _plan(node, want, f.scope)
        found: dict[str, Value] = {}
        types: dict[str, Elementary | None] = {}
        for pin, one, own in known.pins:
            if own is not None:
                found[pin], types[pin] = self.as_type(one, own, f), own
                continue
            value, type_ = self.value(one, ELEMENTARY["LREAL"] if f.scope.kind(one) is None and f.scope.fraction(one) else LINT, f)
            found[pin] = value if isinstance(value, float) else widened(value, type_, LINT, self.profile.on_overflow)
            types[pin] = type_
        self.l.element = node.at
        made = standard(known.name, found, types, known.kind, known.held, self.profile.on_overflow)
        return (made, known.result) if made is not None else (False, BOOL)

    # names

    def part(self, var: Var, f: Frame) -> Ref | Where | None:
        """What a variable's name stands for now. Raises: Halt for a subscript out of range."""
        key = var.base.lower()
        ref: Ref | Where | None = f.bound.get(key)
        if ref is None:
            own = f.step.instance.scope.get(key)
            ref = own if own is not None else self.running.scope.scope.get(key)
            if isinstance(ref, ByReference):
                return None
        for step in var.steps:
            if isinstance(step, Bit):
                return (ref.tag, step.number) if isinstance(ref, Leaf) else (ref[0], step.number) if isinstance(ref, tuple) else None
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif isinstance(ref, Aggregate):
                ref = self.element(step, ref, var, f)
            else:
                return None
        return ref

    def element(self, step: Sub, ref: Aggregate, var: Var, f: Frame) -> Ref:
        """One element of an array."""
        offset = 0
        for value, (low, high) in zip(step.values, ref.bounds, strict=True):
            index = int(self.as_type(value, LINT, f))
            if not low <= index <= high:
                self.l.element, self.m.fault_tag = var.at, ref.first
                raise Halt("array index", f"index {index} is outside {low} to {high}")
            offset = offset * (high - low + 1) + index - low
        return ref.items[offset]

    def place(self, var: Var, f: Frame) -> Where | None:
        """Where a variable's value is kept now."""
        found = self.part(var, f)
        return (found.tag, -1) if isinstance(found, Leaf) else found if isinstance(found, tuple) else None

    def instance(self, var: Var, f: Frame) -> Instance | None:
        """The instance of a block that a name stands for."""
        found = self.part(var, f)
        return found if isinstance(found, Instance) else None

    def leaves(self, var: Var, f: Frame) -> list[Where]:
        """The leaves of an array or structure, in order."""
        found = self.part(var, f)
        return list(leaves_of(found)) if isinstance(found, Aggregate) else []

    def store(self, where: Where, value: Value, at: int) -> None:
        """Write a value of the right type, held in the variable's subrange."""
        self.l.element = at
        self.m.store(where, value, None)


def leaves_of(part: Aggregate) -> list[Where]:
    """The leaves of an array or structure, in order."""
    found: list[Where] = []
    for ref in (*part.items, *part.fields.values()):
        if isinstance(ref, Leaf):
            found.append((ref.tag, -1))
        elif isinstance(ref, Aggregate):
            found += leaves_of(ref)
    return found


