"""A compiled program running in wasmtime: memory, inputs fed, journal drained, stop, snapshot."""

from __future__ import annotations

import atexit
import struct
from typing import Any
from weakref import WeakSet

import numpy as np
import wasmtime
from msgspec import Struct

from whorlograph.engine.feed import Feed
from whorlograph.engine.journal import Columns, Pass
from whorlograph.engine.rows import PACKED, unpacked
from whorlograph.formats.sandbox import new_engine, no_room_is_no_wasmtime
from whorlograph.model.log import Ints, Shorts
from whorlograph.model.profile import Profile

from . import host
from . import layout as at
from .module import Module, state_bytes
from .status import Status

_EVENT = np.dtype([("time", "<i8"), ("tag", "<i4"), ("kind", "<i4"), ("value", "<i8")])
_ENGINE: list[wasmtime.Engine] = []
_OPEN: WeakSet[wasmtime.Store] = WeakSet()


class RawFault(Struct, frozen=True):
    """A fault as the machine notes it."""

    code: int
    step: int
    at: int
    tag: int
    number: int
    scan: int
    a: int
    b: int


class TaskState(Struct, frozen=True):
    """When a task next comes due by itself (ns, at.NEVER: not), when the run that waits came due (-1: none waits), whether it is held;
    the last runs that came on time at one distance: the first, the distance, how many."""

    due: int
    waiting: int
    held: bool
    first: int
    every: int
    count: int


class Checkpoint(Struct, frozen=True):
    """All that is needed to go on from between two scans, on any log that is the same up to there.

    ``parts``: (address, bytes) of the state; ``taken``: the time (ns) up to which input changes have been taken, -1: none.
    """

    scan: int
    start: int
    period: int
    taken: int
    parts: tuple[tuple[int, bytes], ...]


@atexit.register
def _close_all() -> None:
    """Free what is still open before the interpreter takes its modules apart: afterwards wasmtime crashes over it."""
    for store in list(_OPEN):
        store.close()
    for engine in _ENGINE:
        engine.close()


def shared_engine() -> wasmtime.Engine:
    """The one engine of this process."""
    if not _ENGINE:
        _ENGINE.append(new_engine())
    return _ENGINE[0]


def assemble(module: Module) -> wasmtime.Module:
    """The machine code of a module's text."""
    return wasmtime.Module(shared_engine(), bytes(wasmtime.wat2wasm(module.text)))


