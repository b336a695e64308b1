"""Where things lie in the compiled program's memory.

One flat piece: header, cells (one of 8 bytes for each tag, path mark and hidden value), marks (a byte for
each step), heap of timers. What comes behind is constant or a buffer: watch lists, shared bits, input
image, input changes, journal. The first part up to ``Layout.state_end`` is the whole state: a snapshot.
"""

from __future__ import annotations

from msgspec import Struct

# Header fields, byte offsets.
STOP, SCAN, START, PERIOD = 0, 8, 16, 24
AGAIN, HALTED, HEAP_COUNT, JOURNAL_AT = 32, 36, 40, 44
FAULT_SCAN = 104
EVENT_AT, EVENT_COUNT, MORE = 48, 52, 56
FAULT, FAULT_STEP, FAULT_ELEMENT, FAULT_TAG, FAULT_NUMBER = 60, 64, 68, 72, 76
FAULT_A, FAULT_B = 80, 88
BREAK, BREAK_ON = 96, 100
CELLS = 256

RECORD = 24  # scan i32, number i32, step i32, tag i32, value i64
EVENT = 24  # time i64, tag i64, value i64
CLOCK_START, CLOCK_PERIOD = -2, -3  # records that tell when scans start

# Fault codes, in the order of FAULT_NAMES.
OVERFLOW, ZERO, INDEX, WATCHDOG, STEPS, DEPTH, SELECTOR, SHIFT, UNDEFINED = range(1, 10)
FAULT_NAMES = ("", "overflow", "division by zero", "array index", "watchdog", "too many steps", "calls too deep",
               "selector out of range", "negative shift", "undefined result")


class Layout(Struct):
    """Addresses of the regions, in bytes."""

    cells: int
    marks: int
    marks_end: int
    heap: int
    heap_room: int
    state_end: int
    watch: int
    shares: int
    breaks: int
    image: int
    touched: int
    touched_flags: int
    constants: int
    events: int
    events_room: int
    journal: int
    journal_room: int
    end: int


def aligned(address: int, to: int = 8) -> int:
    """The next address that is a multiple of ``to``."""
    return (address + to - 1) // to * to


def plan(cells: int, mark_bytes: int, tags: int, constants: int, events_room: int, journal_room: int) -> Layout:
    """Lay the regions out one behind the other.

    Args: cells, mark_bytes: how many; tags: tags and path marks; constants: bytes of watch and share lists.
    """
    marks = CELLS + 8 * cells
    marks_end = aligned(marks + mark_bytes)
    heap_room = 4 * 64 + 4 * cells
    heap = marks_end
    state_end = aligned(heap + 16 * heap_room)
    watch = state_end
    shares = aligned(watch + 4 * tags)
    breaks = aligned(shares + 4 * tags)
    image = aligned(breaks + tags)
    touched = image + 8 * tags
    touched_flags = aligned(touched + 4 * tags)
    constants_at = aligned(touched_flags + tags)
    events = aligned(constants_at + constants)
    journal = aligned(events + EVENT * events_room)
    return Layout(CELLS, marks, marks_end, heap, heap_room, state_end, watch, shares, breaks, image, touched, touched_flags,
                  constants_at, events, events_room, journal, journal_room, journal + RECORD * journal_room)
