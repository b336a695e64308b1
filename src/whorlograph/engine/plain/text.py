"""Walks Structured Text as the model has it, statement by statement (CONTROLLER.md, Other languages)."""

from __future__ import annotations

from whorlograph.engine.scope.text_parts import leaves_early, parts
from whorlograph.engine.scope.text_types import ORDERS, Scope, parameters, standard_parameters
from whorlograph.engine.scope.unreadable import unreadable
from whorlograph.engine.scope.widening import common
from whorlograph.model.literals import raw
from whorlograph.model.program import VariableKind
from whorlograph.model.steps import Step
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref
from whorlograph.model.text import (
    Apply,
    Assign,
    Case,
    Choose,
    Constant,
    Do,
    Expression,
    For,
    Go,
    Keep,
    Range,
    Statement,
    Together,
    Until,
    Var,
    While,
)
from whorlograph.model.types import BOOL, ELEMENTARY, LINT, Elementary, Family

from .functions import Value, fit, number, widened, wrapped
from .memory import Where, ranged
from .text_values import Bound, Frame, Values, Walker, leaves_of

_FINE, _EXIT, _CONTINUE, _RETURN = range(4)


class Text:
    """Evaluates statements on the memory that ladder works on."""

    def __init__(self, walker: Walker) -> None:
        self.l, self.m = walker, walker.m
        self.values = Values(walker, self.function)
        self.running, self.profile = walker.m.running, walker.m.profile
        self.scopes: dict[int, Scope] = {}
        self.skipped: dict[int, bool] = {}
        self.flagged: dict[int, list[tuple[int, int, bool]]] = {}  # by step: flags, of which elements, whether of its being left

    def at_pin(self, one: Expression, step: Step, bound: Bound) -> Value:
        """The value of an expression at a pin of a drawn rung."""
        self.m.fault_tag = -1
        return self.values.value(one, None, self.frame(step, bound))[0]

    def place_at(self, one: Var, step: Step, bound: Bound) -> tuple[Where, Elementary] | None:
        """Where an element with computed subscripts is kept that a drawn rung names, and its type."""
        frame = self.frame(step, bound)
        type_ = frame.scope.variable(one)
        where = self.values.place(one, frame) if type_ is not None else None
        return (where, type_) if where is not None and type_ is not None else None

    def part_at(self, one: Var, step: Step, bound: Bound) -> Ref | Where | None:
        """What an element with computed subscripts stands for now."""
        return self.values.part(one, self.frame(step, bound))

    def frame(self, step: Step, bound: Bound) -> Frame:
        """An evaluation of a step."""
        return Frame(step, self.scopes.setdefault(id(step.instance), Scope(step.instance, self.running)), bound, set())

    def run(self, step: Step, bound: Bound) -> str | None:
        """Evaluate a statement at the top level; "" to end the POU, None to go on below."""
        statement, instance = step.rung.statement, step.instance
        assert statement is not None
        if step.index not in self.skipped:
            self.skipped[step.index] = bool(unreadable(step.rung, instance, self.running))
        if self.skipped[step.index]:
            return None
        frame = self.frame(step, bound)
        self.l.element, self.m.fault_tag = statement.at, -1
        way = self.statement(statement, frame)
        if step.index not in self.flagged:
            flagged = [(part.at, False) for part in parts(statement) if isinstance(part, (Apply, Go))]
            flagged += [(statement.at, True)] if leaves_early(statement) else []
            known = self.l.steps.flags
            self.flagged[step.index] = [(known[step.index, at].number, at, leaves) for at, leaves in flagged if (step.index, at) in known]
        for flag, at, leaves in self.flagged[step.index]:
            self.m.put(flag, int(way == _RETURN if leaves else at in frame.called))
        return "" if way == _RETURN else frame.label

    def block(self, statements: tuple[Statement, ...], f: Frame) -> int:
        """Statements one after another, until one of them leaves."""
        for one in statements:
            way = self.statement(one, f)
            if way != _FINE:
                return way
        return _FINE

    def statement(self, one: Statement, f: Frame) -> int:
        """One statement; how it was left."""
        self.m.fault_tag = -1
        if isinstance(one, Assign):
            self.assign(one, f)
        elif isinstance(one, Do):
            self.do(one.call, f)
        elif isinstance(one, Choose):
            for branch in one.branches:
                if self.values.true(branch.test, f):
                    return self.block(branch.statements, f)
            return self.block(one.other, f)
        elif isinstance(one, Case):
            return self.case(one, f)
        elif isinstance(one, For):
            return self.for_(one, f)
        elif isinstance(one, While):
            while self.values.true(one.test, f):
                way = self.one_pass(one.statements, f)
                if way in (_EXIT, _RETURN):
                    return way if way == _RETURN else _FINE
        elif isinstance(one, Until):
            while True:
                way = self.one_pass(one.statements, f)
                if way in (_EXIT, _RETURN):
                    return way if way == _RETURN else _FINE
                if self.values.true(one.test, f):
                    break
        elif isinstance(one, Together):
            return self.block(one.statements, f)
        elif isinstance(one, Keep):
            self.keep(one, f)
        elif isinstance(one, Go):
            if one.test is None or self.values.true(one.test, f):
                f.label = f.label or one.label
                f.called.add(one.at)
        else:
            return {"EXIT": _EXIT, "CONTINUE": _CONTINUE, "RETURN": _RETURN}[one.kind]
        return _FINE

    def keep(self, one: Keep, f: Frame) -> None:
        """An instruction list's result, for what reads it later."""
        type_ = f.scope.kept(one.value)
        f.results[one.at] = self.values.as_type(one.value, type_, f)

    def one_pass(self, statements: tuple[Statement, ...], f: Frame) -> int:
        """A pass of a loop, which counts as a step."""
        self.m.number += 1
        self.l.passed()
        return self.block(statements, f)

    def assign(self, one: Assign, f: Frame) -> None:
        value, into = one.value, f.scope.place(one.target)
        if into is not None and isinstance(into.ref, Aggregate):
            self.fill(self.whole(value, f), one.target, f)
            return
        receiver = f.scope.receiver(one.target)
        self.m.fault_tag = receiver if receiver is not None else -1
        type_ = f.scope.variable(one.target) or BOOL
        found = self.values.assigned(value, type_, one.at, f)
        where = self.values.place(one.target, f)
        if where is not None:
            self.values.store(where, found, one.at)

    def whole(self, one: Expression, f: Frame) -> list[int]:
        """The bits of an array or structure, as it stands or as a function gives it."""
        called = f.scope.function(one) if isinstance(one, Apply) else None
        if called is not None and isinstance(one, Apply):
            return self.results(one, called, f)
        return [self.m.values[tag] for tag, _ in self.values.leaves(one, f)] if isinstance(one, Var) else []

    def fill(self, bits: list[int], into: Var, f: Frame) -> None:
        """Give an array or structure what another holds."""
        for (tag, _), one in zip(self.values.leaves(into, f), bits, strict=True):
            self.m.put(tag, one)

    def case(self, one: Case, f: Frame) -> int:
        type_ = f.scope.kind(one.selector) or ELEMENTARY["DINT"]
        selector = self.values.value(one.selector, type_, f)[0]
        for branch in one.branches:
            if any(self.fits(label, selector, f) for label in branch.labels):
                return self.block(branch.statements, f)
        return self.block(one.other, f)

    def fits(self, label: Range, selector: Value, f: Frame) -> bool:
        low = self.values.value(label.low, LINT, f)[0]
        if label.high is None:
            return selector == low
        return number(low) <= number(selector) <= number(self.values.value(label.high, LINT, f)[0])

    def for_(self, one: For, f: Frame) -> int:
        type_ = f.scope.variable(one.variable) or ELEMENTARY["INT"]
        first = self.values.assigned(one.first, type_, one.at, f)
        last, own = self.values.value(one.last, self.counted(type_, one.last, f), f)
        last = widened(last, own, LINT, self.profile.on_overflow) if type_.low < 0 and own.whole else last
        by_type = self.counted(type_, one.by, f) if one.by is not None else type_
        by = self.values.value(one.by, by_type, f)[0] if one.by is not None else 1
        if one.by is not None:
            by_type = common([type_, f.scope.kind(one.by)], None) if f.scope.kind(one.by) is not None else by_type
        where = self.values.place(one.variable, f)
        if where is None:
            return _FINE
        self.values.store(where, first, one.at)
        while not (number(self.m.load(where)) > number(last) if number(by) >= 0 else number(self.m.load(where)) < number(last)):
            way = self.one_pass(one.statements, f)
            if way in (_EXIT, _RETURN):
                return way if way == _RETURN else _FINE
            self.l.element, self.m.fault_tag = one.at, where[0]
            following = fit(int(self.m.load(where)) + int(by), by_type, self.profile.on_overflow)
            self.values.store(where, fit(following, type_, self.profile.on_overflow), one.at)
        return _FINE

    @staticmethod
    def counted(type_: Elementary, value: Expression, f: Frame) -> Elementary:
        """The type that the end or step of a loop takes where it has none of its own."""
        within = isinstance(value, Constant) and isinstance(value.value, int) and type_.low <= value.value <= type_.high
        return LINT if f.scope.kind(value) is None and isinstance(value, Constant) and not within else type_

    # calls

    def do(self, call: Apply, f: Frame) -> None:
        """A call as a statement."""
        name = call.called.base.upper()
        if f.scope.function(call) is None and f.scope.block(call) is not None:
            self.invoke(call, f)
        elif name in ORDERS and not call.called.steps:
            first = next((a.value for a in call.arguments if isinstance(a.value, Constant)), None)
            self.l.ordered(name, str(first.value) if first is not None else "")
        else:
            self.values.value(call, None, f)

    def invoke(self, call: Apply, f: Frame) -> None:
        """A block: its inputs, its body, its outputs."""
        enable = next((a.value for a in call.arguments if a.name.upper() == "EN" and a.value is not None), None)
        if enable is not None and not self.values.true(enable, f):
            for one in call.arguments:
                if one.name.upper() == "ENO" and one.output is not None:
                    self.give(one.output, False, BOOL, one.negated, f)
            return
        called = self.values.instance(call.called, f)
        if called is None:
            return
        given = standard_parameters(called, call) if called.pou is None else parameters(called, call)
        if called.pou is not None:
            f.called.add(call.at)
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                type_ = self.running.tags[ref.tag].type
                self.m.fault_tag = ref.tag
                value = self.values.assigned(one.value, type_, one.value.at, f)
                self.values.store((ref.tag, -1), value, one.value.at)
            elif isinstance(ref, Aggregate) and one.value is not None:
                for (tag, _), bits in zip(leaves_of(ref), self.whole(one.value, f), strict=True):
                    self.m.put(tag, bits)
        self.m.fault_tag = -1
        if called.pou is None:
            self.l.standard(called)
        else:
            self.body(called, self.in_outs(called, call, f), f)
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.output is not None:
                self.give(one.output, self.m.load((ref.tag, -1)), self.running.tags[ref.tag].type, one.negated, f)
            elif isinstance(ref, Aggregate) and one.output is not None:
                self.fill([self.m.values[tag] for tag, _ in leaves_of(ref)], one.output, f)
            elif name == "eno" and one.output is not None:
                self.give(one.output, True, BOOL, one.negated, f)

    def body(self, called: Instance, bound: Bound, f: Frame) -> None:
        """A body of the file's own inside this step."""
        kept = self.m.current
        self.l.call(called, bound)
        self.m.current, self.m.fault_tag = kept, -1

    def give(self, into: Var, value: Value, type_: Elementary, negated: bool, f: Frame) -> None:
        """What comes out goes into a variable."""
        wanted, where = f.scope.variable(into), self.values.place(into, f)
        if wanted is None or where is None:
            return
        self.l.element, self.m.fault_tag = into.at, where[0]
        if negated:
            value = not value if type_.family is Family.BOOL else wrapped(~int(value), type_)
        self.values.store(where, self.values.held(value, type_, wanted), into.at)

    def in_outs(self, called: Instance, call: Apply, f: Frame) -> Bound:
        """What the in-outs of a call stand for."""
        bound: Bound = {}
        for name, one in parameters(called, call):
            if not isinstance(called.scope.get(name), ByReference) or not isinstance(one.value, Var):
                continue
            place = f.scope.place(one.value)
            if place is not None and isinstance(place.ref, Instance):
                found = self.values.instance(one.value, f)
                if found is not None:
                    bound[name] = found
            elif place is not None and isinstance(place.ref, Aggregate):
                part = self.values.part(one.value, f)
                if isinstance(part, Aggregate):
                    bound[name] = part
            else:
                where = self.values.place(one.value, f)
                if where is not None:
                    bound[name] = where
        return bound

    def function(self, call: Apply, called: Instance, f: Frame) -> Value:
        """A function of the file's own that gives one value."""
        self.results(call, called, f)
        result = called.scope.get(called.type_name.lower())
        return self.m.load((result.tag, -1)) if isinstance(result, Leaf) else False

    def results(self, call: Apply, called: Instance, f: Frame) -> list[int]:
        """A function of the file's own: what goes in is taken first, then its variables begin anew. Returns: the bits of what it gives."""
        given = parameters(called, call)
        inputs: list[tuple[int, int]] = []
        receiver = self.m.fault_tag
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                tag = self.running.tags[ref.tag]
                value = self.values.assigned(one.value, tag.type, one.value.at, f)
                if tag.low is not None and tag.high is not None:
                    self.l.element = one.value.at
                    value = ranged(value, tag.low, tag.high, self.profile.on_overflow)
                inputs.append((ref.tag, raw(value, tag.type)))
            elif isinstance(ref, Aggregate) and one.value is not None:
                inputs += zip((tag for tag, _ in leaves_of(ref)), self.whole(one.value, f), strict=True)
        bound = self.in_outs(called, call, f)
        for name, ref in called.scope.items():
            declared = next((v for v in called.pou.variables if v.name.lower() == name), None)  # type: ignore[union-attr]
            if declared is None or declared.kind not in (VariableKind.EXTERNAL, VariableKind.IN_OUT):
                self.l.reset(ref)
        for tag_number, bits in inputs:
            self.m.put(tag_number, bits)
        self.body(called, bound, f)
        result = called.scope.get(called.type_name.lower())
        found = [self.m.values[tag] for tag, _ in ([(result.tag, -1)] if isinstance(result, Leaf) else leaves_of(result)
                                                   if isinstance(result, Aggregate) else [])]
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.output is not None:
                self.give(one.output, self.m.load((ref.tag, -1)), self.running.tags[ref.tag].type, one.negated, f)
            elif isinstance(ref, Aggregate) and one.output is not None:
                self.fill([self.m.values[tag] for tag, _ in leaves_of(ref)], one.output, f)
        self.m.fault_tag = receiver
        return found
