"""Where instances lie: their tags, hidden cells and steps, alike in every instance of a POU, so that one base relocates all."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.engine.code import Base, Spot
from whorlograph.model.program import PouKind
from whorlograph.model.steps import count_of
from whorlograph.model.tags import Instance, Running

BLOCK_MEMORY = 6  # cells that a standard block remembers: input seen, start, running, due, queued, second input


def steps_of(instance: Instance) -> int:
    """How many steps an instance's own body has."""
    return count_of(instance.pou.body) if instance.pou is not None else 0


class Regions:
    """The layout of all instances.

    Hidden cells: those of the instances inside, in order, then the body's own. Steps: the body's own, then those of the
    instances inside; the own steps of all programs come before all others.
    Args: own_hidden: how many hidden cells the body of a POU has itself.
    """

    def __init__(self, running: Running, own_hidden: Callable[[Instance], int]) -> None:
        self.own_hidden = own_hidden
        self.all = list(running.instances())
        self.number = {id(one): i for i, one in enumerate(self.all)}
        self.programs = {id(p) for p in running.programs}
        self._inner: dict[str, int] = {}
        self._spots: dict[int, dict[int, tuple[int, int, int]]] = {}
        self._kept: list[Instance] = []  # shapes that exist nowhere else, so that their ids are not given away again

    def inner_hidden(self, instance: Instance) -> int:
        """Hidden cells of the instances inside an instance."""
        if instance.pou is None:
            return 0
        if instance.type_name not in self._inner:
            self._inner[instance.type_name] = sum(self.hidden(one) for one in instance.inner())
        return self._inner[instance.type_name]

    def hidden(self, instance: Instance) -> int:
        """Hidden cells of an instance, those of the instances inside it included."""
        if instance.pou is None:
            return BLOCK_MEMORY
        return self.inner_hidden(instance) + self.own_hidden(instance)

    def steps(self, instance: Instance) -> int:
        """Steps of an instance, those of the instances inside it included."""
        return steps_of(instance) + sum(self.steps(one) for one in instance.inner())

    def spot(self, found: Instance, within: Instance, base: int) -> Spot:
        """Where an instance lies, seen from another: counted from its bases where it is inside it, else by its number."""
        if found is within:
            return Spot(base, 0, 0, 0)
        inside = self._within(within).get(id(found))
        if inside is None:
            return Spot(Base.GLOBAL, self.number.get(id(found), -1))
        own, hidden, step = inside
        return Spot(base, own, hidden, step)

    def _within(self, within: Instance) -> dict[int, tuple[int, int, int]]:
        """By id of an instance inside another: its first tag, hidden cell and step, counted from the other's."""
        if id(within) not in self._spots:
            found: dict[int, tuple[int, int, int]] = {}
            hidden, step = 0, steps_of(within)
            for one in within.inner():
                found[id(one)] = (one.first - within.first, hidden, step)
                for number, (own, deeper, below) in self._within(one).items():
                    found[number] = (one.first - within.first + own, hidden + deeper, step + below)
                hidden += self.hidden(one)
                step += self.steps(one)
            self._spots[id(within)] = found
            self._kept.append(within)
        return self._spots[id(within)]

    def place(self, first_hidden: int) -> dict[int, tuple[int, int, int]]:
        """(first hidden cell, first step, first step of the instances inside it) of each instance, by id."""
        found: dict[int, tuple[int, int, int]] = {}
        step = 0
        for one in self.all:
            if id(one) in self.programs:
                found[id(one)] = (0, step, 0)
                step += steps_of(one)
        hidden = first_hidden
        for one in self.all:
            if id(one) in self.programs or one.name == "" or self._is_top(one):
                hidden, step = self._place(one, hidden, step, found)
        return found

    def _is_top(self, one: Instance) -> bool:
        return one.pou is not None and one.pou.kind is PouKind.FUNCTION

    def _place(self, one: Instance, hidden: int, step: int, found: dict[int, tuple[int, int, int]]) -> tuple[int, int]:
        known = found.get(id(one))
        first = known[1] if known is not None else step
        if known is None:
            step += steps_of(one)
        found[id(one)] = (hidden, first, step)
        for inside in one.inner():
            hidden, step = self._place(inside, hidden, step, found)
        return hidden + (self.own_hidden(one) if one.pou is not None else BLOCK_MEMORY if one.name else 0), step
