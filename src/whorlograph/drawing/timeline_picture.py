"""A timeline for paper, from the layout that the screen uses."""

from __future__ import annotations

from collections.abc import Callable

from .picture import Bar, Picture, Stroke, Words
from .timeline_layout import CellKind, TimelineLayout

LANE, NAMES, VALUE = 15.0, 118.0, 30.0


def timeline_picture(layout: TimelineLayout, width: float, name: Callable[[int], str], clock: Callable[[int], str]) -> Picture:
    """Lanes with names and values at the moment, an axis below.

    Args: layout: laid out with one cell a point of ``width`` less the names; name, clock: tags and times in words.
    """
    left = NAMES + VALUE
    picture = Picture(width, LANE * len(layout.lanes) + 26)
    for i, lane in enumerate(layout.lanes):
        y = i * LANE + 12
        picture.items += [Words(0, y, name(lane.tag), 7.5, i == 0), Words(left - 6, y, lane.value, 7.5, False, "end")]
        if not lane.boolean:
            for x, (one, other) in enumerate(zip(lane.cells, lane.cells[1:], strict=False)):
                picture.items.append(Stroke(left + x, y - one.level * 1.2, left + x + 1, y - other.level * 1.2, 0.7))
            continue
        start = 0
        for x in range(1, len(lane.cells) + 1):
            if x == len(lane.cells) or lane.cells[x].kind is not lane.cells[start].kind:
                _stretch(picture, lane.cells[start].kind, left + start, y, x - start)
                start = x
    bottom = LANE * len(layout.lanes) + 4
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
