"""The reference interpreter: every step in every scan and task run, straight from the model (CONTROLLER.md, Scan and tasks)."""

from __future__ import annotations

from collections.abc import Callable, Generator
from functools import partial

from whorlograph.engine.feed import DUE, FORCE, MASK, NOTE_FORCED, NOTE_UNFORCED, UNFORCE, Event, Feed
from whorlograph.engine.schedule import MOST_STEPS, Schedule, Task
from whorlograph.engine.scope.mentions import tags_looked_at
from whorlograph.model.profile import Profile
from whorlograph.model.steps import Steps
from whorlograph.model.tags import Running
from whorlograph.model.types import Family

from .functions import Halt
from .ladder import Ladder
from .memory import CONTROLLER, Memory, PlainFault, Record

FIRST_NUMBER = -(1 << 20)
LOWEST = 1 << 30


class _Running:
    """A task as it stands: when it is next due by itself, what waits, whether it is held."""

    def __init__(self, task: Task, due: int | None, inputs: set[int]) -> None:
        self.task, self.next, self.inputs = task, due, inputs
        self.pending: int | None = None
        self.held = False


class Interpreter:
    """Runs a program on a feed, evaluating everything.

    Args: written: the tags that the program's steps write, and those that share bits with them.
    """

    def __init__(self, running: Running, steps: Steps, profile: Profile, schedule: Schedule, written: set[int], scan_time: int) -> None:
        self.running, self.steps, self.profile, self.schedule, self.scan_time = running, steps, profile, schedule, scan_time
        self.m = Memory(running, steps, profile)
        self.ladder = Ladder(self.m, self.comes, self.passed, self.ordered)
        self.written = written | {t for n in profile.external if (t := running.find(n)) is not None}
        self.at = 0
        self.rows: list[Event] = []
        self.forces: list[Event] = []
        self.image: dict[int, int] = {}
        self.touched: dict[int, None] = {}
        self.priority = LOWEST
        self.watched_from = 0
        self.before = 0
        self.halted = False
        self.tasks: list[_Running] = []
        self.triggers: dict[int, list[Task]] = {}

    def run(self, feed: Feed) -> Record:
        """Run all scans whose start is not after the feed's end."""
        work = self.scans(feed)
        while True:
            try:
                next(work)
            except StopIteration as done:
                record: Record = done.value
                return record

    def so_far(self) -> Record:
        """What there is by now."""
        self.m.record.scans = self.m.scan
        self.m.record.waiting = [(o.task.number, o.pending) for o in self.tasks if o.pending is not None]
        return self.m.record

    def scans(self, feed: Feed) -> Generator[int, None, Record]:
        """Scan after scan; the start (ns) of each that is done."""
        self.begin(feed)
        m, record = self.m, self.m.record
        start, period, end, length_before, longest = 0, -1, 0, 0, 0
        while True:
            s = max(start + self.scan_time, end) if m.scan else 0
            if s > feed.end:
                break
            m.scan += 1
            m.current = -1
            if m.scan > 1 and not self.halted:
                s = self.between(s, end)
            if s > feed.end:
                m.scan -= 1
                break
            if s != start + period:
                period = s - start if m.scan > 1 else self.scan_time
                record.stretches.append((m.scan, s, period))
            start = m.now = m.base = self.watched_from = s
            m.number, m.current, self.priority = 0, -1, LOWEST
            while self.forces and self.forces[0][0] <= s:
                _, tag, value, kind = self.forces.pop(0)
                self.force(kind, tag, value)
            self.take(s)
            for tag in self.touched:
                m.put(tag, self.image[tag])
            self.touched.clear()
            if not self.halted:
                self.guarded(self.scan)
            for step, target, times in self.ladder.taken():
                record.passes.append((m.scan, step, target, times))
            length = m.number * self.profile.rung_time
            end = s + length
            if self.profile.rung_time and length != length_before:
                length_before = length
                record.lengths.append((m.scan, length))
                longest = self.told(length, longest)
            self.before = 0
            yield s
        return self.so_far()

    def begin(self, feed: Feed) -> None:
        """Values and tasks before the first scan."""
        self.m.values = dict(enumerate(feed.initial))
        self.m.values |= dict.fromkeys((f.number for f in self.steps.flags.values()), 0)
        self.image = dict(enumerate(feed.initial))
        self.rows = list(zip(feed.times.tolist(), feed.tags.tolist(), feed.values.tolist(), feed.kinds.tolist(), strict=True))
        self.forces = list(feed.forces)
        waits = {self.running.find(n) for n in (*self.profile.external, self.profile.first_scan) if n}
        for task, due in zip(self.schedule.tasks, feed.tasks_due, strict=True):
            looked = {t for i in task.programs for t in tags_looked_at(self.running.programs[i], self.steps, self.running)}
            looked |= {s.other for t in looked for s in self.m.shares.get(t, ())}
            self.tasks.append(_Running(task, due, looked - waits))
            if task.single is not None and not task.at_start:
                address = self.running.tags[task.single].address
                if task.single in self.written and (address is None or address.area != "I"):
                    self.triggers.setdefault(task.single, []).append(task)
        self.m.wrote = self.wrote

    def scan(self) -> None:
        """One scan's tasks and cyclic programs."""
        for one in self.tasks:
            if one.task.interval_tag is not None and one.next is None and self.interval(one.task) > 0:
                one.next = self.m.now
        self.run_due()
        for i in self.schedule.cyclic:
            self.ladder.program(self.running.programs[i])

    def guarded(self, work: Callable[[], None]) -> None:
        """Do some work; a fault in it halts the controller."""
        try:
            work()
        except Halt as halt:
            self.halt(halt)

    def halt(self, halt: Halt) -> None:
        """Note the fault and switch the outputs off."""
        m = self.m
        loops = tuple((*way, times, last - first) for way, (scan, times, first, last) in self.ladder.passes.items() if scan == m.scan)
        m.record.fault = PlainFault(m.scan, m.number, m.current, self.ladder.element, halt.code, halt.text, m.fault_tag, loops)
        done, m.current = m.number, CONTROLLER
        m.number += 1
        self.halted = True
        for tag in self.running.tags[:self.running.public]:
            if tag.at_output:
                m.put(tag.index, 0)
        m.number = done

    # from outside

    def take(self, until: int) -> None:
        """Take what happens from outside up to a time; inputs wait to be copied."""
        while self.at < len(self.rows) and self.rows[self.at][0] <= until:
            time, tag, value, kind = self.rows[self.at]
            self.at += 1
            if kind == DUE:
                self.due(self.tasks[tag], time)
            else:
                self.image[tag] = value
                self.touched[tag] = None

    def force(self, kind: int, tag: int, value: int) -> None:
        """A force begins or ends."""
        m = self.m
        mask, forced = m.masks.get(tag, (0, 0))
        if kind in (NOTE_FORCED, NOTE_UNFORCED):
            m.record.forced.append((tag, m.scan, value if kind == NOTE_FORCED else None))
        elif kind == MASK:
            m.shadow.setdefault(tag, m.values[tag])
            m.masks[tag] = (mask | value, forced & ~value)
        elif kind == FORCE:
            m.masks[tag] = (mask, forced | value)
            wanted = (m.values[tag] & ~mask) | forced | value
            if wanted != m.values[tag]:
                del m.masks[tag]
                m.put(tag, wanted)
                m.masks[tag] = (mask, forced | value)
        elif kind == UNFORCE:
            mask &= ~value
            if mask:
                m.masks[tag] = (mask, forced & mask)
            else:
                m.masks.pop(tag, None)
                m.shadow.pop(tag, None)

    def told(self, length: int, longest: int) -> int:
        """Give the scan's time to the tags that ask for it; the longest one."""
        self.m.number += 1
        self.m.current = CONTROLLER
        for name, value in ((self.profile.scan_duration, length), (self.profile.longest_scan, length if length > longest else None)):
            tag = self.running.find(name) if name else None
            if tag is not None and value is not None:
                self.m.put(tag, value if self.running.tags[tag].type.family is Family.TIME else value // 1_000_000)
        self.m.number -= 1
        return max(longest, length)

    # tasks

    def interval(self, task: Task) -> int:
        """The time from one due instant of a task to the next."""
        return self.m.values[task.interval_tag] * task.unit if task.interval_tag is not None else task.interval or 0

    def wrote(self, tag: int, old: int, new: int) -> None:
        """A tag changed: tasks that wait for it come due when the step is over."""
        for task in self.triggers.get(tag, ()):
            bit = max(0, task.bit)
            before, after = old >> bit & 1, new >> bit & 1
            if (before, after) == ((1, 0) if task.falling else (0, 1)):
                self.due(self.tasks[task.number], self.m.time)

    def due(self, one: _Running, time: int) -> None:
        """A task comes due; one run may wait."""
        if self.halted:
            return
        if one.pending is None:
            one.pending = time
        else:
            self.m.record.missed.append((one.task.number, time))

    def tick(self) -> None:
        """Periodic tasks whose instants have come."""
        for one in self.tasks:
            while one.next is not None and one.next <= self.m.time:
                due, interval = one.next, self.interval(one.task)
                if interval <= 0:
                    one.next = None
                    break
                one.next = due + interval
                single = one.task.single
                if single is not None and self.m.values[single] >> max(0, one.task.bit) & 1:
                    continue
                self.due(one, due)

    def pick(self, before: int | None = None) -> _Running | None:
        """The task to start now: more urgent than what runs, then earlier due, then earlier declared."""
        waiting = [o for o in self.tasks if o.pending is not None and not o.held and o.task.priority < self.priority
                   and (before is None or o.pending < before)]
        return min(waiting, key=lambda o: (o.task.priority, o.pending, o.task.number), default=None)

    def run_due(self) -> None:
        """Run the tasks that are due and more urgent than what runs."""
        while True:
            self.take(self.m.time)
            self.tick()
            one = self.pick()
            if one is None:
                return
            self.start(one)

    def start(self, one: _Running) -> None:
        """One run of a task."""
        m = self.m
        kept = m.now, m.current, self.priority
        assert one.pending is not None
        m.now, m.current, self.priority = m.time, -1, one.task.priority
        m.record.started.append((one.task.number, one.pending, m.now))
        one.pending = None
        for tag in self.touched:
            if tag in one.inputs:
                m.put(tag, self.image[tag])
        for i in one.task.programs:
            self.ladder.program(self.running.programs[i])
        m.now, m.current, self.priority = kept

    def between(self, s: int, end: int) -> int:
        """Run the tasks due before the next scan's start; when it starts then."""
        m = self.m
        m.number, self.priority = FIRST_NUMBER, LOWEST
        self.watched_from = s
        time = end
        while True:
            m.base = time - m.number * self.profile.rung_time
            self.take(time)
            self.tick()
            one = self.pick(s)
            if one is not None:
                self.guarded(partial(self.start, one))
                time = m.time
                if self.halted:
                    return max(s, time)
                s = max(s, time)
                continue
            dues = [o.next for o in self.tasks if o.next is not None]
            dues += [r[0] for r in self.rows[self.at:self.at + 1]]
            if not dues or min(dues) >= s:
                self.before = m.number - FIRST_NUMBER
                return s
            time = max(time, min(dues))

    def passed(self) -> None:
        """A step is over: has the scan taken too long?"""
        m = self.m
        if m.time - self.watched_from > self.profile.watchdog:
            m.fault_tag, self.ladder.element = -1, 0
            raise Halt("watchdog", f"the scan took longer than {self.profile.watchdog // 1_000_000} ms")
        if (m.number - FIRST_NUMBER if m.number < 0 else m.number + self.before) > MOST_STEPS:
            m.fault_tag, self.ladder.element = -1, 0
            raise Halt("too many steps", f"more than {MOST_STEPS} steps in one scan")

    def comes(self) -> None:
        """A step of a program's own body comes next: tasks that are due run before it."""
        if self.tasks:
            self.run_due()

    def ordered(self, what: str, name: str) -> None:
        """An order of the program's to the controller."""
        if what == "WATCHDOG_RESTART":
            self.watched_from = self.m.base + (self.m.number - 1) * self.profile.rung_time
            return
        number = self.schedule.by_name.get(name.lower())
        if number is not None:
            one, on = self.tasks[number], what == "TASK_HOLD"
            if one.held != on:
                one.held = on
                self.m.record.held.append((number, self.m.scan, self.m.number, on))
