"""Who calls whom: the order of steps in one pass through everything, and the jumps, returns and calls that decide which of them run."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from .code import Action, Base, Call, Code, If, Instance, Kind, Load, Loop, Scope, Spot, Step


class Caller(Struct, frozen=True):
    """A call as it stands in a step; ``flag``: the cell that says whether it is taken, -1 where it always is."""

    step: int
    call: Call
    flag: int = -1


class Exit(Struct, frozen=True):
    """A jump or return: from which step to which, and the cell that says whether it is taken."""

    step: int
    target: int
    flag: int


class Calls:
    """The call graph of a program, read off its code. Steps are numbered as in the journal.

    ``instance_of``: by step, the number of its instance; ``order``: int32[steps], its place in one pass, called bodies after the step that
    first calls them, -1 where nobody does; ``unit``: the program it first runs in, by number among those that run. ``callers`` and
    ``exits`` by number of instance.
    """

    def __init__(self, code: Code) -> None:
        self.code = code
        self.instance_of: dict[int, int] = {}
        self.callers: dict[int, list[Caller]] = {}
        self.exits: dict[int, list[Exit]] = {}
        self._steps_above: dict[int, frozenset[int]] = {}
        self.unit: dict[int, int] = {}
        self._at: dict[int, int] = {}
        for number, one in enumerate(code.instances):
            if one.body < 0:
                continue
            self._at.setdefault(one.first, number)
            for step in range(len(code.bodies[one.body].steps)):
                self.instance_of[one.first + step] = number
            self.exits[number] = list(self._exits(one))
        count = max(self.instance_of, default=-1) + 1
        self.order: NDArray[np.int32] = np.full(count + 1, -1, np.int32)
        self._next = 0
        self._seen: set[tuple[int, tuple[int, ...]]] = set()
        for unit, one in enumerate(i for i in code.instances if i.runs):
            if one.body >= 0:
                self._walk(self.number_of(one.first), (), unit)

    def number_of(self, first: int) -> int:
        """The number of the instance whose steps begin at one."""
        return self._at.get(first, -1)

    def instance(self, step: int) -> Instance:
        """The instance of a step."""
        return self.code.instances[self.instance_of[step]]

    def code_of(self, step: int) -> Step:
        """A step's code."""
        one = self.instance(step)
        return self.code.bodies[one.body].steps[step - one.first]

    @cached_property
    def _flags(self) -> list[dict[tuple[int, int], int]]:
        """By body: the place of an element's flag among its hidden cells, by step and element."""
        return [{(cell.step, cell.element): body.inner + n for n, cell in enumerate(body.hidden) if cell.kind == Kind.FLAG}
                for body in self.code.bodies]

    def taken(self, one: Instance, at: int) -> int:
        """The cell that says whether the jump, return or call at a node is taken; -1 where none does."""
        origins = self.code.bodies[one.body].origins
        return self.flag(one, origins[at].step, origins[at].element) if 0 <= at < len(origins) else -1

    def flag(self, one: Instance, step: int, element: int) -> int:
        """The cell that says whether an element of an instance's step was executed; -1 where none does."""
        place = self._flags[one.body].get((step, element))
        return one.hidden + place if place is not None else -1

    def _exits(self, one: Instance) -> Iterator[Exit]:
        for n, step in enumerate(self.code.bodies[one.body].steps):
            for leaving in step.exits:
                if isinstance(leaving.test, Load) and leaving.test.target.base == Base.HIDDEN:
                    yield Exit(one.first + n, one.first + leaving.step, one.hidden + leaving.test.target.cell)

    def called_from(self, number: int, call: Call, given: tuple[int, ...] = ()) -> int:
        """The number of the instance that a call executes; -1 where that is known at the call only.

        Args: number: the calling instance; given: the numbers of what its VAR_IN_OUT stand for, -1 for what is no instance.
        """
        frame = self.code.bodies[call.body].frame
        return frame if frame >= 0 else self.number_of(self._first(number, call.where, given))

    def _first(self, number: int, spot: Spot, given: tuple[int, ...]) -> int:
        """The first step of the instance at a spot."""
        one = self.code.instances[number]
        if spot.base == Base.GLOBAL:
            return self.code.instances[spot.own].first
        if spot.base == Base.PARAM:
            known = given[spot.param] if spot.param < len(given) else -1
            return self.code.instances[known].first + spot.step if known >= 0 else -1
        return one.inner + spot.step - len(self.code.bodies[one.body].steps)

    def _walk(self, number: int, given: tuple[int, ...], unit: int) -> None:
        if (number, given) in self._seen:
            return
        self._seen.add((number, given))
        one = self.code.instances[number]
        for n, step in enumerate(self.code.bodies[one.body].steps):
            index = one.first + n
            self.unit.setdefault(index, unit)
            if self.order[index] < 0:
                self.order[index] = self._next
                self._next += 1
            for call in calls_in(step.actions):
                inner = self.called_from(number, call, given)
                if inner < 0 or self.code.instances[inner].body < 0:
                    continue
                caller = Caller(index, call, self.taken(one, call.at))
                if caller not in self.callers.setdefault(inner, []):
                    self.callers[inner].append(caller)
                refs = tuple(self.number_of(self._first(number, r, given)) if isinstance(r, Spot) else -1 for r in call.refs)
                self._walk(inner, refs, unit)

    def above(self, step: int) -> frozenset[int]:
        """The steps in whose calls a step may run."""
        return self._above(self.instance_of.get(step, -1))

    def _above(self, number: int) -> frozenset[int]:
        if number not in self._steps_above:
            self._steps_above[number] = frozenset()
            found = {c.step for c in self.callers.get(number, ())}
            self._steps_above[number] = frozenset(found.union(*(self.above(s) for s in found)))
        return self._steps_above[number]


def every(actions: Iterable[Action]) -> Iterator[Action]:
    """Every action of a step, in order, those under conditions and in loops too."""
    for one in actions:
        yield one
        if isinstance(one, If):
            yield from every(one.then)
            yield from every(one.other)
        elif isinstance(one, (Loop, Scope)):
            yield from every(one.actions)


def calls_in(actions: Iterable[Action]) -> Iterator[Call]:
    """Every call in a step, in order."""
    return (one for one in every(actions) if isinstance(one, Call))
