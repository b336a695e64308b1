"""Follows values back through the journal: which step wrote them, and what made it do so."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

from msgspec import Struct

from whorlograph.engine.access import How
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.engine.power import Flow, PowerFlow
from whorlograph.model.iolist import IoList
from whorlograph.model.ladder import Block, Coil, CoilKind, Element
from whorlograph.model.literals import cooked
from whorlograph.model.log import Log, tags_logged
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .circuit import Circuit
from .trail import Link, Value

LAST = 1 << 30
BUDGET = 240
DEEPEST = 40


class Vantage(Struct, frozen=True):
    """From where a value is looked at: in a scan, before the step of this place in the order of execution."""

    scan: int
    order: int = LAST


class Writer(Struct, frozen=True):
    """An element that writes a tag."""

    step: int
    element: Element

    @property
    def kind(self) -> CoilKind | None:
        """The coil's kind; None for a block's output."""
        return self.element.kind if isinstance(self.element, Coil) else None


class Links(Protocol):
    """What finds the link for a value: handed to the tracer, so that links can ask it for the next ones."""

    def change(self, tracer: Tracer, row: int, depth: int) -> Link | None:
        """For a change: what made it."""

    def state(self, tracer: Tracer, tag: int, view: Vantage, depth: int) -> Link | None:
        """For a state: what keeps it."""

    def output(self, tracer: Tracer, circuit: Circuit, block: Block, pin: str, step: int, scan: int, depth: int, change: bool) -> Link | None:
        """For an output of a block."""


@dataclass
class Tracer:
    """One program, its replay, and what is needed to follow causes through them.

    ``coils`` are the tags on the trail from the symptom down: their seal-ins are no causes.
    """

    controller: Controller
    journal: Journal
    log: Log
    iolist: IoList
    links: Links
    coils: list[int] = field(default_factory=list)
    open: set[tuple[int, int]] = field(default_factory=set)
    spent: int = 0

    def __post_init__(self) -> None:
        self.running, self.steps = self.controller.running, self.controller.steps
        self.paths = self.controller.paths
        self.power = PowerFlow(self.controller.again)
        self.logged = tags_logged(self.log)
        self._circuits: dict[int, Circuit] = {}

    @cached_property
    def writers(self) -> dict[int, list[Writer]]:
        """By tag: the elements that write it, in order of execution."""
        found: dict[int, dict[Writer, None]] = {}
        for use in self.controller.access.all:
            if use.writes and use.how is not How.HANDED:  # the called body has the element that writes
                for element in self.steps.all[use.step].rung.elements:
                    if element.id == use.element:
                        found |= {tag: found.get(tag, {}) | {Writer(use.step, element): None} for tag in use.tags()}
        return {tag: sorted(writers, key=lambda w: int(self.paths.order[w.step])) for tag, writers in found.items()}

    def circuit(self, step: int) -> Circuit:
        """The rung of a step as a circuit."""
        found = self._circuits.get(step)
        if found is None:
            one = self.steps.all[step]
            found = self._circuits[step] = Circuit(one, self.power.rails(one))
        return found

    # words

    def tag(self, number: int) -> Tag:
        """A tag by number."""
        return self.running.tags[number]

    def name(self, tag: int | None) -> str:
        """A tag's name."""
        return self.running.tags[tag].name if tag is not None and tag < len(self.running.tags) else ""

    def value(self, tag: int, bits: int) -> Value:
        """A raw value for a person or JSON."""
        one = self.running.tags[tag]
        if one.enumeration is not None:
            return next((n for n, v in one.enumeration.values if v == bits), bits)
        return cooked(bits, one.type)

    def state_word(self, value: Value) -> str:
        """on, off, or the number."""
        if isinstance(value, bool):
            return "on" if value else "off"
        return str(value)

    def time(self, scan: int) -> int:
        """Clock of a scan, ns."""
        return self.journal.clock.start(scan)

    def at(self, time: int | None) -> str:
        """An instant in words."""
        return clock_text(self.log, time) if time is not None else "the start"

    def place(self, step: int) -> str:
        """A step in words: POU and rung."""
        one = self.steps.all[step]
        return f"{one.pou} {one.rung.number}"

    def boolean(self, tag: int) -> bool:
        """Whether a tag is a BOOL."""
        return self.running.tags[tag].type.family is Family.BOOL

    # values

    def position(self, view: Vantage) -> int:
        """The journal position that a view looks from."""
        if view.order >= LAST:
            return self.journal.settled_position(view.scan)
        step = self._step_of(view.order)
        return self.paths.seen(self.journal, step, view.scan)

    def _step_of(self, order: int) -> int:
        import numpy as np

        hits = np.nonzero(self.paths.order == order)[0]
        return int(hits[0]) if len(hits) else 0

    def raw(self, tag: int, view: Vantage) -> int:
        """A tag's raw value from a view."""
        return self.journal.value_at(tag, self.position(view))

    def since(self, tag: int, view: Vantage) -> int | None:
        """Since when (ns) a tag has had the value it has in a view; None: since before the log."""
        row = self.journal.last_row(tag, self.position(view))
        return self.journal.time(row) if row is not None else None

    def ran(self, step: int, view: Vantage) -> int:
        """The scan whose evaluation of a step is the latest before a view."""
        if self.paths.task_of(step) >= 0:
            return self.paths.task_scan(self.journal, step, view.scan)
        return view.scan if self.paths.order[step] < view.order else view.scan - 1

    def flow(self, step: int, scan: int) -> Flow:
        """Power flow of a step's rung."""
        return self.power.flow(self.journal, self.steps.all[step], max(0, scan))

    def view_of(self, step: int, scan: int) -> Vantage:
        """What a step saw in a scan."""
        return Vantage(scan, int(self.paths.order[step]))

    # following

    def explain(self, tag: int, view: Vantage, change: bool, depth: int) -> Link | None:
        """Why a tag has its value in a view.

        Args: change: what brought it about, rather than what keeps it so.
        Returns: None where the trail comes back to itself or is too long.
        """
        position = self.position(view)
        row = self.journal.last_row(tag, position)
        key = (tag, row if row is not None else -1)
        self.spent += 1
        if key in self.open or self.spent > BUDGET or depth > DEEPEST:
            return None
        self.open.add(key)
        self.coils.append(tag)
        try:
            if row is not None and change:
                return self.change(row, depth)
            return self.state(tag, view, depth)
        finally:
            self.open.discard(key)
            self.coils.pop()

    def change(self, row: int, depth: int) -> Link | None:
        """What made a tag change in a row of the journal."""
        return self.links.change(self, row, depth)

    def state(self, tag: int, view: Vantage, depth: int) -> Link | None:
        """What keeps a tag at its value in a view."""
        return self.links.state(self, tag, view, depth)

    def output(self, circuit: Circuit, block: Block, pin: str, step: int, scan: int, depth: int, change: bool) -> Link | None:
        """Why a block's output is as it is."""
        return self.links.output(self, circuit, block, pin, step, scan, depth, change)

    def scan_of(self, row: int) -> int:
        """The scan of a journal row."""
        return self.journal.scan(row)
