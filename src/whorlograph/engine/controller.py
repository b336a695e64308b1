"""The virtual controller: a program made ready once, replayed on logs as often as asked."""

from __future__ import annotations

import time
from collections.abc import Callable, Generator
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property, partial
from threading import Timer
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec
from msgspec import Struct

from whorlograph.engine.feed import Feed, Trial, make_feed
from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.formats.decoding import unpacked
from whorlograph.model.errors import Stopped, WhorlographError
from whorlograph.model.limits import JOURNAL_ROW, memory_room
from whorlograph.model.literals import duration_text
from whorlograph.model.log import Log
from whorlograph.model.moment import ScanClock
from whorlograph.model.place import Notice, Place
from whorlograph.model.profile import Profile
from whorlograph.model.program import OpaqueBody, Program
from whorlograph.model.steps import Steps
from whorlograph.model.tags import Running

from .access import Access, How, Use, written_tags
from .calls import Calls
from .code import Base, Code, Target
from .evaluate.steps import Again
from .faults import Faults
from .from_plain import journal_of_record, records_of
from .front.compile import compile_code
from .journal import Fault, Journal
from .kept import name_of, put_later, take
from .path import Paths
from .quiet_runs import add_counted_runs, add_quiet_runs
from .rows import Records
from .schedule import Schedule, make_schedule
from .scope.mentions import mentions
from .scope.overlap import shared_bits
from .scope.rings import without_rings
from .scope.steps import number_steps
from .scope.unreadable import Reading, unreadable
from .wasm import layout as at
from .wasm.status import Status

if TYPE_CHECKING:
    from .plain.memory import Record
    from .wasm.machine import Checkpoint, Machine, RawFault
    from .wasm.module import Module

Sink = Callable[[list[Records], ScanClock], None]  # is handed what would come into the journal

DEFAULT_SCAN = 10_000_000
WORTH_STEPS = 200  # from which on a program's code is worth keeping
FIRST_PIECE = 60_000_000_000  # ns of log
PIECE_SECONDS = 0.08
MOST_SECONDS = 0.3  # of a piece: how much happens in a stretch of log is not known before
SINK_SECONDS = 0.03  # where rows are handed over: what takes them works beside, and is to be done soon after the end
MOST_CHECKPOINTS = 256  # of one replay; of more every second one goes
CHECKPOINT_SECONDS = 1.0  # of work from one checkpoint of a replay to the next


class _Made(NamedTuple):
    """A program's code, the tags that it writes, what of it is not executed."""

    code: Code
    written: set[int]
    notices: list[Notice]


class Progress(Struct, frozen=True):
    """How far a replay has come: the time (ns) up to which everything is known, of how much; rows so far.

    ``so_far`` gives the journal up to there, to be asked while the replay stands at this progress.
    """

    done: int
    total: int
    rows: int
    so_far: Callable[[], Journal]


def _tags_of(code: Code, targets: list[tuple[Target, ...]]) -> frozenset[int]:
    """The tags that targets of each body are, in any instance."""
    return frozenset(target.cell + (one.own if target.base in (Base.OWN, Base.FRAME) else 0)
                     for one in code.instances if one.body >= 0 for target in targets[one.body])


def _run_a_while(machine: Machine, until: int) -> bool:
    """Run up to a time (ns), but no longer than ``MOST_SECONDS``; whether it was reached."""
    timer = Timer(MOST_SECONDS, machine.stop)
    timer.daemon = True
    timer.start()
    try:
        return machine.run(until) is not Status.STOPPED
    finally:
        timer.cancel()
        timer.join()  # it must not stop a machine that is closed meanwhile


