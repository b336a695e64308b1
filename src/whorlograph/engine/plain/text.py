"""Walks Structured Text as the model has it, statement by statement (CONTROLLER.md, Other languages)."""

from __future__ import annotations

from typing import Protocol

from msgspec import Struct, field

from whorlograph.engine.scope.text_parts import leaves_early, parts
from whorlograph.engine.scope.text_types import ORDERS, Scope, cut_of, given_pins, parameters, standard_parameters
from whorlograph.engine.scope.unreadable import unreadable
from whorlograph.engine.scope.widening import common
from whorlograph.model.literals import raw
from whorlograph.model.paths import Bit, Member
from whorlograph.model.program import VariableKind
from whorlograph.model.steps import Step, Steps
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, member
from whorlograph.model.text import (
    Apply,
    Assign,
    Binary,
    Case,
    Choose,
    Constant,
    Do,
    Expression,
    For,
    Go,
    Keep,
    Kept,
    Range,
    Statement,
    Sub,
    Together,
    Unary,
    Until,
    Var,
    While,
)
from whorlograph.model.types import BOOL, ELEMENTARY, LINT, Elementary, Family

from .functions import Halt, Value, fit, number, wrapped
from .memory import Memory, Where, ranged
from .standard import standard

Bound = dict[str, "Ref | Where"]
_FINE, _EXIT, _CONTINUE, _RETURN = range(4)


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


class _Frame(Struct):
    """One evaluation of one statement at the top level."""

    step: Step
    scope: Scope
    bound: Bound
    called: set[int]
    results: dict[int, Value] = field(default_factory=dict)
    label: str | None = None


