"""Inks as the terminal's styles."""

from __future__ import annotations

from functools import lru_cache

from rich.segment import Segment
from rich.style import Style

from whorlograph.drawing.glyphs import ascii_only
from whorlograph.drawing.palette import PALETTES
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.cells import cells, cut
from whorlograph.model.shown import visible


@lru_cache(maxsize=200)
def style_of(palette: str, ink: Ink, raised: bool = False) -> Style:
    """The style of an ink; in one colour only weight, reverse and underline are left."""
    chosen = PALETTES[palette]
    look = chosen.looks[ink]
    if not chosen.ground:
        return Style(bold=look.bold, reverse=ink is Ink.CHOSEN, underline=ink is Ink.BLOCK)
    back = look.back or (chosen.raised if raised else chosen.ground)
    return Style(color=look.fore, bgcolor=back, bold=look.bold)


def segments(runs: list[Run] | tuple[Run, ...], palette: str, width: int, plain: bool = False, chosen: bool = False) -> list[Segment]:
    """A line of runs as segments of exactly a width; a chosen line has a ground of its own."""
    found: list[Segment] = []
    left = width
    for text, ink in runs:
        if left <= 0:
            break
        part = cut(visible(text), left)
        left -= cells(part)
        style = style_of(palette, ink)
        if chosen:
            style = style + _ground(palette)
        found.append(Segment(ascii_only(part) if plain else part, style))
    if left > 0:
        style = style_of(palette, Ink.TEXT)
        found.append(Segment(" " * left, style + _ground(palette) if chosen else style))
    return found


@lru_cache(maxsize=20)
def _ground(palette: str) -> Style:
    back = PALETTES[palette].looks[Ink.CHOSEN].back
    return Style(bgcolor=back) if back else Style(reverse=True)
