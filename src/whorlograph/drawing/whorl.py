"""The whorl: a spiral, one turn per cycle, so that the odd turn stands out; from the innermost, the first, outwards."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from msgspec import Struct

from .picture import Picture, Stroke, Words

INNER, SWEEP = 0.16, 0.94  # of the radius, where the first turn begins; of a full turn, what the usual length takes
FINE = 0.06  # radians of one stroke, at the most
TICKS = 8  # times written around, at most
FAINT, PLAIN = 0.78, 0.42  # greys of what is there and of what counts


class Band(Struct, frozen=True):
    """One cycle: how long (ns), the stretches (from, to) in which the chosen tag was on, when events came, and whether it is the odd one (then
    ``first`` is when its first deviation came, -1: none); ``name`` stands beside an odd one."""

    length: int
    on: tuple[tuple[int, int], ...]
    events: tuple[int, ...]
    odd: bool = False
    first: int = -1
    name: str = ""


def whorl(bands: Sequence[Band], span: int, size: float, clock: Sequence[tuple[int, str]]) -> Picture:
    """The spiral.

    Args: span: how long (ns) a cycle usually takes: it goes once around; longer ones end where the turn does. size: of its square, in points.
    clock: times (ns after the beginning) that are written around, with their words.
    """
    picture = Picture(size, size)
    middle, radius = size / 2, size / 2 - 26
    step = radius * (1 - INNER) / (max(1, len(bands)) + 1)

    def at(turn: float, time: float, out: float = 0.0) -> tuple[float, float]:
        phase = min(1.0, max(0.0, time / max(1, span))) * SWEEP
        angle, far = 2 * math.pi * phase, radius * INNER + step * (turn + phase) + out
        return middle + far * math.sin(angle), middle - far * math.cos(angle)

    def along(turn: int, begin: int, end: int, width: float, grey: float) -> None:
        parts = max(1, math.ceil(2 * math.pi * SWEEP * min(1.0, (end - begin) / max(1, span)) / FINE))
        points = [at(turn, begin + (end - begin) * n / parts) for n in range(parts + 1)]
        picture.items.extend(Stroke(*a, *b, width, False, grey) for a, b in pairwise(points))

    for time, words in clock[:TICKS]:
        inner, outer = at(0, time), at(len(bands), time, 4)
        picture.items.append(Stroke(*inner, *outer, 0.3, True, FAINT))
        x, y = at(len(bands), time, 13)
        picture.items.append(Words(x, y + 2.5, words, 6.5, False, "middle", PLAIN))
    thick = max(0.8, min(5.0, step * 0.55))
    for turn, band in enumerate(bands):
        length = min(span, band.length)
        along(turn, 0, length, max(0.25, thick * 0.16), 0.0 if band.odd else FAINT)
        for begin, end in band.on:
            if begin < span:
                along(turn, begin, min(end, span), thick, 0.0 if band.odd else PLAIN)
        for time in band.events:
            if time <= span:
                near, far = at(turn, time, -0.32 * step), at(turn, time, 0.32 * step)
                picture.items.append(Stroke(*near, *far, 0.5 if step > 2 else 0.25, False, 0.0 if band.odd else PLAIN))
        if band.odd and band.first >= 0:
            near, far = at(turn, band.first, -0.9 * step - 3), at(turn, band.first, 0.9 * step + 3)
            picture.items.append(Stroke(*near, *far, 1.6, False, 0.0))
    for turn, band in enumerate(bands):
        if band.odd and band.name:
            x, y = at(turn, band.first if band.first >= 0 else 0, 0.9 * step + 11)
            picture.items.append(Words(x, y + 2.5, band.name, 7.5, True, "middle"))
    return picture