@dataclass
class Controller:
    """A program with its profile, instances, tags and steps.

    ``source``: a digest of the file that the program was read from, unchanged, so that its module can be kept; "" else.
    ``written``: the tags that the program writes; those of opaque bodies come from the log.
    """

    program: Program
    profile: Profile
    resource: str = ""
    plain: bool = False
    source: str = ""
    running: Running = field(init=False)
    schedule: Schedule = field(init=False)
    code: Code = field(init=False)
    steps: Steps = field(init=False)
    notices: list[Notice] = field(init=False)
    written: set[int] = field(init=False)
    _compiled: tuple[Module, Callable[[], Any]] | None = None
    _as_written: tuple[Module, Callable[[], Any]] | None = None
    _checkpoints: tuple[Log | None, list[Checkpoint]] = (None, [])

    def __getstate__(self) -> dict[str, Any]:
        """All but the compiled program, which belongs to its process, and the steps, which go by identity, with what knows them."""
        return {name: value for name, value in self.__dict__.items() if name not in ("steps", "calls", "access", "paths")} | {
            "_compiled": None, "_as_written": None, "_checkpoints": (None, [])}

    def __setstate__(self, state: dict[str, Any]) -> None:
        self.__dict__ |= state
        self.steps = number_steps(self.running, self.code)

    def __post_init__(self) -> None:
        made = self._made_before()
        executed, rings = without_rings(self.program) if made is None else (self.program, [])
        self.running, self.notices = elaborate(executed, self.resource, self.profile.addressing)
        self.notices = rings + self.notices
        self.schedule, notices = make_schedule(self.program, self.running, self.profile, self.resource)
        self.notices += notices
        self.code, self.written, unread = made or self._made_now(not rings)
        self.steps = number_steps(self.running, self.code)
        self.notices += unread + self._more_notices()

    @property
    def _made_name(self) -> str:
        return name_of("code", self.source, self.resource, repr(self.profile))

    def _made_before(self) -> _Made | None:
        """What an earlier run has made of the same file; kept only of programs without rings."""
        data = take(self._made_name, ".code") if self.source else None
        if data is not None:
            with suppress(msgspec.MsgspecError):
                return unpacked(data, _Made)
        return None

    def _made_now(self, keep: bool) -> _Made:
        reading = Reading(self.running)
        code = compile_code(self.running, self.profile, self.schedule.by_name, reading)
        written = written_tags(code)
        if not written.isdisjoint(_tags_of(code, [b.bounds for b in code.bodies])):  # a constant that is one by name only
            code = compile_code(self.running, self.profile, self.schedule.by_name, reading, constants=False)
        made = _Made(code, written, reading.notices())
        if keep and self.source and code.steps > WORTH_STEPS:
            put_later(self._made_name, ".code", lambda: msgspec.msgpack.encode(made))
        return made

    @cached_property
    def calls(self) -> Calls:
        """Who calls whom."""
        return Calls(self.code)

    @cached_property
    def paths(self) -> Paths:
        """Which steps ran in which scan."""
        return Paths(self.running, self.steps, self.calls, self.schedule.of_program)

    def again(self) -> Again:
        """What executes steps again: one for each replay, since what it finds out is kept in it."""
        return Again(self.running, self.calls, self.paths, self.profile)

    @cached_property
    def access(self) -> Access:
        """Who reads and writes what."""
        def mentioned(step: int) -> list[Use]:
            found = mentions(self.steps.all[step], self.running)
            return [Use(m.tag, step, m.element, How.SUBSCRIPT if m.subscript else How.WRITE if m.writes else How.READ, m.writes) for m in found]

        return Access(self.running, self.calls, mentioned)

    @cached_property
    def left_out(self) -> dict[int, str]:
        """By tag that only rungs or bodies write which are not executed: such a one, and why it is not."""
        return {tag: why for tag, why in self._not_executed.items() if tag not in self.written}

    @cached_property
    def partly_left_out(self) -> dict[int, str]:
        """The same by tag that others write too, which are executed: the log gives it no values."""
        return {tag: why for tag, why in self._not_executed.items() if tag in self.written}

    @cached_property
    def _not_executed(self) -> dict[int, str]:
        found: dict[int, str] = {}
        for one in self.running.instances():
            if one.pou is None or not isinstance(one.pou.body, OpaqueBody):
                continue
            for name in one.pou.body.assigns:
                tag = self.running.by_name.get(f"{one.name}.{name}".lower(), self.running.by_name.get(name.lower()))
                if tag is not None:
                    found.setdefault(tag, f"{one.pou.name}, which is not executed")
        for step in self.steps.all:
            why = unreadable(step.rung, step.instance, self.running)
            for mention in mentions(step, self.running) if why else ():
                if mention.writes:
                    found.setdefault(mention.tag, f"{step.pou} {step.rung.number}, which is not executed: {why}")
        return found

    @cached_property
    def _touched(self) -> set[int]:
        """The tags that the program's steps write, and those that share bits with them."""
        shares = shared_bits(self.running.tags[:self.running.public], self.profile.addressing)
        touched = self.written | self.bounds
        return touched | {s.other for t in touched for s in shares.get(t, ())}

    @cached_property
    def scan_time(self) -> int:
        """From one scan's start to the next one's, ns (CONTROLLER.md, Profile)."""
        if self.profile.scan_time is not None:
            return self.profile.scan_time
        known = [t.interval for t in self.schedule.tasks if t.interval and t.programs]
        if self.running.programs and not self.schedule.cyclic and known:
            return min(known)
        return DEFAULT_SCAN

    @property
    def mismatch_after(self) -> int:
        """How long log and computation must differ to be a mismatch, ns."""
        return self.profile.mismatch_after if self.profile.mismatch_after is not None else 2 * self.scan_time

    @property
    def _faults(self) -> Faults:
        return Faults(self.running, self.steps, self.profile)

    def _more_notices(self) -> list[Notice]:
        found = []
        for pou in self.program.pous.values():
            if isinstance(pou.body, OpaqueBody) and pou.body.assigns:
                names = ", ".join(pou.body.assigns[:4])
                found.append(Notice(pou.place, f"not executed; it writes {names}", "answers that rest on these say so"))
        return found

    def feed(self, log: Log, trial: Trial | None = None, until: int | None = None) -> Feed:
        """First values and input changes for a replay."""
        return make_feed(self.running, log, self.written | self.bounds, self.profile, self.schedule, trial, until)

    @cached_property
    def counters(self) -> frozenset[int]:
        """The variables of loops that are laid out: what they count is fixed, unless they are held from outside."""
        return _tags_of(self.code, [b.counted for b in self.code.bodies])

    @cached_property
    def bounds(self) -> frozenset[int]:
        """The constants that tell how many passes such loops make. The log gives them no values: where it has others, it disagrees."""
        return _tags_of(self.code, [b.bounds for b in self.code.bodies])

    @cached_property
    def fixed(self) -> frozenset[int]:
        """Both: what is known before anything runs, unless it is held from outside; then the loops run as they are written."""
        return self.counters | self.bounds

    def _compile(self, as_written: bool = False) -> tuple[Module, Callable[[], Any]]:
        """The program as a module, and what waits for its machine code. Args: as_written: with no loop laid out.

        Raises: ImportError or OSError where wasmtime does not load.
        """
        from .wasm.kept import kept_module, machine_code
        from .wasm.module import compile_text

        def make() -> Module:
            code = compile_code(self.running, self.profile, self.schedule.by_name, Reading(self.running), True, bool(self.bounds)) \
                if as_written else self.code
            return compile_text(code, self.running, self.profile, self.schedule, self.scan_time)

        if self.source and not as_written:
            return kept_module(f"{self.source} {self.resource} {self.profile}", make)
        module = make()
        code = machine_code(module)
        return module, lambda: code

    def prepare(self) -> None:
        """Begin to compile: the machine code comes while other work, like the reading of logs, goes on."""
        if not self.plain and self._compiled is None:
            with suppress(ImportError, OSError):
                self._compiled = self._compile()

    def _held(self, feed: Feed) -> bool:
        """Whether something from outside makes a loop that is laid out take other passes."""
        fixed = self.fixed
        return bool(fixed) and (not fixed.isdisjoint(feed.inputs) or any(tag in fixed for _, tag, _, _ in feed.forces)
                                or any(feed.initial[tag] != self.running.tags[tag].initial for tag in self.bounds))

    def machine(self, feed: Feed) -> Machine:
        """A machine loaded with the program, before its first scan.

        Raises: ImportError or OSError where wasmtime does not load.
        """
        from .wasm.machine import Machine

        if self._held(feed):
            self._as_written = self._as_written or self._compile(as_written=True)
            module, code = self._as_written
        else:
            self._compiled = self._compiled or self._compile()
            module, code = self._compiled
        return Machine(module, code(), self.profile, feed)

    def replay(self, log: Log, trial: Trial | None = None, until: int | None = None, stop: Callable[[], bool] = lambda: False,
               sink: Sink | None = None, told: Callable[[Progress], None] = lambda progress: None) -> Journal:
        """Replay a log from its start.

        Args: sink: as in ``replaying``; told: is handed the progress after each piece.
        Raises: Stopped where ``stop`` says so before the end; WhorlographError where its changes would fill the memory.
        """
        work = self.replaying(log, trial, until, stop, sink)
        while True:
            try:
                told(next(work))
            except StopIteration as done:
                journal: Journal = done.value
                if journal.full:
                    reached, whole = duration_text(journal.clock.start(journal.clock.last)), duration_text(log.end)
                    raise WhorlographError(self.program.file, f"after {reached} of {whole} of log the replay has {len(journal):,} changes, as many "
                                           "as the memory holds", "give a shorter log, or replay --out with --until") from None
                if not journal.complete:
                    raise Stopped from None
                return journal

    def replaying(self, log: Log, trial: Trial | None = None, until: int | None = None, stop: Callable[[], bool] = lambda: False,
                  sink: Sink | None = None) -> Generator[Progress, None, Journal]:
        """Replay a log piece by piece, telling progress about ten times a second.

        Args: stop: looked at after each piece; what is replayed by then comes back, marked as not complete. sink: is handed the records of
            changes of each piece, which the journal then has not (of the plain interpreter's, all at the end), and the clock up to there; a
            piece may end inside a scan, with rows of tasks that run before it.
        """
        feed = self.feed(log, trial, until)
        if self.plain:
            return (yield from self._plainly(feed, stop, sink))
        try:
            machine = self.machine(feed)
        except (ImportError, OSError) as error:
            self.plain = True
            self.notices.append(Notice(Place(self.program.file), f"the compiled engine does not run here ({error})",
                                       "the plain interpreter does the work: the same rows, much slower"))
            return (yield from self._plainly(feed, stop, sink))
        machine.keeps = sink is None
        seconds = PIECE_SECONDS if sink is None else SINK_SECONDS
        reached, piece = 0, FIRST_PIECE
        plain_log = trial is None
        if plain_log:
            self._checkpoints = (log, [])
        noted = time.perf_counter()
        most, full = memory_room() // JOURNAL_ROW, False
        complete = False
        while not stop():
            began = time.perf_counter()
            target = min(feed.end, reached + piece)
            came = _run_a_while(machine, target)
            reached = target if came else max(reached, machine.start)
            complete = came and target == feed.end
            if complete:
                break
            took = time.perf_counter() - began
            piece = int(piece * min(4.0, max(0.25, seconds / max(took, 0.001)))) + 1
            if plain_log and time.perf_counter() - noted > CHECKPOINT_SECONDS:
                self._checkpoints[1].append(machine.checkpoint())
                if len(self._checkpoints[1]) > MOST_CHECKPOINTS:
                    del self._checkpoints[1][::2]
                noted = time.perf_counter()
            if sink is not None:
                sink(*machine.columns.handed_over())
            elif machine.columns.rows > most:
                full = True
                break
            yield Progress(reached, feed.end, machine.columns.rows, partial(self.journal_of, machine, feed, reached, False))
        if sink is not None:
            sink(*machine.columns.handed_over())
        journal = self.journal_of(machine, feed, reached, complete)
        journal.full = full
        machine.close()
        return journal

    def checkpoint_before(self, log: Log, time: int) -> Checkpoint | None:
        """The last checkpoint of a log's replay whose scans, and what they have taken, lie before a time (ns)."""
        found = [c for c in self._checkpoints[1] if c.start < time and c.taken < time] if self._checkpoints[0] is log else []
        return found[-1] if found else None

    def journal_of(self, machine: Machine, feed: Feed, reached: int | None = None, complete: bool = True) -> Journal:
        """The journal of a machine that has run up to a time, by default the feed's end, for good or so far."""
        end = feed.end if reached is None else reached
        scans = machine.scan
        distance = machine.distance(self.scan_time)
        more = max(0, end - machine.start) // distance if scans else 0
        scans += more
        raw = machine.fault()
        fault = self._fault(raw, machine) if raw is not None else None
        journal = machine.columns.journal(list(feed.initial), scans, fault)
        if self.schedule.tasks:
            add_counted_runs(journal, machine, self.schedule)
            if more and fault is None:
                add_quiet_runs(journal, machine, self.schedule, machine.start + more * distance)
        if more and distance != machine.period:
            journal.clock.scans.append(machine.scan + 1)
            journal.clock.starts.append(machine.start + distance)
            journal.clock.periods.append(distance)
        journal.complete = complete
        return journal

    def _fault(self, raw: RawFault, machine: Machine) -> Fault:
        code = at.FAULT_NAMES[raw.code]
        tag = raw.tag if raw.tag >= 0 else None
        step = max(-1, min(raw.step, len(self.steps.all) - 1))
        text = self._faults.text(code, tag, raw.a, raw.b)
        return self._faults.told(Fault(raw.scan, raw.number, step, self._element(step, raw.at), code, tag, text), machine.passes())

    def _element(self, step: int, node: int) -> int:
        """The element that a node of a step's body came from; 0 where there is none."""
        if step < 0 or node < 0:
            return 0
        body = next(self.code.bodies[i.body] for i in self.code.instances
                    if i.body >= 0 and i.first <= step < i.first + len(self.code.bodies[i.body].steps))
        return body.origins[node].element

    def _plainly(self, feed: Feed, stop: Callable[[], bool], sink: Sink | None) -> Generator[Progress, None, Journal]:
        """Replay with the plain interpreter."""
        from .plain.interpreter import Interpreter

        interpreter = Interpreter(self.running, self.steps, self.profile, self.schedule, self._touched, self.scan_time)
        work = interpreter.scans(feed)
        told = time.perf_counter()
        try:
            while True:
                reached = next(work)
                if time.perf_counter() - told > PIECE_SECONDS:
                    if stop():
                        journal = journal_of_record(interpreter.so_far(), feed, self._faults)
                        journal.complete = False
                        return journal
                    told = time.perf_counter()
                    so_far = partial(journal_of_record, interpreter.so_far(), feed, self._faults)
                    yield Progress(reached, feed.end, len(interpreter.m.record.rows), so_far)
        except StopIteration as done:
            record: Record = done.value
        journal = journal_of_record(record, feed, self._faults)
        if sink is not None:
            sink([records_of(record)], journal.clock)
        return journal
