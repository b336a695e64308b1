"""What each step reads and writes, so that a change wakes the steps that must see it (docs/decisions/004)."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct, field

from whorlograph.engine.code import (
    Action,
    Base,
    Call,
    Code,
    Const,
    Convert,
    Copy,
    Edge,
    Expr,
    If,
    Instance,
    Invoke,
    Let,
    Load,
    Loop,
    Op,
    Order,
    Scope,
    Slot,
    Spot,
    Step,
    Store,
    Target,
)
from whorlograph.model.blocks import STANDARD_BLOCKS

Key = tuple[int, int, int, int]  # base, first cell, how many, VAR_IN_OUT


class Reach(Struct):
    """Ranges of cells that a step reads before it has surely written them, reads or writes besides, and writes, one entry a write."""

    reads: set[Key] = field(default_factory=set)
    others: set[Key] = field(default_factory=set)
    writes: list[Key] = field(default_factory=list)


class Watch(Struct, frozen=True):
    """What a step of a program reaches, by number of tag: (first, how many). ``looks``: all that it reads."""

    reads: frozenset[tuple[int, int]]
    others: frozenset[tuple[int, int]]
    writes: frozenset[tuple[int, int]]
    looks: frozenset[tuple[int, int]]


class Watches:
    """Works out what steps reach, bodies that they call included.

    Args: shares: by tag, those that share bits with it.
    """

    def __init__(self, code: Code, shares: dict[int, set[int]]) -> None:
        self.code, self.shares = code, shares
        self._bodies: dict[int, Reach] = {}
        self.loaded: set[int] = set()  # tags that steps looked at so far read

    def of_body(self, number: int) -> Reach:
        """What a run of a whole body reaches, counted from its bases."""
        if number not in self._bodies:
            self._bodies[number] = Reach()
            found = Reach()
            temporary = {self._key(t) for t, _ in self.code.bodies[number].resets}
            body = self.code.bodies[number]
            walk, certain = _Walk(self, found), not any(s.exits for s in body.steps)
            for step in body.steps:
                walk.all(step.actions, certain)
            found.reads -= temporary
            found.others -= temporary
            found.writes = [w for w in found.writes if w not in temporary]
            self._bodies[number] = found
        return self._bodies[number]

    def of_step(self, instance: Instance, step: Step) -> Watch:
        """What one step of a program reaches."""
        reach = self._step(step)

        def fixed(key: Key) -> tuple[int, int]:
            base, cell, span, _ = key
            return (cell + instance.own if base == Base.OWN else cell), span

        reads, others = {fixed(k) for k in reach.reads}, {fixed(k) for k in reach.others}
        looks = frozenset(reads | others)
        self.loaded.update(c for c, _ in looks)
        writes = [fixed(k) for k in reach.writes]
        written: set[int] = set()
        for first, span in writes:
            touched = set(range(first, first + span))
            if self.shares:
                touched |= {o for t in range(first, first + span) for o in self.shares.get(t, ())}
            # Written twice in one evaluation, it may go to and fro in every scan.
            twice = touched & written
            reads |= {(t, 1) for t in twice}
            written |= touched
            others |= {(t, 1) for t in touched - set(range(first, first + span))}
        others |= set(writes)
        return Watch(frozenset(reads), frozenset(others), frozenset(writes), looks)

    @staticmethod
    def _key(target: Target) -> Key:
        return target.base, target.cell, target.span, target.param

    def _step(self, step: Step) -> Reach:
        found = Reach()
        _Walk(self, found).all(step.actions, True)
        return found

    def relocated(self, call: Call) -> Reach:
        """What a call reaches, counted from the caller's bases."""
        reach = self.of_body(call.body)
        moved = Reach()
        moved.reads = {k for key in reach.reads for k in self._moved(key, call)}
        moved.others = {k for key in reach.others for k in self._moved(key, call)}
        moved.writes = [k for key in reach.writes for k in self._moved(key, call)]
        return moved

    def _moved(self, key: Key, call: Call) -> Iterator[Key]:
        base, cell, span, param = key
        if base == Base.GLOBAL:
            yield key
        elif base == Base.OWN:
            yield self._in_spot(call.where, cell, span)
        elif base == Base.PARAM:
            ref = call.refs[param] if param < len(call.refs) else None
            if isinstance(ref, Spot):
                yield self._in_spot(ref, cell, span)
            elif ref is not None and ref.base != Base.FRAME:
                yield ref.base, ref.cell + cell, span + ref.span - 1, ref.param

    def _in_spot(self, spot: Spot, cell: int, span: int) -> Key:
        if spot.base == Base.GLOBAL:
            return Base.GLOBAL, self.code.instances[spot.own].own + cell, span, -1
        return spot.base, spot.own + cell, span, spot.param


