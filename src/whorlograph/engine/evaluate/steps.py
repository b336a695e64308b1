"""Any step of a replayed program executed again: as it ran in a scan, or as it would run with what stands at a scan's end."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property, partial

from msgspec import Struct

from whorlograph.engine.calls import Calls, calls_in, every
from whorlograph.engine.code import Base, Call, Code, Invoke, Store
from whorlograph.engine.journal import Journal
from whorlograph.engine.path import Paths, Skip
from whorlograph.engine.scope.overlap import shared_bits
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Running

from .again import Execution, Place, Reference, Result
from .sight import Sight, elapsed

DEEPEST = 30
KEPT = 4000


class Moment(Struct, frozen=True):
    """When a step is executed: the scan, and the numbers of the first row that it did not see and of the first after it was done; ``supposed``: it
    was not executed then.
    """

    scan: int
    position: int
    after: int
    supposed: bool = False


class Seen(Struct, frozen=True, dict=True):
    """A step as it was executed in a scan, or in the last one before it in which it was.

    ``scan``: that one, 0 where it never was; ``skip``: why it was not in the scan asked for; ``position``, ``after``: the rows before it
    and those before it was done; ``execute``: what gives its result, which many a question does without.
    """

    step: int
    scan: int
    position: int
    after: int
    skip: Skip | None
    execute: Callable[[], Result]

    @cached_property
    def result(self) -> Result:
        """What it did."""
        return self.execute()


class Again:
    """Executes steps of one program again, on any of its journals."""

    def __init__(self, running: Running, calls: Calls, paths: Paths, profile: Profile) -> None:
        self.running, self.calls, self.paths, self.mode = running, calls, paths, profile.on_overflow
        self.code: Code = calls.code
        self.shares = shared_bits(running.tags[:running.public], profile.addressing)
        self._known: dict[tuple[int, Moment], Result] = {}
        self._of: Journal | None = None
        self._depth = 0

    def seen(self, journal: Journal, step: int, scan: int) -> Seen:
        """A step as it was executed in a scan, or last before it."""
        skip = self.paths.skipped(journal, step, scan) if scan > 0 else None
        shown = self.paths.last_run(journal, step, scan) if skip is not None else scan
        if shown <= 0:
            return Seen(step, shown, 0, 0, skip, partial(self.at, journal, step, Moment(0, 0, 0)))
        position, after = self.paths.span(journal, step, shown)
        return Seen(step, shown, position, after, skip, partial(self.at, journal, step, Moment(shown, position, after)))

    def ran(self, journal: Journal, step: int, scan: int) -> Result:
        """A step as it was executed (last) in a scan in which it ran."""
        return self.at(journal, step, Moment(scan, *self.paths.span(journal, step, scan)))

    def now(self, journal: Journal, step: int, scan: int) -> Result:
        """A step as it would be executed with the values that a scan settled at."""
        position = journal.settled_position(scan)
        return self.at(journal, step, Moment(scan, position, position, True))

    def at(self, journal: Journal, step: int, moment: Moment) -> Result:
        """A step executed at a moment; nothing is known of one whose caller is not."""
        if journal is not self._of:
            self._of, self._known = journal, {}
        key = (step, moment)
        found = self._known.get(key)
        if found is None:
            if self._depth > DEEPEST:
                return Result(halted=True)
            self._depth += 1
            try:
                found = self._execute(journal, step, moment)
            finally:
                self._depth -= 1
            if len(self._known) >= KEPT:
                self._known.clear()
            self._known[key] = found
        return found

    def _execute(self, journal: Journal, step: int, moment: Moment) -> Result:
        one = self.calls.instance(step)
        body = self.code.bodies[one.body]
        if body.frame >= 0:  # its variables live in the call only
            return self._caller(journal, one.first, moment).inner.get(step, Result(halted=True))
        refs: tuple[Reference, ...] = ()
        if body.params:
            refs = self._caller(journal, one.first, moment).handed.get(one.first, ())
        sight = Sight(self.running, journal, self.shares, moment.scan, moment.position, moment.after, _Beyond(self, journal, step, moment))
        sight.supposed = moment.supposed
        sight.made = lambda: self._made(journal, step, moment)
        handed = _Handed(self, journal, step, moment, sight)
        made = Execution(self.code, body, Place(one.own, one.hidden, one.inner - len(body.steps), refs), sight, self.mode, handed)
        return made.step(step - one.first)

    def _made(self, journal: Journal, step: int, moment: Moment) -> list[tuple[int, int]]:
        """The rows that a step left at a moment, those of functions that it called included: (cell, raw value)."""
        steps, tags = journal.stretch(moment.position, moment.after) if moment.after > moment.position else ((), ())
        bodies = self.code.bodies
        return [(int(tag), journal.raw(moment.position + n)) for n, (by, tag) in enumerate(zip(steps, tags, strict=True))
                if by == step or (by in self.calls.instance_of and bodies[self.calls.instance(int(by)).body].frame >= 0)]

    def _caller(self, journal: Journal, first: int, moment: Moment) -> Result:
        """The step that called an instance last before a moment."""
        callers = self.calls.callers.get(self.calls.number_of(first), [])
        taken = [c for c in callers if self.paths.skipped(journal, c.step, moment.scan) is None
                 and (c.flag < 0 or journal.settled(c.flag, moment.scan))] or callers
        if not taken:
            return Result(halted=True)
        best = max(taken, key=lambda c: int(self.calls.order[c.step]))
        scan = self.paths.last_run(journal, best.step, moment.scan)
        return self.ran(journal, best.step, scan) if scan > 0 else self.now(journal, best.step, moment.scan)

    # what has no rows

    @cached_property
    def timers(self) -> dict[int, tuple[str, int]]:
        """By number of its first pin: a timer's kind, and a step that executes it."""
        found: dict[int, tuple[str, int]] = {}
        for step in self.calls.instance_of:
            one = self.calls.instance(step)
            for action in every(self.calls.code_of(step).actions):
                if isinstance(action, Invoke) and action.where.base in (Base.GLOBAL, Base.OWN):
                    spot = action.where
                    own = self.code.instances[spot.own].own if spot.base == Base.GLOBAL else one.own + spot.own
                    found.setdefault(own, (action.block, step))
        return found

    def elapsed(self, journal: Journal, first: int, scan: int) -> int:
        """A timer's ET, ns, at a scan's end. Args: first: the number of its first pin."""
        kind, step = self.timers[first]
        now = self.paths.start(journal, step, self.paths.last_run(journal, step, scan))
        return elapsed(kind, journal, first, journal.settled_position(scan), now)

    @cached_property
    def initial(self) -> dict[int, int]:
        """What hidden cells begin with, where that is not 0."""
        return {one.hidden + self.code.bodies[one.body].inner + n: cell.initial for one in self.code.instances if one.body >= 0
                for n, cell in enumerate(self.code.bodies[one.body].hidden) if cell.initial}

    @cached_property
    def resets(self) -> dict[int, int]:
        """The temporaries of programs and blocks, and what they begin each run with."""
        return {one.own + target.cell: bits for one in self.code.instances if one.body >= 0 and self.code.bodies[one.body].frame < 0
                for target, bits in self.code.bodies[one.body].resets}


