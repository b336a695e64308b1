"""The journal: every value change of a replay, in columns, asked without running again."""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Iterator

import numpy as np
from msgspec import Struct, field

from whorlograph.model.log import Ints
from whorlograph.model.moment import Moment, ScanClock

from .block import MOST_ROWS, Block, make_block
from .repeat import Repeat, parted
from .rows import BEFORE, BITS, Records, Rows, joined
from .runs import Held, RunColumns, TaskRuns
from .wasm import layout as at

_SHORT = 4096  # rows of one tag up to which they are remembered once they were put together
_FEW = 1024  # the same of settled changes, which many tags are asked for one after the other, of the rows of one scan, and scans
_OFTEN = 12  # questions about one tag from which on its rows are laid out for more of them: that costs as much as some of these
_LAID_OUT = 1 << 20  # rows of all tags that are
_SCANS = 1 << 14  # ends of scans that are remembered
NO_LENGTHS = np.zeros((0, 2), np.int64)


class Columns:
    """Takes journal rows as the engine hands them over, and the clock's rows between them."""

    def __init__(self) -> None:
        self.blocks: list[Block | Repeat] = []
        self.rows = 0
        self.scans: list[int] = []
        self.starts: list[int] = []
        self.periods: list[int] = []
        self.runs = RunColumns()
        self.lengths: list[Ints] = [NO_LENGTHS]
        self.passes: list[Passes] = []
        self.forced: list[Forced] = []
        self.shadow: list[Rows] = []
        self.passed: list[Records] = []
        self._rest: list[Rows] = []
        self._resting = 0

    def add(self, rows: Rows) -> None:
        """Take changes of tags, rows which are not written to any more."""
        self.rows += len(rows)
        for part, repeat in parted(rows):
            if repeat is None:
                self._write_out(part)
            else:
                self._repeat(repeat)

    def note(self, rows: Rows) -> None:
        """Take rows that are no changes of tags: the clock, tasks missed and held, forces, loops."""
        tag = rows.tag
        # One by one: the start of a stretch of scans and its period may come in two pieces.
        begins = tag == at.CLOCK_START
        self.scans += rows.scan[begins].tolist()
        self.starts += rows.value[begins].tolist()
        self.periods += rows.value[tag == at.CLOCK_PERIOD].tolist()
        self.passes += [Passes(scan, step, number, value) for scan, number, step, _, value in rows.chosen(tag == at.PASSES).listed()]
        missed = rows.chosen(tag == at.TASK_MISSED)
        self.runs.miss(missed.step, missed.value)
        self.runs.held += [Held(step, scan, number, bool(value)) for scan, number, step, _, value in rows.chosen(tag == at.TASK_HELD).listed()]
        self.forced += [Forced(step, scan, value if kind == at.FORCED else None)
                        for scan, _, step, kind, value in rows.chosen((tag == at.FORCED) | (tag == at.UNFORCED)).listed()]
        shadow = rows.chosen(tag <= at.SHADOW)
        if len(shadow):
            self.shadow.append(shadow)

    def _write_out(self, rows: Rows) -> None:
        for begin in range(0, len(rows), MOST_ROWS):
            part = rows.part(begin, begin + MOST_ROWS)
            if self._resting and self._resting + len(part) > MOST_ROWS:
                self._seal()
            self._rest.append(part)
            self._resting += len(part)

    def _repeat(self, repeat: Repeat) -> None:
        last = self.blocks[-1] if self.blocks and not self._resting else None
        if isinstance(last, Repeat) and last.goes_on(repeat):
            # A new one, not a longer one: journals made before share the old one.
            self.blocks[-1] = Repeat(last.base, last.count + repeat.count, last.numbers, last.steps, last.tags, last.values)
            return
        if self._resting:
            self._seal()
        self.blocks.append(repeat)

    def clock(self, scan: int, start: int, period: int) -> None:
        """Note a scan from which on scans are another distance apart (ns)."""
        self.scans.append(scan)
        self.starts.append(start)
        self.periods.append(period)

    def _seal(self) -> None:
        self.blocks.append(self._tail())
        self._rest, self._resting = [], 0

    def _tail(self) -> Block:
        return make_block(joined(self._rest))

    def pass_on(self, records: Records) -> None:
        """Take changes of tags that are to be handed over, not kept: copied as they are."""
        self.rows += len(records)
        self.passed.append(records.copy())

    def handed_over(self) -> tuple[list[Records], ScanClock]:
        """The records passed on so far, which are forgotten here, and the clock up to now."""
        passed, self.passed = self.passed, []
        return passed, ScanClock(list(self.scans), list(self.starts), list(self.periods), self.scans[-1] if self.scans else 0)

    def journal(self, initial: list[int], last_scan: int, fault: Fault | None = None) -> Journal:
        """What has been taken so far; blocks that are full are shared with what comes later."""
        blocks = [*self.blocks, self._tail()] if self._resting else list(self.blocks)
        journal = Journal(blocks, initial, ScanClock(list(self.scans), list(self.starts), list(self.periods), last_scan), fault)
        journal.tasks, journal.held, journal.lengths = self.runs.runs(), list(self.runs.held), np.concatenate(self.lengths)
        journal.passes = list(self.passes)
        journal.forced, journal.shadow = list(self.forced), list(self.shadow)
        return journal


