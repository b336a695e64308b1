"""The bench: the virtual controller goes on by hand, from a moment of a replay or from nothing. It never touches a real controller.

What is done by hand becomes rows of a log, and the bench is the replay of that log: saved, any other command replays it to the same journal.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace as session_with
from functools import cached_property
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.checkpoint import Trials
from whorlograph.engine.controller import Controller
from whorlograph.engine.coupling import Coupled
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.engine.wasm.status import Status
from whorlograph.formats.beside import written
from whorlograph.formats.profile import profile_table
from whorlograph.formats.profile_write import profile_text
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import Wiring
from whorlograph.model.literals import value_text
from whorlograph.model.log import Log
from whorlograph.model.profile import Profile
from whorlograph.model.types import Family

from .finding import find
from .session import Session

if TYPE_CHECKING:
    from whorlograph.engine.wasm.machine import Machine

PRESS = 300_000_000  # ns that a button which springs back is held
FARTHEST = 3_600_000_000_000  # ns that are looked ahead for a change
LATEST = 1_000  # scans that one may last while the next is waited for
NUMBERS = (Family.SIGNED, Family.UNSIGNED, Family.BITS, Family.REAL, Family.TIME)
Row = tuple[int, int, int]  # time in ns, tag, raw value


class Release(Struct, frozen=True):
    """What would happen at once if forces were released: the tags that turn, with their value then."""

    tag: int
    value: int
    after: int


class Bench:
    """The controller by hand.

    Args: since: the moment (ns) of the session's replay from which it goes on; None: from nothing, normally closed contacts made.
        plant: makes a machine that answers the outputs; from nothing only, and each made does the same at the same outputs.
        first: from nothing, what tags have at time 0 instead; profile: another one than the session's.
    """

    def __init__(self, session: Session, since: int | None = None, plant: Callable[[], Coupled] | None = None,
                 first: Mapping[int, int] | None = None, profile: Profile | None = None) -> None:
        self.session = session
        self.controller = session.controller if profile is None else self._controller(profile)
        self.rows: list[Row] = []
        self.answers: list[Row] = []
        self.forces: list[Hold] = []
        self.prepared: dict[int, int] = {}
        self.plant = plant
        self._coupled: tuple[Machine, Coupled] | None = None
        self._went_back = False  # what was done later than now still stands, until something else is done
        if since is None:
            self.base, self.begin = self._from_nothing(first or {}), 0
            log = self.base
        else:
            log = session.log
            clock = session.journal.clock
            self.begin = clock.start(max(1, clock.scan_at(min(since, log.end))))
            upto = int(np.searchsorted(log.times, self.begin, side="right"))
            self.base = Log(log.times[:upto], log.tags[:upto], log.values[:upto], log.origin, self.begin, log.clock, log.zone)
        self.now = self.begin
        self._stand(log)

    def _stand(self, log: Log) -> None:
        """Come to the beginning of the bench through a log."""
        self._trials = Trials(self.controller, log, self.begin + 1)
        self._log = log
        self._recent = self._since_checkpoint()
        self._made: tuple[tuple[object, ...], Journal] | None = None

    def _controller(self, profile: Profile) -> Controller:
        """The session's program with another profile."""
        one = self.session.controller
        return Controller(one.program, profile, one.resource, one.plain)

    def _since_checkpoint(self) -> Log:
        """Of what was there before: the rows that the checkpoint has not taken yet, and each tag's last one before it. A day's log is not
        copied for each scan."""
        base = self.base
        taken = int(np.searchsorted(base.times, self._trials.checkpoint.taken, side="right"))
        _, last = np.unique(base.tags[:taken][::-1], return_index=True)
        rows = np.concatenate([np.sort(taken - 1 - last), np.arange(taken, len(base.times))])
        return replace(base, times=base.times[rows], tags=base.tags[rows], values=base.values[rows])

    def _from_nothing(self, given: Mapping[int, int]) -> Log:
        """A first row for every input, and for what is given."""
        running = self.session.running
        first = self._at_rest() | dict(given)
        if self.plant is not None:
            first |= {running.by_name[name.lower()]: value for _, name, value in self.plant().begin()}
        tags = sorted(first)
        return Log(np.zeros(len(tags), np.int64), np.array(tags, np.int32), np.array([first[t] for t in tags], np.int64))

    def _at_rest(self) -> dict[int, int]:
        """Inputs before anybody has touched anything: normally closed contacts are made, numbers stand as declared."""
        points, tags = self.session.iolist.points, self.session.running.tags
        return {t: int(points[t].wiring is Wiring.NORMALLY_CLOSED) if t in points and tags[t].type.family is Family.BOOL else tags[t].initial
                for t in self.inputs}

    @cached_property
    def inputs(self) -> list[int]:
        """What can be operated: points at %I, points at %Q that no rung writes, and tags that are read, never written, and no constants: an
        operator's panel."""
        running, written_ = self.session.running, self.controller.written
        read = {t for step in range(len(self.controller.steps.all)) for u in self.controller.access.of_step(step) if not u.writes for t in u.tags()}
        found = []
        for tag in running.tags[:running.public]:
            at_input = tag.address is not None and (tag.address.area == "I" or (tag.address.area == "Q" and tag.index not in written_))
            panel = tag.index in read and tag.index not in written_ and not tag.constant and not tag.computed and "." not in tag.name
            if at_input or panel:
                found.append(tag.index)
        return found

    @cached_property
    def outputs(self) -> list[int]:
        """The points at %Q; of a program without any the global BOOL tags that it writes."""
        public = self.session.running.tags[:self.session.running.public]
        found = [t.index for t in public if t.at_output]
        return found or [t.index for t in public if t.type.family is Family.BOOL and t.index in self.controller.written and "." not in t.name
                         and not t.computed]

    @cached_property
    def numbers(self) -> list[int]:
        """The numbers that the program works with and that are neither points nor operated already: as they are declared, elements of tables
        one by one; pins of blocks are none."""
        running, others = self.session.running, {*self.inputs, *self.outputs}
        pins = running.block_pins()
        return [t.index for t in running.tags[:running.public] if t.type.family in NUMBERS and t.index not in others and t.index not in pins
                and not t.constant and not t.computed]

    # what stands

    @property
    def trial(self) -> Trial:
        """The forces."""
        return Trial((), (), tuple(self.forces))

    def log(self, end: int | None = None, base: Log | None = None) -> Log:
        """The log of all that was there before and all that was done since. Args: base: what of the former, by default all."""
        rows = sorted((*self.rows, *self.answers), key=lambda r: r[0])
        base = base or self.base
        times = np.concatenate([base.times, np.array([r[0] for r in rows], np.int64)])
        tags = np.concatenate([base.tags.astype(np.int32), np.array([r[1] for r in rows], np.int32)])
        values = np.concatenate([base.values.astype(np.int64), np.array([r[2] for r in rows], np.int64)])
        return Log(times, tags, values, base.origin, self.now if end is None else end, base.clock, base.zone)

    @property
    def journal(self) -> Journal:
        """What the controller did, from the beginning of the bench to now."""
        key = self.now, tuple(self.rows), len(self.answers), tuple(self.forces)
        if self._made is None or self._made[0] != key:
            self._made = key, self._run(self.now)
        return self._made[1]

    def _run(self, until: int) -> Journal:
        return self._trials.run(self.trial, until, self.log(until, self._recent))

    @property
    def scan(self) -> int:
        """The scan that was executed last."""
        return self.journal.clock.last

    def value(self, tag: int) -> int:
        """A tag's raw value at the end of the last scan."""
        return self.journal.settled(tag, self.scan)

    def given(self, tag: int) -> int:
        """What an input is set to by hand or by the machine, also where no scan has seen it yet."""
        later = [v for t, number, v in sorted((*self.rows, *self.answers)) if number == tag and t <= self.next_start]
        return later[-1] if later else self.value(tag)

    def view(self) -> Session:
        """A session that stands where the bench does, for all that draws and explains: its journal begins where the bench does."""
        return self._as_session(self.journal, self.log(base=self._recent))

    def whole(self) -> Session:
        """The same, replayed from the log's start: questions are asked of it."""
        log = self.log()
        return self._as_session(self.controller.replay(log, self.trial), log)

    def _as_session(self, journal: Journal, log: Log) -> Session:
        found = session_with(self.session, controller=self.controller, log=log, inquiry=None, xref=None, search=None, answers={}, drops={})
        found.take(journal)
        return found

    # what is done

    @property
    def next_start(self) -> int:
        """When the next scan begins, as far as is known (ns)."""
        return self.now + self.controller.scan_time

    def prepare(self, tag: int, value: int | None) -> None:
        """Set an input for the next apply; None: leave it."""
        if value is None:
            self.prepared.pop(tag, None)
        else:
            self.prepared[tag] = value

    def apply(self, springs: frozenset[int] = frozenset(), forces: Mapping[int, int | None] = MappingProxyType({})) -> list[int]:
        """Everything prepared becomes true in the same scan, the next; what springs back does so after a press. The tags that were set.

        Args: forces: tags to keep at a value from that scan on; None: released there.
        """
        done = dict(self.prepared)
        self.prepared.clear()
        self._change(done, springs, forces)
        return sorted(done)

    def force(self, tag: int, value: int | None) -> None:
        """Keep a tag at a value from the next scan on; None: release it there. What is prepared waits."""
        self._change({}, frozenset(), {tag: value})

    def release(self) -> None:
        """Release all that is forced, in the next scan."""
        self._change({}, frozenset(), dict.fromkeys(self.forced()))

    def edit(self, tag: int, value: int) -> None:
        """Write a tag that the program writes too, in the next scan, as somebody at a panel would: what the program writes later stands again.

        The profile that goes with the saved log names it as written from outside (CONTROLLER.md, Profile, external).
        """
        name, profile = self.session.running.tags[tag].name, self.controller.profile
        if name not in profile.external:
            self._trials.close()
            self.controller = self._controller(replace(profile, external=(*profile.external, name)))
            self.base = _without(self.base, tag)
            self._stand(_without(self._log, tag))
        now = self.value(tag)
        # Of such a tag only changes count: without the first row the same value could not be written twice.
        self.give([(self.next_start, tag, now), (self.next_start, tag, value)])

    def give(self, rows: list[Row]) -> None:
        """Rows from the next scan on, now or later."""
        self._cut()
        self._give(rows)

    def _change(self, inputs: Mapping[int, int], springs: frozenset[int], forces: Mapping[int, int | None]) -> None:
        at = self.next_start
        self._cut()
        rows: list[Row] = [(at, tag, value) for tag, value in inputs.items()]
        rows += [(at + PRESS, tag, self.given(tag)) for tag in inputs if tag in springs]
        self._give(rows)
        self.forces = [replace_until(f, at) if f.tag in forces and f.until is None else f for f in self.forces]
        self.forces += [Hold(tag, value, at) for tag, value in forces.items() if value is not None]

    def _give(self, rows: list[Row]) -> None:
        first: dict[int, int] = {}
        for time, tag, _ in rows:
            first[tag] = min(time, first.get(tag, time))
        # a press that still was to spring back is overtaken by a later hand
        self.rows = [r for r in self.rows if r[0] < first.get(r[1], r[0] + 1)] + rows
        self._coupled = None

    def _cut(self) -> None:
        """Going on from an earlier scan: what was done later is undone."""
        self._coupled = None
        if not self._went_back:
            return
        self._went_back = False
        self.rows = [r for r in self.rows if r[0] <= self.now or self._springs_from(r)]
        self.forces = [f if f.until is None or f.until <= self.now else Hold(f.tag, f.value, f.start) for f in self.forces if f.start <= self.now]

    def _springs_from(self, row: Row) -> bool:
        """Whether a row to come springs back from a press that has been applied."""
        return any(r[1] == row[1] and r[0] == row[0] - PRESS and r[0] <= self.now for r in self.rows)

    def forced(self) -> dict[int, int]:
        """The tags that are forced, with their values."""
        return {f.tag: f.value for f in self.forces if f.until is None}

    def released(self, tags: list[int] | None = None, scans: int = 3) -> list[Release]:
        """What turns within a few scans if forces are released now: shown before it is done."""
        at, until = self.next_start, self.now + scans * self.controller.scan_time
        kept = self._run(until)
        forces = self.forces
        try:
            self.forces = [replace_until(f, at) if f.until is None and (tags is None or f.tag in tags) else f for f in forces]
            free = self._run(until)
        finally:
            self.forces = forces
        found = []
        for tag in range(self.session.running.public):
            before, after = kept.settled(tag, kept.clock.last), free.settled(tag, free.clock.last)
            if before != after:
                found.append(Release(tag, before, after))
        return found

    def would_write(self, tag: int) -> int | None:
        """What the program would have written to a forced tag by now; None where it is not forced."""
        return self.journal.unforced(tag, self.scan) if tag in self.forced() else None

    # time

    def step(self, scans: int = 1) -> None:
        """Some scans on."""
        for _ in range(scans):
            before, until = self.scan, self.next_start
            for _ in range(LATEST):
                self._advance(until)
                if self.scan > before:
                    break
                until += self.controller.scan_time
            self.now = self.journal.clock.start(self.scan)

    def back(self, scans: int = 1) -> bool:
        """Some scans back, not before the beginning; whether there was room for any."""
        clock = self.journal.clock
        wanted = max(clock.scan_at(self.begin), self.scan - scans)
        moved = clock.start(wanted) < self.now
        self.now, self._went_back = clock.start(wanted), self._went_back or moved
        return moved

    def run(self, time: int) -> None:
        """So much time on (ns), all its scans."""
        until = self.now + time
        self._advance(until)
        self.now = self.journal.clock.start(self.scan)

    def until_change(self, tags: list[int]) -> int | None:
        """On to the scan in which one of some tags turns next; it, or None where none does within an hour."""
        span, scan, begin = self.controller.scan_time * 16, self.scan, self.now
        while span <= FARTHEST:
            self._advance(begin + span)
            journal = self._run(begin + span)
            position = journal.settled_position(scan)
            rows = [row for tag in tags if (row := journal.next_row(tag, position)) is not None]
            if rows:
                first = min(rows)
                self.now, self._coupled = journal.clock.start(journal.scan(first)), None
                return journal.tag(first)
            span *= 4
        self.now, self._coupled = begin, None
        return None

    def until(self, condition: str) -> str:
        """On to where a condition holds next; what was come to, in words."""
        span, begin, wrong = self.controller.scan_time * 16, self.now, ""
        while span <= FARTHEST:
            self._advance(begin + span)
            found = find(self._as_session(self._run(begin + span), self.log(begin + span, self._recent)), condition)
            wrong = found.wrong if not found.times else ""
            if wrong or not found.times:
                break
            at = next((s for s in found.starts if s > begin), None)
            if at is not None:  # an input's row: the scan that sees it is the one that starts then or next
                clock = self._run(begin + span).clock
                scan = clock.scan_at(at)
                self.now, self._coupled = clock.start(scan if clock.start(scan) >= at else min(scan + 1, clock.last)), None
                return f"{condition}: here"
            span *= 4
        self.now, self._coupled = begin, None
        return wrong or f"{condition} does not come true within an hour; it stands where it stood"

    def _advance(self, until: int) -> None:
        """Let the machine answer up to a time, where one is coupled; without one the journal says it all."""
        if self.plant is not None:
            if self._coupled is None:
                self._couple()
            self._answer(until)
        self.now = until

    def _couple(self) -> None:
        """The controller beside its machine, both from the beginning on to the present scan: the machine answers as it did before."""
        assert self.plant is not None
        self.answers = []
        feed = self.controller.feed(self.log(FARTHEST + self.now), self.trial, FARTHEST + self.now)
        engine, plant = self.controller.machine(feed), self.plant()
        list(plant.begin())
        engine.break_on_outputs(True)
        self._coupled = engine, plant
        self._answer(self.now)

    def _answer(self, until: int) -> None:
        assert self._coupled is not None
        engine, plant = self._coupled
        running = self.session.running
        outputs = [running.tags[t] for t in self.outputs]
        while True:
            following = plant.next_time()
            limit = until if following is None or following > until else following - 1
            if engine.run(limit) is Status.OUTPUT_CHANGED:
                plant.outputs(engine.start, {t.name: engine.value(t.index) for t in outputs})
                continue
            if following is None or following > until:
                return
            new = sorted((t, running.by_name[n.lower()], v) for t, n, v in plant.advance(following))
            self.answers += new
            if new:
                times, tags, values = (np.array(column) for column in zip(*new, strict=True))
                engine.feed_more(times.astype(np.int64), tags.astype(np.int32), values.astype(np.int64))

    # what is kept

    def save(self, path: Path) -> None:
        """Write all rows as a log that any other command takes: times in seconds from its first row; the last row says how far it went.

        Raises: UsageError for another ending than .csv, or a file that cannot be written.
        """
        if path.suffix.lower() != ".csv":
            raise UsageError(str(path), f"{path.suffix or 'no suffix'} is no format of the bench's logs", "end the name in .csv")
        log, tags = self.log(), self.session.running.tags
        keep = log.times <= self.now
        lines = [f"{_seconds(t)},{tags[n].name},{value_text(v, tags[n].type)}"
                 for t, n, v in zip(log.times[keep].tolist(), log.tags[keep].tolist(), log.values[keep].tolist(), strict=True)]
        # rows without a value say nothing but their time
        if tags and not lines:
            lines.append(f"{_seconds(0)},{tags[0].name},")
        if lines and (not keep.any() or log.times[keep][-1] < self.now):
            lines.append(f"{_seconds(self.now)},{tags[int(log.tags[keep][-1]) if keep.any() else 0].name},")
        with written(path, self.session.paths.inputs) as fresh:
            fresh.write_text("\n".join(["time,tag,value", *lines, ""]), encoding="utf-8")
        if self.needs_profile:
            with written(path.with_suffix(".toml"), self.session.paths.inputs) as fresh:
                fresh.write_text(profile_text(self._profile()), encoding="utf-8")

    @property
    def needs_profile(self) -> bool:
        """Whether the saved log is the same only with a profile of its own: it is written beside it."""
        return self.controller.profile != self.session.controller.profile

    def _profile(self) -> dict[str, Any]:
        """The session's profile as it was written, with what the bench adds."""
        path, mine = self.session.paths.profile, self.controller.profile
        found = profile_table(path) if path is not None else {}
        return found | {"external": list(mine.external), "start": mine.start.value}

    def close(self) -> None:
        """Free the machines."""
        self._trials.close()
        if self._coupled is not None:
            self._coupled[0].close()


def replace_until(force: Hold, until: int) -> Hold:
    """A force that ends at a time; one that would end as it begins never was."""
    return Hold(force.tag, force.value, force.start, max(until, force.start + 1))


def _without(log: Log, tag: int) -> Log:
    """A log without the rows of a tag."""
    keep = log.tags != tag
    return replace(log, times=log.times[keep], tags=log.tags[keep], values=log.values[keep])


def _seconds(time: int) -> str:
    return f"{time // 1_000_000_000}.{time % 1_000_000_000:09d}"
