"""A rung for paper, from the layout that the screen uses: heavy lines carry power, thin broken ones do not, a cross where a path stops."""

from __future__ import annotations

from itertools import pairwise

from msgspec.structs import replace

from .picture import Bar, Item, Picture, Stroke, Words, text_width
from .rung_layout import Net, RungLayout, Shape, Symbol

ROW, LABEL, TRACK, GAP = 30.0, 7.5, 8.0, 10.0
LIVE, DEAD = 1.9, 0.5


def _wire(x1: float, y1: float, x2: float, y2: float, live: bool, flow: bool) -> Stroke:
    if not flow:
        return Stroke(x1, y1, x2, y2, 0.7)
    return Stroke(x1, y1, x2, y2, LIVE) if live else Stroke(x1, y1, x2, y2, DEAD, True, 0.35)


class _Drawer:
    """Lays columns out in points and draws symbols and wires on one long strip."""

    def __init__(self, layout: RungLayout, values: bool, flow: bool) -> None:
        self.layout, self.values, self.flow = layout, values, flow and layout.evaluated
        self.items: list[Item] = []
        self.tracks = [1 + max((n.track for n in layout.nets if n.column == c), default=0) for c in range(layout.columns)]
        self.left: list[float] = []
        self.channel: list[float] = []
        x = 8.0
        for column in range(layout.columns):
            self.channel.append(x + TRACK / 2)
            x += TRACK * self.tracks[column] + GAP / 2
            self.left.append(x)
            x += self._width(column)
        self.rail = x + 8

    def _width(self, column: int) -> float:
        return max([26.0, *(self._symbol_width(s) for s in self.layout.symbols if s.column == column)])

    def _symbol_width(self, symbol: Symbol) -> float:
        if symbol.shape is not Shape.BLOCK:
            return text_width(symbol.label, LABEL, True) + 8
        before, box, after = self._block(symbol)
        return before + box + after

    @staticmethod
    def _block(symbol: Symbol) -> tuple[float, float, float]:
        """Room for the texts before a block, its box, the texts after it."""
        before = max((text_width(p.text, LABEL) + 6 for p in symbol.inputs if p.text), default=0.0)
        after = max((text_width(p.text, LABEL) + 6 for p in symbol.outputs if p.text), default=0.0)
        names = max((text_width(p.name, LABEL) for p in symbol.inputs), default=0.0) + max((text_width(p.name, LABEL) for p in symbol.outputs),
                                                                                          default=0.0) + 14
        return before, max(names, text_width(symbol.label, LABEL, True) + 10, text_width(symbol.sign, LABEL) + 10, 36.0), after

    def y(self, row: int) -> float:
        """The wire's height in a row."""
        return row * ROW + 18

    def draw(self) -> None:
        """Everything on the strip."""
        for net in self.layout.nets:
            self._net(net)
        for symbol in self.layout.symbols:
            self._symbol(symbol)
        fed = [r for n in self.layout.nets if any(c < 0 for _, c, _ in n.sources) for r in n.sinks]
        if fed:
            self.items.append(Stroke(4, self.y(min(fed)) - 12, 4, self.y(max(fed)) + 8, 2.2))

    def _find(self, column: int, row: int) -> Symbol | None:
        for symbol in self.layout.symbols:
            height = max(len(symbol.inputs), len(symbol.outputs), 1) if symbol.shape is Shape.BLOCK else 1
            if symbol.column == column and symbol.row <= row < symbol.row + height:
                return symbol
        return None

    def _edges(self, column: int, row: int) -> tuple[float, float]:
        """Where wires end before a symbol, and where they begin after it."""
        symbol, left, width = self._find(column, row), self.left[column], self._width(column)
        if symbol is None:
            return left, left + width
        if symbol.shape is Shape.BLOCK:
            before, box, _ = self._block(symbol)
            return left + before, left + before + box
        return left + width / 2 - 5, left + width / 2 + 5

    def _net(self, net: Net) -> None:
        x = self.channel[net.column] + TRACK * net.track
        if all(column < 0 for _, column, _ in net.sources):
            for row in net.sinks:
                self.items.append(_wire(4, self.y(row), self._edges(net.column, row)[0], self.y(row), True, self.flow))
            return
        for row, column, live in net.sources:
            start = 4.0 if column < 0 else self._edges(column, row)[1]
            self.items.append(_wire(start, self.y(row), x, self.y(row), live, self.flow))
        for row in net.sinks:
            self.items.append(_wire(x, self.y(row), self._edges(net.column, row)[0], self.y(row), net.live, self.flow))
        rows = [r for r, _, _ in net.sources] + list(net.sinks)
        if min(rows) != max(rows):
            self.items.append(_wire(x, self.y(min(rows)), x, self.y(max(rows)), net.live, self.flow))

    def _symbol(self, symbol: Symbol) -> None:
        if symbol.shape is Shape.BLOCK:
            self._draw_block(symbol)
            return
        y, left, width = self.y(symbol.row), self.left[symbol.column], self._width(symbol.column)
        middle, live = left + width / 2, symbol.live and self.flow
        weight = LIVE if live else 0.8
        self.items.append(Words(middle, y - 9, symbol.label, LABEL, live or symbol.blocks, "middle"))
        if self.values and symbol.value:
            self.items.append(Words(middle, y + 13, symbol.value, 6.5, False, "middle", 0.3))
        if symbol.shape is Shape.CONTACT:
            weight = LIVE if symbol.passes and self.flow else weight  # its own state, whatever power arrives
            self.items += [Stroke(middle - 5, y - 6, middle - 5, y + 6, weight), Stroke(middle + 5, y - 6, middle + 5, y + 6, weight)]
            if symbol.sign == "/":
                self.items.append(Stroke(middle - 4, y + 6, middle + 4, y - 6, weight))
            elif symbol.sign.strip():
                self.items.append(Words(middle, y + 2.7, symbol.sign, LABEL, True, "middle"))
        elif symbol.shape is Shape.COIL:
            self._coil(middle, y, symbol.sign, weight)
            self.items += [_wire(middle + 5, y, self.rail, y, live, self.flow), Stroke(self.rail, y - 8, self.rail, y + 8, 0.8)]
        else:
            text = {Shape.JUMP: ">>", Shape.RETURN: "return", Shape.LINK: ">", Shape.VALUE: "[ ]"}[symbol.shape]
            self.items.append(Words(middle, y + 2.7, text, LABEL, True, "middle"))
        if symbol.blocks:
            self._cross(middle + 11, y)

    def _coil(self, middle: float, y: float, sign: str, weight: float) -> None:
        """Two brackets, as the standard draws a coil."""
        for side in (-1, 1):
            points = [(middle + side * 2.5, y - 6), (middle + side * 5, y - 2.5), (middle + side * 5, y + 2.5), (middle + side * 2.5, y + 6)]
            for a, b in pairwise(points):
                self.items.append(Stroke(*a, *b, weight))
        if sign == "/":
            self.items.append(Stroke(middle - 3, y + 5, middle + 3, y - 5, weight))
        elif sign.strip():
            self.items.append(Words(middle, y + 2.7, sign, LABEL, True, "middle"))

    def _cross(self, x: float, y: float) -> None:
        self.items += [Bar(x - 4.5, y - 4.5, 9, 9, 1.0), Stroke(x - 3.5, y - 3.5, x + 3.5, y + 3.5, 1.8),
                       Stroke(x - 3.5, y + 3.5, x + 3.5, y - 3.5, 1.8)]

    def _draw_block(self, symbol: Symbol) -> None:
        before, box, _ = self._block(symbol)
        x, top = self.left[symbol.column] + before, self.y(symbol.row) - 11
        bottom = self.y(symbol.row + max(len(symbol.inputs), len(symbol.outputs), 1) - 1) + 15
        weight = 1.4 if symbol.live and self.flow else 0.8
        self.items += [Stroke(x, top, x + box, top, weight), Stroke(x, bottom, x + box, bottom, weight), Stroke(x, top, x, bottom, weight),
                       Stroke(x + box, top, x + box, bottom, weight),
                       Words(x + box / 2, top - 3, symbol.label or symbol.sign, LABEL, True, "middle")]
        if symbol.present and self.flow:
            self.items.append(Words(x + box / 2, self.y(symbol.row) + 10, symbol.present, 5.5, False, "middle", 0.2))
        if symbol.label:
            self.items.append(Words(x + box / 2, bottom - 3, symbol.sign, LABEL, False, "middle", 0.25))
        for pin in symbol.inputs:
            self.items.append(Words(x + 3, self.y(symbol.row + pin.row) + 2.5, pin.name, LABEL))
            if pin.text:
                self.items.append(Words(x - 4, self.y(symbol.row + pin.row) + 2.5, pin.text, LABEL, False, "end"))
        for pin in symbol.outputs:
            self.items.append(Words(x + box - 3, self.y(symbol.row + pin.row) + 2.5, pin.name, LABEL, False, "end"))
            if pin.text:
                self.items.append(Words(x + box + 4, self.y(symbol.row + pin.row) + 2.5, pin.text, LABEL))
        if symbol.blocks:
            self._cross(x + box + 7, self.y(symbol.row))


