"""Pictures for paper: strokes, words and bars in points, y downwards; layouts become these, paper.py writes them."""

from __future__ import annotations

from msgspec import Struct, field
from msgspec.structs import replace


class Stroke(Struct, frozen=True):
    """A straight line; ``grey`` from 0 (black) to 1 (white)."""

    x1: float
    y1: float
    x2: float
    y2: float
    width: float = 0.6
    dashed: bool = False
    grey: float = 0.0


class Words(Struct, frozen=True):
    """Text on a baseline; ``anchor`` start, middle or end."""

    x: float
    y: float
    text: str
    size: float = 7.5
    bold: bool = False
    anchor: str = "start"
    grey: float = 0.0


class Bar(Struct, frozen=True):
    """A filled box."""

    x: float
    y: float
    width: float
    height: float
    grey: float = 0.0


Item = Stroke | Words | Bar


class Picture(Struct):
    """Items on a sheet of a size."""

    width: float
    height: float
    items: list[Item] = field(default_factory=list)

    def scaled(self, factor: float) -> Picture:
        """The same picture, larger."""
        return Picture(self.width * factor, self.height * factor, [larger(item, factor) for item in self.items])

    def add(self, other: Picture, x: float, y: float) -> None:
        """Put another picture on this one."""
        self.items += [moved(item, x, y) for item in other.items]


def moved(item: Item, x: float, y: float) -> Item:
    """The same item elsewhere."""
    if isinstance(item, Stroke):
        return replace(item, x1=item.x1 + x, y1=item.y1 + y, x2=item.x2 + x, y2=item.y2 + y)
    return replace(item, x=item.x + x, y=item.y + y)


def larger(item: Item, factor: float) -> Item:
    """The same item on a larger sheet."""
    if isinstance(item, Stroke):
        return replace(item, x1=item.x1 * factor, y1=item.y1 * factor, x2=item.x2 * factor, y2=item.y2 * factor, width=item.width * factor)
    if isinstance(item, Words):
        return replace(item, x=item.x * factor, y=item.y * factor, size=item.size * factor)
    return replace(item, x=item.x * factor, y=item.y * factor, width=item.width * factor, height=item.height * factor)


def text_width(text: str, size: float, bold: bool = False) -> float:
    """How wide words are, in points: a fair estimate for a sans-serif face, without loading one."""
    narrow = sum(c in "iljtf.,:;|!'()[] " for c in text)
    wide = sum(c in "mwMWGOQ_@%" for c in text)
    return size * (0.56 * (len(text) - narrow - wide) + 0.3 * narrow + 0.78 * wide) * (1.06 if bold else 1.0)


def wrapped_words(text: str, width: float, size: float) -> list[str]:
    """A text in lines no wider than so many points."""
    lines: list[str] = []
    line = ""
    for word in text.split():
        wanted = f"{line} {word}".strip()
        if line and text_width(wanted, size) > width:
            lines.append(line)
            line = word
        else:
            line = wanted
    return [*lines, line] if line else lines
