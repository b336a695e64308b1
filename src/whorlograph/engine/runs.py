"""The runs of tasks in a replay: when each came due and began, those missed, and when a task was held; stored as counts where they come on time."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.model.log import Ints

Table = NDArray[np.int64]
_NONE = np.zeros((0, 4), np.int64)


class Held(Struct, frozen=True):
    """A task was held or released, by a step: number in a scan, and that step."""

    task: int
    scan: int
    number: int
    on: bool


class TaskRuns(Struct):
    """The runs of one task.

    ``table`` int64[n, 4]: first due instant (ns), distance to the next, how many, how long each waited. ``missed`` int64[k]:
    due instants that passed while another waited.
    """

    table: Table = field(default_factory=lambda: _NONE)
    missed: Ints = field(default_factory=lambda: np.zeros(0, np.int64))

    def __len__(self) -> int:
        return int(self.table[:, 2].sum()) if len(self.table) else 0

    @property
    def longest_wait(self) -> int:
        """The longest time (ns) from an instant that came due to the start of its run."""
        return int(self.table[:, 3].max(initial=0))

    @property
    def waited(self) -> int:
        """How many runs began later than they came due."""
        return int(self.table[self.table[:, 3] > 0, 2].sum())

    def _firsts(self) -> Ints:
        firsts: Ints = self.table[:, 0]
        return firsts

    def written_out(self) -> tuple[Ints, Ints]:
        """int64[n] each: the due instant (ns) of every run, and how long it waited."""
        counts = self.table[:, 2]
        turn = np.arange(int(counts.sum())) - np.repeat(np.cumsum(counts) - counts, counts)
        dues: Ints = np.repeat(self.table[:, 0], counts) + turn * np.repeat(self.table[:, 1], counts)
        waits: Ints = np.repeat(self.table[:, 3], counts)
        return dues, waits

    def between(self, low: int, high: int, most: int = 1 << 17) -> tuple[Ints, Ints]:
        """int64[n] each: due instants (ns) and waits of the runs that began from one time to another, at most so many."""
        begin = max(0, int(np.searchsorted(self._firsts(), low, side="right")) - 1)
        end = int(np.searchsorted(self._firsts(), high, side="right"))
        part = TaskRuns(self.table[begin:min(end, begin + most)])
        if len(part) > most:
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        dues, waits = part.written_out()
        inside = (dues + waits >= low) & (dues <= high)
        return dues[inside], waits[inside]

    def counts(self, edges: Ints) -> Ints:
        """int64[n]: how many runs began between each two of the n + 1 times."""
        found = np.zeros(len(edges) - 1, np.int64)
        low, high = int(edges[0]), int(edges[-1])
        begin = max(0, int(np.searchsorted(self._firsts(), low, side="right")) - 1)
        end = int(np.searchsorted(self._firsts(), high, side="right"))
        part = self.table[begin:end]
        if not len(part):
            return found
        single = part[:, 2] == 1
        found += np.histogram(part[single, 0] + part[single, 3], edges)[0]
        for first, distance, count, wait in part[~single].tolist():
            # Of evenly spaced runs those before each edge can be told at once.
            before = np.clip(-(-(edges - first - wait) // distance), 0, count)
            found += np.diff(before)
        return found

    def last_start(self, time: int) -> int | None:
        """The start (ns) of the last run that began at or before a time."""
        row = int(np.searchsorted(self.table[:, 0] + self.table[:, 3], time, side="right")) - 1
        if row < 0:
            return None
        first, distance, count, wait = (int(v) for v in self.table[row])
        turn = min(count - 1, (time - first - wait) // distance) if distance > 0 else 0
        return first + wait + max(0, turn) * distance

    def starts(self, low: int, high: int, most: int = 1 << 16) -> Iterator[int]:
        """Starts (ns) of runs from one time to before another, at most so many."""
        given = 0
        begin = max(0, int(np.searchsorted(self._firsts(), low, side="right")) - 1)
        for first, distance, count, wait in self.table[begin:].tolist():
            if first + wait >= high or given >= most:
                return
            turn = max(0, -(-(low - first - wait) // distance)) if distance > 0 else 0
            while turn < count and given < most and first + wait + turn * distance < high:
                if first + wait + turn * distance >= low:
                    given += 1
                    yield first + wait + turn * distance
                turn += 1


class RunColumns:
    """Takes what the engine says about tasks, and keeps it short."""

    def __init__(self) -> None:
        self.tables: dict[int, list[Table]] = {}
        self.missed: dict[int, list[Ints]] = {}
        self.held: list[Held] = []
        self._waiting: dict[int, int] = {}

    def started(self, tasks: Ints, dues: Ints, starts: Ints) -> None:
        """Runs in order: int64[n] each."""
        for task in np.unique(tasks).tolist():
            mine = tasks == task
            self._append(int(task), _shortened(dues[mine], starts[mine] - dues[mine]))

    def skipped(self, task: int, first: int, distance: int, count: int) -> None:
        """Runs that came on time and changed nothing."""
        self._append(task, np.array([[first, distance, count, 0]], np.int64))

    def _append(self, task: int, table: Table) -> None:
        parts = self.tables.setdefault(task, [])
        if parts and len(table):
            last, first = parts[-1][-1], table[0]
            distance = int(last[1]) if last[2] > 1 else int(first[0] - last[0])
            fits = first[2] == 1 or first[1] == distance
            if first[3] == 0 == last[3] and fits and first[0] == last[0] + last[2] * distance and distance > 0:
                joined = parts[-1].copy()
                joined[-1] = (last[0], distance, last[2] + first[2], 0)
                parts[-1], table = joined, table[1:]
        if len(table):
            if parts and len(parts[-1]) < 4096:
                parts[-1] = np.concatenate([parts[-1], table])
            else:
                parts.append(table)

    def runs(self) -> dict[int, TaskRuns]:
        """By task: what has been taken so far."""
        return {task: TaskRuns(np.concatenate(self.tables.get(task, [_NONE])),
                               np.concatenate(self.missed[task]) if task in self.missed else np.zeros(0, np.int64))
                for task in {*self.tables, *self.missed}}


def _shortened(dues: Ints, waits: Ints) -> Table:
    """Runs as a table: those at even distance that did not wait are counted."""
    n = len(dues)
    if not n:
        return _NONE
    gaps = np.diff(dues)
    # A run is joined to the one before where both were on time and the distance is the one before that.
    joined = np.zeros(n, bool)
    if n > 2:
        joined[2:] = (gaps[1:] == gaps[:-1]) & (waits[2:] == 0) & (waits[1:-1] == 0) & (waits[:-2] == 0)
    begins = np.nonzero(~joined)[0]
    counts = np.diff(np.append(begins, n))
    table = np.zeros((len(begins), 4), np.int64)
    table[:, 0], table[:, 2], table[:, 3] = dues[begins], counts, waits[begins]
    long = counts > 1
    table[long, 1] = gaps[begins[long]]
    return table
