"""What was done at the bench, done once more: as it was, slower, or in the opposite order; and numbers that run to a value."""

from __future__ import annotations

from msgspec import Struct

from .bench import PRESS, Bench, Row

STEP = 100_000_000  # ns between two values of a ramp
MOST = 500  # values of one


class Deed(Struct, frozen=True):
    """One thing done by hand: when it took effect (ns), and its rows (time after that, tag, value), those that spring back among them."""

    at: int
    rows: tuple[Row, ...]


def deeds(bench: Bench) -> list[Deed]:
    """What was done by hand up to now, in order. Forces are none: they are applied and released by themselves."""
    done = sorted(r for r in bench.rows if r[0] <= bench.next_start)
    begun = {(t - PRESS, tag) for t, tag, _ in done}
    pressed = {(t, tag) for t, tag, _ in done if (t, tag) in begun}
    found: dict[int, list[Row]] = {}
    for time, tag, value in sorted(bench.rows):
        back = (time - PRESS, tag) in pressed
        start = time - PRESS if back else time
        if start <= bench.next_start:
            found.setdefault(start, []).append((PRESS if back else 0, tag, value))
    return [Deed(at, tuple(rows)) for at, rows in sorted(found.items())]


def again(bench: Bench, slower: float = 1.0, turned: bool = False) -> int:
    """Do everything once more from the next scan on; how long that takes (ns), -1 where nothing was done.

    Args: slower: how many times as long from one thing to the next; turned: the last thing first, the times between them turned round too.
    """
    done = deeds(bench)
    if not done:
        return -1
    first, last = done[0].at, done[-1].at
    rows: list[Row] = []
    for deed in done:
        after = round((last - deed.at if turned else deed.at - first) * slower)
        rows += [(bench.next_start + after + offset, tag, value) for offset, tag, value in deed.rows]
    bench.give(rows)
    return max(r[0] for r in rows) - bench.next_start


def ramp(bench: Bench, tag: int, value: int, time: int) -> None:
    """Let a number run to a value within a time (ns), from the next scan on, a tenth of a second a step."""
    begin, steps = bench.given(tag), max(1, min(MOST, time // STEP))
    bench.give([(bench.next_start + time * n // steps, tag, begin + (value - begin) * n // steps) for n in range(1, steps + 1)])
