"""The runs of tasks in a replay: when each came due and began, those missed, and when a task was held; stored as counts where they come on time."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.model.log import Ints, distinct

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
    due instants that passed while another waited. ``waiting``: the due instant (ns) of a run that still waits at the end, -1: none.
    """

    table: Table = field(default_factory=lambda: _NONE)
    missed: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    waiting: int = -1

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

    def with_more(self, first: int, distance: int, count: int) -> TaskRuns:
        """These, and runs that came on time behind them."""
        row = np.array([[first, distance, count, 0]], np.int64)
        return TaskRuns(shortened(np.concatenate([self.table, row])), self.missed, self.waiting)

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

    def waiting_at(self, time: int) -> int | None:
        """When the run that waits at a time (ns) came due; None where none does."""
        row = int(np.searchsorted(self._firsts(), time, side="right")) - 1
        if row >= 0 and self.table[row, 0] + self.table[row, 3] > time:
            return int(self.table[row, 0])
        return self.waiting if 0 <= self.waiting <= time else None

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
        table = np.zeros((len(dues), 4), np.int64)
        table[:, 0], table[:, 2], table[:, 3] = dues, 1, starts - dues
        self.add(tasks, table)

    def add(self, tasks: NDArray[Any], table: Table) -> None:
        """Runs in order, some of them counted: the task of each row, and rows as in ``TaskRuns.table``."""
        for task in distinct(tasks):
            parts = self.tables.setdefault(task, [])
            mine = table[tasks == task]
            if parts:
                # The last row may go on in these.
                mine = np.concatenate([parts[-1][-1:], mine])
                parts[-1] = parts[-1][:-1]
            short = shortened(mine)
            if parts and len(parts[-1]) < 4096:
                parts[-1] = np.concatenate([parts[-1], short])
            else:
                parts.append(short)

    def miss(self, tasks: NDArray[Any], dues: Ints) -> None:
        """Due instants that passed while another run waited: int64[n] each."""
        for task in distinct(tasks):
            self.missed.setdefault(task, []).append(dues[tasks == task].astype(np.int64))

    def runs(self) -> dict[int, TaskRuns]:
        """By task: what has been taken so far."""
        return {task: TaskRuns(np.concatenate(self.tables.get(task, [_NONE])),
                               np.concatenate(self.missed[task]) if task in self.missed else np.zeros(0, np.int64))
                for task in {*self.tables, *self.missed}}


def shortened(table: Table) -> Table:
    """Rows of runs joined where they come on time at one distance."""
    n = len(table)
    if n < 2:
        return table
    firsts, distances, counts, waits = (table[:, i] for i in range(4))
    gaps = firsts[1:] - (firsts + (counts - 1) * distances)[:-1]
    on_time = waits == 0
    joins = (on_time[1:] & on_time[:-1] & (gaps > 0) & ((counts[:-1] == 1) | (distances[:-1] == gaps))
             & ((counts[1:] == 1) | (distances[1:] == gaps)))
    begins = np.ones(n, bool)
    begins[1:] = ~joins
    # Where the distance changes from one join to the next, a new row begins.
    begins[2:] |= joins[1:] & joins[:-1] & (gaps[1:] != gaps[:-1])
    at = np.nonzero(begins)[0]
    ends = np.append(at[1:], n)
    found = table[at].copy()
    found[:, 2] = np.add.reduceat(counts, at)
    several = ends - at > 1
    found[several, 1] = gaps[at[several]]
    return found
