"""The runs of tasks that the machine only counts: those since its last record, and those in scans in which nothing was left to do."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from .journal import Journal
from .runs import TaskRuns
from .schedule import Schedule

if TYPE_CHECKING:
    from .wasm.machine import Machine


def add_counted_runs(journal: Journal, machine: Machine, schedule: Schedule) -> None:
    """Add the runs that the machine has counted and not yet told, and one that waits."""
    for task in schedule.tasks:
        state = machine.task(task.number)
        known = journal.tasks.get(task.number, TaskRuns())
        if state.count:
            known = known.with_more(state.first, state.every if state.count > 1 else 0, state.count)
        if state.count or state.waiting >= 0:
            journal.tasks[task.number] = replace(known, waiting=state.waiting)


def add_quiet_runs(journal: Journal, machine: Machine, schedule: Schedule, until: int) -> None:
    """Add the runs of tasks that came on time up to a time (ns), the start of the last scan, since the machine had nothing left to do."""
    for task in schedule.tasks:
        state = machine.task(task.number)
        every = machine.value(task.interval_tag) * task.unit if task.interval_tag is not None else task.interval or 0
        paused = task.single is not None and machine.value(task.single) >> max(0, task.bit) & 1
        if every <= 0 or state.due > until or paused:
            continue
        known = journal.tasks.get(task.number, TaskRuns())
        if state.held:
            dues = np.arange(state.due, until + 1, every, dtype=np.int64)
            if known.waiting < 0:
                known, dues = replace(known, waiting=int(dues[0])), dues[1:]
            journal.tasks[task.number] = replace(known, missed=np.concatenate([known.missed, dues]))
        else:
            journal.tasks[task.number] = known.with_more(state.due, every, (until - state.due) // every + 1)
