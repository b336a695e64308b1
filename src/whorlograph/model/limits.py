"""The limits that files are held to, each with its reason; what goes beyond is said (docs/limits.md)."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

# Texts.
MOST_NUMBER = 400  # characters of a number: no type holds more, and Python itself refuses 4300
MOST_NAME = 4_000  # characters of a name in a body: what is longer is damage, not a name
MOST_LINE = 1 << 20  # bytes of a line of a log or list: a wide log of ten thousand tags has 200,000

# Programs.
MOST_PROGRAM = 256 << 20  # bytes of a program file: fifty times the largest seen
MOST_VARIABLES = 1_000_000  # of a program, arrays and instances unfolded: a hundred times the largest seen, half a gigabyte
MOST_ELEMENTS = 200_000  # of one array
MOST_LAID_OUT = 4_000  # parts of text that one loop may be laid out to, pass behind pass
MOST_LEFT = 60  # passes of one that may be left early: each stands within the one before
MOST_LAID_OUT_IN_ALL = 60_000  # of a program: a second of work when it is first read
DEEPEST = 30  # types within types: what is deeper contains itself

# Logs.
MOST_PACKED_RATIO = 400  # bytes unpacked to one packed: every row of a log has a time of its own, which no packing shortens so far
PACKED_FREE = 256 << 20  # bytes that may be unpacked whatever the ratio
LONG_GAP = 86_400_000_000_000  # ns without a row that are worth a word: a shift or a night is none
RHYTHM = 10  # rows from which on a log has a rhythm that others can be foreign to
FAR_DAYS, FAR_SPANS = 7, 20  # a stray row lies further from the rest than a week, and than twenty times what the rest lasts
STRAY_SHARE = 100  # one row in so many may be stray at each end: a recorder's clock is set once, not all day

# Memory.
LOG_ROW = 40  # bytes of a log's row while it is read: in its file's columns, sorted, and in the log
JOURNAL_ROW = 12  # bytes of a change in the journal, its place in an index included
MEMORY_SHARE = 2  # one in so many free bytes may be filled by what is read or replayed: the rest is for questions about it
LEAST_MEMORY = 256 << 20  # bytes that are always taken to be there
UNKNOWN_MEMORY = 4 << 30  # bytes taken to be free where the system does not say


def memory_room() -> int:
    """How many bytes a file or a replay may fill now."""
    free = UNKNOWN_MEMORY
    with suppress(OSError, ValueError, StopIteration):
        lines = Path("/proc/meminfo").read_text(encoding="ascii").splitlines()
        free = 1024 * int(next(line for line in lines if line.startswith("MemAvailable:")).split()[1])
    return max(LEAST_MEMORY, min(free, _address_space()) // MEMORY_SHARE)


def _address_space() -> int:
    try:
        import resource

        soft = resource.getrlimit(resource.RLIMIT_AS)[0]
    except (ImportError, OSError):
        return UNKNOWN_MEMORY << 10
    return soft if soft != resource.RLIM_INFINITY else UNKNOWN_MEMORY << 10