def _inside(item: Item, low: float, high: float) -> Item | None:
    """The part of an item between two columns' edges; only wires are ever cut."""
    if isinstance(item, Stroke):
        first, last = min(item.x1, item.x2), max(item.x1, item.x2)
        if last < low or first >= high or (first == last and not low <= first < high):
            return None
        if item.y1 == item.y2:
            return replace(item, x1=max(first, low), x2=min(last, high))
        return item if low <= first < high else None
    return item if low <= item.x < high else None


def rung_picture(layout: RungLayout, width: float, values: bool = False, flow: bool = True) -> Picture:
    """A rung no wider than so many points; a longer one goes on below, cut between columns.

    Args: values: under the tags; flow: draw power (False: all wires alike).
    """
    drawer = _Drawer(layout, values, flow)
    drawer.draw()
    height = (layout.rows - 1) * ROW + (35 if values else 28)
    total = drawer.rail + 4
    cuts, start = [0.0], 0.0
    edges = [c - TRACK / 2 for c in drawer.channel[1:]]
    for edge, following in pairwise((*edges, total)):
        if following - start > width - 16 and edge > start:
            cuts.append(edge)
            start = edge
    picture = Picture(min(width, total) if len(cuts) == 1 else width, height * len(cuts))
    for i, low in enumerate(cuts):
        high = cuts[i + 1] if i + 1 < len(cuts) else total + 1
        part = [p for p in (_inside(item, low, high) for item in drawer.items) if p is not None]
        shift = 0.0 if i == 0 else 14.0 - low
        picture.add(Picture(0, 0, part), shift, i * height)
        if i + 1 < len(cuts):
            picture.items.append(Words(high - low + (14 if i else 0) + 2, i * height + 20, "»", 8))
        if i:
            picture.items.append(Words(2, i * height + 20, "»", 8))
    return picture