class _Walk:
    """Walks the actions of a step in order."""

    def __init__(self, above: Watches, found: Reach) -> None:
        self.above, self.found = above, found
        self.sure: set[Key] = set()

    def all(self, actions: tuple[Action, ...], certain: bool) -> None:
        for action in actions:
            self.action(action, certain)

    def action(self, one: Action, certain: bool) -> None:
        if isinstance(one, (Let, Edge)):
            self.value(one.value)
        elif isinstance(one, Store):
            self.value(one.value)
            self.write(one.target, certain)
        elif isinstance(one, Copy):
            for target in (one.source, one.target):
                for term in target.terms:
                    self.value(term.index)
            self.note(self.part(one.source, one.cells))
            if one.target.base not in (Base.HIDDEN, Base.FRAME):
                self.found.writes.append(self.part(one.target, one.cells))
        elif isinstance(one, If):
            self.value(one.test)
            self.all(one.then, False)
            self.all(one.other, False)
        elif isinstance(one, (Loop, Scope)):
            self.all(one.actions, False)
        elif isinstance(one, Call):
            for _, value in one.inputs:
                self.value(value)
            for ref in one.refs:
                if isinstance(ref, Target):
                    for term in ref.terms:
                        self.value(term.index)
                    self.note(self.above._key(ref))
            moved = self.above.relocated(one)
            self.found.others |= {k for k in moved.reads if k in self.sure} | moved.others
            self.found.reads |= {k for k in moved.reads if k not in self.sure}
            self.found.writes += moved.writes
        elif isinstance(one, Invoke):
            self.invoke(one)
        elif isinstance(one, Order) and one.task >= 0:
            # Whether a task is held is like a tag behind all cells: who else orders must look again.
            self.found.writes.append((Base.GLOBAL, self.above.code.cells + one.task, 1, -1))

    @staticmethod
    def part(target: Target, cells: int) -> Key:
        """The cells that a structure or array may be, whichever elements are chosen."""
        return target.base, target.cell, target.span + cells - 1, target.param

    def invoke(self, one: Invoke) -> None:
        """A standard block: its inputs are read, its outputs written."""
        inputs, outputs = STANDARD_BLOCKS[one.block]
        for i in range(len(inputs) + len(outputs)):
            key = self.above._in_spot(one.where, i, 1)
            if i < len(inputs):
                self.note(key)
            else:
                self.found.writes.append(key)

    def note(self, key: Key) -> None:
        if key[0] in (Base.HIDDEN, Base.FRAME):
            return
        (self.found.others if key in self.sure else self.found.reads).add(key)

    def write(self, target: Target, certain: bool) -> None:
        for term in target.terms:
            self.value(term.index)
        key = self.above._key(target)
        if target.base in (Base.HIDDEN, Base.FRAME):
            return
        if target.width:
            self.note((target.base, target.cell, target.span, target.param))
        self.found.writes.append(key)
        if certain and not target.width and not target.terms:
            self.sure.add(key)

    def value(self, one: Expr) -> None:
        if isinstance(one, Slot):
            return
        if isinstance(one, Load):
            for term in one.target.terms:
                self.value(term.index)
            self.note(self.above._key(one.target))
        elif isinstance(one, Op):
            for arg in one.args:
                self.value(arg)
        elif isinstance(one, Convert):
            self.value(one.value)
        else:
            assert isinstance(one, Const)

