"""Whether code keeps its own rules: slots defined before they are read, types that fit, scopes that are there to be left."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.scope.widening import BITWISE, COMPARISONS
from whorlograph.model.types import ELEMENTARY, Family

from .code import (
    Action,
    Body,
    Call,
    Code,
    Const,
    Convert,
    Copy,
    Edge,
    Expr,
    If,
    Leave,
    Let,
    Load,
    Loop,
    Op,
    Scope,
    Slot,
    Store,
    Taken,
    Target,
)
from .nodes import nodes


def faults_of(code: Code) -> list[str]:
    """Every rule that is broken, in words; none for code that the front made."""
    return [f"{body.pou} step {i + 1}: {said}" for body in code.bodies for i, step in enumerate(body.steps)
            for said in _Step(body, code).check(step.actions, [e.test for e in step.exits], [e.step for e in step.exits])]


class _Step:
    """Checks one step."""

    def __init__(self, body: Body, code: Code) -> None:
        self.body, self.code = body, code

    def check(self, actions: tuple[Action, ...], tests: list[Expr], targets: list[int]) -> Iterator[str]:
        yield from self.actions(actions, {}, 0)
        for test in tests:
            yield from self.expr(test, {}, "BOOL")
            if any(isinstance(part, Slot) for part in nodes(test)):
                yield "an exit tests a slot: the step may not have been evaluated"
        for target in targets:
            if not 0 <= target <= len(self.body.steps) + 1:
                yield f"an exit goes to step {target + 1}, which is not there"

    def actions(self, actions: tuple[Action, ...], slots: dict[int, str], scopes: int) -> Iterator[str]:
        for one in actions:
            if isinstance(one, (Let, Edge)):
                yield from self.expr(one.value, slots, "BOOL" if isinstance(one, Edge) else one.value.type)
                slots[one.slot] = one.value.type
            elif isinstance(one, (Store, Taken)):
                target = one.target if isinstance(one, Store) else one.cell
                yield from self.expr(one.value, slots, "BOOL" if target.width else target.type)
                yield from self.target(target, slots)
            elif isinstance(one, If):
                yield from self.expr(one.test, slots, "BOOL")
                # A slot that only one branch defines is not defined behind it.
                then, other = dict(slots), dict(slots)
                yield from self.actions(one.then, then, scopes)
                yield from self.actions(one.other, other, scopes)
                slots |= {n: t for n, t in then.items() if other.get(n) == t}
            elif isinstance(one, Loop):
                yield from self.actions(one.actions, dict(slots), scopes)
            elif isinstance(one, Scope):
                yield from self.actions(one.actions, dict(slots), scopes + 1)
            elif isinstance(one, Leave):
                if one.depth >= scopes:
                    yield f"leaves scope {one.depth}, of which there are {scopes}"
            elif isinstance(one, Copy):
                yield from self.target(one.target, slots)
                yield from self.target(one.source, slots)
            elif isinstance(one, Call):
                yield from self.call(one, slots)

    def call(self, one: Call, slots: dict[int, str]) -> Iterator[str]:
        if not 0 <= one.body < len(self.code.bodies):
            yield f"calls body {one.body}, which is not there"
            return
        called = self.code.bodies[one.body]
        if len(one.refs) != len(called.params):
            yield f"hands {len(one.refs)} references to {called.pou}, which takes {len(called.params)}"
        for _, value in one.inputs:
            yield from self.expr(value, slots, value.type)
        for _, slot, type_ in one.results:
            slots[slot] = type_

    def target(self, target: Target, slots: dict[int, str]) -> Iterator[str]:
        if target.type and target.type not in ELEMENTARY:
            yield f"{target.type} is no elementary type"
        if target.width and target.type in ELEMENTARY and target.low >= max(1, ELEMENTARY[target.type].bits):
            yield f"{target.type} has no bit {target.low}"
        if target.param >= len(self.body.params):
            yield f"there is no VAR_IN_OUT {target.param}"
        for term in target.terms:
            yield from self.expr(term.index, slots, "LINT")

    def expr(self, one: Expr, slots: dict[int, str], wanted: str) -> Iterator[str]:
        if one.type != wanted:
            yield f"a {one.type} stands where a {wanted} is wanted"
        if isinstance(one, Slot):
            if slots.get(one.number) != one.type:
                yield f"slot {one.number} is read as {one.type}, it is {slots.get(one.number, 'not defined')}"
        elif isinstance(one, Load):
            yield from self.target(one.target, slots)
        elif isinstance(one, Convert):
            yield from self.expr(one.value, slots, one.value.type)
        elif isinstance(one, Op):
            yield from self.operation(one, slots)
        elif isinstance(one, Const) and ELEMENTARY[one.type].family is Family.BOOL and not isinstance(one.value, bool):
            yield f"{one.value!r} is no BOOL"

    def operation(self, one: Op, slots: dict[int, str]) -> Iterator[str]:
        first = one.args[0].type if one.args else one.type
        for n, arg in enumerate(one.args):
            alike = one.code in COMPARISONS or one.code in BITWISE or one.code in ("ADD", "SUB", "MUL", "DIV", "MOD", "MAX", "MIN", "LIMIT")
            yield from self.expr(arg, slots, first if alike and n else arg.type)
        if one.code in COMPARISONS and one.type != "BOOL":
            yield f"{one.code} gives BOOL, not {one.type}"
        if one.code in BITWISE and one.type != first:
            yield f"{one.code} of {first} gives {first}, not {one.type}"
