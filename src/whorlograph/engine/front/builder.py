"""Builds one body: numbers its nodes, slots and hidden cells while a language's lowering hands over actions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Protocol

from whorlograph.engine.code import (
    Action,
    Base,
    Body,
    Cell,
    Const,
    Convert,
    Copy,
    Edge,
    Exit,
    Expr,
    If,
    Kind,
    Let,
    Load,
    Origin,
    Param,
    Passing,
    Slot,
    Step,
    Store,
    Target,
)
from whorlograph.engine.scope.unreadable import Reading
from whorlograph.model.profile import Profile
from whorlograph.model.program import VariableKind
from whorlograph.model.tags import ByReference, Instance, Leaf, Running, Tag
from whorlograph.model.texts import text_id
from whorlograph.model.types import ELEMENTARY, LINT, LREAL, Elementary, Family

from .layout import Regions
from .names import Block as BlockMeaning
from .names import Names, Variable, Whole, kind_of, leaves_of

MOST_LEAVES = 64  # of an array or structure that are written one by one
OFF, ON = Const(False, "BOOL"), Const(True, "BOOL")


class Bodies(Protocol):
    """The bodies that calls can name. ``laid_out``: the parts of text in loops of the program that are laid out so far."""

    laid_out: int

    def get(self, name: str) -> int | None:
        """The number of a POU's body, by name in lower case; None where it is not executed."""


class Apart:
    """Gathers what is put meanwhile: a class, since it is entered for each statement of a text."""

    __slots__ = ("_actions",)

    def __init__(self, actions: list[list[Action]]) -> None:
        self._actions = actions

    def __enter__(self) -> list[Action]:
        found: list[Action] = []
        self._actions.append(found)
        return found

    def __exit__(self, *_: object) -> None:
        self._actions.pop()


