"""One layout of a timeline: lanes of tags over a stretch of time, a cell a column."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from msgspec import Struct, field

from whorlograph.engine.journal import Journal
from whorlograph.model.literals import cooked
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


class Cell(Struct, frozen=True):
    """One cell: kind, how many changes fall into it, and for numbers the level from 0 to 7."""

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


class Timescale(Struct):
    """Row times of a journal, worked out once: ``times`` int64[rows] ns."""

    journal: Journal
    _times: dict[int, Ints] = field(default_factory=dict)

    def of(self, tag: int) -> Ints:
        """int64[n]: the times of one tag's rows."""
        found = self._times.get(tag)
        if found is None:
            clock, scans = self.journal.clock, self.journal.keys(tag) >> 21
            if not clock.scans:
                found = np.zeros(len(scans), np.int64)
            else:
                firsts = np.array(clock.scans, np.int64)
                at = np.maximum(0, np.searchsorted(firsts, scans, side="right") - 1)
                found = np.array(clock.starts, np.int64)[at] + (scans - firsts[at]) * np.array(clock.periods, np.int64)[at]
            self._times[tag] = found
        return found


def lay_out(scale: Timescale, tags: list[Tag], start: int, end: int, width: int, moment: int, position: int,
            unknown_from: int | None = None) -> TimelineLayout:
    """Lay lanes out over a stretch of time.

    Args: width: cells; moment: the cursor's time (ns); position: the journal position of the moment, for the
        values; unknown_from: from when on (ns) the replay is not known yet.
    """
    span = max(1, end - start)
    layout = TimelineLayout(start, end, [], None, unknown_from=unknown_from)
    if start <= moment <= end:
        layout.moment = min(width - 1, (moment - start) * width // span)
    for tag in tags:
        layout.lanes.append(_lane(scale, tag, start, span, width, position, unknown_from))
    layout.ticks = _ticks(start, end, width)
    return layout


def _lane(scale: Timescale, tag: Tag, start: int, span: int, width: int, position: int, unknown_from: int | None) -> Lane:
    journal = scale.journal
    rows, times = journal.rows(tag.index), scale.of(tag.index)
    bits = journal.value_at(tag.index, position)
    row = journal.last_row(tag.index, position)
    value = cooked(bits, tag.type)
    boolean = tag.type.family is Family.BOOL
    text = ("on" if value else "off") if isinstance(value, bool) else f"{value:g}" if isinstance(value, float) else str(value)
    if tag.enumeration is not None:
        text = next((n for n, v in tag.enumeration.values if v == bits), text)
    lane = Lane(tag.index, tag.name, [], text, journal.time(row) if row is not None else None, boolean)
    low = int(np.searchsorted(times, start, side="left"))
    high = int(np.searchsorted(times, start + span, side="right"))
    before = int(journal.value[rows[low - 1]]) if low else journal.initial[tag.index]
    cells = np.minimum(width - 1, (times[low:high] - start) * width // span)
    values = journal.value[rows[low:high]]
    if boolean:
        lane.cells = _boolean(cells, values, before, width)
    else:
        _numbers(lane, tag, cells, values, before, width)
    if unknown_from is not None:
        first = max(0, (unknown_from - start) * width // span)
        for i in range(int(first), width):
            lane.cells[i] = Cell(CellKind.UNKNOWN)
    return lane


def _boolean(cells: Ints, values: Ints, before: int, width: int) -> list[Cell]:
    found: list[Cell] = []
    state, at, count = bool(before), 0, len(cells)
    places = cells.tolist()
    for i in range(width):
        first, changes = state, 0
        while at < count and places[at] == i:
            new = bool(values[at])
            changes += new != state
            state = new
            at += 1
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


def _numbers(lane: Lane, tag: Tag, cells: Ints, values: Ints, before: int, width: int) -> None:
    numbers = [float(cooked(int(v), tag.type)) for v in values]
    current = float(cooked(before, tag.type))
    low, high = min([current, *numbers]), max([current, *numbers])
    span = (high - low) or 1.0
    at, places = 0, cells.tolist()
    for i in range(width):
        changes = 0
        while at < len(places) and places[at] == i:
            current = numbers[at]
            changes += 1
            at += 1
        lane.cells.append(Cell(CellKind.ON, changes, min(7, int((current - low) / span * 7.999)) if high > low else 3))
    lane.low, lane.high = f"{low:g}", f"{high:g}"


_STEPS = [s * u for u in (10**3, 10**4, 10**5, 10**6, 10**7, 10**8, 10**9) for s in (1, 2, 5)] + [
    10**9 * s for s in (10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800, 86400)]


def _ticks(start: int, end: int, width: int) -> list[tuple[int, int]]:
    """(cell, time) of round times, about one in sixteen cells."""
    span = max(1, end - start)
    step = next((s for s in _STEPS if s * width >= span * 16), _STEPS[-1])
    first = -(-start // step) * step
    return [((t - start) * width // span, t) for t in range(first, end + 1, step)][:40]


def cell_glyph(cell: Cell, boolean: bool) -> str:
    """The character of a cell."""
    if cell.kind is CellKind.UNKNOWN:
        return "╱"
    if not boolean:
        return glyphs.CURVE[cell.level]
    if cell.kind is CellKind.CROWDED:
        return glyphs.FEW if cell.changes < 8 else glyphs.MANY if cell.changes < 40 else glyphs.FULL
    return {CellKind.ON: glyphs.ON, CellKind.OFF: glyphs.OFF, CellKind.RISE: glyphs.RISE, CellKind.FALL: glyphs.FALL,
            CellKind.NOTCH: glyphs.NOTCH, CellKind.SPIKE: glyphs.SPIKE}[cell.kind]
