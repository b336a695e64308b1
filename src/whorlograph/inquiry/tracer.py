"""Follows values back through the journal: which step wrote them, and what made it do so."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.calls import calls_in
from whorlograph.engine.code import Base, Call, Edge, Expr, Load, Op, Origin, Passing
from whorlograph.engine.controller import Controller
from whorlograph.engine.evaluate.again import Cell
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.feed import system_tags
from whorlograph.engine.journal import Journal
from whorlograph.engine.power import Flow, PowerFlow
from whorlograph.engine.scope.overlap import Shared
from whorlograph.model.iolist import IoList
from whorlograph.model.literals import cooked, said_value
from whorlograph.model.log import Ints, Log, tags_logged
from whorlograph.model.shown import visible
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import ELEMENTARY, Family

from .charts import Place, chart_places, made_by_charts
from .circuit import Circuit, Gate, Leaf
from .languages import words_of
from .noted import Auxiliary, Now
from .pulses import Stays, calm, history, short_stays, stays
from .trail import Link, Value
from .writers import Kind, Writer, Writers

LAST = 1 << 30
BUDGET = 240
MOST_BRIEF = 80
DEEPEST = 40


class Vantage(Struct, frozen=True):
    """From where a value is looked at: in a scan, before the step of this place in the order of execution.

    ``behind``: a step, as it left things when it was done; -1 where nothing but the order says from where.
    """

    scan: int
    order: int = LAST
    behind: int = -1


class Links(Protocol):
    """What finds the link for a value: handed to the tracer, so that links can ask it for the next ones."""

    def change(self, tracer: Tracer, row: int, depth: int, bit: int, view: Vantage | None) -> Link | None:
        """For a change: what made it."""

    def row(self, tracer: Tracer, row: int, value: bool, depth: int, bit: int) -> Link | None:
        """For what the step of a row wrote, whatever was written later in the scan."""

    def state(self, tracer: Tracer, tag: int, view: Vantage, depth: int, bit: int) -> Link | None:
        """For a state: what keeps it."""

    def in_between(self, tracer: Tracer, tag: int, writer: Writer, seen: Seen, depth: int, change: bool) -> Link | None:
        """For what a step gave a tag that it gave something else later."""

    def gave(self, tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, bit: int) -> Link | None:
        """For what a write gave, of a word one bit, though it may have left it as it was."""

    def output(self, tracer: Tracer, tag: int, seen: Seen, depth: int, change: bool) -> Link | None:
        """For an output of a block that a step executes."""

    def edge(self, tracer: Tracer, gate: Gate, edge: Edge, seen: Seen, depth: int, change: bool) -> Link | None:
        """For an edge."""

    def kept(self, tracer: Tracer, load: Load, seen: Seen, depth: int, change: bool) -> Link | None:
        """For the result of a function that is not always executed."""

    def compared(self, tracer: Tracer, compared: Op, seen: Seen, depth: int, change: bool) -> Link | None:
        """For a comparison."""

    def computed(self, tracer: Tracer, at: int, leaf: Leaf | None, seen: Seen, depth: int, change: bool) -> Link | None:
        """For another value that a node computes."""


def is_fixed(load: Load) -> bool:
    """Whether a value always is read from the same cell: a subscript has the node of what it chooses."""
    return not load.target.terms and load.target.base in (Base.GLOBAL, Base.OWN)


@dataclass
class Tracer:
    """One program, its replay, and what is needed to follow causes through them.

    ``coils`` are the tags on the trail from the symptom down: their seal-ins are no causes. ``most``: links that may be ``spent``.
    ``now``: the moment without a log; ``commands``: what was tried in the attempt; ``number``: the number asked about, whose former values are
    not followed; ``asked``: the moment asked for (ns), by which what has ended is told as over; ``chatters``: what chatters is asked for;
    ``is_aside``, ``is_brief``: it answers a question beside the trail;
    ``recorded_as``: of inputs that the log records within another: which bits of it; ``recorded_bits``: of one whose bits it records: of which;
    ``auxiliaries``, ``free``, ``asked_by``, ``counted``, ``helps``, ``asks``, ``followers``, ``instants``, ``turns``, ``paces``, ``came_last``,
    ``rings``: what was found out about tags.
    """

    controller: Controller
    journal: Journal
    log: Log
    iolist: IoList
    links: Links
    coils: list[int] = field(default_factory=list)
    open: set[tuple[int, ...]] = field(default_factory=set)
    spent: int = 0
    most: int = BUDGET
    is_aside: bool = False
    is_brief: bool = False
    number: int | None = None
    now: Now | None = None
    commands: frozenset[int] = frozenset()
    asked: int = 0
    chatters: bool = False

    def __post_init__(self) -> None:
        self.running, self.steps = self.controller.running, self.controller.steps
        self.paths = self.controller.paths
        self.again = self.controller.again()
        self.power = PowerFlow(self.again)
        self.written = Writers(self.controller)
        self.logged = tags_logged(self.log)
        self.driven = system_tags(self.running, self.controller.profile)
        self.left_out = self.controller.left_out
        self.auxiliaries: dict[int, list[Auxiliary]] = {}
        self.free: dict[int, bool] = {}
        self.asked_by: dict[int, frozenset[tuple[int, bool]]] = {}
        self.counted: dict[tuple[int, Expr], list[tuple[int, bool, int]]] = {}
        self.helps: dict[int, frozenset[int]] = {}
        self.asks: dict[int, tuple[int, frozenset[int]]] = {}
        self.recorded_as: dict[int, Shared] = {}
        self.recorded_bits: dict[int, int] = {}
        self.instants: dict[int, int | None] = {}
        self.followers: dict[int, frozenset[int]] = {}
        self.rhythms: dict[int, str] = {}
        self.came_last: dict[tuple[int, int, int], set[Gate]] = {}
        self.rings: dict[int, set[int]] = {}
        self.paces: dict[tuple[int, int, int, int], str] = {}
        self.turns: dict[tuple[int, str, int | float], tuple[Ints, NDArray[np.bool_]]] = {}
        self._circuits: dict[int, Circuit] = {}
        self._cells: dict[tuple[int, int, int], Cell | None] = {}
        self._stretches: dict[int, Stays] = {}
        self._short: dict[tuple[int, int], tuple[tuple[tuple[int, int], ...], str]] = {}
        self._seen: dict[tuple[int, int], Seen] = {}

    @cached_property
    def writers(self) -> dict[int, list[Writer]]:
        """By tag: what writes it, in order of execution."""
        return self.written.by_tag

    def is_written(self, tag: int, bit: int = -1) -> bool:
        """Whether the program writes a tag, or a bit of it, under its own name or under one that shares its bits."""
        return bool(self.writers.get(tag)) or any(bool(self.writers.get(share.other)) for share in self.again.shares.get(tag, ())
                                                  if bit < 0 or share.mine <= bit < share.mine + share.width)

    @cached_property
    def charts(self) -> dict[int, Place]:
        """By tag: what it is to a sequential chart."""
        return chart_places(self.running)

    @cached_property
    def of_charts(self) -> frozenset[int]:
        """What charts are made of, which no declaration names."""
        return made_by_charts(self.running)

    @cached_property
    def external(self) -> frozenset[int]:
        """The tags that somebody outside writes too, as a panel that the program clears."""
        found = (self.running.find(name) for name in self.controller.profile.external)
        return frozenset(tag for tag in found if tag is not None)

    @cached_property
    def results(self) -> frozenset[int]:
        """What the instructions of a list leave for others: tags that no declaration names."""
        return frozenset(t.index for t in self.running.tags if t.result)

    def beside(self, journal: Journal) -> Tracer:
        """A tracer of another replay of the same program and log."""
        found = Tracer(self.controller, journal, self.log, self.iolist, self.links, now=self.now)
        found.written = self.written
        return found

    def only_by_itself(self, tag: int) -> bool:
        """Whether nothing but one coil can bring a tag on, which nothing has done so far: no other writer, no log, no force, no initial value."""
        writers = self.writers.get(tag, ())
        if len(writers) != 1 or writers[0].kind is not Kind.COIL or writers[0].inverted or self.running.tags[tag].initial:
            return False
        return tag not in self.again.shares and tag not in self.logged and tag not in self.left_out and not len(self.journal.rows(tag))

    def circuit(self, step: int) -> Circuit:
        """A step as a circuit."""
        found = self._circuits.get(step)
        if found is None:
            found = self._circuits[step] = Circuit(self.controller.calls.code_of(step), self.controller.code.bodies)
        return found

    # words

    def tag(self, number: int) -> Tag:
        """A tag by number."""
        return self.running.tags[number]

    def name(self, tag: int | None) -> str:
        """A tag's name."""
        if tag is None or tag >= len(self.running.tags):
            return ""
        return "the result" if tag in self.results else self.running.tags[tag].name

    def called(self, tag: int, number: int) -> str:
        """A whole number of a tag for a person: an enumerator by its name; a text."""
        if self.running.tags[tag].type.family is Family.STRING:
            return self.state_word(self.value(tag, number), tag)
        return str(self.value(tag, number)) if self.running.tags[tag].enumeration is not None else str(number)

    def value(self, tag: int, bits: int) -> Value:
        """A raw value for a person or JSON."""
        one = self.running.tags[tag]
        if one.enumeration is not None:
            return next((n for n, v in one.enumeration.values if v == bits), bits)
        value = cooked(bits, one.type)
        if one.type.family is Family.DATE:
            return said_value(value, one.type)
        return visible(value) if isinstance(value, str) else value

    def state_word(self, value: Value, tag: int = -1) -> str:
        """on, off, or the number; of a tag that is a time, a date or a text as that is said."""
        if isinstance(value, bool):
            return "on" if value else "off"
        if isinstance(value, str) and tag >= 0 and self.running.tags[tag].type.family is Family.DATE:
            return value  # said already
        if tag >= 0 and value is not None and self.running.tags[tag].type.family in (Family.TIME, Family.DATE, Family.STRING, Family.REAL):
            return said_value(value, self.running.tags[tag].type)
        return f"'{value}'" if value == "" else str(value)

    def number_word(self, value: Value, type_: str) -> str:
        """A value in words; a TIME with its unit."""
        return said_value(value, ELEMENTARY[type_]) if value is not None else self.state_word(value)

    def time(self, scan: int) -> int:
        """Clock of a scan, ns."""
        return self.journal.clock.start(scan)

    def ran_at(self, step: int, scan: int) -> int:
        """When a step was executed in a scan, ns: of a task's step when its run began."""
        return self.paths.start(self.journal, step, scan)

    def at(self, time: int | None) -> str:
        """An instant in words."""
        return clock_text(self.log, time) if time is not None else "the start"

    def place(self, step: int, element: int = -1) -> str:
        """A step in words: POU and rung, and in a text the line of an element where that is another than the statement's own."""
        one = self.steps.all[step]
        line = words_of(one).line(one, element) if element >= 0 else 0
        return f"{one.pou} {one.rung.number}" + (f", line {line}" if line > one.rung.number else "")

    def boolean(self, tag: int) -> bool:
        """Whether a tag is a BOOL."""
        return self.running.tags[tag].type.family is Family.BOOL

    # values

    def position(self, view: Vantage) -> int:
        """The journal position that a view looks from."""
        if view.behind >= 0:
            return self.seen(view.behind, view.scan).after
        if view.order >= LAST:
            return self.journal.settled_position(view.scan)
        step = self._step_of(view.order)
        return self.paths.seen(self.journal, step, view.scan)

    def _step_of(self, order: int) -> int:
        return self._by_order.get(order, 0)

    @cached_property
    def _by_order(self) -> dict[int, int]:
        """The first step at each place in the order of execution."""
        return {place: step for step, place in reversed(list(enumerate(self.paths.order.tolist())))}

    def _task_of_view(self, view: Vantage) -> int:
        """The task whose run a view looks from amid; -1 where it does from none."""
        if view.order >= LAST:
            return -1
        return self.paths.task_of(view.behind if view.behind >= 0 else self._step_of(view.order))

    def raw(self, tag: int, view: Vantage) -> int:
        """A tag's raw value from a view."""
        return self.journal.value_at(tag, self.position(view))

    def since(self, tag: int, view: Vantage) -> int | None:
        """Since when (ns) a tag has had the value it has in a view; None: since before the log."""
        row = self.journal.last_row(tag, self.position(view))
        return self.journal.time(row) if row is not None else None

    def since_done(self, tag: int, seen: Seen) -> int | None:
        """Since when (ns) a tag has had the value it had when a step was done; None: since before the log."""
        row = self.journal.last_row(tag, seen.after)
        return self.journal.time(row) if row is not None else None

    def ran(self, step: int, view: Vantage) -> int:
        """The scan whose evaluation of a step is the latest before a view."""
        task = self.paths.task_of(step)
        if task >= 0:
            scan = self.journal.run_scan(task, view.scan)
            if scan < view.scan or self.paths.order[step] < view.order or self._task_of_view(view) != task:
                return scan
            return self.journal.run_scan(task, scan - 1)  # in the midst of a run what stands behind was evaluated in the one before
        return view.scan if self.paths.order[step] < view.order else view.scan - 1

    def former(self, step: int, scan: int) -> int:
        """The scan in which a step could have been evaluated last before one: that of its task's former run, else the one before."""
        task = self.paths.task_of(step)
        return self.journal.run_scan(task, scan - 1) if task >= 0 else scan - 1

    def before(self, seen: Seen) -> Seen | None:
        """The evaluation of a step before another; None where that was its first."""
        scan = self.former(seen.step, seen.scan)
        return self.seen(seen.step, scan) if scan > 0 else None

    def flow(self, step: int, scan: int) -> Flow:
        """Power flow of a step's rung, for its picture."""
        return self.power.flow(self.journal, self.steps.all[step], max(0, scan))

    def shown(self, step: int, scan: int) -> Flow:
        """A rung for its picture: of one that was not evaluated without power, its tags as they are now."""
        return self.power.shown(self.journal, self.steps.all[step], max(0, scan))

    def seen(self, step: int, scan: int) -> Seen:
        """A step as it was executed in a scan, or last before it."""
        key = (step, max(0, scan))
        found = self._seen.get(key)
        if found is None:
            found = self._seen[key] = self.again.seen(self.journal, *key)
        return found

    def cell(self, load: Load | None, seen: Seen) -> Cell | None:
        """The cell that a value was read from; of one that was not come to, where it would have been."""
        if load is None:
            return None
        if is_fixed(load):
            return self.fixed(load, seen.step)
        if load.target.base == Base.PARAM and load.at in self.circuit(seen.step).handed:  # a body hands on what was handed to it
            first = self.controller.access.stands_for(seen.step, load.target.param)
            return self._whole(Cell(first + load.target.cell)) if first is not None else None
        return self._whole(seen.result.cells.get(load.at) or seen.result.would_cells.get(load.at))

    def fixed(self, load: Load, step: int) -> Cell | None:
        """The cell of a value that always is read from the same one."""
        target = load.target
        key = (step if target.base == Base.OWN else -1, target.cell, target.low if target.width else -1)
        if key not in self._cells:
            own = self.controller.calls.instance(step).own if target.base == Base.OWN else 0
            self._cells[key] = self._whole(Cell(own + target.cell, key[2]))
        return self._cells[key]

    def _whole(self, cell: Cell | None) -> Cell | None:
        return cell if cell is not None and cell.number < len(self.running.tags) else None

    def origin(self, step: int, at: int) -> Origin:
        """What a node of a step came from."""
        body = self.controller.code.bodies[self.controller.calls.instance(step).body]
        if at < -1 and isinstance(call := self.circuit(step).leaves.get(at), Call):
            at = call.at  # another result of a function than what it gives itself
        return body.origins[at] if 0 <= at < len(body.origins) else Origin(-1, 0)

    def passing(self, step: int, at: int) -> Passing:
        """What the variables of loops that are laid out are at a node of a step."""
        return self.origin(step, at).passing

    def view_of(self, step: int, scan: int) -> Vantage:
        """What a step saw in a scan."""
        return Vantage(scan, int(self.paths.order[step]))

    def view_at(self, tag: int, at: int, seen: Seen) -> Vantage:
        """From where a node of a step looks at a tag: behind the step itself, where that or a body that it called wrote the tag before."""
        if self.wrote_before(tag, at, seen) is None and not self._handed_back(tag, at, seen):
            return self.view_of(seen.step, seen.scan)
        return Vantage(seen.scan, self._order_behind(seen.step), seen.step)

    def wrote_before(self, tag: int, at: int, seen: Seen) -> Writer | None:
        """What gave a tag its value before a node of the same step came to it; None where nothing did."""
        before = self.circuit(seen.step).before
        here = [w for w in self.writers.get(tag, ()) if w.step == seen.step and before(w.at, at)]
        wrote = [w for w in here if self.stored(tag, w, seen) is not None or w.at in seen.result.done]
        return max(wrote, key=lambda w: w.at, default=None)

    def stored(self, tag: int, writer: Writer, seen: Seen) -> bool | int | float | str | None:
        """What a write gave a tag in an evaluation; None where it was not executed, or, by a computed subscript, on another element."""
        result = seen.result
        value = result.stored.get(writer.at)
        target = getattr(self.written.nodes(writer.step).get(writer.at, (None, ()))[0], "target", None)
        if value is None or target is None or not target.terms:
            return value
        cell = result.cells.get(writer.at)
        if cell is not None and cell.number == tag:
            return value
        mine = [one for one in result.passes.get(writer.at, ()) if (there := one.cells.get(writer.at)) is not None and there.number == tag]
        return mine[-1].values.get(writer.at) if mine else None

    def _handed_back(self, tag: int, at: int, seen: Seen) -> bool:
        """Whether a body that a step called before one of its nodes wrote a tag."""
        inside = [w.step for w in self.writers.get(tag, ()) if seen.step in self.controller.calls.above(w.step)]
        if not inside or all(self.paths.skipped(self.journal, step, seen.scan) is not None for step in inside):
            return False
        before = self.circuit(seen.step).before
        return any(before(call.at, at) and call.at in seen.result.done for call in calls_in(self.controller.calls.code_of(seen.step).actions))

    def _order_behind(self, step: int) -> int:
        """The place in the order of execution behind a step and the bodies that it calls."""
        calls = self.controller.calls
        if calls.instance_of.get(step + 1) == calls.instance_of[step]:
            return int(self.paths.order[step + 1])
        inside = [int(self.paths.order[s]) for s in calls.instance_of if step in calls.above(s)]
        return max((int(self.paths.order[step]), *inside)) + 1

    # the log

    def stretches(self, tag: int) -> Stays:
        """The stretches of a logged tag."""
        found = self._stretches.get(tag)
        if found is None:
            found = self._stretches[tag] = stays(self.log, tag, self.running.tags[tag].initial)
        return found

    def short(self, tag: int, value: int) -> tuple[tuple[tuple[int, int], ...], str]:
        """The short stretches of a logged BOOL with a value, each (start, length) in ns; and what is said of them, worked out once."""
        found = self._short.get((tag, value))
        if found is None:
            stays_ = short_stays(self.log, tag, value, self.running.tags[tag].initial)
            all_ = self.stretches(tag)
            told = history(stays_, not value, [self.at(s.start) for s in stays_[:1]], len(all_) > len(calm(all_)))
            found = self._short[tag, value] = tuple((s.start, s.length) for s in stays_), told
        return found

    def changed_last(self, tag: int, until: int) -> int | None:
        """When (ns) a logged tag last changed by a time; None where it had not."""
        found = self.stretches(tag)
        i = int(found.starts.searchsorted(until, "right")) - 1
        return int(found.starts[i]) if i > 0 else None

    def changed_at(self, tag: int, row: int) -> int | None:
        """When (ns) a logged tag changed to what a row of the journal has of it; None where it has been so from the start.

        A task's run copies inputs of its own instant: amid a scan what changes after that began, between two scans what is over by the next.
        """
        clock, raw = self.journal.time(row), self.journal.raw(row)
        found = self.stretches(tag)
        i = int(found.starts.searchsorted(clock, "right")) - 1
        if self.journal.tasks and i >= 0 and int(found.values[i]) != raw:
            other = i + 1 if self.journal.moment(row).step >= 0 else i - 1
            i = other if 0 <= other < len(found) and int(found.values[other]) == raw else i
        return int(found.starts[i]) if i > 0 else None

    # following

    def explain(self, tag: int, view: Vantage, change: bool, depth: int, bit: int = -1) -> Link | None:
        """Why a tag has its value in a view.

        Args: change: what brought it about, rather than what keeps it so; bit: of a number, -1 the whole.
        Returns: None where the trail comes back to itself or is too long.
        """
        row = self.last_row(tag, self.position(view), bit)
        key = self.known_as(tag, row, view, bit)
        again = self.boolean(tag) and self.coils.count(tag) > 1  # from scan to scan on the same way
        if again or key in self.open or self.spent >= self.most or depth > DEEPEST:
            return None
        self.spent += 1
        self.open.add(key)
        self.coils.append(tag)
        try:
            if row is not None and change:
                return self.links.change(self, row, depth, bit, view)
            return self.links.state(self, tag, view, depth, bit)
        finally:
            self.open.discard(key)
            self.coils.pop()

    @contextmanager
    def briefly(self) -> Iterator[None]:
        """A question of which only what changed is wanted, and that is put of many moments: short, and without what lets a generator run."""
        spent, most, brief = self.spent, self.most, self.is_brief
        self.spent, self.most, self.is_brief = 0, MOST_BRIEF, True
        try:
            yield
        finally:
            self.spent, self.most, self.is_brief = spent, most, brief

    @contextmanager
    def aside(self, brief: bool = False) -> Iterator[None]:
        """A question beside the trail: it goes its own way, and takes nothing of what the trail may still be long.

        It puts none itself (``is_aside``): of two timers that start one another each would go on asking about the other.
        Args: brief: only what changed is wanted.
        """
        spent, most, coils, open_, aside, briefly = self.spent, self.most, self.coils, self.open, self.is_aside, self.is_brief
        self.spent, self.most, self.coils, self.open, self.is_aside, self.is_brief = 0, BUDGET, [], set(), True, briefly or brief
        try:
            yield
        finally:
            self.spent, self.most, self.coils, self.open, self.is_aside, self.is_brief = spent, most, coils, open_, aside, briefly

    def known_as(self, tag: int, row: int | None, view: Vantage, bit: int = -1) -> tuple[int, ...]:
        """What makes a value the same where a trail comes back to it: its row; of a tag that coils write one after another also the last of them."""
        writers = self.writers.get(tag, ())
        last = max((self.ran(w.step, view), int(self.paths.order[w.step])) for w in writers) if len(writers) > 1 and \
            all(w.kind is Kind.COIL for w in writers) else (0, -1)
        return tag, row if row is not None else -1, last[1], bit

    def change(self, row: int, depth: int, bit: int = -1, view: Vantage | None = None) -> Link | None:
        """What made a tag change in a row of the journal, as a view shows it; None where the trail is too long."""
        if depth > DEEPEST or self.spent >= self.most:
            return None
        self.spent += 1
        return self.links.change(self, row, depth, bit, view)

    def last_row(self, tag: int, position: int, bit: int = -1) -> int | None:
        """The last row of a tag before a position; of one bit: in which that changed."""
        row = self.journal.last_row(tag, position)
        for _ in range(400 if bit >= 0 else 0):
            if row is None or (self.journal.raw(row) ^ self.journal.value_at(tag, row)) >> bit & 1:
                break
            row = self.journal.last_row(tag, row)
        return row

    def scan_of(self, row: int) -> int:
        """The scan of a journal row."""
        return self.journal.scan(row)
