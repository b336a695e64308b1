"""Rungs drawn as terminal text."""

from __future__ import annotations

from msgspec import Struct, field

from whorlograph.model.cells import cells

from . import glyphs
from .rung_layout import Net, PinText, RungLayout, Shape, Symbol
from .shapes import Canvas, Ink, Spot, fitted

LONGEST = 17
MOST_BESIDE = 3  # names of variables at one pin


class RungText(Struct):
    """A rung as text: the canvas, where each element stands, and where it may be cut for a narrow screen."""

    canvas: Canvas
    spots: list[Spot] = field(default_factory=list)
    cuts: list[int] = field(default_factory=list)


def _beside(pin: PinText) -> str:
    """What is written beside a pin; where several stand there, of each so much as of one."""
    return fitted(pin.text, LONGEST * min(MOST_BESIDE, 1 + pin.text.count(", ") + pin.text.count(" OR ")))


class _Drawer:
    """Draws one layout; every row takes two lines (label, symbol), three with values."""

    def __init__(self, layout: RungLayout, values: bool, tight: bool) -> None:
        self.layout, self.values = layout, values
        self.pad = 0 if tight else 2
        self.line_height = 3 if values else 2
        self.canvas = Canvas()
        self.result = RungText(self.canvas)
        self.lines: dict[tuple[int, int], dict[int, tuple[set[str], bool]]] = {}  # by place and net
        self.number = 0
        self.tracks = [1 + max((n.track for n in layout.nets if n.column == c), default=0) for c in range(layout.columns)]
        self.widths = [self._width(c) for c in range(layout.columns)]
        self.channel: list[int] = []
        self.left: list[int] = []
        x = 0
        for column in range(layout.columns):
            self.channel.append(x + 1)
            x += 2 * self.tracks[column] + (1 if self.pad else 0)
            self.left.append(x)
            x += self.widths[column]
        self.rail = x + 2
        self.result.cuts = [c - 1 for c in self.channel[1:]]

    def _width(self, column: int) -> int:
        widest = 5
        for symbol in self.layout.symbols:
            if symbol.column == column:
                widest = max(widest, self._block_parts(symbol)[2] if symbol.shape is Shape.BLOCK else
                             min(LONGEST, cells(symbol.label)) + self.pad)
        return widest

    @staticmethod
    def _block_parts(symbol: Symbol) -> tuple[int, int, int]:
        """Widths of a block: texts to its left, the box, everything."""
        left = max((cells(_beside(p)) for p in symbol.inputs), default=0)
        widest = 2 * cells(symbol.present.partition(" of ")[2]) + 6 if symbol.present else 0  # as wide as it ever gets
        right = max((cells(_beside(p)) for p in symbol.outputs), default=0)
        inner = max(widest, len(symbol.sign) + 2, cells(symbol.label) + 2,
                    max((cells(p.name) for p in symbol.inputs), default=0) + max((cells(p.name) for p in symbol.outputs), default=0) + 2)
        return left, inner + 2, left + inner + 2 + right + (1 if left else 0) + (1 if right else 0)

    def y(self, row: int) -> int:
        return row * self.line_height + 1

    def draw(self) -> RungText:
        for number, net in enumerate(self.layout.nets):
            self.number = number
            self._net(net)
        for (x, y), nets in self.lines.items():
            directions, live = _joined(list(nets.values()))
            self.canvas.put(x, y, glyphs.joint(directions, live), Ink.LIVE if live else Ink.DEAD)
        for symbol in self.layout.symbols:
            self._symbol(symbol)
        self._rails()
        return self.result

    def _line(self, x: int, y: int, directions: str, live: bool) -> None:
        nets = self.lines.setdefault((x, y), {})
        known, was = nets.get(self.number, (set(), False))
        nets[self.number] = (known | set(directions), was or live)

    def _horizontal(self, low: int, high: int, y: int, live: bool) -> None:
        for x in range(low, high + 1):
            self._line(x, y, ("r" if x == low else "") + ("l" if x == high else "") + ("lr" if low < x < high else ""), live)

    def _net(self, net: Net) -> None:
        if net.column >= len(self.channel):
            return
        x = self.channel[net.column] + 2 * net.track
        if all(column < 0 for _, column, _ in net.sources):
            for row in net.sinks:
                self._horizontal(0, self._left_edge(net.column, row), self.y(row), self.layout.evaluated)
            return
        rows = [r for r, _, _ in net.sources] + list(net.sinks)
        for row, column, live in net.sources:
            start = 0 if column < 0 else self._right_edge(column, row)
            self._horizontal(start, x, self.y(row), live)
        for row in net.sinks:
            self._horizontal(x, self._left_edge(net.column, row), self.y(row), net.live)
        if min(rows) != max(rows):
            first, last = self.y(min(rows)), self.y(max(rows))
            for y in range(first, last + 1):
                self._line(x, y, ("d" if y == first else "") + ("u" if y == last else "") + ("ud" if first < y < last else ""), net.live)

    def _find(self, column: int, row: int) -> Symbol | None:
        for symbol in self.layout.symbols:
            if symbol.column == column:
                height = max(len(symbol.inputs), len(symbol.outputs), 1) if symbol.shape is Shape.BLOCK else 1
                if symbol.row <= row < symbol.row + height:
                    return symbol
        return None

    def _right_edge(self, column: int, row: int) -> int:
        symbol = self._find(column, row)
        width, left = self.widths[column], self.left[column]
        if symbol is None:
            return left + width
        if symbol.shape is Shape.BLOCK:
            before, box, _ = self._block_parts(symbol)
            return left + before + (1 if before else 0) + box
        return left + (width + 3) // 2

    def _left_edge(self, column: int, row: int) -> int:
        symbol = self._find(column, row)
        width, left = self.widths[column], self.left[column]
        if symbol is None:
            return left - 1
        if symbol.shape is Shape.BLOCK:
            before, _, _ = self._block_parts(symbol)
            return left + before + (1 if before else 0) - 1
        return left + (width - 3) // 2 - 1

    def _symbol(self, symbol: Symbol) -> None:
        if symbol.shape is Shape.BLOCK:
            self._block(symbol)
            return
        y, width, left = self.y(symbol.row), self.widths[symbol.column], self.left[symbol.column]
        label = fitted(symbol.label, LONGEST)
        at = left + max(0, (width - cells(label)) // 2)
        middle = left + (width - 3) // 2
        strong = Ink.BLOCK if symbol.blocks else Ink.STRONG if symbol.live else Ink.TEXT
        self.canvas.put(at, y - 1, label, strong)
        if self.values and symbol.value:
            self.canvas.put(left + max(0, (width - cells(symbol.value)) // 2), y + 1, symbol.value, Ink.QUIET)
        ink = Ink.BLOCK if symbol.blocks else Ink.LIVE if symbol.live or symbol.passes else Ink.DEAD
        made = f"┫{symbol.sign}┣" if symbol.passes else f"┥{symbol.sign}┝"  # whatever power arrives: the contact's own state
        body = {Shape.CONTACT: made, Shape.COIL: f"({symbol.sign})", Shape.JUMP: ">>>", Shape.RETURN: "<R>",
                Shape.LINK: ">·>", Shape.VALUE: "[·]"}[symbol.shape]
        self.canvas.put(middle, y, body, ink)
        if symbol.blocks and symbol.shape is Shape.CONTACT:
            self.canvas.put(middle + 3, y, glyphs.BLOCKED, Ink.BLOCK)
        if symbol.shape is Shape.COIL:
            for x in range(middle + 3, self.rail):
                self.canvas.put(x, y, "━" if symbol.live else "╌", Ink.LIVE if symbol.live else Ink.DEAD)
        spot = Spot(y, min(at, middle), max(at + cells(label), middle + 3), symbol.element)
        self.result.spots += [spot, Spot(y - 1, spot.left, spot.right, symbol.element)]

    def _block(self, symbol: Symbol) -> None:
        before, box, _ = self._block_parts(symbol)
        left = self.left[symbol.column] + before + (1 if before else 0)
        ink = Ink.BLOCK if symbol.blocks else Ink.LIVE if symbol.live else Ink.DEAD
        names = Ink.BLOCK if symbol.blocks else Ink.STRONG if symbol.live else Ink.TEXT
        pins = max(len(symbol.inputs), len(symbol.outputs), 1)
        top, bottom = self.y(symbol.row) - 1, self.y(symbol.row + pins - 1) + 1
        title = symbol.label or symbol.sign
        self.canvas.put(left, top, "╭" + "─" * (box - 2) + "╮", ink)
        self.canvas.put(left + 1 + (box - 2 - cells(title)) // 2, top, title, names)
        for y in range(top + 1, bottom):
            self.canvas.put(left, y, "│" + " " * (box - 2) + "│", ink)
        if symbol.present:
            self.canvas.put(left + 1, top + 2, fitted(symbol.present.center(box - 2), box - 2), names if symbol.blocks else Ink.STRONG)
        foot = symbol.sign if symbol.label else ""
        self.canvas.put(left, bottom, "╰" + foot.center(box - 2, "─") + "╯", ink)
        for pin in symbol.inputs:
            y = self.y(symbol.row + pin.row)
            self.canvas.put(left, y, "┥" if pin.live else "┤", Ink.LIVE if pin.live else ink)
            self.canvas.put(left + 1, y, pin.name, names)
            if pin.text:
                text = _beside(pin)
                self.canvas.put(left - 1 - cells(text), y, text, Ink.TEXT)
        for pin in symbol.outputs:
            y = self.y(symbol.row + pin.row)
            self.canvas.put(left + box - 1, y, "┝" if pin.live else "├", Ink.LIVE if pin.live else ink)
            self.canvas.put(left + box - 1 - cells(pin.name), y, pin.name, names)
            if pin.text:
                self.canvas.put(left + box + 1, y, _beside(pin), Ink.TEXT)
        if symbol.blocks:
            self.canvas.put(left + box, self.y(symbol.row), glyphs.BLOCKED, Ink.BLOCK)
        self.result.spots += [Spot(y, left, left + box, symbol.element) for y in range(top, bottom + 1)]

    def _rails(self) -> None:
        """The power rails: the left one beside what it feeds, the right one beside coils."""
        fed = [r for n in self.layout.nets if any(c < 0 for _, c, _ in n.sources) for r in n.sinks]
        first, last = self.y(min(fed, default=0)), self.y(max(fed, default=0))
        rows = {self.y(r) for r in fed}
        for y in range(first - 1, last + 1):
            self.canvas.put(0, y, "┣" if y in rows else "┃", Ink.LIVE)
        coils = [self.y(s.row) for s in self.layout.symbols if s.shape is Shape.COIL]
        for y in range(min(coils, default=0) - 1, max(coils, default=-1) + 1):
            if y >= 0 and coils:
                self.canvas.put(self.rail, y, "│", Ink.DEAD)


def _joined(nets: list[tuple[set[str], bool]]) -> tuple[set[str], bool]:
    """The directions of a place and whether it conducts; an upright that only passes goes behind a line that only passes."""
    if len(nets) > 1 and any(d <= {"l", "r"} for d, _ in nets):
        nets = [n for n in nets if not n[0] <= {"u", "d"}]
    return set().union(*(d for d, _ in nets)), any(live for _, live in nets)


def draw_rung(layout: RungLayout, values: bool = False, width: int = 0) -> RungText:
    """Draw a laid-out rung as text, closer together where it would be wider than ``width`` (0: no matter)."""
    drawn = _Drawer(layout, values, False).draw()
    return _Drawer(layout, values, True).draw() if width and drawn.canvas.width > width else drawn


def wrapped(text: RungText, width: int) -> tuple[list[list[tuple[str, Ink]]], list[Spot]]:
    """A drawn rung in lines no longer than a width: where it is too long, it goes on below, cut between columns.

    Returns: lines, and where the elements stand on them.
    """
    canvas = text.canvas
    if canvas.width <= width:
        return [canvas.line(y) for y in range(canvas.height)], list(text.spots)
    starts, left = [0], 0
    for cut, following in zip(text.cuts, [*text.cuts[1:], canvas.width], strict=True):
        if following - left > width - 4 and cut > left:
            starts.append(cut)
            left = cut
    lines: list[list[tuple[str, Ink]]] = []
    spots: list[Spot] = []
    blank = 0
    for i, start in enumerate(starts):
        del lines[len(lines) - blank:]
        blank = 0
        end = starts[i + 1] if i + 1 < len(starts) else canvas.width
        shift = 0 if i == 0 else 2
        for y in range(canvas.height):
            part = canvas.line(y, start, end)
            crosses = i + 1 < len(starts) and canvas.at(end - 1, y) in "━╌"
            enters = i > 0 and canvas.at(start, y) in "━╌"
            head = [("» " if enters else "  ", Ink.QUIET)] if i else []
            lines.append([*head, *part, *([(" »", Ink.QUIET)] if crosses else [])])
            blank = 0 if "".join(t for t, _ in lines[-1]).strip() else blank + 1
            spots += [Spot(len(lines) - 1, s.left - start + shift, s.right - start + shift, s.element)
                      for s in text.spots if s.line == y and start <= s.left < end]
    return lines, spots
