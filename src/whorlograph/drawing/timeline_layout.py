"""One layout of a timeline: lanes of tags over a stretch of time, a cell a column."""

from __future__ import annotations

from enum import StrEnum
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.engine.journal import Journal
from whorlograph.engine.runs import TaskRuns
from whorlograph.model.literals import cooked, duration_text, said_value
from whorlograph.model.log import Ints
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

from . import glyphs


class CellKind(StrEnum):
    """What a cell of a BOOL lane shows."""

    ON = "on"
    OFF = "off"
    RISE = "rise"
    FALL = "fall"
    NOTCH = "notch"
    SPIKE = "spike"
    CROWDED = "crowded"
    UNKNOWN = "unknown"


CURVE_ROWS = 4  # lines of a number's lane that is drawn tall
LEVELS = CURVE_ROWS * len(glyphs.CURVE)


class Cell(Struct, frozen=True):
    """One cell: kind, how many changes fall into it, and for numbers the level from 0 to ``LEVELS`` - 1."""

    kind: CellKind
    changes: int = 0
    level: int = 0


class Lane(Struct):
    """A tag's lane: its cells, its value at the moment, and since when (ns) it has had it."""

    tag: int
    name: str
    cells: list[Cell]
    value: str
    since: int | None
    boolean: bool = True
    low: str = ""
    high: str = ""


class TimelineLayout(Struct):
    """Lanes over the stretch from ``start`` to ``end`` (ns); ``moment`` is the cursor's cell, None outside.

    ``ticks``: cells with a label; ``hits``: cells with a search hit; ``marks``: the sign of each cell that has a hit
    or a mark, in a row of their own called ``named``.
    """

    start: int
    end: int
    lanes: list[Lane]
    moment: int | None
    ticks: list[tuple[int, int]] = field(default_factory=list)
    marks: dict[int, str] = field(default_factory=dict)
    hits: set[int] = field(default_factory=set)
    named: str = ""
    unknown_from: int | None = None


class TaskLane(StrEnum):
    """What a lane shows of a task."""

    RUNS = "runs"
    WAITS = "waits"
    MISSED = "missed"


TASK_LANES = 1 << 24  # numbers of lanes from which on they are tasks', not tags'
SCAN_LANES = 1 << 25  # and those of scans: how long each took, how often a loop went round in it


