"""What layouts return and what draws them: inks by meaning, and a canvas of characters."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from whorlograph.model.cells import cells, cut, letter_cells


class Ink(StrEnum):
    """What a mark means; how it looks is the palette's affair."""

    TEXT = "text"
    QUIET = "quiet"
    LIVE = "live"
    DEAD = "dead"
    BLOCK = "block"
    MOMENT = "moment"
    PROVED = "proved"
    STRONG = "strong"
    ASIDE = "aside"
    CHOSEN = "chosen"


Run = tuple[str, Ink]


class Spot(Struct, frozen=True):
    """Where an element was drawn: columns ``left`` to before ``right`` of a line, and its id."""

    line: int
    left: int
    right: int
    element: int


class Canvas:
    """Characters with inks; grows as it is written on."""

    def __init__(self) -> None:
        self.chars: list[list[str]] = []
        self.inks: list[list[Ink]] = []

    def put(self, x: int, y: int, text: str, ink: Ink) -> None:
        """Write text from a place to the right."""
        while len(self.chars) <= y:
            self.chars.append([])
            self.inks.append([])
        row, inks = self.chars[y], self.inks[y]
        wide = cells(text)
        missing = x + wide - len(row)
        if missing > 0:
            row.extend(" " * missing)
            inks.extend([Ink.TEXT] * missing)
        inks[x:x + wide] = [ink] * wide
        if wide == len(text):
            row[x:x + wide] = text
            return
        for char in text:
            size = letter_cells(char)
            if size:
                row[x:x + size] = [char, *[""] * (size - 1)]
                x += size
            else:
                row[x - 1] += char

    def at(self, x: int, y: int) -> str:
        """The character at a place; a blank where nothing was written."""
        return self.chars[y][x] if 0 <= y < len(self.chars) and 0 <= x < len(self.chars[y]) else " "

    def line(self, y: int, left: int = 0, right: int | None = None) -> list[Run]:
        """A line, or a part of it, as runs of one ink each."""
        if y >= len(self.chars):
            return []
        runs: list[Run] = []
        for char, ink in zip(self.chars[y][left:right], self.inks[y][left:right], strict=True):
            if runs and runs[-1][1] is ink:
                runs[-1] = (runs[-1][0] + char, ink)
            else:
                runs.append((char, ink))
        return runs

    @property
    def width(self) -> int:
        """The longest line's length."""
        return max((len(r) for r in self.chars), default=0)

    @property
    def height(self) -> int:
        """How many lines there are."""
        return len(self.chars)


def plain(runs: list[Run]) -> str:
    """A line's characters alone."""
    return "".join(text for text, _ in runs)


def fitted(text: str, width: int) -> str:
    """Text cut to a width, its middle left out where it is too long."""
    if cells(text) <= width:
        return text
    if width < 5:
        return cut(text, width)
    tail = (width - 1) // 2
    return cut(text, width - 1 - tail) + "…" + cut(text[::-1], tail)[::-1]
