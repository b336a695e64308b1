"""The whole module: fixed part, the program's functions, and the tables that its memory begins with."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence

from msgspec import Struct

from whorlograph.engine.code import Code
from whorlograph.engine.schedule import MOST_STEPS, Schedule
from whorlograph.engine.scope.overlap import Shared, shared_bits
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Running
from whorlograph.model.types import Family

from . import layout as at
from .interrupts import Interrupts
from .layout import Layout, plan
from .runtime.whole import fixed_part
from .scans import Scans
from .units import Units, WayBack
from .watch import Watch

EVENTS_ROOM = 16_384
JOURNAL_ROOM = 131_072
NOTES_ROOM = 8_192
LENGTHS_ROOM = 32_768  # where steps take time
RUNS_ROOM = 8_192  # where there are tasks
PAGE = 65_536


class Module(Struct, frozen=True):
    """A compiled program: text ("" for one that was kept), memory layout, constant tables, first values by cell."""

    text: str
    layout: Layout
    pages: int
    tables: bytes
    first_values: dict[int, int]
    wake_bytes: int
    periodic: tuple[bool, ...] = ()
    ways_back: tuple[WayBack, ...] = ()


def compile_text(code: Code, running: Running, profile: Profile, schedule: Schedule, scan_time: int) -> Module:
    """Print a program as the text of one WebAssembly module.

    Source: CONTROLLER.md; WebAssembly core specification 2.0.
    """
    units = Units(code, running, profile, schedule)
    printed = units.print(at.aligned(at.CELLS + 8 * units.cells))
    shares = shared_bits(running.tags[:running.public], profile.addressing)
    timers = sum(1 for i in code.instances if i.body < 0 and i.name)
    numbers = code.cells + 1 + len(schedule.tasks)

    def laid(constants: int) -> Layout:
        return plan(units.cells, printed.wake_bytes, numbers, running.public, len(schedule.tasks), timers, constants, EVENTS_ROOM, JOURNAL_ROOM,
                    NOTES_ROOM, LENGTHS_ROOM if profile.rung_time else 0, RUNS_ROOM if schedule.tasks else 0)

    layout = laid(0)
    flags = _flags(running, units, schedule, numbers)
    tables, constants = _tables(running, numbers, printed.watches, shares, flags, layout)
    inputs = [_inputs(running, units, profile, schedule, t) for t in range(len(schedule.tasks))]
    tables_at = tuple(layout.constants + constants + t * running.public for t in range(len(inputs)))
    tables += b"".join(inputs)
    layout = laid(constants + len(inputs) * running.public)
    duration, longest = (running.find(n) if n else None for n in (profile.scan_duration, profile.longest_scan))
    written = {number for waiting in units.triggers.values() for number, _, _ in waiting}
    by_rows = any(t.single is not None and t.number not in written for t in schedule.tasks)
    cyclic = printed.units[0]
    interrupts = Interrupts(layout, cyclic, tuple(zip(schedule.tasks, printed.units[1:], strict=True)), units.triggers, by_rows, tables_at,
                            profile.rung_time, code.cells)
    scans = Scans(layout, cyclic, interrupts, scan_time, profile.rung_time, -1 if duration is None else duration,
                  -1 if longest is None else longest, (_in_ms(running, duration), _in_ms(running, longest)), printed.ways_back)
    pages = layout.end // PAGE + 1
    fixed = fixed_part(layout, pages, scan_time, profile.rung_time, profile.watchdog, MOST_STEPS, interrupts.woken(), interrupts.flagged(),
                       scans.text())
    first = {i.hidden + body.inner + n: cell.initial for i in code.instances if i.body >= 0
             for body in (code.bodies[i.body],) for n, cell in enumerate(body.hidden) if cell.initial}
    return Module("(module\n" + fixed + "".join(printed.functions) + ")", layout, pages, tables, first, printed.wake_bytes,
                  tuple(t.periodic for t in schedule.tasks), printed.ways_back)


def _in_ms(running: Running, tag: int | None) -> bool:
    """Whether a time is given to a tag in milliseconds: it is a number."""
    return tag is not None and running.tags[tag].type.family is not Family.TIME


def _flags(running: Running, units: Units, schedule: Schedule, numbers: int) -> bytearray:
    """What each tag's changes ask for besides waking steps."""
    flags = bytearray(numbers)
    for one in running.tags:
        flags[one.index] = (at.OUTPUT if one.at_output else 0) | (at.SILENT if one.silent else 0)
    flags[units.code.cells] = at.SILENT  # what a VAR_IN_OUT stands for where nothing is wired
    for tag in units.triggers:
        flags[tag] |= at.TRIGGER
    for task in schedule.tasks:
        if task.interval_tag is not None:
            flags[task.interval_tag] |= at.WATCHED
    return flags


