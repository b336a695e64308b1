"""Structured Text: each statement at the top level of a body is a step (CONTROLLER.md, Other languages; IEC 61131-3:2013, 7.3)."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from whorlograph.engine.calls import every
from whorlograph.engine.code import (
    Action,
    Base,
    Call,
    Const,
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
    Pass,
    Slot,
    Store,
    Taken,
    Target,
)
from whorlograph.engine.code import Leave as LeaveScope
from whorlograph.engine.code import Scope as Block
from whorlograph.engine.front.builder import OFF, ON, Builder, held, widened
from whorlograph.engine.front.names import Variable
from whorlograph.engine.scope.chosen_calls import made_of, made_up
from whorlograph.engine.scope.text_parts import leaves_early
from whorlograph.engine.scope.text_types import ORDERS, Scope
from whorlograph.engine.scope.widening import common
from whorlograph.model.limits import MOST_LAID_OUT, MOST_LAID_OUT_IN_ALL, MOST_LEFT
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
    Leave,
    Range,
    Statement,
    TextBody,
    Together,
    Until,
    Var,
    While,
)
from whorlograph.model.types import BOOL, ELEMENTARY, LINT, Elementary

from .laid_out import as_number, folded, leaves_only_so, leaving, passes_of, size_of, writes, written_number
from .text_values import Values


def lower(build: Builder, body: TextBody, tasks: dict[str, int]) -> None:
    """Add the steps of a body.

    Args: tasks: the number of each task, by name in lower case.
    """
    scope = build.reading.scope(build.instance)
    build.segment = build.index
    returns = body is not build.instance.pou.body if build.instance.pou is not None else True
    returns = returns or body.may_hold("RET")
    lowering = _Lowering(build, scope, body, tasks, returns)
    for statement in body.statements:
        build.begin()
        build.end(() if build.reading.statement(statement, build.instance) else lowering.lower(statement))


class _Lowering:
    """The statements at the top level of a body on their way, one after the other."""

    def __init__(self, build: Builder, scope: Scope, body: TextBody, tasks: dict[str, int], returns: bool) -> None:
        self.b, self.scope, self.body, self.tasks = build, scope, body, tasks
        self.exits: list[Exit] = []
        self.values = Values(build, scope)
        self.scopes: list[str] = []  # around the statement at work: the whole step, a loop, a pass of it
        self.returned: int | None = None
        self.returns = returns

    def lower(self, statement: Statement) -> tuple[Exit, ...]:
        """A statement as actions of its step."""
        self.exits, self.returned = [], None
        self.values.begin()
        early = self.returns and leaves_early(statement)
        if early:
            self.returned = self.b.slot()
            self.b.put(Let(self.returned, OFF, self.b.at(statement.at)))
        with self.b.apart() as actions:
            if early:
                self.scopes.append("step")
            self.statement(statement)
        for node, slot in self.values.flags.items():
            self.b.put(Let(slot, OFF, self.b.at(node, "call")))
        if early:
            self.b.put(Block(tuple(actions)))
        else:
            for action in actions:
                self.b.put(action)
        for node, slot in self.values.flags.items():
            self.b.put(Taken(self.b.cell(Kind.FLAG, node, "call", "BOOL"), Slot(slot, "BOOL"), self.b.at(node, "EN")))
        if not early or self.returned is None:
            return tuple(self.exits)
        at = self.b.at(statement.at, "return")
        if self.b.names.own is Base.FRAME:  # called several times in a scan, each time anew: nothing to be seen in the journal
            flag = self.b.cell(Kind.MEMORY, statement.at, "return", "BOOL")
            self.b.put(Store(flag, Slot(self.returned, "BOOL"), at))
        else:
            flag = self.b.cell(Kind.FLAG, statement.at, "return", "BOOL")
            self.b.put(Taken(flag, Slot(self.returned, "BOOL"), at))
        return (*self.exits, Exit(Load(flag, "BOOL", at), self.b.segment + len(self.body.statements), at))

    def block(self, statements: tuple[Statement, ...]) -> tuple[Action, ...]:
        """Statements as actions."""
        with self.b.apart() as found:
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
        elif isinstance(one, Together):
            for inner in one.statements:
                self.statement(inner)
        elif isinstance(one, Keep):
            self.values.keep(one)
        elif isinstance(one, Go):
            self.go(one)
        else:
            self.leave(one)

    def assign(self, one: Assign) -> None:
        """``Target := Value``."""
        at = self.b.at(one.at)
        if self.scope.shape(one.target) is not None:
            self.values.give_whole(one.target, self.values.whole(one.value), one.at)
            return
        type_ = self.scope.variable(one.target) or BOOL
        whole = self.scope.receiver(one.target) is not None
        into = self.values.find(one.target) if whole else None
        self.b.receiver = into.target if isinstance(into, Variable) else None
        value = self.values.assigned(one.value, type_, at)
        if not whole:
            value = self.b.keep(value, at)
        self.b.receiver = None
        into = into if into is not None else self.values.find(one.target)
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
        test = self.b.keep(self.values.boolean(branch.test), at)
        if self.b.passing and isinstance(test, Const):
            if test.value:
                for inner in branch.statements:
                    self.statement(inner)
            else:
                self.choose(one, n + 1)
            return
        then = self.block(branch.statements)
        with self.b.apart() as other:
            self.choose(one, n + 1)
        self.b.put(If(test, then, tuple(other), at))

    def case(self, one: Case) -> None:
        """CASE: the first fitting label counts."""
        at = self.b.at(one.at)
        type_ = self.scope.kind(one.selector) or ELEMENTARY["DINT"]
        selector = self.b.keep(self.values.value(one.selector, type_), at)
        if isinstance(selector, Const) and made_of(one) is not None:
            fits = [b for b in one.branches if any(isinstance(label.low, Constant) and label.low.value == selector.value for label in b.labels)]
            for inner in fits[0].statements if fits else one.other:
                self.statement(inner)
            return
        self._case(one, 0, selector, type_)

    def _case(self, one: Case, n: int, selector: Expr, type_: Elementary) -> None:
        if n == len(one.branches):
            for inner in one.other:
                self.statement(inner)
            return
        branch, at = one.branches[n], self.b.at(one.at, f"label {n + 1}")
        # Each label is a gate of its own: which of them the selector has, and which it would have to have, differs.
        places = [self.b.at(one.at, f"label {n + 1}.{k + 1}") for k in range(len(branch.labels))] if len(branch.labels) > 1 else [at]
        tests = [self._fits(label, selector, type_, place) for label, place in zip(branch.labels, places, strict=True)]
        test = tests[0] if len(tests) == 1 else Op("OR", "BOOL", tuple(tests), at)
        if self.b.passing and all(isinstance(t, Const) for t in tests):
            if any(isinstance(t, Const) and t.value for t in tests):
                for inner in branch.statements:
                    self.statement(inner)
            else:
                self._case(one, n + 1, selector, type_)
            return
        then = self.block(branch.statements)
        with self.b.apart() as other:
            self._case(one, n + 1, selector, type_)
        self.b.put(If(self.b.let(test, at), then, tuple(other), at))

    def _fits(self, label: Range, selector: Expr, type_: Elementary, at: int) -> Expr:
        """Whether a selector has a label's value, compared in a type that holds both."""
        def compared(code: str, value: Expression) -> Expr:
            kind = common([type_, self.scope.kind(value) or (type_ if self._within(value, type_) else LINT)], None)
            found = Op(code, "BOOL", (as_number(selector, kind, at), self.values.as_type(value, kind, at)), at)
            return folded(found) if self.b.passing else found

        if label.high is None:
            return compared("EQ", label.low)
        low, high = compared("GE", label.low), compared("LE", label.high)
        if isinstance(low, Const) and isinstance(high, Const):
            return Const(bool(low.value and high.value), "BOOL", at)
        return Op("AND", "BOOL", (low, high), at)

    @staticmethod
    def _within(value: Expression, type_: Elementary) -> bool:
        return isinstance(value, Constant) and isinstance(value.value, int) and type_.whole and type_.low <= value.value <= type_.high

    def for_(self, one: For) -> None:
        """FOR: laid out where its passes are known, else a loop."""
        with self.b.apart() as looped:
            body = self._looped(one)
        with self.b.apart() as laid:
            done = self._laid_out(one, body)
        for action in laid if done and not self.b.as_written else looped:  # both are made, so that nodes have the same numbers
            self.b.put(action)

    def _laid_out(self, one: For, body: tuple[Action, ...]) -> bool:
        """Put the passes of a loop one after the other; whether that can be. Args: body: what a pass does, as a loop."""
        variable = self.values.find(one.variable)
        if not isinstance(variable, Variable) or variable.tag.address is not None or not leaves_only_so(one.statements):
            return False
        bounds: list[Target] = []
        passes, low, high = passes_of(one, variable.type, lambda value: self._number(value, bounds)), variable.tag.low, variable.tag.high
        if not passes or writes(body, variable.target) or not all((low is None or low <= n) and (high is None or n <= high) for n in passes):
            return False
        size = size_of(one, lambda value: self._number(value, []))
        early = any(leaving(s) for s in one.statements)
        in_all = self.b.bodies.laid_out + size if not self.b.passing else 0
        if size > MOST_LAID_OUT or in_all > MOST_LAID_OUT_IN_ALL or (early and len(passes) > MOST_LEFT):
            return False
        at, behind, outer = self.b.at(one.at), self.b.at(one.at, "next"), self.b.passing

        def count(n: int) -> None:
            self.b.put(Store(variable.target, Const(passes[n], variable.type.name), behind if n else at))

        def go_on(n: int) -> None:
            """Put the passes from one on, those behind what leaves one within what does not leave it."""
            for k in range(n, len(passes) - 1):
                count(k)
                self.b.put(Pass(at))
                with self.b.in_pass(outer, one.variable.base, passes[k]):
                    self._pass(one.statements, partial(go_on, k + 1) if early else _nothing)
                if early:
                    return
            count(len(passes) - 1)

        before, self.b.fixed = self.b.fixed, (*self.b.fixed, *bounds)
        with self.b.apart() as around:
            for bound in (one.first, one.last, one.by):
                found = self.values.find(bound) if isinstance(bound, Var) else None
                if isinstance(found, Variable) and bound is not None:
                    at_bound = self.b.at(bound.at, "gate")
                    self.b.let(self.b.load(found, at_bound), at_bound)  # read all the same
            go_on(0)
        self.b.fixed = before
        if not self._does(body) - made_up(one) <= self._does(around):
            return False  # something comes in no pass: the cross-reference has to name it nevertheless
        for action in around:
            self.b.put(action)
        self.b.bodies.laid_out += size if not self.b.passing else 0
        self.b.counted.append(variable.target)
        self.b.bounds += bounds
        return True

    def _number(self, one: Expression, bounds: list[Target]) -> int | None:
        """A number that is written, or a constant of the program, which goes to the bounds; None where it is computed."""
        if not isinstance(one, Var):
            return written_number(one)
        found = self.values.find(one) if self.b.constants and not one.steps else None
        if not isinstance(found, Variable) or not found.tag.constant or not found.type.whole or found.target.base == Base.PARAM:
            return None
        if found.target.base == Base.OWN and len({t.initial for t in self.b.alike(found.target)}) > 1:
            return None  # instances were given values of their own
        bounds.append(found.target)
        return found.tag.initial

    def _pass(self, statements: tuple[Statement, ...], behind: Callable[[], None]) -> None:
        """Put what stands in a pass, and what comes behind it: where it is left early the rest stands in the other branch."""
        for n, one in enumerate(statements):
            kind = leaving(one)
            if not kind or not isinstance(one, Choose):
                self.statement(one)
                continue
            branch = one.branches[0]
            at = self.b.at(branch.test.at if not isinstance(branch.test, (Var, Constant)) else one.at, "test")
            test = self.b.keep(self.values.boolean(branch.test), at)
            then = self.block(branch.statements[:-1])
            with self.b.apart() as rest:
                self._pass(statements[n + 1:], behind if kind == "EXIT" else _nothing)
            if isinstance(test, Const):
                for action in then if test.value else rest:
                    self.b.put(action)
            else:
                self.b.put(If(test, then, tuple(rest), at))
            if kind == "CONTINUE":
                behind()
            return
        behind()

    def _does(self, actions: Iterable[Action]) -> set[int]:
        """The elements by which actions write or execute something."""
        return {self.b.origins[a.at].element for a in every(actions) if isinstance(a, (Store, Copy, Call, Invoke))}

    def _looped(self, one: For) -> tuple[Action, ...]:
        """FOR as a loop: start, end and BY are taken once, before the first pass. Returns: what a pass does."""
        at = self.b.at(one.at)
        type_ = self.scope.variable(one.variable) or ELEMENTARY["INT"]
        first = self.b.let(self.values.assigned(one.first, type_, at), at)
        wide = self._common(type_, one.last)
        last = self.b.let(self.values.as_type(one.last, wide, at), at)
        step_type = self._common(type_, one.by) if one.by is not None else type_
        by = self.b.keep(self.values.as_type(one.by, step_type, at), at) if one.by is not None else Const(1, type_.name)
        variable = self.values.find(one.variable)
        if not isinstance(variable, Variable):
            return ()
        self.b.store(variable, first, at)
        test = self._past(one, variable, last, by, wide)
        with self.b.apart() as around:
            body = self.passes(one.statements)
            behind = self.b.at(one.at, "next")
            next_ = Op("ADD", by.type, (widened(self.b.load(variable, behind), ELEMENTARY[by.type], behind), by), behind)
            self.b.store(variable, held(next_, type_, behind), behind)
            self.b.put(If(self._past(one, variable, last, by, wide), (LeaveScope(0),), (), behind))
        # The first test stands before the loop: as many steps as passes.
        self.b.put(If(Op("NOT", "BOOL", (test,), at), (Block((Loop(tuple(around), at),)),), (), at))
        return body

    def _past(self, one: For, variable: Variable, last: Expr, by: Expr, wide: Elementary) -> Expr:
        """Whether a loop's variable is past its end."""
        node = self.b.at(one.at, "past")
        now = widened(self.b.load(variable, node), wide, node)
        up, down = Op("GT", "BOOL", (now, last), node), Op("LT", "BOOL", (now, last), node)
        if isinstance(by, Const):
            return down if not isinstance(by.value, str) and by.value < 0 else up
        zero = Const(0, by.type)
        rising, falling = Op("GE", "BOOL", (by, zero), node), Op("LT", "BOOL", (by, zero), node)
        return Op("OR", "BOOL", (Op("AND", "BOOL", (rising, up), node), Op("AND", "BOOL", (falling, down), node)), node)

    def _common(self, type_: Elementary, value: Expression) -> Elementary:
        """The type in which a loop's variable meets its end or its step."""
        kind = self.scope.kind(value)
        if kind is None:
            return type_ if self._within(value, type_) or not isinstance(value, Constant) else LINT
        found = common([type_, kind], None)
        return LINT if type_.low < 0 and found.low == 0 else found

    def loop(self, one: While | Until) -> None:
        """WHILE and REPEAT."""
        at = self.b.at(one.at)
        first = self._ends(one) if isinstance(one, While) else None
        with self.b.apart() as around:
            self.passes(one.statements)
            self.b.put(If(self._ends(one), (LeaveScope(0),), (), at))
        repeated = Block((Loop(tuple(around), at),))
        self.b.put(If(Op("NOT", "BOOL", (first,), at), (repeated,), (), at) if first is not None else repeated)

    def _ends(self, one: While | Until) -> Expr:
        """Whether a loop ends here."""
        node = self.b.at(one.at, "test")
        test = self.b.keep(self.values.boolean(one.test), node)
        return Op("NOT", "BOOL", (test,), node) if isinstance(one, While) else test

    def passes(self, statements: tuple[Statement, ...]) -> tuple[Action, ...]:
        """Put what a loop does in each pass: CONTINUE leaves it, EXIT the loop."""
        self.scopes += ["loop", "pass"]
        found = self.block(statements)
        self.b.put(Block(found))
        del self.scopes[-2:]
        return found

    def leave(self, one: Leave) -> None:
        """EXIT, CONTINUE, RETURN."""
        wanted = {"EXIT": "loop", "CONTINUE": "pass", "RETURN": "step"}[one.kind]
        inside = self.scopes[::-1]
        if wanted not in inside:
            return
        if one.kind == "RETURN" and self.returned is not None:
            self.b.put(Let(self.returned, ON, self.b.at(one.at)))
        self.b.put(LeaveScope(inside.index(wanted)))

    def go(self, one: Go) -> None:
        """A jump to a label, which is acted on after the step."""
        at = self.b.at(one.at)
        target = self.body.targets.get(one.label.lower())
        taken = self.b.keep(self.values.boolean(one.test), at) if one.test is not None else ON
        kind = Kind.MEMORY if self.b.names.own is Base.FRAME else Kind.FLAG
        flag = self.b.cell(kind, one.at, "jump", "BOOL")
        self.b.put(Store(flag, taken, at) if kind is Kind.MEMORY else Taken(flag, taken, at))
        if target is not None:
            self.exits.append(Exit(Load(flag, "BOOL", at), self.b.segment + target - 1, at))

    # calls

    def do(self, call: Apply) -> None:
        """A call as a statement."""
        name = call.called.base.upper()
        if self.scope.function(call) is None and self.scope.block(call) is not None:
            self.values.invoke(call)
        elif name in ORDERS and not call.called.steps:
            first = next((a.value for a in call.arguments if isinstance(a.value, Constant)), None)
            task = self.tasks.get(str(first.value).lower(), -1) if first is not None else -1
            self.b.put(Order(ORDERS[name], task, self.b.at(call.at)))
        else:
            at = self.b.at(call.at)
            value = self.values.value(call, None)
            if not isinstance(value, (Const, Slot)):
                self.b.let(value, at)


def _nothing() -> None:
    """Nothing comes behind a pass."""