class Window(Struct):
    """One stretch of time of a journal in cells: what it shows is worked out once while it stays in sight.

    ``start`` and ``end`` in ns; ``unknown_from``: from when on (ns) the replay is not known yet.
    """

    journal: Journal
    start: int
    end: int
    width: int
    unknown_from: int | None = None
    _edges: tuple[Ints, Ints] | None = None
    _cells: dict[int, tuple[list[Cell], str, str]] = field(default_factory=dict)

    def shows(self, journal: Journal, start: int, end: int, width: int) -> bool:
        """Whether this is that stretch."""
        return self.journal is journal and (self.start, self.end, self.width) == (start, end, width)

    @property
    def edges(self) -> Ints:
        """int64[width + 1]: the journal positions at which cells begin, and that at which the last one ends."""
        return self._cut()[1]

    def _cut(self) -> tuple[Ints, Ints]:
        """int64[width + 1] each: the last scans before cells begin, and the journal positions behind them."""
        if self._edges is None:
            clock, span = self.journal.clock, max(1, self.end - self.start)
            scans = []
            for i in range(self.width + 1):
                time = self.start - (-i * span // self.width) if i < self.width else self.start + span + 1
                scan = clock.scan_at(time)
                scans.append(scan if scan and clock.start(scan) < time else scan - 1)
            self._edges = np.array(scans, np.int64), np.array([self.journal.settled_position(s) for s in scans], np.int64)
        return self._edges

    def cells(self, tag: Tag) -> tuple[list[Cell], str, str]:
        """A tag's cells; of a number also the lowest and the highest value in them."""
        found = self._cells.get(tag.index)
        if found is None:
            found = self._cells[tag.index] = self._scan_cells(tag) if tag.index >= SCAN_LANES else \
                self._task_cells(tag.index - TASK_LANES) if tag.index >= TASK_LANES else self._tag_cells(tag)
            if self.unknown_from is not None:
                first = max(0, (self.unknown_from - self.start) * self.width // max(1, self.end - self.start))
                found[0][first:] = [Cell(CellKind.UNKNOWN)] * max(0, self.width - first)
        return found

    def _tag_cells(self, tag: Tag) -> tuple[list[Cell], str, str]:
        journal, edges = self.journal, self.edges
        rows = journal.rows_between(tag.index, int(edges[0]), int(edges[-1]))
        values, before = journal.raws(rows), journal.value_at(tag.index, int(edges[0]))
        cuts = np.searchsorted(rows, edges).tolist()
        if tag.type.family is Family.BOOL:
            return _boolean(cuts, values, bool(before)), "", ""
        return _numbers(tag, cuts, values, before)

    def _scan_cells(self, tag: Tag) -> tuple[list[Cell], str, str]:
        """What is counted or measured of each scan, as a number's cells."""
        scans, values = self.journal.series(tag.index - SCAN_LANES)
        cuts = np.searchsorted(scans, self._cut()[0], side="right")
        before = int(values[max(0, cuts[0] - 1)]) if len(values) else 0
        shown = values[cuts[0]:cuts[-1]]
        return _numbers(tag, (cuts - cuts[0]).tolist(), shown, before)

    def _task_cells(self, number: int) -> tuple[list[Cell], str, str]:
        """A task's cells: a spike where it ran once, crowded where often; on while a run of it waited."""
        task, what = divmod(number, len(TaskLane))
        runs = self.journal.tasks.get(task, TaskRuns())
        span = max(1, self.end - self.start)
        edges = self.start + np.arange(self.width + 1, dtype=np.int64) * span // self.width
        if list(TaskLane)[what] is TaskLane.WAITS:
            # From the instant a run came due to its start.
            dues, waits = runs.between(self.start, self.end)
            stretches = list(zip(dues[waits > 0].tolist(), (dues + waits)[waits > 0].tolist(), strict=True))
            if runs.waiting >= 0:
                stretches.append((runs.waiting, self.end))
            counts, full = np.zeros(self.width, np.int64), np.zeros(self.width, bool)
            for stretch in stretches:
                low, high = ((t - self.start) * self.width // span for t in stretch)
                if 0 <= low < self.width:
                    counts[low] += 1
                full[max(0, low + 1):max(0, high)] = True
            return [Cell(CellKind.ON if on else CellKind.OFF if n == 0 else CellKind.SPIKE if n == 1 else CellKind.CROWDED, n)
                    for n, on in zip(counts.tolist(), full.tolist(), strict=True)], "", ""
        if list(TaskLane)[what] is TaskLane.MISSED:
            counts = np.histogram(runs.missed, edges)[0] if len(runs.missed) else np.zeros(self.width, np.int64)
        else:
            counts = runs.counts(edges)
        return [Cell(CellKind.OFF if n == 0 else CellKind.SPIKE if n == 1 else CellKind.CROWDED, int(n)) for n in counts.tolist()], "", ""


def lay_out(window: Window, tags: list[Tag], moment: int, position: int) -> TimelineLayout:
    """Lay lanes out over a stretch of time.

    Args: moment: the cursor's time (ns); position: the journal position of the moment, for the values.
    """
    start, end, width = window.start, window.end, window.width
    layout = TimelineLayout(start, end, [], None, unknown_from=window.unknown_from)
    if start <= moment <= end:
        layout.moment = min(width - 1, (moment - start) * width // max(1, end - start))
    layout.lanes = [_scan_lane(window, tag, moment) if tag.index >= SCAN_LANES else _lane(window, tag, position) for tag in tags]
    layout.ticks = _ticks(start, end, width)
    return layout


def _lane(window: Window, tag: Tag, position: int) -> Lane:
    journal = window.journal
    if tag.index >= TASK_LANES:
        cells = window.cells(tag)[0]
        task, what = divmod(tag.index - TASK_LANES, len(TaskLane))
        runs = journal.tasks.get(task, TaskRuns())
        count = (len(runs), runs.waited + (runs.waiting >= 0), len(runs.missed))[what]
        return Lane(tag.index, tag.name, cells, str(count), None, True)
    row = journal.last_row(tag.index, position)
    bits = journal.raw(row) if row is not None else journal.initial[tag.index]
    text = said_value(cooked(bits, tag.type), tag.type)
    if tag.enumeration is not None:
        text = next((n for n, v in tag.enumeration.values if v == bits), text)
    cells, low, high = window.cells(tag)
    return Lane(tag.index, tag.name, cells, text, journal.time(row) if row is not None else None, tag.type.family is Family.BOOL, low, high)


def _scan_lane(window: Window, tag: Tag, moment: int) -> Lane:
    journal = window.journal
    scans, values = journal.series(tag.index - SCAN_LANES)
    at = int(np.searchsorted(scans, journal.clock.scan_at(max(0, moment)), side="right")) - 1
    cells, low, high = window.cells(tag)
    text = said_value(int(values[at]) if at >= 0 else 0, tag.type)
    return Lane(tag.index, tag.name, cells, text, journal.clock.start(int(scans[at])) if at >= 0 else None, False, low, high)


def _boolean(cuts: list[int], values: Ints, state: bool) -> list[Cell]:
    """Cells of a BOOL; ``cuts``: how many of its rows come before each cell."""
    found: list[Cell] = []
    for low, high in pairwise(cuts):
        first, changes = state, high - low
        if changes:
            state = bool(values[high - 1])
        if changes == 0:
            kind = CellKind.ON if state else CellKind.OFF
        elif changes > 2:
            kind = CellKind.CROWDED
        elif changes == 2:
            kind = CellKind.NOTCH if first else CellKind.SPIKE
        else:
            kind = CellKind.RISE if state else CellKind.FALL
        found.append(Cell(kind, changes))
    return found


def _numbers(tag: Tag, cuts: list[int], values: Ints, before: int) -> tuple[list[Cell], str, str]:
    if tag.type.family is Family.STRING:  # how they are ordered says nothing: each change is seen, and no height
        return [Cell(CellKind.CROWDED if high > low else CellKind.ON, high - low, LEVELS // 2 - 1) for low, high in pairwise(cuts)], "", ""
    cells = []
    lasts = [values[high - 1] if high > low else None for low, high in pairwise(cuts)]
    extremes = [before, *(_extremes(values, tag) if len(values) else ())]
    low, high = min(float(cooked(int(v), tag.type)) for v in extremes), max(float(cooked(int(v), tag.type)) for v in extremes)
    span, current = (high - low) or 1.0, float(cooked(before, tag.type))
    for (first, end), last in zip(pairwise(cuts), lasts, strict=True):
        if last is not None:
            current = float(cooked(int(last), tag.type))
        cells.append(Cell(CellKind.ON, end - first, min(LEVELS - 1, int((current - low) / span * LEVELS)) if high > low else LEVELS // 2 - 1))
    if tag.type.family is Family.TIME:
        return cells, duration_text(int(low)), duration_text(int(high))
    return cells, f"{low:g}", f"{high:g}"


def _extremes(values: Ints, tag: Tag) -> tuple[int, int]:
    """The raw values that stand for the smallest and the largest number."""
    numbers: NDArray[Any] = values.view(np.uint64) if tag.type.bits == 64 and tag.type.low == 0 else values
    if tag.type.family is Family.REAL:
        numbers = values.view(np.float64) if tag.type.bits == 64 else values.astype(np.int32).view(np.float32)
    return int(values[int(np.argmin(numbers))]), int(values[int(np.argmax(numbers))])


_STEPS = [s * u for u in (10**3, 10**4, 10**5, 10**6, 10**7, 10**8, 10**9) for s in (1, 2, 5)] + [
    10**9 * s for s in (10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800, 86400)]


def _ticks(start: int, end: int, width: int) -> list[tuple[int, int]]:
    """(cell, time) of round times, about one in sixteen cells."""
    span = max(1, end - start)
    step = next((s for s in _STEPS if s * width >= span * 16), _STEPS[-1])
    first = -(-start // step) * step
    return [((t - start) * width // span, t) for t in range(first, end + 1, step)][:40]


_GLYPHS = {CellKind.ON: glyphs.ON, CellKind.OFF: glyphs.OFF, CellKind.RISE: glyphs.RISE, CellKind.FALL: glyphs.FALL,
           CellKind.NOTCH: glyphs.NOTCH, CellKind.SPIKE: glyphs.SPIKE}


def curve(cells: list[Cell]) -> list[str]:
    """A number's cells as a curve of ``CURVE_ROWS`` lines, the highest first."""
    steps = len(glyphs.CURVE)
    rows = [[" "] * len(cells) for _ in range(CURVE_ROWS)]
    for x, cell in enumerate(cells):
        if cell.kind is CellKind.UNKNOWN:
            for row in rows:
                row[x] = cell_glyph(cell, False)
        else:
            rows[CURVE_ROWS - 1 - cell.level // steps][x] = glyphs.CURVE[cell.level % steps]
    return ["".join(row) for row in rows]


def cell_glyph(cell: Cell, boolean: bool) -> str:
    """The character of a cell."""
    if cell.kind is CellKind.UNKNOWN:
        return "╱"
    if not boolean:
        return glyphs.CURVE[cell.level // CURVE_ROWS]
    if cell.kind is CellKind.CROWDED:
        return glyphs.FEW if cell.changes < 8 else glyphs.MANY if cell.changes < 40 else glyphs.FULL
    return _GLYPHS[cell.kind]
