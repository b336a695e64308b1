"""Which steps ran in a scan: jumps, returns, calls and the halt, read from the journal."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.model.ladder import Block, Jump, LadderBody, Return
from whorlograph.model.log import Ints
from whorlograph.model.program import VariableKind
from whorlograph.model.steps import FlagKind, PathFlag, Steps
from whorlograph.model.tags import Running

from .journal import Journal


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

    def __init__(self, running: Running, steps: Steps, tasks: dict[int, int] | None = None) -> None:
        self.running, self.steps = running, steps
        self.tasks = {id(running.programs[i]): task for i, task in (tasks or {}).items()}
        self.task_of: dict[int, int] = {}
        self.callers: dict[int, list[PathFlag]] = {}
        self.leaving: dict[int, list[tuple[int, int, PathFlag]]] = {}
        self.ancestors: dict[int, set[int]] = {}
        self._collect()
        self.order = self._ordered()
        self._unit = np.array([self.task_of.get(i, -1) for i in range(len(steps.all) + 1)], np.int32)

    def _collect(self) -> None:
        for step in self.steps.all:
            body = step.instance.pou.body if step.instance.pou is not None else None
            first = self.steps.first[id(step.instance)]
            for element in step.rung.elements:
                flag = self.steps.flags.get((step.index, element.id))
                if flag is None:
                    continue
                if isinstance(element, Block):
                    called = called_instance(element, step.instance, self.running)
                    if called is not None and called.pou is not None:
                        self.callers.setdefault(id(called), []).append(flag)
                elif isinstance(element, Jump) and isinstance(body, LadderBody):
                    target = body.targets.get(element.label.lower())
                    if target is not None:
                        self.leaving.setdefault(id(step.instance), []).append((step.index, first + target - 1, flag))
                elif isinstance(element, Return) and isinstance(body, LadderBody):
                    self.leaving.setdefault(id(step.instance), []).append((step.index, first + len(body.rungs), flag))

    def _ordered(self) -> NDArray[np.int32]:
        """int32[steps]: each step's place in one pass through everything, called bodies after their callers."""
        order = np.full(len(self.steps.all) + 1, -1, np.int32)
        counter = 0

        def walk(instance: object, above: set[int], task: int) -> None:
            nonlocal counter
            for step in self.steps.of(instance):  # type: ignore[arg-type]
                if task >= 0:
                    self.task_of.setdefault(step.index, task)
                if order[step.index] < 0:
                    order[step.index] = counter
                    counter += 1
                self.ancestors.setdefault(step.index, set()).update(above)
                for element in step.rung.elements:
                    called = called_instance(element, step.instance, self.running) if isinstance(element, Block) else None
                    if called is not None and called.pou is not None and len(above) < 60:
                        walk(called, above | {step.index}, task)

        for program in self.running.programs:
            walk(program, set(), self.tasks.get(id(program), -1))
        return order

    def skipped(self, journal: Journal, step: int, scan: int) -> Skip | None:
        """Why a step did not run in a scan; None where it did."""
        fault = journal.fault
        if fault is not None and scan >= fault.scan:
            again = any(p.target <= step <= p.step for p in fault.loops)  # it ran before the jump back
            if scan > fault.scan or (self.order[step] > self.order[fault.step] and not again):
                return Skip(SkipKind.HALTED, None)
        return self._skipped(journal, step, scan, 0)

    def _skipped(self, journal: Journal, step: int, scan: int, depth: int) -> Skip | None:
        one = self.steps.all[step]
        task = self.tasks.get(id(one.instance), -1)
        if task >= 0 and journal.run_scan(task, scan) != scan:
            return Skip(SkipKind.TASK_HELD if journal.held_at(task, scan) else SkipKind.TASK_IDLE, None, task)
        if step >= self.steps.cyclic:
            outer = self._not_called(journal, id(one.instance), scan, depth)
            if outer is not None:
                return outer
        at = self.steps.first[id(one.instance)]
        for source, target, flag in self.leaving.get(id(one.instance), ()):
            if source < at or source >= step:
                continue
            if target > step and journal.settled(flag.number, scan):
                return Skip(SkipKind.JUMP if flag.kind is FlagKind.JUMP else SkipKind.RETURN, flag)
            if target > source and journal.settled(flag.number, scan):
                at = target
        return None

    def _not_called(self, journal: Journal, instance: int, scan: int, depth: int) -> Skip | None:
        flags = self.callers.get(instance, [])
        if not flags:
            return Skip(SkipKind.NEVER_CALLED, None)
        reasons = []
        for flag in flags:
            outer = self._skipped(journal, flag.step, scan, depth + 1) if depth < 60 else None
            if outer is not None:
                reasons.append(outer)
            elif journal.settled(flag.number, scan):
                return None
            else:
                reasons.append(Skip(SkipKind.NOT_CALLED, flag))
        return reasons[0]

    def last_run(self, journal: Journal, step: int, scan: int) -> int:
        """The last scan up to this one in which a step ran; 0 where it never did."""
        for _ in range(200):
            if scan <= 0:
                return 0
            skip = self.skipped(journal, step, scan)
            if skip is None:
                return scan
            if skip.kind is SkipKind.HALTED and journal.fault is not None:
                scan = min(scan, journal.fault.scan) - (0 if scan > journal.fault.scan else 1)
                continue
            if skip.task >= 0:
                scan = journal.run_scan(skip.task, scan - 1)
                continue
            if skip.flag is None:
                return 0
            row = journal.last_row(skip.flag.number, journal.settled_position(scan))
            if row is None:
                return 0
            scan = journal.scan(row) - 1
        return 0

    def skipped_since(self, journal: Journal, step: int, scan: int) -> int:
        """Time (ns) from which on a step has not run, up to a scan."""
        last = self.last_run(journal, step, scan)
        return journal.clock.start(last + 1)

    def seen(self, journal: Journal, step: int, scan: int) -> int:
        """The journal position that a step saw when it was evaluated (last) in a scan."""
        low, high = journal.settled_position(scan - 1), journal.settled_position(scan)
        if low == high:
            return low
        if self.tasks:
            return self._seen_among_tasks(journal, step, low, high)
        steps, tags = journal.stretch(low, high)
        mine = self.order[step]
        before = (steps == -1) | ((steps >= 0) & (self.order[steps] < mine))
        above = self.ancestors.get(step, set())
        if above:
            ancestor = np.isin(steps, np.array(sorted(above), np.int32))
            if ancestor.any():
                pins = np.array([int(t) >= len(self.running.tags) or self.running.tags[int(t)].kind is VariableKind.INPUT
                                 for t in tags])
                before &= ~ancestor | pins
        hits = np.nonzero(before)[0]
        return low + (int(hits[-1]) + 1 if len(hits) else 0)

    def task_scan(self, journal: Journal, step: int, scan: int) -> int:
        """The last scan up to one in which the task of a step ran; the scan itself where the step is on none."""
        task = self.task_of.get(step, -1)
        return journal.run_scan(task, scan) if task >= 0 else scan

    def _seen_among_tasks(self, journal: Journal, step: int, low: int, high: int) -> int:
        """Where tasks run between the steps of a scan, the order in which rows were made tells what a step saw."""
        steps, tags = journal.stretch(low, high)
        own = np.nonzero(steps == step)[0]
        if len(own):
            return low + int(own[-1] if self._pins_only(step, steps, tags, own) else own[0])
        alike = (steps >= 0) & (self._unit[steps] == self._unit[step])
        later = np.nonzero(alike & (self.order[steps] > self.order[step]))[0]
        if len(later):
            return low + int(later[0])
        earlier = np.nonzero((alike & (self.order[steps] < self.order[step])) | (steps == -1))[0]
        return low + (int(earlier[-1]) + 1 if len(earlier) else 0)

    def _pins_only(self, step: int, steps: Ints, tags: Ints, own: Ints) -> bool:
        """Whether all that a step wrote were its path flags: then it saw what stood before the last of them."""
        return bool((tags[own] >= len(self.running.tags)).all()) and len(own) == 1

    def done(self, journal: Journal, step: int, scan: int) -> int:
        """The journal position just after a step, with what it called, was evaluated (last) in a scan."""
        position = self.seen(journal, step, scan)
        high = journal.settled_position(scan)
        for made_by in journal.stretch(position, high)[0].tolist():
            if made_by != step and step not in self.ancestors.get(made_by, ()):
                break
            position += 1
        return position
