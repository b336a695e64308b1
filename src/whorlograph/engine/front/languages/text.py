"""Structured Text: each statement at the top level of a body is a step (CONTROLLER.md, Other languages; IEC 61131-3:2013, 7.3)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from whorlograph.engine.code import (
    Action,
    Base,
    Call,
    Const,
    Convert,
    Copy,
    Exit,
    Expr,
    If,
    Invoke,
    Kind,
    Let,
    Load,
    Loop,
    Op,
    Order,
    Slot,
    Spot,
    Store,
    Taken,
    Target,
    Term,
)
from whorlograph.engine.code import Leave as LeaveScope
from whorlograph.engine.code import Scope as Block
from whorlograph.engine.front.builder import OFF, ON, Builder, held, widened
from whorlograph.engine.front.functions import Functions
from whorlograph.engine.front.names import Block as BlockMeaning
from whorlograph.engine.front.names import Variable, Whole
from whorlograph.engine.scope.text_types import ORDERS, Scope, cut_of, given_pins, leaves_early, parameters, standard_parameters
from whorlograph.engine.scope.widening import common
from whorlograph.model.blocks import STANDARD_BLOCKS, family
from whorlograph.model.paths import Bit, Member
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, Tag, member
from whorlograph.model.text import (
    Apply,
    Argument,
    Assign,
    Binary,
    Case,
    Choose,
    Constant,
    Do,
    Expression,
    For,
    Leave,
    Range,
    Statement,
    Sub,
    TextBody,
    Unary,
    Until,
    Var,
    While,
)
from whorlograph.model.types import BOOL, ELEMENTARY, LINT, Elementary, Family

Meaning = Variable | BlockMeaning | Whole


def lower(build: Builder, body: TextBody, tasks: dict[str, int]) -> None:
    """Add the steps of a body.

    Args: tasks: the number of each task, by name in lower case.
    """
    scope = Scope(build.instance, build.running)
    for statement in body.statements:
        build.begin()
        build.end(() if scope.unreadable(statement) else _Step(build, scope, len(body.statements), tasks).lower(statement))


class _Step:
    """One statement at the top level on its way."""

    def __init__(self, build: Builder, scope: Scope, count: int, tasks: dict[str, int]) -> None:
        self.b, self.scope, self.count, self.tasks = build, scope, count, tasks
        self.running, self.instance = build.running, build.instance
        self.scopes: list[str] = []  # around the statement at work: the whole step, a loop, a pass of it
        self.returned: int | None = None
        self.flags: dict[int, int] = {}  # by node of a call: the slot that says whether it was executed

    def lower(self, statement: Statement) -> tuple[Exit, ...]:
        """The statement as actions of the step."""
        early = leaves_early(statement)
        if early:
            self.returned = self.b.slot()
            self.b.put(Let(self.returned, OFF, self.b.at(statement.at)))
        with self._gathered() as actions:
            if early:
                self.scopes.append("step")
            self.statement(statement)
        for node, slot in self.flags.items():
            self.b.put(Let(slot, OFF, self.b.at(node, "call")))
        if early:
            self.b.put(Block(tuple(actions)))
        else:
            for action in actions:
                self.b.put(action)
        for node, slot in self.flags.items():
            self.b.put(Taken(self.b.cell(Kind.FLAG, node, "call", "BOOL"), Slot(slot, "BOOL"), self.b.at(node, "EN")))
        if not early or self.returned is None:
            return ()
        at = self.b.at(statement.at, "return")
        if self.b.names.own is Base.FRAME:  # called several times in a scan, each time anew: nothing to be seen in the journal
            flag = self.b.cell(Kind.MEMORY, statement.at, "return", "BOOL")
            self.b.put(Store(flag, Slot(self.returned, "BOOL"), at))
        else:
            flag = self.b.cell(Kind.FLAG, statement.at, "return", "BOOL")
            self.b.put(Taken(flag, Slot(self.returned, "BOOL"), at))
        return (Exit(Load(flag, "BOOL", at), self.count, at),)

    @contextmanager
    def _gathered(self) -> Iterator[list[Action]]:
        """Actions gathered apart."""
        found: list[Action] = []
        with self.b.apart(found):
            yield found

    def block(self, statements: tuple[Statement, ...]) -> tuple[Action, ...]:
        """Statements as actions."""
        with self._gathered() as found:
            for one in statements:
                self.statement(one)
        return tuple(found)

    # statements

    def statement(self, one: Statement) -> None:
        """Add the actions of a statement."""
        if isinstance(one, Assign):
            self.assign(one)
        elif isinstance(one, Do):
            self.do(one.call)
        elif isinstance(one, Choose):
            self.choose(one, 0)
        elif isinstance(one, Case):
            self.case(one)
        elif isinstance(one, For):
            self.for_(one)
        elif isinstance(one, (While, Until)):
            self.loop(one)
        else:
            self.leave(one)

    def assign(self, one: Assign) -> None:
        """``Target := Value``."""
        at = self.b.at(one.at)
        source = self.find(one.value) if isinstance(one.value, Var) and self.scope.constant(one.value) is None else None
        if isinstance(source, Whole):
            into = self.find(one.target)
            if isinstance(into, Whole):
                self.b.put(Copy(into.target, source.target, into.cells, at))
            return
        type_ = self.scope.variable(one.target) or BOOL
        place = self.scope.place(one.target)
        whole = place is not None and place.tags is None and place.bit < 0 and not any(isinstance(s, Sub) for s in one.target.steps)
        into = self.find(one.target) if whole else None
        with self.b.for_receiver(into.target if isinstance(into, Variable) else None):
            value = self.assigned(one.value, type_, at)
            if not whole:
                value = self.b.keep(value, at)
        into = into if into is not None else self.find(one.target)
        if isinstance(into, Variable):
            self.b.store(into, value, at)

    def choose(self, one: Choose, n: int) -> None:
        """IF from its n-th branch on: what decides a later one is computed only where it is come to."""
        if n == len(one.branches):
            for inner in one.other:
                self.statement(inner)
            return
        branch = one.branches[n]
        at = self.b.at(branch.test.at if not isinstance(branch.test, (Var, Constant)) else one.at, "test")
        test = self.b.keep(self.boolean(branch.test), at)
        then = self.block(branch.statements)
        with self._gathered() as other:
            self.choose(one, n + 1)
        self.b.put(If(test, then, tuple(other), at))

    def case(self, one: Case) -> None:
        """CASE: the first fitting label counts."""
        at = self.b.at(one.at)
        type_ = self.scope.kind(one.selector) or ELEMENTARY["DINT"]
        selector = self.b.keep(self.value(one.selector, type_), at)
        self._case(one, 0, selector, type_)

    def _case(self, one: Case, n: int, selector: Expr, type_: Elementary) -> None:
        if n == len(one.branches):
            for inner in one.other:
                self.statement(inner)
            return
        branch, at = one.branches[n], self.b.at(one.at, f"label {n + 1}")
        tests = [self._fits(label, selector, type_, at) for label in branch.labels]
        test = tests[0] if len(tests) == 1 else Op("OR", "BOOL", tuple(tests), at)
        then = self.block(branch.statements)
        with self._gathered() as other:
            self._case(one, n + 1, selector, type_)
        self.b.put(If(self.b.let(test, at), then, tuple(other), at))

    def _fits(self, label: Range, selector: Expr, type_: Elementary, at: int) -> Expr:
        """Whether a selector has a label's value, compared in a type that holds both."""
        def compared(code: str, value: Expression) -> Expr:
            kind = common([type_, self.scope.kind(value) or (type_ if self._within(value, type_) else LINT)], None)
            return Op(code, "BOOL", (widened(selector, kind, at), self.as_type(value, kind, at)), at)

        if label.high is None:
            return compared("EQ", label.low)
        return Op("AND", "BOOL", (compared("GE", label.low), compared("LE", label.high)), at)

    @staticmethod
    def _within(value: Expression, type_: Elementary) -> bool:
        return isinstance(value, Constant) and isinstance(value.value, int) and type_.whole and type_.low <= value.value <= type_.high

    def for_(self, one: For) -> None:
        """FOR: start, end and BY are taken once, before the first pass."""
        at = self.b.at(one.at)
        type_ = self.scope.variable(one.variable) or ELEMENTARY["INT"]
        first = self.b.let(self.assigned(one.first, type_, at), at)
        wide = self._common(type_, one.last)
        last = self.b.let(self.as_type(one.last, wide, at), at)
        step_type = self._common(type_, one.by) if one.by is not None else type_
        by = self.b.keep(self.as_type(one.by, step_type, at), at) if one.by is not None else Const(1, type_.name)
        variable = self.find(one.variable)
        if not isinstance(variable, Variable):
            return
        self.b.store(variable, first, at)
        test = self._past(one, variable, last, by, wide)
        with self._gathered() as around:
            self.passes(one.statements)
            behind = self.b.at(one.at, "next")
            next_ = Op("ADD", by.type, (widened(self.b.load(variable, behind), ELEMENTARY[by.type], behind), by), behind)
            self.b.store(variable, held(next_, type_, behind), behind)
            self.b.put(If(self._past(one, variable, last, by, wide), (LeaveScope(0),), (), behind))
        # The first test stands before the loop: as many steps as passes.
        self.b.put(If(Op("NOT", "BOOL", (test,), at), (Block((Loop(tuple(around), at),)),), (), at))

    def _past(self, one: For, variable: Variable, last: Expr, by: Expr, wide: Elementary) -> Expr:
        """Whether a loop's variable is past its end."""
        node = self.b.at(one.at, "past")
        now = widened(self.b.load(variable, node), wide, node)
        up, down = Op("GT", "BOOL", (now, last), node), Op("LT", "BOOL", (now, last), node)
        if isinstance(by, Const):
            return down if by.value < 0 else up
        zero = Const(0, by.type)
        rising, falling = Op("GE", "BOOL", (by, zero), node), Op("LT", "BOOL", (by, zero), node)
        return Op("OR", "BOOL", (Op("AND", "BOOL", (rising, up), node), Op("AND", "BOOL", (falling, down), node)), node)

    def _common(self, type_: Elementary, value: Expression) -> Elementary:
        """The type in which a loop's variable meets its end or its step."""
        kind = self.scope.kind(value)
        if kind is None:
            return type_ if self._within(value, type_) or not isinstance(value, Constant) else LINT
        return common([type_, kind], None)

    def loop(self, one: While | Until) -> None:
        """WHILE and REPEAT."""
        at = self.b.at(one.at)
        first = self._ends(one) if isinstance(one, While) else None
        with self._gathered() as around:
            self.passes(one.statements)
            self.b.put(If(self._ends(one), (LeaveScope(0),), (), at))
        repeated = Block((Loop(tuple(around), at),))
        self.b.put(If(Op("NOT", "BOOL", (first,), at), (repeated,), (), at) if first is not None else repeated)

    def _ends(self, one: While | Until) -> Expr:
        """Whether a loop ends here."""
        node = self.b.at(one.at, "test")
        test = self.b.keep(self.boolean(one.test), node)
        return Op("NOT", "BOOL", (test,), node) if isinstance(one, While) else test

    def passes(self, statements: tuple[Statement, ...]) -> None:
        """What a loop does in each pass: CONTINUE leaves it, EXIT the loop."""
        self.scopes += ["loop", "pass"]
        self.b.put(Block(self.block(statements)))
        del self.scopes[-2:]

    def leave(self, one: Leave) -> None:
        """EXIT, CONTINUE, RETURN."""
        wanted = {"EXIT": "loop", "CONTINUE": "pass", "RETURN": "step"}[one.kind]
        inside = self.scopes[::-1]
        if wanted not in inside:
            return
        if one.kind == "RETURN" and self.returned is not None:
            self.b.put(Let(self.returned, ON, self.b.at(one.at)))
        self.b.put(LeaveScope(inside.index(wanted)))

    # calls

    def do(self, call: Apply) -> None:
        """A call as a statement."""
        name = call.called.base.upper()
        if self.scope.function(call) is None and self.scope.block(call) is not None:
            self.invoke(call)
        elif name in ORDERS and not call.called.steps:
            first = next((a.value for a in call.arguments if isinstance(a.value, Constant)), None)
            task = self.tasks.get(str(first.value).lower(), -1) if first is not None else -1
            self.b.put(Order(ORDERS[name], task, self.b.at(call.at)))
        else:
            at = self.b.at(call.at)
            value = self.value(call, None)
            if not isinstance(value, (Const, Slot)):
                self.b.let(value, at)

    def invoke(self, call: Apply) -> None:
        """A block: its inputs written, then it is executed, then its outputs go where they are wanted."""
        meaning = self.find(call.called)
        if not isinstance(meaning, BlockMeaning):
            return
        at = self.b.at(call.at)
        enable = next((a.value for a in call.arguments if a.name.upper() == "EN" and a.value is not None), None)
        if enable is None:
            self._execute(call, meaning, at)
            return
        test = self.b.keep(self.boolean(enable), at)
        with self._gathered() as found:
            self._execute(call, meaning, at)
        self.b.put(If(test, tuple(found), (), at))

    def _execute(self, call: Apply, meaning: BlockMeaning, at: int) -> None:
        called = meaning.instance
        given = standard_parameters(called, call) if called.pou is None else parameters(called, call)
        if called.pou is not None and self.b.names.own is not Base.FRAME:
            self.flags[call.at] = self.b.slot()
            self.b.put(Let(self.flags[call.at], ON, at))
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                node = self.b.at(one.value.at, name.upper())
                variable = self.pin_of(meaning, ref.tag)
                self.b.store(variable, self.b.keep(self.assigned(one.value, variable.type, node), node, variable.target), node)
            elif isinstance(ref, Aggregate) and one.value is not None:
                self._copy_in(meaning, ref, one.value)
        if called.pou is None:
            inputs, outputs = STANDARD_BLOCKS[called.type_name]
            self.b.put(Invoke(family(called.type_name), meaning.where, (*inputs, *outputs)[-1][1].name, at))
        else:
            self.call(call, called, meaning.where, (), ())
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.output is not None:
                node = self.b.at(one.output.at, name.upper())
                variable = self.pin_of(meaning, ref.tag)
                self.give(one, self.b.load(variable, node), node)
            elif name == "eno" and one.output is not None:
                self.give(one, ON, at)

    def _copy_in(self, meaning: BlockMeaning, ref: Aggregate, value: Expression) -> None:
        source = self.find(value) if isinstance(value, Var) else None
        spot = meaning.where
        if isinstance(source, Whole):
            cell = ref.first if spot.base == Base.GLOBAL and spot.param < 0 else spot.own + ref.first - meaning.instance.first
            self.b.put(Copy(Target(spot.base, cell, "", (), 0, 0, spot.param), source.target, ref.cells, self.b.at(value.at)))

    def give(self, one: Argument, value: Expr, at: int) -> None:
        """What comes out goes into a variable."""
        into = self.find(one.output) if one.output is not None else None
        if isinstance(into, Variable):
            if one.negated:
                value = Op("NOT", value.type, (value,), at)
            self.b.store(into, self.b.keep(self._held(value, into.type, at), at, into.target), at)

    def pin_of(self, meaning: BlockMeaning, tag: int) -> Variable:
        """A pin of an instance as a variable."""
        spot = meaning.where
        one = self.running.tags[tag] if spot.param < 0 else self._shape_tag(meaning, tag)
        if spot.base == Base.GLOBAL:
            return Variable(Target(Base.GLOBAL, tag, one.type.name), one.type, one)
        return Variable(Target(spot.base, spot.own + tag - meaning.instance.first, one.type.name, (), 0, 0, spot.param), one.type, one)

    def _shape_tag(self, meaning: BlockMeaning, tag: int) -> Tag:
        ref = self.instance.scope[self.b.names.params[meaning.where.param]]
        assert isinstance(ref, ByReference)
        return ref.tags[tag]

    def call(self, call: Apply, called: Instance, spot: Spot, inputs: tuple[tuple[int, Expr], ...],
             results: tuple[tuple[int, int, str], ...]) -> None:
        """Execute a body of the file's own inside this step."""
        body = self.b.bodies.get(called.type_name.lower())
        if body is None:
            return
        handed: dict[str, tuple[Target | Spot | None, int]] = {}
        for name, one in parameters(called, call):
            if isinstance(called.scope.get(name), ByReference) and isinstance(one.value, Var):
                found = self.find(one.value)
                target = found.where if isinstance(found, BlockMeaning) else found.target if found is not None else None
                handed[name] = target, self.b.at(one.value.at, "handed")
        at = self.b.at(call.at)
        refs = [handed.get(name, (None, at)) for name, ref in called.scope.items() if isinstance(ref, ByReference)]
        self.b.put(Call(body, spot, inputs, tuple(r for r, _ in refs), results, at, tuple(n for _, n in refs)))

    def function(self, call: Apply, called: Instance) -> Expr:
        """A function of the file's own: operands left of it are taken before, its variables begin anew."""
        inputs: list[tuple[int, Expr]] = []
        given = parameters(called, call)
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                node, tag = self.b.at(one.value.at, name.upper()), self.running.tags[ref.tag]
                variable = Variable(Target(Base.GLOBAL, ref.tag, tag.type.name), tag.type, tag)
                value = self.b.ranged(variable, self.assigned(one.value, tag.type, node), node)
                inputs.append((ref.tag - called.first, self.b.keep(value, node)))
        outputs = [(one, ref) for name, one in given if one.output is not None and isinstance(ref := called.scope.get(name), Leaf)]
        result = called.scope.get(called.type_name.lower())
        wanted = [ref for _, ref in outputs] + ([result] if isinstance(result, Leaf) else [])
        slots = {ref.tag: self.b.slot() for ref in wanted}
        results = tuple((tag - called.first, slot, self.running.tags[tag].type.name) for tag, slot in slots.items())
        self.call(call, called, Spot(Base.GLOBAL, self.b.regions.number[id(called)]), tuple(inputs), results)
        for one, ref in outputs:
            node = self.b.at(call.at, one.name.upper())
            self.give(one, Slot(slots[ref.tag], self.running.tags[ref.tag].type.name), node)
        if not isinstance(result, Leaf):
            return OFF
        if self.b.bodies.get(called.type_name.lower()) is None:
            return Const(0, self.running.tags[result.tag].type.name) if self.running.tags[result.tag].type.family is not Family.BOOL else OFF
        return Slot(slots[result.tag], self.running.tags[result.tag].type.name)

    # values

    def boolean(self, one: Expression) -> Expr:
        """A value as a condition."""
        value = self.value(one, BOOL)
        return value if value.type == "BOOL" else Convert("WIDEN", "BOOL", value, self.b.at(one.at))

    def as_type(self, one: Expression, type_: Elementary, at: int) -> Expr:
        """A value widened to the type in which it is computed."""
        value = self.value(one, type_)
        return widened(value, type_, at)

    def assigned(self, one: Expression, type_: Elementary, at: int) -> Expr:
        """A value on its way into a variable of a type."""
        if type_.family is Family.BOOL:
            return self.boolean(one)
        return self._held(self.value(one, type_), type_, at)

    def _held(self, value: Expr, type_: Elementary, at: int) -> Expr:
        if type_.family is Family.BOOL:
            return value if value.type == "BOOL" else Convert("WIDEN", "BOOL", value, at)
        return held(value, type_, at)

    def value(self, one: Expression, want: Elementary | None) -> Expr:
        """A value in its own type; one without takes the type that is wanted."""
        if isinstance(one, Constant):
            return self.constant(one, want)
        if isinstance(one, Var):
            read = self.scope.constant(one)
            if read is not None:
                return literal_value(read[1], read[0] or ELEMENTARY["INT"])
            found = self.find(one)
            return self.b.load(found, self.b.at(one.at, "gate")) if isinstance(found, Variable) else OFF
        if isinstance(one, Unary):
            return self.operation(one.code, [("IN", one.value)], want, one.at)
        if isinstance(one, Binary):
            return self.operation(one.code, [("IN1", one.left), ("IN2", one.right)], want, one.at)
        called = self.scope.function(one)
        if called is not None:
            return self.function(one, called)
        cut = cut_of(one.called.base)
        if cut is not None:
            source = given_pins(one)
            kind = self.scope.operation("TRUNC", source, None)[0]
            target = cut.target or (want if want is not None and want.whole else ELEMENTARY["DINT"])
            at = self.b.at(one.at)
            return Convert("TRUNC", target.name, self.b.keep(self.as_type(source[0][1], kind, at), at), at)
        return self.operation(one.called.base.upper(), given_pins(one), want, one.at)

    def constant(self, one: Constant, want: Elementary | None) -> Expr:
        """A literal in its own type, or the one that is wanted."""
        assert not isinstance(one.value, str)
        if one.named:
            return literal_value(one.value, ELEMENTARY[one.named])
        type_ = want
        if type_ is None or type_.bits == 0 or (type_.family is Family.BOOL and not isinstance(one.value, bool) and one.value not in (0, 1)):
            type_ = ELEMENTARY["REAL" if isinstance(one.value, float) else "DINT"]
        if isinstance(one.value, float) and type_.whole:
            number = round(one.value)
            if type_.low <= number <= type_.high:
                return Const(number, type_.name)
            return Convert("HOLD", type_.name, Const(max(-1 << 62, min(1 << 62, number)), "LINT"), self.b.at(one.at))
        if isinstance(one.value, int) and type_.whole and not type_.low <= one.value <= type_.high:
            source = "ULINT" if one.value > LINT.high else "LINT"
            return Convert("HOLD", type_.name, Const(one.value, source), self.b.at(one.at))
        return literal_value(one.value, type_)

    def operation(self, name: str, given: list[tuple[str, Expression]], want: Elementary | None, node: int) -> Expr:
        """A function of the standard."""
        if want is not None and want.family is Family.BOOL and name not in ("AND", "OR", "XOR", "NOT", "SEL", "MAX", "MIN", "LIMIT", "MUX", "MOVE"):
            want = None
        kind, result = self.scope.operation(name, given, want)
        at = self.b.at(node)
        operands = [_Operand(self, pin, value, kind, at) for pin, value in given]
        found = Functions(self.b).value(name, operands, kind, result or want, at)
        return found if found is not None else OFF

    # names

    def find(self, var: Expression) -> Meaning | None:
        """What a variable's name stands for, its subscripts computed now."""
        if not isinstance(var, Var):
            return None
        key = var.base.lower()
        ref: Ref | None = self.instance.scope.get(key)
        if ref is None:
            ref = self.running.scope.scope.get(key)
        param, tags = -1, self.running.tags
        shape: Ref | None = None
        if isinstance(ref, ByReference):
            param, tags, ref = self.b.names.params.index(key), list(ref.tags), ref.shape
            shape = ref
        terms: list[Term] = []
        for step in var.steps:
            if isinstance(step, Bit):
                return self._cell(ref, param, tags, terms, step.number) if isinstance(ref, Leaf) else None
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif isinstance(ref, Aggregate):
                ref = self._element(step, ref, terms, var.at)
            else:
                return None
        if isinstance(ref, Leaf):
            return self._cell(ref, param, tags, terms, -1)
        if isinstance(ref, Aggregate):
            base, cell = self._placed(ref.first, param)
            return Whole(Target(base, cell, "", tuple(terms), 0, 0, param), ref.cells)
        if isinstance(ref, Instance) and not terms:
            return self._instance(ref, shape, param)
        return None

    def _instance(self, ref: Instance, shape: Ref | None, param: int) -> BlockMeaning | None:
        if param < 0:
            return BlockMeaning(self.b.regions.spot(ref, self.instance, self.b.names.own), ref)
        if not isinstance(shape, Instance):
            return None
        spot = self.b.regions.spot(ref, shape, Base.PARAM)
        return BlockMeaning(Spot(Base.PARAM, spot.own, spot.hidden, spot.step, param), ref)

    def _element(self, step: Sub, ref: Aggregate, terms: list[Term], node: int) -> Ref | None:
        """The part that subscripts choose where they are lowest; what they add goes to the terms."""
        weight = 1
        added: list[Term] = []
        offset = 0
        for value, (low, high) in reversed(list(zip(step.values, ref.bounds, strict=True))):
            if isinstance(value, Constant) and isinstance(value.value, int) and not isinstance(value.value, bool) and low <= value.value <= high:
                offset += (value.value - low) * weight
            else:
                at = self.b.at(node, "index")
                added.append(Term(self.b.keep(self.as_type(value, LINT, at), at), low, high, weight * ref.stride, at))
            weight *= high - low + 1
        terms += added[::-1]
        return ref.items[offset]

    def _placed(self, tag: int, param: int) -> tuple[int, int]:
        if param >= 0:
            return Base.PARAM, tag
        first = self.instance.first
        if first <= tag < first + self.instance.count:
            return self.b.names.own, tag - first
        return Base.GLOBAL, tag

    def _cell(self, ref: Leaf, param: int, tags: list[Tag], terms: list[Term], bit: int) -> Variable:
        base, cell = self._placed(ref.tag, param)
        tag = tags[ref.tag]
        if bit >= 0:
            return Variable(Target(base, cell, tag.type.name, tuple(terms), bit, 1, param), BOOL, tag)
        return Variable(Target(base, cell, tag.type.name, tuple(terms), 0, 0, param), tag.type, tag)


class _Operand:
    """One operand of a standard function: read in the type that it is asked for."""

    def __init__(self, step: _Step, pin: str, one: Expression, kind: Elementary, at: int) -> None:
        self.step, self.name, self.one, self.kind, self.at = step, pin, one, kind, at

    @property
    def real(self) -> bool:
        """Whether it is a real number."""
        kind = self.step.scope.kind(self.one)
        return kind.family is Family.REAL if kind is not None else self.step.scope.fraction(self.one)

    def value(self) -> Expr:
        """In the operation's type."""
        return self.as_type(self.kind.name)

    def as_type(self, name: str) -> Expr:
        """In a type of its own."""
        if name == "BOOL":
            return self.step.boolean(self.one)
        return self.step.as_type(self.one, ELEMENTARY[name], self.at)


def literal_value(value: bool | int | float | str, type_: Elementary) -> Const:
    """A literal as a constant of a type."""
    if type_.family is Family.BOOL:
        return Const(bool(value), type_.name)
    assert not isinstance(value, str)
    return Const(float(value) if type_.family is Family.REAL else int(value), type_.name)
