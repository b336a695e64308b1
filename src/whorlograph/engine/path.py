"""Which steps ran in a scan: jumps, returns, calls and the halt, read from the journal."""

from __future__ import annotations

from enum import StrEnum
from functools import cached_property

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from whorlograph.model.log import Ints
from whorlograph.model.program import VariableKind
from whorlograph.model.steps import FlagKind, PathFlag, Steps
from whorlograph.model.tags import Running

from .calls import Calls, every
from .code import Call, Loop, Pass
from .journal import Journal

_MOST_TURNS = 2_000  # of jumps and calls that are looked back over


class SkipKind(StrEnum):
    """Why a step did not run."""

    JUMP = "jump"
    RETURN = "return"
    NOT_CALLED = "not called"
    NEVER_CALLED = "never called"
    TASK_IDLE = "task idle"
    TASK_HELD = "task held"
    HALTED = "halted"


class Skip(Struct, frozen=True):
    """A step did not run in a scan: why, and the jump, return or call that decided it (None: nobody calls, or its ``task``)."""

    kind: SkipKind
    flag: PathFlag | None
    task: int = -1


class Paths:
    """Answers for one program which steps ran in which scan of a journal.

    Args: tasks: the task of each program that stands on one, by the program's number.
    """

    def __init__(self, running: Running, steps: Steps, calls: Calls, tasks: dict[int, int] | None = None) -> None:
        self.running, self.steps, self.calls = running, steps, calls
        self.order = calls.order
        self._task_of_unit = tasks or {}
        self._flags = {flag.number: flag for flag in steps.flags.values()}
        self._decides: dict[int, frozenset[int]] = {}
        self._several: dict[int, bool] = {}
        self._unit = np.array([self.task_of(i) for i in range(len(self.order))], np.int32)

    def task_of(self, step: int) -> int:
        """The task that a step runs on; -1 where it runs with the scan, or nobody calls it."""
        return self._task_of_unit.get(self.calls.unit.get(step, -1), -1)

    def skipped(self, journal: Journal, step: int, scan: int) -> Skip | None:
        """Why a step did not run in a scan; None where it did."""
        fault = journal.fault
        if fault is not None and scan >= fault.scan:
            again = any(p.target <= step <= p.step for p in fault.loops)  # it ran before the jump back
            if scan > fault.scan or (self.order[step] > self.order[fault.step] and not again):
                return Skip(SkipKind.HALTED, None)
        return self._skipped(journal, step, scan, 0)

    def _skipped(self, journal: Journal, step: int, scan: int, depth: int) -> Skip | None:
        number = self.calls.instance_of[step]
        one = self.calls.code.instances[number]
        task = self.task_of(step) if one.runs else -1
        if task >= 0 and journal.run_scan(task, scan) != scan:
            return Skip(SkipKind.TASK_HELD if journal.held_at(task, scan) else SkipKind.TASK_IDLE, None, task)
        if not one.runs:
            outer = self._not_called(journal, number, scan, depth)
            if outer is not None:
                return outer
        at = one.first
        for leaving in self.calls.exits[number]:
            if leaving.step < at or leaving.step >= step:
                continue
            if leaving.target > step and journal.settled(leaving.flag, scan):
                return Skip(SkipKind.JUMP if self._flags[leaving.flag].kind is FlagKind.JUMP else SkipKind.RETURN,
                            self._flags[leaving.flag])
            if leaving.target > leaving.step and journal.settled(leaving.flag, scan):
                at = leaving.target
        return None

    def also_over(self, step: int, taken: PathFlag) -> list[PathFlag]:
        """The other jumps and returns of its body that leave a step out where they are taken, from the first on."""
        number = self.calls.instance_of[step]
        return [self._flags[e.flag] for e in self.calls.exits[number]
                if e.flag != taken.number and taken.step <= e.step < step < e.target]

    def lets_run(self, step: int) -> PathFlag | None:
        """What decides whether a step is evaluated: the innermost jump or return over it, else the one call of its body that has a condition."""
        number = self.calls.instance_of[step]
        over = [e for e in self.calls.exits[number] if e.step < step < e.target]
        if over:
            return self._flags[over[-1].flag]
        callers = self.calls.callers.get(number, [])
        if len(callers) != 1 or self.calls.code.instances[number].runs:
            return None
        return self._flags[callers[0].flag] if callers[0].flag >= 0 else self.lets_run(callers[0].step)

    def _not_called(self, journal: Journal, number: int, scan: int, depth: int) -> Skip | None:
        """Why the body of an instance was not called in a scan."""
        callers = self.calls.callers.get(number, [])
        if not callers:
            return Skip(SkipKind.NEVER_CALLED, None)
        reasons = []
        for caller in callers:
            outer = self._skipped(journal, caller.step, scan, depth + 1) if depth < 60 else None
            if outer is not None:
                reasons.append(outer)
            elif caller.flag < 0 or journal.settled(caller.flag, scan):
                return None
            else:
                reasons.append(Skip(SkipKind.NOT_CALLED, self._flags[caller.flag]))
        return reasons[0]

    def last_run(self, journal: Journal, step: int, scan: int) -> int:
        """The last scan up to this one in which a step ran; 0 where it never did."""
        for _ in range(_MOST_TURNS):
            if scan <= 0:
                return 0
            skip = self.skipped(journal, step, scan)
            if skip is None:
                return scan
            if skip.kind is SkipKind.HALTED and journal.fault is not None:
                scan = min(scan, journal.fault.scan) - (0 if scan > journal.fault.scan else 1)
            elif skip.task >= 0:
                scan = journal.run_scan(skip.task, scan - 1)
            else:
                # Where a jump of its own body stands over it, nothing else need have changed meanwhile; a body may be called from elsewhere.
                near = skip.flag is not None and self.calls.instance_of[skip.flag.step] == self.calls.instance_of[step]
                decides = {skip.flag.number} | self.decides(skip.flag.step) if skip.flag is not None and near else self.decides(step)
                scan = _last_change(journal, decides, scan) - 1
        return scan

    def last_left_out(self, journal: Journal, step: int, scan: int) -> int:
        """The last scan up to this one in which a step did not run, of a task the last run; 0 where it always did."""
        for _ in range(_MOST_TURNS):
            scan = self.task_scan(journal, step, scan)
            if scan <= 0 or self.skipped(journal, step, scan) is not None:
                return max(scan, 0)
            scan = _last_change(journal, self.decides(step), scan) - 1
        return scan

    def decides(self, step: int) -> frozenset[int]:
        """The jumps, returns and calls (as private tags) that decide whether a step runs, and those that decide whether these run."""
        found = self._decides.get(step)
        if found is None:
            flags, known, left = set[int](), {step}, [step]
            while left:
                at = left.pop()
                number = self.calls.instance_of[at]
                over = [(e.flag, e.step) for e in self.calls.exits[number] if e.step < at < e.target]
                calls = [] if self.calls.code.instances[number].runs else [(c.flag, c.step) for c in self.calls.callers.get(number, ())]
                flags |= {flag for flag, _ in (*over, *calls) if flag >= 0}
                left += {one for _, one in (*over, *calls)} - known
                known |= {one for _, one in (*over, *calls)}
            found = self._decides[step] = frozenset(flags)
        return found

    def skipped_since(self, journal: Journal, step: int, scan: int) -> int:
        """Time (ns) from which on a step has not run, up to a scan."""
        last = self.last_run(journal, step, scan)
        return journal.clock.start(last + 1)

    def seen(self, journal: Journal, step: int, scan: int) -> int:
        """The journal position that a step saw when it was evaluated (last) in a scan."""
        low, high = journal.settled_position(scan - 1), journal.settled_position(scan)
        if low == high:
            return low
        steps, tags = journal.of_scan(scan)
        own = np.flatnonzero(steps == step)
        if len(own) and not self._repeated(journal, step, scan):
            return self._begun(journal, step, low, low + int(own[-1]))
        if self._task_of_unit:
            return self._seen_among_tasks(journal, step, low, steps)
        mine = self.order[step]
        before = (steps == -1) | ((steps >= 0) & (self.order[steps] < mine))
        above = self.calls.above(step)
        if above:
            ancestor = np.isin(steps, np.array(sorted(above), np.int32))
            if ancestor.any():
                before &= ~ancestor | self._handed[np.minimum(tags, len(self._handed) - 1)]
        hits = np.nonzero(before)[0]
        if len(hits) and self._shared[steps[hits[-1]]]:
            return low + self._seen_behind_shared(journal, step, scan, steps, before)
        return low + (int(hits[-1]) + 1 if len(hits) else 0)

    def _seen_behind_shared(self, journal: Journal, step: int, scan: int, steps: Ints, before: npt.NDArray[np.bool_]) -> int:
        """How many of a scan's rows were made before a step, where some are of bodies that several steps call.

        Such a body has one place in the order, and rows behind those of later steps too: they count up to the first row that is surely later,
        if a step that calls it may have run since the last row that is surely earlier.
        """
        known = np.nonzero(before & ~self._shared[steps])[0]
        since = int(known[-1]) + 1 if len(known) else 0
        last = int(steps[since - 1]) if since else -1
        begin, mine = int(self.order[last]) if last >= 0 else -1, int(self.order[step])

        def called(number: int) -> bool:
            return any((called(self.calls.instance_of[c.step]) if self._shared[c.step] else begin <= self.order[c.step] < mine)
                       for c in self.calls.callers.get(number, ()) if c.flag < 0 or journal.settled(c.flag, scan))

        for n in range(since, len(steps)):
            one = int(steps[n])
            if one < 0 or not (called(self.calls.instance_of[one]) if self._shared[one] else before[n]):
                return n
        return len(steps)

    @cached_property
    def _shared(self) -> npt.NDArray[np.bool_]:
        """By step whether several steps call the body that it stands in, or one around that; the last for what is no step."""
        found = np.zeros(len(self.order), np.bool_)
        for step, number in self.calls.instance_of.items():
            found[step] = len({c.step for c in self.calls.callers.get(number, ())}) > 1
        for step in self.calls.instance_of:
            found[step] |= any(found[above] for above in self.calls.above(step))
        return found

    @cached_property
    def _handed(self) -> npt.NDArray[np.bool_]:
        """By tag whether its caller hands it over: inputs of blocks, and (the last) what is no tag."""
        return np.array([*(t.kind is VariableKind.INPUT for t in self.running.tags), True])

    def _begun(self, journal: Journal, step: int, low: int, row: int) -> int:
        """The first row of the evaluation of a step that made one: its own, and those of what it called."""
        # What is called, and each pass of a loop, counts steps of its own.
        several = self._several.get(step)
        if several is None:
            several = self._several[step] = any(isinstance(one, (Call, Loop, Pass)) for one in every(self.calls.code_of(step).actions))
        while row > low:
            made_by = journal.step(row - 1)
            mine = made_by == step and (several or journal.moment(row - 1).step == journal.moment(row).step)
            if not mine and step not in self.calls.above(made_by):
                break
            row -= 1
        return row

    def _repeated(self, journal: Journal, step: int, scan: int) -> bool:
        """Whether a jump back over a step was taken in a scan, so that it may have run again without a row."""
        low, high = journal.settled_position(scan - 1), journal.settled_position(scan)
        return any(e.target <= step <= e.step and (journal.value_at(e.flag, low) or len(journal.rows_between(e.flag, low, high)))
                   for e in self.calls.exits[self.calls.instance_of[step]])

    def task_scan(self, journal: Journal, step: int, scan: int) -> int:
        """The last scan up to one in which the task of a step ran; the scan itself where the step is on none."""
        task = self.task_of(step)
        return journal.run_scan(task, scan) if task >= 0 else scan

    def start(self, journal: Journal, step: int, scan: int) -> int:
        """When the run of a step began that belongs to a scan, ns: its task's, else the scan itself."""
        task = self.task_of(step)
        began = journal.run_start(task, scan) if task >= 0 else None
        return began if began is not None else journal.clock.start(scan)

    def _seen_among_tasks(self, journal: Journal, step: int, low: int, steps: Ints) -> int:
        """Where tasks run between the steps of a scan, the order in which rows were made tells what a step saw that made none."""
        alike = (steps >= 0) & (self._unit[steps] == self._unit[step])
        later = np.nonzero(alike & (self.order[steps] > self.order[step]))[0]
        if len(later):
            return low + int(later[0])
        earlier = np.nonzero((alike & (self.order[steps] < self.order[step])) | (steps == -1))[0]
        return low + (int(earlier[-1]) + 1 if len(earlier) else 0)

    def done(self, journal: Journal, step: int, scan: int) -> int:
        """The journal position just after a step, with what it called, was evaluated (last) in a scan."""
        return self.span(journal, step, scan)[1]

    def span(self, journal: Journal, step: int, scan: int) -> tuple[int, int]:
        """The journal positions that a step saw when it was evaluated (last) in a scan, and just after it was, with what it called."""
        position = done = self.seen(journal, step, scan)
        low = journal.settled_position(scan - 1)
        for made_by in journal.of_scan(scan)[0][position - low:].tolist():
            if made_by != step and step not in self.calls.above(made_by):
                break
            done += 1
        return position, done


def _last_change(journal: Journal, flags: frozenset[int] | set[int], scan: int) -> int:
    """The last scan up to this one in which one of some tags changed; 0 where none has."""
    position = journal.settled_position(scan)
    rows = [row for flag in flags if (row := journal.last_row(flag, position)) is not None]
    return journal.scan(max(rows)) if rows else 0