class Machine:
    """One running copy of a compiled program."""

    def __init__(self, module: Module, code: wasmtime.Module, profile: Profile, feed: Feed) -> None:
        self.module, self.mode = module, profile.on_overflow
        self.columns = Columns()
        self.store = wasmtime.Store(shared_engine())
        _OPEN.add(self.store)
        i32, i64, f64 = wasmtime.ValType.i32(), wasmtime.ValType.i64(), wasmtime.ValType.f64()
        imports = [
            wasmtime.Func(self.store, wasmtime.FuncType([], []), self._flush),
            wasmtime.Func(self.store, wasmtime.FuncType([], []), self._more),
            wasmtime.Func(self.store, wasmtime.FuncType([i32, i32, i64, i64, i32], [i64]), self._whole),
            wasmtime.Func(self.store, wasmtime.FuncType([i32, i64, i64], [i64]), host.text),
            wasmtime.Func(self.store, wasmtime.FuncType([i32, f64, f64, i32], [f64]), self._real),
        ]
        with no_room_is_no_wasmtime():
            instance = wasmtime.Instance(self.store, code, imports)
        exports = instance.exports(self.store)
        memory, run = exports["memory"], exports["run"]
        assert isinstance(memory, wasmtime.Memory) and isinstance(run, wasmtime.Func)
        self._memory, self._run = memory, run
        self.closed = False
        self.keeps = True  # whether changes of tags come into the journal, or are only handed over
        self.bytes = np.frombuffer(memoryview(memory.get_buffer_ptr(self.store)), dtype=np.uint8)
        self._write(0, state_bytes(module, feed.initial, feed.tasks_due))
        self._write(module.layout.watch, module.tables)
        self.events_room = module.layout.events_room
        self._feed(feed, 0, -1)

    def _feed(self, feed: Feed, after: int, since: int) -> None:
        """Take input changes from a feed, from one of its rows on, and forces after a time."""
        part = slice(after, None)
        self._times, self._tags, self._values, self._kinds = feed.times[part], feed.tags[part], feed.values[part], feed.kinds[part]
        self._fed = 0
        self._field("<i", at.EVENT_AT, 0)
        self._field("<i", at.EVENT_COUNT, 0)
        self._field("<i", at.MORE, int(len(self._times) > 0))
        forces = np.array([(time, tag, kind, value) for time, tag, value, kind in feed.forces], _EVENT)
        self._write(self.module.layout.forcing, forces.tobytes())
        self._field("<i", at.FORCE_COUNT, len(forces))
        self._field("<i", at.FORCE_AT, int(np.searchsorted(forces["time"], since, side="right")))

    def close(self) -> None:
        """Free the machine's memory; it cannot run on."""
        self.closed = True
        self.bytes = np.zeros(0, np.uint8)
        self.store.close()

    # memory

    def _write(self, address: int, data: bytes) -> None:
        self.bytes[address:address + len(data)] = np.frombuffer(data, dtype=np.uint8)

    def _field(self, form: str, address: int, value: int) -> None:
        self._write(address, struct.pack(form, value))

    def _read(self, form: str, address: int) -> int:
        size = struct.calcsize(form)
        return int(struct.unpack(form, self.bytes[address:address + size].tobytes())[0])

    @property
    def scan(self) -> int:
        """The last scan executed."""
        return self._read("<q", at.SCAN)

    @property
    def start(self) -> int:
        """The clock of the last scan executed, ns."""
        return self._read("<q", at.START)

    @property
    def period(self) -> int:
        """From the last scan's start to the next one's, ns."""
        return self._read("<q", at.PERIOD)

    def distance(self, scan_time: int) -> int:
        """From the last scan's start to the next one's where nothing more happens, ns."""
        return max(scan_time, self._read("<q", at.END) - self.start)

    def task(self, number: int) -> TaskState:
        """A task as it stands."""
        where = self.module.layout.tasks + at.TASK * number
        return TaskState(self._read("<q", where + at.T_NEXT), self._read("<q", where + at.T_PENDING), bool(self._read("<i", where + at.T_HELD)),
                         *(self._read("<q", where + f) for f in (at.T_FIRST, at.T_EVERY, at.T_COUNT)))

    def value(self, tag: int) -> int:
        """A tag's raw value now."""
        return self._read("<q", at.CELLS + 8 * tag)

    def fault(self) -> RawFault | None:
        """The fault that halted the controller, if one did."""
        if not self._read("<i", at.FAULT):
            return None
        return RawFault(self._read("<i", at.FAULT), self._read("<i", at.FAULT_STEP), self._read("<i", at.FAULT_ELEMENT),
                        self._read("<i", at.FAULT_TAG), self._read("<i", at.FAULT_NUMBER), self._read("<q", at.FAULT_SCAN),
                        self._read("<q", at.FAULT_A), self._read("<q", at.FAULT_B))

    def passes(self) -> list[Pass]:
        """The ways back that were taken in the scan that faulted."""
        scan, found = self._read("<q", at.FAULT_SCAN), []
        for way in self.module.ways_back:
            stamp, times, first, last = (self._read("<i", way.address + 4 * i) for i in range(4))
            if stamp & 0xFFFFFFFF == scan & 0xFFFFFFFF:
                found.append(Pass(way.step, way.target, times, last - first))
        return found

    # running

    def stop(self) -> None:
        """Ask a run, in another thread or the next one, to come back at the next scan's start."""
        if not self.closed:
            self.bytes[at.STOP] = 1

    def break_on_outputs(self, on: bool) -> None:
        """Whether a run comes back after each scan in which an output changed."""
        self._field("<i", at.BREAK_ON, int(on))

    def feed_more(self, times: Ints, tags: Shorts, values: Ints) -> None:
        """Add input changes, none earlier than those already fed or the last scan's start."""
        rest = self._pending()
        self._times = np.concatenate([rest["time"], self._times[self._fed:], times])
        self._tags = np.concatenate([rest["tag"], self._tags[self._fed:], tags])
        self._values = np.concatenate([rest["value"], self._values[self._fed:], values])
        self._kinds = np.concatenate([rest["kind"].astype(np.int8), self._kinds[self._fed:], np.zeros(len(times), np.int8)])
        order = np.argsort(self._times, kind="stable")
        self._times, self._tags, self._values, self._kinds = self._times[order], self._tags[order], self._values[order], self._kinds[order]
        self._fed = 0
        self._field("<i", at.EVENT_AT, 0)
        self._field("<i", at.EVENT_COUNT, 0)
        self._field("<i", at.MORE, 1 if len(self._times) else 0)

    def _pending(self) -> Any:
        """Input changes in the machine's buffer that it has not taken yet."""
        done, count = self._read("<i", at.EVENT_AT), self._read("<i", at.EVENT_COUNT)
        base = self.module.layout.events
        return self.bytes[base + done * at.EVENT:base + max(done, count) * at.EVENT].view(_EVENT).copy()

    def _more(self) -> None:
        """Fill the buffer of input changes anew: asked for wherever one is looked for, in the middle of a scan too."""
        part = slice(self._fed, self._fed + self.events_room)
        block = np.empty(len(self._times[part]), _EVENT)
        block["time"], block["tag"], block["value"], block["kind"] = self._times[part], self._tags[part], self._values[part], self._kinds[part]
        self._write(self.module.layout.events, block.tobytes())
        self._fed += len(block)
        self._field("<i", at.EVENT_AT, 0)
        self._field("<i", at.EVENT_COUNT, len(block))
        self._field("<i", at.MORE, int(self._fed < len(self._times)))

    def run(self, until: int) -> Status:
        """Execute all scans whose start is not after ``until`` (ns); the journal's columns are up to date then.

        Raises: ValueError once the machine is closed.
        """
        if self.closed:
            raise ValueError("the machine is closed")
        status = Status(self._run(self.store, until))
        if status is Status.STOPPED:
            self.bytes[at.STOP] = 0
        self._flush()
        return status

    def _flush(self) -> None:
        layout = self.module.layout
        rows, notes, lengths, runs = (self.bytes[base:self._read("<i", end)] for base, end in (
            (layout.journal, at.JOURNAL_AT), (layout.notes, at.NOTES_AT), (layout.lengths, at.LENGTHS_AT),
            (layout.runs, at.RUNS_AT)))
        if len(rows) and self.keeps:
            self.columns.add(unpacked(rows.view(PACKED)))
        elif len(rows):
            self.columns.pass_on(rows.view(PACKED))
        if len(notes):
            self.columns.note(unpacked(notes.view(PACKED)))
        if len(lengths):
            self.columns.lengths.append(lengths.view(np.int64).reshape(-1, 2).copy())
        if len(runs):
            table = runs.view(np.int64).reshape(-1, 5).copy()
            self.columns.runs.add(table[:, 0], table[:, 1:])
        self._emptied()

    def _emptied(self) -> None:
        """The journal's buffers stand at their beginning."""
        self._field("<i", at.JOURNAL_AT, self.module.layout.journal)
        self._field("<i", at.NOTES_AT, self.module.layout.notes)
        self._field("<i", at.LENGTHS_AT, self.module.layout.lengths)
        self._field("<i", at.RUNS_AT, self.module.layout.runs)

    def _fail(self, code: int, element: int, value: int) -> None:
        if not self._read("<i", at.FAULT):
            self._field("<i", at.FAULT, code)
            self._field("<i", at.FAULT_ELEMENT, element)
            self._field("<i", at.FAULT_TAG, -1)
            self._field("<i", at.FAULT_STEP, -2)
            self._field("<q", at.FAULT_A, max(-(1 << 63), min((1 << 63) - 1, value)))

    def _whole(self, code: int, kind: int, a: int, b: int, element: int) -> int:
        return host.whole(code, kind, a, b, element, self.mode, self._fail)

    def _real(self, code: int, a: float, b: float, element: int) -> float:
        return host.real(code, a, b, element, self._fail)

    # checkpoints

    def checkpoint(self) -> Checkpoint:
        """The state between two scans, to go on from later."""
        layout = self.module.layout
        heap = layout.heap + 16 * self._read("<i", at.HEAP_COUNT)
        touched = layout.touched + 4 * self._read("<i", at.TOUCHED)
        spans = [(0, touched), (layout.touched_flags, layout.forces), (layout.heap, heap)]
        if self._read("<i", at.FORCES):
            spans.append((layout.forces, layout.heap))
            spans.append((layout.flags, layout.constants))
        parts = tuple((begin, self.bytes[begin:end].tobytes()) for begin, end in spans)
        return Checkpoint(self.scan, self.start, self.period, self._read("<q", at.TAKEN), parts)

    def restore(self, checkpoint: Checkpoint, feed: Feed) -> None:
        """Go back to a checkpoint; input changes not taken by then come from the feed. The journal begins anew there."""
        if self._read("<i", at.FORCES):
            layout = self.module.layout
            self._write(layout.flags, self.module.tables[layout.flags - layout.watch:layout.constants - layout.watch])
            self.bytes[layout.forces:layout.heap] = 0
        for address, data in checkpoint.parts:
            self._write(address, data)
        for k in range(len(self.module.periodic)):
            self._field("<q", self.module.layout.tasks + at.TASK * k + at.T_COUNT, 0)
        self.columns = Columns()
        if checkpoint.scan:
            self.columns.clock(checkpoint.scan, checkpoint.start, checkpoint.period)
        self._emptied()
        since = checkpoint.start if checkpoint.scan else -1
        self._feed(feed, int(np.searchsorted(feed.times, checkpoint.taken, side="right")), since)