def _inputs(running: Running, units: Units, profile: Profile, schedule: Schedule, task: int) -> bytes:
    """A byte for each tag: whether it is copied when a run of the task starts.

    Those that its programs read, called bodies and overlapping addresses included; not what waits for a scan's start.
    """
    table = bytearray(running.public)
    waits = {running.find(n) for n in (*profile.external, profile.first_scan) if n}
    for program in schedule.tasks[task].programs:
        for watch in units.steps[program]:
            for first, span in watch.looks:
                for tag in range(first, first + span):
                    for one in (tag, *units.watches.shares.get(tag, ())):
                        if one < running.public and one not in waits:
                            table[one] = 1
    return bytes(table)


def _tables(running: Running, tags: int, watches: dict[int, Watch], shares: dict[int, list[Shared]], flags: bytearray,
            layout: Layout) -> tuple[bytes, int]:
    """Watch and share lists, from ``layout.watch`` on; and how many bytes the lists take."""
    lists = bytearray()
    watch, share = [0] * tags, [0] * tags
    known: dict[bytes, int] = {}
    for tag, entries in _watchers(watches):
        packed = struct.pack(f"<{len(entries) + 1}i", *entries, -1)
        if packed not in known:
            known[packed] = layout.constants + len(lists)
            lists += packed
        watch[tag] = known[packed]
    lists += b"\0" * (-len(lists) % 8)
    for tag, shared in shares.items():
        share[tag] = layout.constants + len(lists)
        for part in shared:
            other = running.tags[part.other].type
            keep = (64 - max(1, other.bits)) | (256 if other.low < 0 or other.bits == 64 else 0)
            lists += struct.pack("<iIIIQ", part.other, part.mine, part.theirs, keep, (1 << part.width) - 1)
        lists += struct.pack("<iIIIQ", -1, 0, 0, 0, 0)
    head = bytearray(layout.constants - layout.watch)
    struct.pack_into(f"<{tags}i", head, 0, *watch)
    struct.pack_into(f"<{tags}i", head, layout.shares - layout.watch, *share)
    head[layout.flags - layout.watch:layout.flags - layout.watch + tags] = flags
    return bytes(head + lists), len(lists)


def _watchers(watches: dict[int, Watch]) -> Iterator[tuple[int, tuple[int, ...]]]:
    """By tag: the wake bytes that its changes set, each with whether its own step's writes set it too.

    Elements of an array are mostly watched by the same steps: they share one list, made once.
    """
    single: dict[int, list[int]] = {}
    wide: list[tuple[int, int, int]] = []
    for wake, one in sorted(watches.items()):
        for first, span in sorted(one.reads | one.others):
            entry = wake << 1 | ((first, span) not in one.reads)
            if span == 1:
                single.setdefault(first, []).append(entry)
            else:
                wide.append((first, first + span, entry))
    edges = sorted({e for first, end, _ in wide for e in (first, end)})
    begin: dict[int, list[int]] = {}
    stop: dict[int, list[int]] = {}
    for first, end, entry in wide:
        begin.setdefault(first, []).append(entry)
        stop.setdefault(end, []).append(entry)
    here: dict[int, int] = {}
    for i, edge in enumerate(edges):
        for entry in stop.get(edge, ()):
            here[entry] -= 1
        for entry in begin.get(edge, ()):
            here[entry] = here.get(entry, 0) + 1
        common = tuple(sorted(e for e, n in here.items() if n))
        if common:
            for tag in range(edge, edges[i + 1]):
                yield tag, _merged(single.pop(tag, None), common)
    for tag, entries in single.items():
        yield tag, _merged(entries, ())


def _merged(entries: list[int] | None, common: tuple[int, ...]) -> tuple[int, ...]:
    """One entry a wake byte: a step that reads is woken by its own writes too."""
    if entries is None:
        return common
    best: dict[int, int] = {}
    for entry in sorted([*entries, *common]):
        best[entry >> 1] = min(best.get(entry >> 1, entry), entry)
    return tuple(best.values())


def state_bytes(module: Module, initial: list[int], tasks_due: Sequence[int | None]) -> bytes:
    """The state before the first scan: first values in their cells, every step awake.

    Args: tasks_due: by task, when it first comes due (ns), None: not by itself.
    """
    layout = module.layout
    state = bytearray(layout.state_end)
    struct.pack_into(f"<{len(initial)}q", state, at.CELLS, *initial)
    public = (layout.touched - layout.image) // 8
    struct.pack_into(f"<{public}q", state, layout.image, *initial[:public])
    for cell, value in module.first_values.items():
        struct.pack_into("<q", state, at.CELLS + 8 * cell, value)
    state[layout.wakes:layout.wakes + module.wake_bytes] = b"\1" * module.wake_bytes
    for k, due in enumerate(tasks_due):
        struct.pack_into("<qq", state, layout.tasks + at.TASK * k, at.NEVER if due is None else due, -1)
    struct.pack_into("<q", state, at.PERIOD, -1)
    struct.pack_into("<q", state, at.TAKEN, -1)
    struct.pack_into("<i", state, at.JOURNAL_AT, layout.journal)
    struct.pack_into("<i", state, at.NOTES_AT, layout.notes)
    struct.pack_into("<i", state, at.LENGTHS_AT, layout.lengths)
    struct.pack_into("<i", state, at.RUNS_AT, layout.runs)
    return bytes(state)