class Builder:
    """One body under construction."""

    def __init__(self, running: Running, instance: Instance, profile: Profile, regions: Regions, bodies: Bodies, reading: Reading,
                 as_written: bool, constants: bool) -> None:
        self.running, self.instance, self.profile, self.bodies = running, instance, profile, bodies
        self.names = Names(running, instance, regions)
        self.reading, self.as_written, self.constants = reading, as_written, constants
        self.passing: Passing = ()
        self.counted: list[Target] = []
        self.bounds: list[Target] = []
        self.fixed: tuple[Target, ...] = ()  # the constants that count in the loop at work
        self.regions = regions
        self.inner = regions.inner_hidden(instance)
        self.origins: list[Origin] = []
        self.hidden: list[Cell] = []
        self.steps: list[Step] = []
        self.index = 0
        self.segment = 0  # the first step of the part of the body at work: of a chart there are several
        self.slots = 0
        self.receiver: Target | None = None
        self.meanings: dict[str, Variable | BlockMeaning | Whole | None] = {}  # of names without anything behind them
        self._actions: list[list[Action]] = [[]]
        self._cells: dict[tuple[int, int, str], int] = {}

    # nodes

    def at(self, element: int, what: str = "") -> int:
        """A new node that came from an element of the step at work."""
        self.origins.append(Origin(self.index, element, what, self.passing))
        return len(self.origins) - 1

    def put(self, action: Action) -> None:
        """Add an action."""
        self._actions[-1].append(action)

    def keep(self, value: Expr, at: int, receiver: Target | None = None) -> Expr:
        """Compute a value now; returns how to read it later. Constants and slots stay as they are."""
        return value if isinstance(value, (Const, Slot)) else self.let(value, at, receiver)

    def let(self, value: Expr, at: int, receiver: Target | None = None) -> Slot:
        """Compute a value now, whatever it is, so that its node has it."""
        slot = self.slot()
        self.put(Let(slot, value, at, receiver if receiver is not None else self.receiver))
        return Slot(slot, value.type)

    def slot(self) -> int:
        """A new slot."""
        self.slots += 1
        return self.slots - 1

    @contextmanager
    def when(self, test: Expr, at: int) -> Iterator[None]:
        """Actions that run only under a condition; one that never holds is kept, since what stands there is a use nevertheless."""
        if test == ON:
            yield
            return
        self._actions.append([])
        yield
        inside = tuple(self._actions.pop())
        if inside:
            self.put(If(test, inside, (), at))

    @contextmanager
    def in_pass(self, outer: Passing, name: str, number: int) -> Iterator[None]:
        """What is made meanwhile belongs to a pass of a loop that is laid out, in which its variable is known."""
        before, self.passing = self.passing, (*outer, (name, number))
        yield
        self.passing = before

    def known(self, name: str) -> int | None:
        """What a variable is in the pass at work; None where none counts a loop that is laid out."""
        return next((number for one, number in reversed(self.passing) if one.lower() == name.lower()), None) if self.passing else None

    def apart(self) -> Apart:
        """Actions that go into a list of their own."""
        return Apart(self._actions)

    def edge(self, element: int, what: str, value: Expr, rising: bool, initial: int) -> Expr:
        """Whether a value rose or fell since the last evaluation; ``initial`` 2: at the first it did not."""
        slot, what = self.slot(), f"{what} edge".strip()
        self.put(Edge(slot, self.cell(Kind.PRIVATE, element, what, "BOOL", initial), value, rising, self.at(element, what)))
        return Slot(slot, "BOOL")

    def cell(self, kind: Kind, element: int, what: str, type_: str, initial: int = 0) -> Target:
        """The hidden cell of an element for a purpose, made at the first asking."""
        key = (self.index, element, what)
        if key not in self._cells:
            self._cells[key] = len(self.hidden)
            self.hidden.append(Cell(kind, self.index, element, what, initial))
        return Target(Base.HIDDEN, self.inner + self._cells[key], type_)

    def alike(self, target: Target) -> list[Tag]:
        """The tags that a cell of the body is, one in each of its instances."""
        return [self.running.tags[one.first + target.cell] for one in self.running.instances() if one.pou is self.instance.pou]

    # values

    def load(self, found: Variable, at: int) -> Expr:
        """What a variable holds now."""
        return Load(found.target, found.type.name, at)

    def store(self, found: Variable, value: Expr, at: int) -> None:
        """Write a variable with a value of its type, held in its subrange."""
        self.put(Store(found.target, self.ranged(found, value, at), at))

    def leaves(self, source: Whole | list[Expr], element: int, what: str = "") -> list[Expr]:
        """The leaves of an array or structure as values. Args: element, what: where they are read."""
        if isinstance(source, Whole):
            return [self.load(source.part(n), self.at(element, what)) for n in range(len(source.tags))]
        return source

    def fill(self, into: Whole, source: Whole | list[Expr], element: int, read: int, what: str = "") -> None:
        """Fill an array or structure leaf by leaf, so that each is known by itself; a long one at once.

        Args: element: what writes; read, what: where the leaves are read.
        """
        if isinstance(source, Whole) and (into.cells > MOST_LEAVES or not into.tags or not source.tags):
            self.put(Copy(into.target, source.target, into.cells, self.at(element)))
            return
        for n, value in enumerate(self.leaves(source, read, what)[:len(into.tags)]):
            self.store(into.part(n), value, self.at(element))

    def ranged(self, found: Variable, value: Expr, at: int) -> Expr:
        """A value held in a variable's subrange."""
        tag = found.tag
        if tag.low is None or tag.high is None or found.target.width:
            return value
        return Convert("RANGE", value.type, value, at, tag.low, tag.high)

    # steps

    def begin(self) -> None:
        """A step begins."""
        self._actions, self.slots = [[]], 0

    def end(self, exits: tuple[Exit, ...]) -> None:
        """The step is complete."""
        self.steps.append(Step(tuple(self._actions[0]), exits))
        self.index += 1

    def body(self) -> Body:
        """The body."""
        pou = self.instance.pou
        assert pou is not None
        function = self.names.own is Base.FRAME
        params = []
        for name in self.names.params:
            ref = self.instance.scope[name]
            shape = ref.shape if isinstance(ref, ByReference) else None
            kind = kind_of(shape)
            if isinstance(ref, ByReference) and isinstance(shape, Leaf) and ref.tags[shape.tag].type.name == "BOOL":
                kind = "bit"
            params.append(Param(name, kind))
        frame = self.regions.number[id(self.instance)] if function else -1
        return Body(pou.name, tuple(self.steps), tuple(params), tuple(self._resets(function)), tuple(self.hidden), self.inner,
                    tuple(self.origins), frame, tuple(self.counted), tuple(self.bounds))

    def _resets(self, function: bool) -> Iterator[tuple[Target, int]]:
        """What begins anew at each run: temporaries; of a function all but what is declared outside."""
        pou = self.instance.pou
        assert pou is not None
        kinds = {v.name.lower(): v.kind for v in pou.variables}
        for name, ref in self.instance.scope.items():
            kind = kinds.get(name)
            if kind is VariableKind.TEMP or (function and kind not in (VariableKind.EXTERNAL, VariableKind.IN_OUT)):
                for tag in leaves_of(ref):
                    one = self.running.tags[tag]
                    yield Target(self.names.own, tag - self.instance.first, one.type.name), one.initial


def widened(value: Expr, type_: Elementary, at: int) -> Expr:
    """An operand brought to the type that it is computed in."""
    return value if value.type == type_.name else Convert("WIDEN", type_.name, value, at)


def held(value: Expr, type_: Elementary, at: int) -> Expr:
    """A value on its way into a variable of another type."""
    return value if value.type == type_.name else Convert("HOLD", type_.name, value, at)


def untyped(value: bool | int | float, type_: Elementary, at: int) -> Expr:
    """A literal without a type of its own in the one that it is used in: rounded where that is whole, held there where it does not fit."""
    number = round(value) if isinstance(value, float) and type_.whole else value
    if not type_.whole or type_.low <= number <= type_.high:
        return constant(number, type_)
    wide = LREAL if isinstance(value, float) else ELEMENTARY["ULINT"] if number > LINT.high else LINT
    return held(constant(value, wide), type_, at)


def text_constant(value: str, type_: Elementary) -> Const:
    """A text as a constant. Its number is known from here on: a module that was kept compiled holds numbers only."""
    text_id(value)
    return Const(value, type_.name)


def constant(value: bool | int | float | str, type_: Elementary) -> Const:
    """A value as a constant of a type."""
    if type_.family is Family.BOOL:
        return Const(bool(value), type_.name)
    if isinstance(value, str):
        return text_constant(value, type_)
    return Const(float(value) if type_.family is Family.REAL else int(value), type_.name)