class _Beyond:
    """Answers for one step what the journal has no rows of."""

    def __init__(self, above: Again, journal: Journal, step: int, moment: Moment) -> None:
        self.above, self.journal, self.step, self.moment = above, journal, step, moment

    def timer(self, first: int) -> tuple[str, int]:
        """A timer's kind, and the time up to which it was brought up to date before the step."""
        kind, step = self.above.timers.get(first, ("TON", -1))
        scan, paths, order = self.moment.scan, self.above.paths, self.above.calls.order
        if step < 0:
            return kind, self.journal.clock.start(scan)
        settled = self.moment.position == self.moment.after == self.journal.settled_position(scan)
        latest = scan if settled or order[step] < order[self.step] else scan - 1
        return kind, paths.start(self.journal, step, paths.last_run(self.journal, step, latest))

    def now(self) -> int:
        """When the step began."""
        return self.above.paths.start(self.journal, self.step, self.moment.scan)

    def hidden(self, cell: int) -> int:
        """What a hidden cell begins with."""
        return self.above.initial.get(cell, 0)

    def temporary(self, cell: int) -> int | None:
        """What earlier steps of the same run left in a temporary; None where the cell is none."""
        value = self.above.resets.get(cell)
        if value is None:
            return None
        one = self.above.calls.instance(self.step)
        for step in range(one.first, self.step):
            if self._stores(step, cell - one.own) and self.above.paths.skipped(self.journal, step, self.moment.scan) is None:
                value = self.above.ran(self.journal, step, self.moment.scan).own.get(cell, value)
        return value

    def _stores(self, step: int, cell: int) -> bool:
        return any(isinstance(a, Store) and a.target.base == Base.OWN and a.target.cell <= cell < a.target.cell + a.target.span
                   for a in every(self.above.calls.code_of(step).actions))

    def memory(self, cell: int) -> int:
        """What an element of the step remembers without rows: what it left when it was last executed."""
        one = self.above.calls.instance(self.step)
        body = self.above.code.bodies[one.body]
        kept = body.hidden[cell - one.hidden - body.inner]
        flag = self.above.calls.flag(one, kept.step, kept.element)
        row = self.journal.last_row(flag, self.moment.after) if flag >= 0 else None
        scan = self.journal.scan(row) - 1 if row is not None and not self.journal.raw(row) else 0
        scan = self.above.paths.last_run(self.journal, self.step, scan)
        return self.above.ran(self.journal, self.step, scan).own.get(cell, kept.initial) if scan > 0 else kept.initial


class _Handed:
    """Takes over what called bodies left, from the rows between a step's beginning and its end."""

    def __init__(self, above: Again, journal: Journal, step: int, moment: Moment, sight: Sight) -> None:
        self.above, self.journal, self.step, self.moment, self.sight = above, journal, step, moment, sight
        steps, tags = journal.stretch(moment.position, moment.after) if moment.after > moment.position else ((), ())
        self.rows = list(zip((int(s) for s in steps), (int(t) for t in tags), strict=True))
        self.cursor = 0

    def __call__(self, call: Call, place: Place) -> None:
        """A body has been called: its rows, and those of what it called, are what it left."""
        others = {p for p in self._called() if p != place.first}
        while self.cursor < len(self.rows) and self.rows[self.cursor][0] == self.step:
            self.cursor += 1
        while self.cursor < len(self.rows):
            step, tag = self.rows[self.cursor]
            if step == self.step or self._instance(step) in others:
                break
            self.sight.own[tag] = self.journal.raw(self.moment.position + self.cursor)
            self.cursor += 1

    def _called(self) -> Iterator[int]:
        """The first steps of the instances that the step calls."""
        number = self.above.calls.instance_of[self.step]
        for call in calls_in(self.above.calls.code_of(self.step).actions):
            inner = self.above.calls.called_from(number, call)
            if inner >= 0:
                yield self.above.code.instances[inner].first

    def _instance(self, step: int) -> int:
        return self.above.calls.instance(step).first if step in self.above.calls.instance_of else -1