class Forced(Struct, frozen=True):
    """A force on a tag began in a scan, with its raw value, or ended (None)."""

    tag: int
    scan: int
    value: int | None


class Passes(Struct, frozen=True, order=True):
    """From a scan on the jump back of a step to ``target`` is taken so often in each scan. Steps as in ``Pass``."""

    scan: int
    step: int
    target: int
    times: int


class Pass(Struct, frozen=True, order=True):
    """A jump back to ``target`` that was taken in one scan: how often, and how many steps lay between the first time and the last.

    Steps are those of the program, or of the first instance of a POU that is called.
    """

    step: int
    target: int
    times: int
    steps: int


class Fault(Struct, frozen=True):
    """Why the controller halted. ``step`` and ``element`` are -1 and 0 where there is none; ``tag`` None likewise.

    ``loops``: of a scan that took too long, the jumps back that were taken in it.
    """

    scan: int
    number: int
    step: int
    element: int
    code: str
    tag: int | None
    text: str
    loops: tuple[Pass, ...] = ()


class Journal(Struct):
    """All rows of a replay in order, in blocks, counted through from 0.

    ``initial``: every tag's raw value before the first scan; ``complete``: the replay came to its end;
    ``full``: it did not, because its rows filled the memory. ``tasks``: the runs of
    each task, by number; ``lengths``: int64[n, 2], scans that took another time (ns) than the one before, and it; ``passes``: jumps back that were
    taken another number of times than in the scan before; ``forced``: forces as they began and ended, ``shadow``: what the program
    would have written to forced tags, rows whose tag is SHADOW minus the tag.
    """

    blocks: list[Block | Repeat]
    initial: list[int]
    clock: ScanClock
    fault: Fault | None = None
    complete: bool = True
    full: bool = False
    tasks: dict[int, TaskRuns] = field(default_factory=dict)
    held: list[Held] = field(default_factory=list)
    lengths: Ints = NO_LENGTHS
    passes: list[Passes] = field(default_factory=list)
    forced: list[Forced] = field(default_factory=list)
    shadow: list[Rows] = field(default_factory=list)
    _starts: list[int] = field(default_factory=list)
    _firsts: list[int] = field(default_factory=list)
    _rows: dict[int, Ints] = field(default_factory=dict)
    _settled: dict[int, tuple[Ints, Ints]] = field(default_factory=dict)
    _places: dict[int, list[int]] = field(default_factory=dict)
    _asked: dict[int, int] = field(default_factory=dict)
    _laid_out: dict[int, tuple[array[int], array[int]]] = field(default_factory=dict)
    _left: int = _LAID_OUT
    _ends: dict[int, int] = field(default_factory=dict)
    _of_scan: dict[int, tuple[Ints, Ints]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        total = 0
        self._starts, self._firsts = [], []
        self.blocks = [b for b in self.blocks if len(b)]
        for block in self.blocks:
            self._starts.append(total)
            self._firsts.append(block.key(0))
            total += len(block)
        self._starts.append(total)

    def __len__(self) -> int:
        return self._starts[-1]

    def _where(self, tag: int) -> list[int]:
        """The blocks that hold rows of a tag."""
        found = self._places.get(tag)
        if found is None:
            found = self._places[tag] = [i for i, block in enumerate(self.blocks) if block.holds(tag)]
        return found

    def _find(self, row: int) -> tuple[Block | Repeat, int]:
        i = bisect_right(self._starts, row) - 1
        return self.blocks[i], row - self._starts[i]

    # one row

    def key(self, row: int) -> int:
        """Scan and step number of a row in one: keys ascend as rows happened."""
        block, i = self._find(row)
        return block.key(i)

    def scan(self, row: int) -> int:
        """The scan of a row."""
        block, i = self._find(row)
        return block.scan(i)

    def step(self, row: int) -> int:
        """The step that made a row; -1: an input, -2: the controller."""
        block, i = self._find(row)
        return block.step(i)

    def tag(self, row: int) -> int:
        """The tag of a row."""
        block, i = self._find(row)
        return block.tag(i)

    def raw(self, row: int) -> int:
        """The raw value that a row gave its tag."""
        block, i = self._find(row)
        return block.raw(i)

    def moment(self, row: int) -> Moment:
        """When a row happened."""
        key = self.key(row)
        return Moment(key >> BITS, (key & ((1 << BITS) - 1)) - BEFORE)

    def length(self, scan: int) -> int:
        """How long a scan took, ns; 0 where steps take no time."""
        i = int(np.searchsorted(self.lengths[:, 0], scan, "right")) - 1
        return int(self.lengths[i, 1]) if i >= 0 else 0

    def run_scan(self, task: int, scan: int) -> int:
        """The last scan up to one to which a run of a task belongs; 0: it had not run.

        A run between two scans belongs to the later one (CONTROLLER.md, Scan and tasks).
        """
        runs = self.tasks.get(task)
        start = runs.last_start(self.clock.start(scan) + self.length(scan)) if runs is not None else None
        for _ in range(3):
            if start is None or runs is None:
                return 0
            found = self.clock.scan_at(start)
            begun, length = self.clock.start(found), self.length(found)
            if start > begun and (not length or start >= begun + length):
                found += 1
            if found <= scan:
                return found
            start = runs.last_start(start - 1)
        return 0

    def ran_between(self, task: int, low: int, high: int) -> bool:
        """Whether a run of a task (-1: a scan) began from one time to before another (ns)."""
        if task < 0:
            scan = self.clock.scan_at(high - 1)
            return scan <= 0 or self.clock.start(scan) >= low
        runs = self.tasks.get(task)
        last = runs.last_start(high - 1) if runs is not None else None
        return last is not None and last >= low

    def run_start(self, task: int, scan: int) -> int | None:
        """When the last run of a task began that belongs to a scan or one before, ns; None where there was none."""
        runs, found = self.tasks.get(task), self.run_scan(task, scan)
        return runs.last_start(self.clock.start(found) + self.length(found)) if runs is not None and found else None

    @property
    def loops(self) -> list[tuple[int, int]]:
        """(step, target) of each jump back that was ever taken."""
        return sorted({(p.step, p.target) for p in self.passes})

    def series(self, number: int) -> tuple[Ints, Ints]:
        """int64[n] each: scans from which on something holds for each scan, and its value: 0 how long it takes (ns), 1.. the passes of a loop."""
        loops = self.loops
        if number > len(loops):
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        found = [(p.scan, p.times) for p in self.passes if number and (p.step, p.target) == loops[number - 1]]
        table = np.array(found, np.int64).reshape(-1, 2) if number else self.lengths
        return table[:, 0], table[:, 1]

    def held_at(self, task: int, scan: int) -> bool:
        """Whether a task is held at a scan's end."""
        return next((h.on for h in reversed(self.held) if h.task == task and h.scan <= scan), False)

    def time(self, row: int) -> int:
        """The clock of a row's scan, ns since the log's first row."""
        return self.clock.start(self.scan(row))

    # many rows

    def rows(self, tag: int) -> Ints:
        """int64[n]: the rows of one tag, in order."""
        found = self._rows.get(tag)
        if found is None:
            found = self.rows_between(tag, 0, len(self))
            if len(found) <= _SHORT:
                self._rows[tag] = found
        return found

    def rows_between(self, tag: int, low: int, high: int) -> Ints:
        """int64[n]: the rows of one tag from one position to before another."""
        parts = []
        where = self._where(tag)
        for i in where[bisect_left(where, bisect_right(self._starts, low) - 1):bisect_left(where, bisect_left(self._starts, high))]:
            start = self._starts[i]
            parts.append(self.blocks[i].rows(tag, max(0, low - start), min(len(self.blocks[i]), high - start)) + start)
        return np.concatenate(parts) if parts else np.zeros(0, np.int64)

    def _parted(self, rows: Ints) -> Iterator[tuple[Block | Repeat, Ints]]:
        """The blocks that ascending rows fall into, with their places there."""
        cuts = np.searchsorted(rows, self._starts)
        for i, block in enumerate(self.blocks):
            if cuts[i] < cuts[i + 1]:
                yield block, rows[cuts[i]:cuts[i + 1]] - self._starts[i]

    def raws(self, rows: Ints) -> Ints:
        """int64[n]: the raw values of ascending rows."""
        parts = [block.raws(places) for block, places in self._parted(rows)]
        return np.concatenate(parts) if parts else np.zeros(0, np.int64)

    def scans(self, rows: Ints) -> Ints:
        """int64[n]: the scans of ascending rows."""
        parts = [block.scans_of(places) for block, places in self._parted(rows)]
        return np.concatenate(parts) if parts else np.zeros(0, np.int64)

    def steps(self, rows: Ints) -> Ints:
        """int64[n]: the steps that wrote ascending rows, -1 for what came from outside."""
        parts = [block.steps_of(places) for block, places in self._parted(rows)]
        return np.concatenate(parts) if parts else np.zeros(0, np.int64)

    def history(self, tag: int) -> tuple[Ints, Ints]:
        """Scans and raw values of all rows of a tag."""
        rows = self.rows(tag)
        return self.scans(rows), self.raws(rows)

    def settled_changes(self, tag: int) -> tuple[Ints, Ints]:
        """int64[n] each: the scans at whose end a tag had another raw value than at the end of the one before, and that value."""
        found = self._settled.get(tag)
        if found is None:
            found = changes(self.initial[tag] if tag < len(self.initial) else 0, *self.history(tag))
            if len(found[0]) <= _FEW:
                self._settled[tag] = found
        return found

    def falls(self) -> Ints:
        """int64[n]: by tag how often its raw value was 0 at a scan's end and not at the end of the one before; tags without a row may be missing."""
        size = 1 + max((int(block.tags.max()) for block in self.blocks), default=-1)
        state, counts = np.zeros(size, np.int64), np.zeros(size, np.int64)
        state[:len(self.initial)] = self.initial[:size]
        scans = tags = values = np.zeros(0, np.int64)
        for i, block in enumerate(self.blocks):
            scans, tags, values = (np.concatenate(pair) for pair in zip((scans, tags, values), block.once(), strict=True))
            whole = len(scans) if i == len(self.blocks) - 1 else int(scans.searchsorted(scans[-1]))  # the last scan may go on in the next block
            order = np.argsort(tags[:whole], kind="stable")
            mine = tags[order]
            left = np.ones(whole, np.bool_)  # what a scan left a tag at
            left[:-1] = (mine[1:] != mine[:-1]) | (np.diff(scans[order]) != 0)
            mine, now = mine[left], values[order[left]]
            before = np.concatenate([now[:1], now[:-1]])
            first = np.flatnonzero(np.diff(mine, prepend=-1))
            before[first] = state[mine[first]]
            counts += np.bincount(mine[(now == 0) & (before != 0)], minlength=size)
            state[mine] = now  # of several the last holds
            scans, tags, values = scans[whole:], tags[whole:], values[whole:]
        return counts

    def stretch(self, low: int, high: int) -> tuple[Ints, Ints]:
        """int64[n] each: steps and tags of the rows from one position to before another."""
        parts = []
        for i in range(max(0, bisect_right(self._starts, low) - 1), min(len(self.blocks), bisect_left(self._starts, high))):
            start = self._starts[i]
            parts.append(self.blocks[i].stretch(max(0, low - start), min(len(self.blocks[i]), high - start)))
        if len(parts) == 1:
            return parts[0]
        return (np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts])) if parts else (np.zeros(0, np.int64),) * 2

    def of_scan(self, scan: int) -> tuple[Ints, Ints]:
        """int64[n] each: steps and tags of the rows of one scan."""
        found = self._of_scan.get(scan)
        if found is None:
            found = self.stretch(self.settled_position(scan - 1), self.settled_position(scan))
            if len(found[0]) <= _FEW:
                if len(self._of_scan) >= _FEW:
                    self._of_scan = {}
                self._of_scan[scan] = found
        return found

    def distinct(self) -> tuple[Ints, Ints, Ints]:
        """int64[n] each: scans, tags and raw values of all rows, but those of repeated scans once: they leave nothing else behind."""
        parts = [block.once() for block in self.blocks]
        if not parts:
            return (np.zeros(0, np.int64),) * 3
        return np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts]), np.concatenate([p[2] for p in parts])

    # positions: a position p stands for "all rows before row p have happened"

    def _position(self, scan: int, number: int) -> int:
        i = bisect_left(self._firsts, (scan << BITS) + number + BEFORE) - 1
        return self._starts[i] + self.blocks[i].position(scan, number) if i >= 0 else 0

    def position(self, moment: Moment) -> int:
        """The rows that happened before a step saw its values: those of earlier scans and smaller numbers."""
        return self._position(moment.scan, moment.step)

    def settled_position(self, scan: int) -> int:
        """The rows up to the end of a scan."""
        found = self._ends.get(scan)
        if found is None:
            if len(self._ends) >= _SCANS:
                self._ends = {}
            found = self._ends[scan] = self._position(scan + 1, -BEFORE)
        return found

    def _lay_out(self, tag: int) -> tuple[array[int], array[int]] | None:
        """The rows of a tag that is often asked about, and their raw values; None where it is not, or its rows are many."""
        asked = self._asked[tag] = self._asked.get(tag, 0) + 1
        rows = self.rows(tag) if asked == _OFTEN else None
        if rows is None or len(rows) > min(_SHORT, self._left):
            return None
        self._left -= len(rows)
        found = self._laid_out[tag] = array("q", rows.tobytes()), array("q", self.raws(rows).tobytes())
        return found

    def last_row(self, tag: int, position: int) -> int | None:
        """The last row of a tag before a position."""
        laid_out = self._laid_out.get(tag) or self._lay_out(tag)
        if laid_out is not None:
            count = bisect_left(laid_out[0], position)
            return laid_out[0][count - 1] if count else None
        where = self._where(tag)
        here = bisect_left(self._starts, position) - 1
        k = bisect_right(where, here) - 1
        if k >= 0 and where[k] == here:
            found = self.blocks[here].last(tag, position - self._starts[here])
            if found >= 0:
                return self._starts[here] + found
            k -= 1
        return self._starts[where[k]] + self.blocks[where[k]].last(tag, len(self.blocks[where[k]])) if k >= 0 else None

    def next_row(self, tag: int, position: int) -> int | None:
        """The first row of a tag at or after a position."""
        where = self._where(tag)
        here = bisect_right(self._starts, position) - 1
        k = bisect_left(where, here)
        if k < len(where) and where[k] == here:
            found = self.blocks[here].first(tag, position - self._starts[here])
            if found >= 0:
                return self._starts[here] + found
            k += 1
        return self._starts[where[k]] + self.blocks[where[k]].first(tag, 0) if k < len(where) else None

    def value_at(self, tag: int, position: int) -> int:
        """A tag's raw value at a position."""
        laid_out = self._laid_out.get(tag)
        if laid_out is not None:
            count = bisect_left(laid_out[0], position)
            if count:
                return laid_out[1][count - 1]
        elif (row := self.last_row(tag, position)) is not None:
            return self.raw(row)
        return self.initial[tag] if tag < len(self.initial) else 0

    def unforced(self, tag: int, scan: int) -> int:
        """What the program would have left in a forced tag by the end of a scan: its last write kept apart, else what stood before the force."""
        begun = max((f.scan for f in self.forced if f.tag == tag and f.scan <= scan and f.value is not None), default=scan + 1)
        for rows in reversed(self.shadow):
            mine = np.nonzero((rows.tag == at.SHADOW - tag) & (rows.scan >= begun) & (rows.scan <= scan))[0]
            if len(mine):
                return int(rows.value[mine[-1]])
        return self.settled(tag, begun - 1)

    def settled(self, tag: int, scan: int) -> int:
        """A tag's raw value at a scan's end."""
        return self.value_at(tag, self.settled_position(scan))


def changes(first: int, scans: Ints, values: Ints) -> tuple[Ints, Ints]:
    """int64[n] each: of all that was written in each scan what was left, where that differs from what the one before left.

    Args: first: what was there before any; scans, values: of each write, in order.
    """
    if not len(scans):
        return scans, values
    last = np.append(scans[1:] != scans[:-1], True)
    scans, values = scans[last], values[last]
    changed = np.append(values[0] != first, values[1:] != values[:-1])
    return scans[changed], values[changed]
