"""A timeline for paper, from the layout that the screen uses."""

from __future__ import annotations

from collections.abc import Callable

from .picture import Bar, Picture, Stroke, Words
from .timeline_layout import LEVELS, Cell, CellKind, TimelineLayout

LANE, NAMES, VALUE = 15.0, 118.0, 30.0
SECOND = 6.0  # a thin lane below another


def timeline_picture(layout: TimelineLayout, width: float, name: Callable[[int], str], clock: Callable[[int], str],
                     second: Callable[[int], list[Cell]] | None = None, said: str = "") -> Picture:
    """Lanes with names and values at the moment, an axis below.

    Args: layout: laid out with one cell a point of ``width`` less the names; name, clock: tags and times in words; second: the cells of another
    course, thin below each lane, which ``said`` names.
    """
    left, high = NAMES + VALUE, LANE + (SECOND if second is not None else 0.0)
    picture = Picture(width, high * len(layout.lanes) + 26)
    for i, lane in enumerate(layout.lanes):
        y = i * high + 12
        if second is not None and lane.boolean:
            picture.items.append(Words(left - 6, y + SECOND, said, 5.5, False, "end", 0.35))
            _thin(picture, second(lane.tag), left, y + SECOND)
        picture.items += [Words(0, y, name(lane.tag), 7.5, i == 0), Words(left - 6, y, lane.value, 7.5, False, "end")]
        if not lane.boolean:
            for x, (one, other) in enumerate(zip(lane.cells, lane.cells[1:], strict=False)):
                picture.items.append(Stroke(left + x, y - one.level * 8.4 / (LEVELS - 1), left + x + 1, y - other.level * 8.4 / (LEVELS - 1), 0.7))
            continue
        start = 0
        for x in range(1, len(lane.cells) + 1):
            if x == len(lane.cells) or lane.cells[x].kind is not lane.cells[start].kind:
                _stretch(picture, lane.cells[start].kind, left + start, y, x - start)
                start = x
    bottom = high * len(layout.lanes) + 4
    cells = max((len(lane.cells) for lane in layout.lanes), default=1)
    picture.items.append(Stroke(left, bottom, left + cells, bottom, 0.5))
    last = -100.0
    for cell, time in layout.ticks:
        picture.items.append(Stroke(left + cell, bottom, left + cell, bottom + 4, 0.5))
        if left + cell - last > 66 and left + cell + 30 < width:
            last = left + cell
            picture.items.append(Words(left + cell, bottom + 12, clock(time), 6.5, False, "middle"))
    if layout.moment is not None:
        picture.items.append(Stroke(left + layout.moment, 2, left + layout.moment, bottom + 4, 0.9, True))
        picture.items.append(Words(left + layout.moment, bottom + 20, "the moment", 6.5, True, "middle"))
    return picture


def _thin(picture: Picture, cells: list[Cell], left: float, y: float) -> None:
    """Another course as a thin lane: a line where it is on, dots where it is off, nothing where it is not known."""
    start = 0
    for x in range(1, len(cells) + 1):
        if x == len(cells) or cells[x].kind is not cells[start].kind:
            kind = cells[start].kind
            if kind is not CellKind.UNKNOWN:
                on = kind not in (CellKind.OFF, CellKind.SPIKE)
                picture.items.append(Stroke(left + start, y - 2, left + x, y - 2, 1.4 if on else 0.4, not on, 0.35))
            start = x


def _stretch(picture: Picture, kind: CellKind, x: float, y: float, width: float) -> None:
    """So many cells of one kind."""
    if kind in (CellKind.ON, CellKind.CROWDED):
        picture.items.append(Bar(x, y - 6, width, 6, 0.25 if kind is CellKind.ON else 0.55))
    elif kind is CellKind.NOTCH:
        picture.items += [Bar(x, y - 6, width, 2, 0.25), Stroke(x, y, x + width, y, 0.5), Stroke(x + width / 2, y - 8, x + width / 2, y + 2, 1.0)]
    elif kind is CellKind.SPIKE:
        picture.items.append(Stroke(x + width / 2, y - 7, x + width / 2, y, 1.2))
    else:
        picture.items.append(Stroke(x, y, x + width, y, 0.5))