class Text:
    """Evaluates statements on the memory that ladder works on."""

    def __init__(self, walker: Walker) -> None:
        self.l, self.m = walker, walker.m
        self.running, self.profile = walker.m.running, walker.m.profile
        self.scopes: dict[int, Scope] = {}
        self.skipped: dict[int, bool] = {}

    def run(self, step: Step, bound: Bound) -> str | None:
        """Evaluate a statement at the top level; "" to end the POU, None to go on below."""
        statement, instance = step.rung.statement, step.instance
        assert statement is not None
        if step.index not in self.skipped:
            self.skipped[step.index] = bool(unreadable(step.rung, instance, self.running))
        if self.skipped[step.index]:
            return None
        scope = self.scopes.setdefault(id(instance), Scope(instance, self.running))
        frame = _Frame(step, scope, bound, set())
        self.l.element, self.m.fault_tag = statement.at, -1
        way = self.statement(statement, frame)
        for part in parts(statement):
            if isinstance(part, (Apply, Go)):
                self._flag(step, part.at, part.at in frame.called)
        if leaves_early(statement):
            self._flag(step, statement.at, way == _RETURN)
        return "" if way == _RETURN else frame.label

    def _flag(self, step: Step, element: int, taken: bool) -> None:
        flag = self.l.steps.flags.get((step.index, element))
        if flag is not None:
            self.m.put(flag.number, int(taken))

    def block(self, statements: tuple[Statement, ...], f: _Frame) -> int:
        """Statements one after another, until one of them leaves."""
        for one in statements:
            way = self.statement(one, f)
            if way != _FINE:
                return way
        return _FINE

    def statement(self, one: Statement, f: _Frame) -> int:
        """One statement; how it was left."""
        self.m.fault_tag = -1
        if isinstance(one, Assign):
            self.assign(one, f)
        elif isinstance(one, Do):
            self.do(one.call, f)
        elif isinstance(one, Choose):
            for branch in one.branches:
                if self.true(branch.test, f):
                    return self.block(branch.statements, f)
            return self.block(one.other, f)
        elif isinstance(one, Case):
            return self.case(one, f)
        elif isinstance(one, For):
            return self.for_(one, f)
        elif isinstance(one, While):
            while self.true(one.test, f):
                way = self.one_pass(one.statements, f)
                if way in (_EXIT, _RETURN):
                    return way if way == _RETURN else _FINE
        elif isinstance(one, Until):
            while True:
                way = self.one_pass(one.statements, f)
                if way in (_EXIT, _RETURN):
                    return way if way == _RETURN else _FINE
                if self.true(one.test, f):
                    break
        elif isinstance(one, Together):
            return self.block(one.statements, f)
        elif isinstance(one, Keep):
            self.keep(one, f)
        elif isinstance(one, Go):
            if one.test is None or self.true(one.test, f):
                f.label = f.label or one.label
                f.called.add(one.at)
        else:
            return {"EXIT": _EXIT, "CONTINUE": _CONTINUE, "RETURN": _RETURN}[one.kind]
        return _FINE

    def keep(self, one: Keep, f: _Frame) -> None:
        """An instruction list's result, for what reads it later."""
        type_ = f.scope.kept(one.value)
        f.results[one.at] = self.as_type(one.value, type_, f)

    def one_pass(self, statements: tuple[Statement, ...], f: _Frame) -> int:
        """A pass of a loop, which counts as a step."""
        self.m.number += 1
        self.l.passed()
        return self.block(statements, f)

    def assign(self, one: Assign, f: _Frame) -> None:
        value, into = one.value, f.scope.place(one.target)
        if into is not None and isinstance(into.ref, Aggregate) and isinstance(value, Var):
            to, source = self.leaves(one.target, f), self.leaves(value, f)
            for (tag, _), bits in zip(to, [self.m.values[t] for t, _ in source], strict=True):
                self.m.put(tag, bits)
            return
        plain = into is not None and into.tags is None and into.bit < 0 and not any(isinstance(s, Sub) for s in one.target.steps)
        receiver = into.ref.tag if plain and into is not None and isinstance(into.ref, Leaf) else -1
        self.m.fault_tag = receiver
        type_ = f.scope.variable(one.target) or BOOL
        found = self.assigned(value, type_, one.at, f)
        where = self.place(one.target, f)
        if where is not None:
            self.store(where, found, one.at)

    def case(self, one: Case, f: _Frame) -> int:
        type_ = f.scope.kind(one.selector) or ELEMENTARY["DINT"]
        selector = self.value(one.selector, type_, f)[0]
        for branch in one.branches:
            if any(self.fits(label, selector, f) for label in branch.labels):
                return self.block(branch.statements, f)
        return self.block(one.other, f)

    def fits(self, label: Range, selector: Value, f: _Frame) -> bool:
        low = self.value(label.low, LINT, f)[0]
        if label.high is None:
            return selector == low
        return number(low) <= number(selector) <= number(self.value(label.high, LINT, f)[0])

    def for_(self, one: For, f: _Frame) -> int:
        type_ = f.scope.variable(one.variable) or ELEMENTARY["INT"]
        first = self.assigned(one.first, type_, one.at, f)
        last = self.value(one.last, self.counted(type_, one.last, f), f)[0]
        by_type = self.counted(type_, one.by, f) if one.by is not None else type_
        by = self.value(one.by, by_type, f)[0] if one.by is not None else 1
        if one.by is not None:
            by_type = common([type_, f.scope.kind(one.by)], None) if f.scope.kind(one.by) is not None else by_type
        where = self.place(one.variable, f)
        if where is None:
            return _FINE
        self.store(where, first, one.at)
        while not (number(self.m.load(where)) > number(last) if number(by) >= 0 else number(self.m.load(where)) < number(last)):
            way = self.one_pass(one.statements, f)
            if way in (_EXIT, _RETURN):
                return way if way == _RETURN else _FINE
            self.l.element, self.m.fault_tag = one.at, where[0]
            following = fit(int(self.m.load(where)) + int(by), by_type, self.profile.on_overflow)
            self.store(where, fit(following, type_, self.profile.on_overflow), one.at)
        return _FINE

    @staticmethod
    def counted(type_: Elementary, value: Expression, f: _Frame) -> Elementary:
        """The type that the end or step of a loop takes where it has none of its own."""
        within = isinstance(value, Constant) and isinstance(value.value, int) and type_.low <= value.value <= type_.high
        return LINT if f.scope.kind(value) is None and isinstance(value, Constant) and not within else type_

    # calls

    def do(self, call: Apply, f: _Frame) -> None:
        """A call as a statement."""
        name = call.called.base.upper()
        if f.scope.function(call) is None and f.scope.block(call) is not None:
            self.invoke(call, f)
        elif name in ORDERS and not call.called.steps:
            first = next((a.value for a in call.arguments if isinstance(a.value, Constant)), None)
            self.l.ordered(name, str(first.value) if first is not None else "")
        else:
            self.value(call, None, f)

    def invoke(self, call: Apply, f: _Frame) -> None:
        """A block: its inputs, its body, its outputs."""
        enable = next((a.value for a in call.arguments if a.name.upper() == "EN" and a.value is not None), None)
        if enable is not None and not self.true(enable, f):
            return
        called = self.instance(call.called, f)
        if called is None:
            return
        given = standard_parameters(called, call) if called.pou is None else parameters(called, call)
        if called.pou is not None:
            f.called.add(call.at)
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                type_ = self.running.tags[ref.tag].type
                self.m.fault_tag = -1
                value = self.assigned(one.value, type_, one.value.at, f, ref.tag)
                self.m.fault_tag = ref.tag
                self.store((ref.tag, -1), value, one.value.at)
            elif isinstance(ref, Aggregate) and isinstance(one.value, Var):
                for (tag, _), (source, _) in zip(_leaves(ref), self.leaves(one.value, f), strict=False):
                    self.m.put(tag, self.m.values[source])
        self.m.fault_tag = -1
        if called.pou is None:
            self.l.standard(called)
        else:
            self.body(called, self.in_outs(called, call, f), f)
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.output is not None:
                self.give(one.output, self.m.load((ref.tag, -1)), self.running.tags[ref.tag].type, one.negated, f)
            elif name == "eno" and one.output is not None:
                self.give(one.output, True, BOOL, one.negated, f)

    def body(self, called: Instance, bound: Bound, f: _Frame) -> None:
        """A body of the file's own inside this step."""
        kept = self.m.current
        self.l.call(called, bound)
        self.m.current, self.m.fault_tag = kept, -1

    def give(self, into: Var, value: Value, type_: Elementary, negated: bool, f: _Frame) -> None:
        """What comes out goes into a variable."""
        wanted, where = f.scope.variable(into), self.place(into, f)
        if wanted is None or where is None:
            return
        self.l.element, self.m.fault_tag = into.at, where[0]
        if negated:
            value = not value if type_.family is Family.BOOL else wrapped(~int(value), type_)
        self.store(where, self.held(value, type_, wanted), into.at)

    def in_outs(self, called: Instance, call: Apply, f: _Frame) -> Bound:
        """What the in-outs of a call stand for."""
        bound: Bound = {}
        for name, one in parameters(called, call):
            if not isinstance(called.scope.get(name), ByReference) or not isinstance(one.value, Var):
                continue
            place = f.scope.place(one.value)
            if place is not None and isinstance(place.ref, Instance):
                found = self.instance(one.value, f)
                if found is not None:
                    bound[name] = found
            elif place is not None and isinstance(place.ref, Aggregate):
                part = self.part(one.value, f)
                if isinstance(part, Aggregate):
                    bound[name] = part
            else:
                where = self.place(one.value, f)
                if where is not None:
                    bound[name] = where
        return bound

    def function(self, call: Apply, called: Instance, f: _Frame) -> Value:
        """A function of the file's own: what goes in is taken first, then its variables begin anew."""
        given = parameters(called, call)
        inputs: list[tuple[int, Value]] = []
        receiver = self.m.fault_tag
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                tag = self.running.tags[ref.tag]
                value = self.assigned(one.value, tag.type, one.value.at, f)
                if tag.low is not None and tag.high is not None:
                    self.l.element = one.value.at
                    value = ranged(value, tag.low, tag.high, self.profile.on_overflow)
                inputs.append((ref.tag, value))
        bound = self.in_outs(called, call, f)
        for name, ref in called.scope.items():
            declared = next((v for v in called.pou.variables if v.name.lower() == name), None)  # type: ignore[union-attr]
            if declared is None or declared.kind not in (VariableKind.EXTERNAL, VariableKind.IN_OUT):
                self.l.reset(ref)
        for tag_number, value in inputs:
            self.m.put(tag_number, raw(value, self.running.tags[tag_number].type))
        self.body(called, bound, f)
        result = called.scope.get(called.type_name.lower())
        found = self.m.load((result.tag, -1)) if isinstance(result, Leaf) else False
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.output is not None:
                self.give(one.output, self.m.load((ref.tag, -1)), self.running.tags[ref.tag].type, one.negated, f)
        self.m.fault_tag = receiver
        return found

    # values

    def true(self, one: Expression, f: _Frame) -> bool:
        """A value as a condition."""
        return bool(self.value(one, BOOL, f)[0])

    def assigned(self, one: Expression, type_: Elementary, at: int, f: _Frame, receiver: int | None = None) -> Value:
        """A value on its way into a variable of a type."""
        value, kind = self.value(one, type_, f)
        self.l.element = at
        if receiver is not None:
            self.m.fault_tag = receiver
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

    def value(self, one: Expression, want: Elementary | None, f: _Frame) -> tuple[Value, Elementary]:
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
        if isinstance(one, Unary):
            return self.operation(one.code, [("IN", one.value)], want, one.at, f)
        if isinstance(one, Binary):
            return self.operation(one.code, [("IN1", one.left), ("IN2", one.right)], want, one.at, f)
        if isinstance(one, Kept):
            return f.results[one.made], f.scope.kept(one.value)
        called = f.scope.function(one)
        if called is not None:
            return self.function(one, called, f), f.scope.result(called) or BOOL
        cut = cut_of(one.called.base)
        if cut is not None:
            given = given_pins(one)
            kind = f.scope.operation("TRUNC", given, None)[0]
            target = cut.target or (want if want is not None and want.whole else ELEMENTARY["DINT"])
            value = self.as_type(given[0][1], kind, f)
            self.l.element = one.at
            return fit(int(value), target, self.profile.on_overflow), target
        return self.operation(one.called.base.upper(), given_pins(one), want, one.at, f)

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

    def as_type(self, one: Expression, type_: Elementary, f: _Frame) -> Value:
        """A value widened to the type in which it is computed."""
        value, kind = self.value(one, type_, f)
        if kind == type_ or isinstance(value, str):
            return value
        if type_.family is Family.REAL:
            return fit(float(value), type_, self.profile.on_overflow)
        return bool(value) if type_.family is Family.BOOL else int(value)

    def operation(self, name: str, given: list[tuple[str, Expression]], want: Elementary | None, at: int, f: _Frame) -> tuple[Value, Elementary]:
        """A function of the standard on what goes in."""
        if want is not None and want.family is Family.BOOL and name not in ("AND", "OR", "XOR", "NOT", "SEL", "MAX", "MIN", "LIMIT", "MUX", "MOVE"):
            want = None
        kind, result = f.scope.operation(name, given, want)
        found: dict[str, Value] = {}
        types: dict[str, Elementary | None] = {}
        scaled = kind.family is Family.TIME and name in ("MUL", "DIV", "MULTIME", "DIVTIME", "MUL_TIME", "DIV_TIME")
        for pin, one in given:
            own = LINT if pin in ("K", "N", "L", "P") else BOOL if pin == "G" else ELEMENTARY["LREAL"] if name == "EXPT" and pin == "IN2" else kind
            if scaled and pin != given[0][0]:
                value, type_ = self.value(one, ELEMENTARY["LREAL"] if f.scope.kind(one) is None and f.scope.fraction(one) else LINT, f)
                found[pin], types[pin] = value, type_
                continue
            found[pin], types[pin] = self.as_type(one, own, f), own
        self.l.element = at
        made = standard(name, found, types, kind, result or want or kind, self.profile.on_overflow)
        return (made, result or kind) if made is not None else (False, BOOL)

    # names

    def part(self, var: Var, f: _Frame) -> Ref | Where | None:
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

    def element(self, step: Sub, ref: Aggregate, var: Var, f: _Frame) -> Ref:
        """One element of an array."""
        offset = 0
        for value, (low, high) in zip(step.values, ref.bounds, strict=True):
            index = int(self.as_type(value, LINT, f))
            if not low <= index <= high:
                self.l.element, self.m.fault_tag = var.at, ref.first
                raise Halt("array index", f"index {index} is outside {low} to {high}")
            offset = offset * (high - low + 1) + index - low
        return ref.items[offset]

    def place(self, var: Var, f: _Frame) -> Where | None:
        """Where a variable's value is kept now."""
        found = self.part(var, f)
        return (found.tag, -1) if isinstance(found, Leaf) else found if isinstance(found, tuple) else None

    def instance(self, var: Var, f: _Frame) -> Instance | None:
        """The instance of a block that a name stands for."""
        found = self.part(var, f)
        return found if isinstance(found, Instance) else None

    def leaves(self, var: Var, f: _Frame) -> list[Where]:
        """The leaves of an array or structure, in order."""
        found = self.part(var, f)
        return list(_leaves(found)) if isinstance(found, Aggregate) else []

    def store(self, where: Where, value: Value, at: int) -> None:
        """Write a value of the right type, held in the variable's subrange."""
        self.l.element = at
        self.m.store(where, value, None)


def _leaves(part: Aggregate) -> list[Where]:
    found: list[Where] = []
    for ref in (*part.items, *part.fields.values()):
        if isinstance(ref, Leaf):
            found.append((ref.tag, -1))
        elif isinstance(ref, Aggregate):
            found += _leaves(ref)
    return found


