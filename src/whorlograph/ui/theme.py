"""Inks as the terminal's styles."""

from __future__ import annotations

import re
from functools import lru_cache

from rich.cells import cell_len, chop_cells
from rich.segment import Segment
from rich.style import Style

from whorlograph.drawing.glyphs import ascii_only
from whorlograph.drawing.palette import PALETTES
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.shown import visible

# What takes two columns, or none: only such text has to be measured.
_WIDE = re.compile("[\u0300-\u036f\u0483-\u0489\u0591-\u05bd\u0610-\u061a\u064b-\u065f\u1100-\u115f\u20d0-\u20ff\u231a-\u231b\u2e80-\ua4cf"
                   "\ua960-\ua97f\uac00-\ud7a3\uf900-\ufaff\ufe30-\ufe6f\uff00-\uff60\uffe0-\uffe6\U0001f000-\U0001faff\U00020000-\U0003fffd]")


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
        part = visible(text)[:left]
        if _WIDE.search(part):
            part = chop_cells(part, left)[0]
            left -= cell_len(part)
        else:
            left -= len(part)
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
