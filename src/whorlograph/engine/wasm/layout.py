"""Where things lie in the compiled program's memory.

One flat piece. The state: header, cells (8 bytes for each tag, hidden value and count), wake bytes (one for each step of a
program), tasks, input image, forces, heap of timers. What comes behind is constant or a buffer: watch lists, shared bits,
input changes, journal.
"""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.feed import DUE, FORCE, MASK, MOST_FORCES, NOTE_FORCED, NOTE_UNFORCED, ROW, UNFORCE

__all__ = ["DUE", "FORCE", "MASK", "NOTE_FORCED", "NOTE_UNFORCED", "ROW", "UNFORCE"]

# Header fields, byte offsets.
STOP, SCAN, START, PERIOD = 0, 8, 16, 24
AGAIN, HALTED, HEAP_COUNT, JOURNAL_AT = 32, 36, 40, 44
EVENT_AT, EVENT_COUNT, MORE = 48, 52, 56
FAULT, FAULT_STEP, FAULT_ELEMENT, FAULT_TAG, FAULT_NUMBER = 60, 64, 68, 72, 76
FAULT_A, FAULT_B = 80, 88
BREAK, BREAK_ON, FAULT_SCAN = 96, 100, 104
END, TOUCHED, BEFORE = 112, 128, 132
LENGTH, LONGEST, FORCES, FAULT_START, TAKEN = 136, 144, 152, 160, 168
FORCE_AT, FORCE_COUNT, USUAL, NOTES_AT, LENGTHS_AT, RUNS_AT = 176, 180, 184, 192, 196, 200  # USUAL: a scan's time without the tasks that ran in it
WAITING = 204  # how many tasks have a run that waits
CELLS = 256

RECORD = 24  # key i64 (scan and number, see engine/rows.py), step i32, tag i32, value i64
EVENT = 24  # time i64, tag i32, kind i32, value i64
TIMED = 16  # scan i64, how long it took (ns) i64
RUN = 40  # task i64, then i64 each as in runs.TaskRuns.table

# Notes, records that are no changes of tags: in place of the tag; of those of tasks the step is the task.
CLOCK_START, CLOCK_PERIOD, TASK_MISSED, TASK_HELD, FORCED, UNFORCED = range(-2, -8, -1)
PASSES = -8  # of a jump back, in place of the number its target: how often it was taken in the scan
SHADOW = -16  # minus a tag: what the program would have written

# What a tag's flags say.
OUTPUT, SILENT, TRIGGER, HELD_AT, WATCHED = 1, 2, 4, 8, 16

# A task's fields in memory.
TASK = 64
T_NEXT, T_PENDING, T_HELD, T_DIRTY, T_MISSED, T_FIRST, T_EVERY, T_COUNT = 0, 8, 16, 20, 24, 32, 40, 48
NEVER = 0x7FFFFFFFFFFFFFFF
FIRST_NUMBER = -(1 << 20)  # of steps that tasks take before a scan

# Fault codes, in the order of FAULT_NAMES.
OVERFLOW, ZERO, INDEX, WATCHDOG, STEPS, DEPTH, SELECTOR, SHIFT, UNDEFINED = range(1, 10)
FAULT_NAMES = ("", "overflow", "division by zero", "array index", "watchdog", "too many steps", "calls too deep",
               "selector out of range", "negative shift", "undefined result")


class Layout(Struct):
    """Addresses of the regions, in bytes."""

    cells: int
    wakes: int
    wakes_end: int
    tasks: int
    image: int
    touched: int
    touched_flags: int
    forces: int
    heap: int
    heap_room: int
    state_end: int
    watch: int
    shares: int
    flags: int
    constants: int
    forcing: int
    events: int
    events_room: int
    journal: int
    notes: int
    lengths: int
    runs: int
    end: int


def aligned(address: int, to: int = 8) -> int:
    """The next address that is a multiple of ``to``."""
    return (address + to - 1) // to * to


def plan(cells: int, wake_bytes: int, numbers: int, public: int, tasks: int, timers: int, constants: int, events_room: int,
         journal_room: int, notes_room: int, lengths_room: int, runs_room: int) -> Layout:
    """Lay the regions out one behind the other.

    Args: cells, wake_bytes, tasks, timers: how many; numbers: tags and hidden cells; constants: bytes of watch and share lists.
    """
    wakes = CELLS + 8 * cells
    wakes_end = aligned(wakes + wake_bytes)
    tasks_at = wakes_end
    image = tasks_at + TASK * tasks
    touched = image + 8 * public
    touched_flags = aligned(touched + 4 * public)
    forces = aligned(touched_flags + public)
    heap = aligned(forces + 24 * public)
    heap_room = 64 + 4 * timers
    state_end = heap + 16 * heap_room
    watch = state_end
    shares = aligned(watch + 4 * numbers)
    flags = aligned(shares + 4 * numbers)
    constants_at = aligned(flags + numbers)
    forcing = aligned(constants_at + constants)
    events = forcing + EVENT * MOST_FORCES
    journal = aligned(events + EVENT * events_room)
    notes = journal + RECORD * journal_room
    lengths = notes + RECORD * notes_room
    runs = lengths + TIMED * lengths_room
    return Layout(CELLS, wakes, wakes_end, tasks_at, image, touched, touched_flags, forces, heap, heap_room, state_end, watch, shares,
                  flags, constants_at, forcing, events, events_room, journal, notes, lengths, runs, runs + RUN * runs_room)
