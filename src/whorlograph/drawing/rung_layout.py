"""One layout of a rung: symbols in columns and rows, wires between them, power and blockers marked."""

from __future__ import annotations

from enum import StrEnum
from itertools import permutations

from msgspec import Struct, field

from whorlograph.engine.power import Flow
from whorlograph.model.blocks import STANDARD_BLOCKS, TIMERS, family
from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Connector,
    Contact,
    ContactKind,
    Continuation,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    OutVariable,
    Return,
    Wire,
    wires_of,
)
from whorlograph.model.literals import duration_text
from whorlograph.model.pins import output_pin
from whorlograph.model.program import written_name
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.shown import visible
from whorlograph.model.steps import Step

_CONTACTS = {ContactKind.NORMALLY_OPEN: " ", ContactKind.NORMALLY_CLOSED: "/", ContactKind.RISING: "P", ContactKind.FALLING: "N"}
_COILS = {CoilKind.PLAIN: " ", CoilKind.NEGATED: "/", CoilKind.SET: "S", CoilKind.RESET: "R", CoilKind.RISING: "P", CoilKind.FALLING: "N"}
_MOST_TRIED = 5
RAIL = 0


class Shape(StrEnum):
    """The kinds of symbols."""

    CONTACT = "contact"
    COIL = "coil"
    BLOCK = "block"
    JUMP = "jump"
    RETURN = "return"
    LINK = "link"
    VALUE = "value"


class PinText(Struct, frozen=True):
    """A block's pin: its name, on which row (from the block's first), what is written beside it, power on it."""

    name: str
    row: int
    text: str = ""
    live: bool = False


class Symbol(Struct):
    """One drawn element at a column and row. ``sign`` stands inside it; ``live`` says whether power leaves it; ``passes``: of a contact,
    whether it would let power through; ``present``: how far a timer or counter has come."""

    element: int
    shape: Shape
    column: int
    row: int
    label: str
    sign: str = ""
    power: bool = False
    live: bool = False
    blocks: bool = False
    value: str = ""
    passes: bool = False
    present: str = ""
    inputs: tuple[PinText, ...] = ()
    outputs: tuple[PinText, ...] = ()


class Net(Struct, frozen=True):
    """What is joined before a column: rows where power comes from (``sources``: row, column it starts after,
    live) and rows where it goes (``sinks``), on a track of its own."""

    column: int
    track: int
    sources: tuple[tuple[int, int, bool], ...]
    sinks: tuple[int, ...]
    live: bool


class RungLayout(Struct):
    """A rung ready to be drawn. ``evaluated`` is False where it did not run at the moment."""

    symbols: list[Symbol] = field(default_factory=list)
    nets: list[Net] = field(default_factory=list)
    columns: int = 0
    rows: int = 0
    evaluated: bool = True


def crossings(nets: list[Net]) -> int:
    """How often a line of one net passes through the upright of another."""
    count = 0
    for one in nets:
        rows = [r for r, _, _ in one.sources] + list(one.sinks)
        low, high = min(rows), max(rows)
        if low == high or all(column < 0 for _, column, _ in one.sources):
            continue
        own = {(r, c) for r, c, _ in one.sources}
        for other in nets:
            if other is one:
                continue
            fed = all(column < 0 for _, column, _ in other.sources)
            for row, column, _ in other.sources if not fed else ():
                ahead = column < one.column and (one.column, one.track) < (other.column, other.track)
                count += ahead and low <= row <= high and (row, column) not in own
            for row in other.sinks:
                ahead = other.column >= one.column if fed else other.column == one.column and other.track < one.track
                count += ahead and low <= row <= high
    return count


def _untangled(nets: list[Net]) -> tuple[list[Net], int]:
    """The nets on the tracks on which they cross least, and how often they still do."""
    best, least = nets, crossings(nets)
    for column in sorted({n.column for n in nets}):
        mine = [n for n in best if n.column == column]
        if not least or not 1 < len(mine) <= _MOST_TRIED:
            continue
        for order in permutations(range(len(mine))):
            moved = {id(n): Net(n.column, track, n.sources, n.sinks, n.live) for n, track in zip(mine, order, strict=True)}
            tried = [moved.get(id(n), n) for n in best]
            count = crossings(tried)
            if count < least:
                best, least = tried, count
    return best, least


FORCED = "!"  # before the name of a tag that is forced


class _Builder:
    """Places the elements of one rung."""

    def __init__(self, step: Step, flow: Flow | None, blockers: frozenset[int], forced: frozenset[int]) -> None:
        self.step, self.flow, self.blockers, self.forced = step, flow, blockers, forced
        self.ids: dict[int, Element] = {e.id: e for e in step.rung.elements}
        self.labels = self._labels()
        self.shown = [e for e in evaluation_order(step.rung) if e.id not in self.labels]
        if step.rung.fault:
            self.shown = [e for e in step.rung.elements if e.id not in self.labels]
        self.column: dict[int, int] = {}
        self.row: dict[int, int] = {}
        self.taken: dict[int, list[tuple[int, int]]] = {}
        self.consumers: dict[int, list[tuple[int, str]]] = {}

    def _labels(self) -> set[int]:
        """Variables wired straight to a block's pin: written beside the pin, not drawn as elements."""
        found: set[int] = set()
        for element in self.ids.values():
            if isinstance(element, Block):
                for pin in (*element.inputs, *element.in_outs):
                    found |= {w.source for w in pin.wires if isinstance(self.ids.get(w.source), (InVariable, InOutVariable))}
            elif isinstance(element, (OutVariable, InOutVariable)) and element.wires:
                if isinstance(self.ids.get(element.wires[0].source), Block):
                    found.add(element.id)
        return found

    def wires(self, element: Element) -> list[tuple[Wire, str]]:
        """(wire, pin) of the drawn connections into an element."""
        if isinstance(element, Continuation):
            other = self.step.rung.continued.get(element.id)
            return [(Wire(other), "")] if other is not None else []
        if isinstance(element, Block):
            return [(w, p.name) for p in (*element.inputs, *element.in_outs) for w in p.wires if w.source not in self.labels]
        return [(w, "") for w in wires_of(element) if w.source not in self.labels]

    def build(self) -> RungLayout:
        for element in self.shown:
            before = [self.column[w.source] for w, _ in self.wires(element) if w.source in self.column]
            self.column[element.id] = max(before, default=-1) + 1
            for wire, pin in self.wires(element):
                self.consumers.setdefault(wire.source, []).append((element.id, pin))
        last = max(self.column.values(), default=0)
        for element in self.shown:
            if element.id not in self.consumers and isinstance(element, (Coil, Jump, Return, OutVariable)):
                self.column[element.id] = last
        nets, crossings = self._placed(False)
        if crossings and self._placed(True)[1] >= crossings:
            nets, _ = self._placed(False)
        elif crossings:
            nets, _ = self._placed(True)
        layout = RungLayout(columns=last + 1, evaluated=self.flow is None or self.flow.skip is None)
        layout.symbols = [self._symbol(e) for e in self.shown]
        layout.rows = 1 + max((r for r, spans in self.taken.items() if spans), default=0)
        layout.nets = nets
        return layout

    def _placed(self, as_in_file: bool) -> tuple[list[Net], int]:
        """Rows for all elements, and how often lines cross then: as close together as they go, or in the rows of the file."""
        self.row, self.taken = {}, {}
        heights = {y: i for i, y in enumerate(sorted({e.y for e in self.shown}))}
        for element in sorted(self.shown, key=lambda e: (e.y, e.x)):
            self._place(element, heights[element.y] if as_in_file else None)
        return _untangled(self._nets())

    def _rows_of(self, element: Element) -> int:
        if not isinstance(element, Block):
            return 1
        outputs = list(element.outputs)
        return max(len(element.inputs) + len(element.in_outs), len(outputs), 1) + 1

    def _free(self, row: int, low: int, high: int) -> bool:
        return all(high < a or low > b for a, b in self.taken.get(row, ()))

    def _place(self, element: Element, given: int | None) -> None:
        low = self.column[element.id]
        high = max([low] + [self.column[c] - 1 for c, _ in self.consumers.get(element.id, ())])
        height = self._rows_of(element)
        wanted = [given] if given is not None else []
        for wire, pin in self.wires(element) if given is None else ():
            if wire.source in self.row:
                wanted.append(self.row[wire.source] + self._out_row(wire) - self._pin_row(element, pin))
                break
        for consumer, pin in self.consumers.get(element.id, ()) if given is None else ():
            if consumer in self.row:
                wanted.append(self.row[consumer] + self._pin_row(self.ids[consumer], pin))
        bottom = 1 + max((r for r, spans in self.taken.items() if spans), default=-1)
        first_fed = wanted and wanted[0] >= 0
        start = wanted[0] if first_fed else bottom
        for row in [*(w for w in wanted if w >= 0), *range(max(0, start), bottom + 1), bottom]:
            if self._free(row, low, high) and all(self._free(row + i, low, low) for i in range(1, height)):
                break
        self.row[element.id] = row
        self.taken.setdefault(row, []).append((low, high))
        for i in range(1, height):
            self.taken.setdefault(row + i, []).append((low, low))

    def _pin_row(self, element: Element, pin: str) -> int:
        if isinstance(element, Block):
            names = [p.name for p in (*element.inputs, *element.in_outs)]
            return names.index(pin) if pin in names else 0
        return 0

    def _out_row(self, wire: Wire) -> int:
        source = self.ids.get(wire.source)
        if isinstance(source, Block):
            pin = output_pin(wire, source)
            names = [p.name.upper() for p in source.outputs]
            return names.index(pin) if pin in names else 0
        return 0

    def _nets(self) -> list[Net]:
        """Consumers with the same sources share a net; nets before one column stand on tracks side by side."""
        grouped: dict[tuple[int, tuple[tuple[int, str], ...]], list[int]] = {}
        for element in self.shown:
            pins: dict[str, list[Wire]] = {}
            for wire, pin in self.wires(element):
                pins.setdefault(pin, []).append(wire)
            for pin, wires in pins.items():
                sources = tuple(sorted((w.source if w.source in self.row else RAIL, w.pin) for w in wires
                                       if w.source in self.row or w.source not in self.ids))
                if sources:
                    key = (self.column[element.id], tuple(dict.fromkeys(sources)))
                    grouped.setdefault(key, []).append(self.row[element.id] + self._pin_row(element, pin))
        nets: list[Net] = []
        tracks: dict[int, int] = {}
        for (column, sources), sinks in grouped.items():
            found = []
            for source, pin in sources:
                if source == RAIL:
                    found.append((min(sinks), -1, True))
                else:
                    wire = Wire(source, pin)
                    found.append((self.row[source] + self._out_row(wire), self.column[source], self._live(wire)))
            live = any(f[2] for f in found) if self.flow is not None else False
            nets.append(Net(column, tracks.get(column, 0), tuple(found), tuple(sorted(set(sinks))), live))
            tracks[column] = tracks.get(column, 0) + 1
        return nets

    def _live(self, wire: Wire) -> bool:
        if self.flow is None:
            return False
        source = self.ids.get(wire.source)
        pin = output_pin(wire, source) if isinstance(source, Block) else ""
        return bool(self.flow.out.get((wire.source, pin), False))

    def _symbol(self, element: Element) -> Symbol:
        flow = self.flow
        power = bool(flow.power.get(element.id, False)) if flow is not None else False
        live = bool(flow.out.get((element.id, ""), False)) if flow is not None else False
        value = flow.values.get(element.id) if flow is not None else None
        text = "" if value is None else _text(value, flow is not None and element.id in flow.times)
        base = Symbol(element.id, Shape.VALUE, self.column[element.id], self.row[element.id], "", power=power, live=live,
                      blocks=element.id in self.blockers, value=text)
        if isinstance(element, Contact):
            base.shape, base.label, base.sign = Shape.CONTACT, element.variable, _CONTACTS[element.kind]
            base.passes = flow is not None and bool(flow.passes.get(element.id, False))
        elif isinstance(element, Coil):
            base.shape, base.label, base.sign, base.live = Shape.COIL, element.variable, _COILS[element.kind], power
        elif isinstance(element, Block):
            self._block(base, element)
        elif isinstance(element, Jump):
            base.shape, base.label, base.live = Shape.JUMP, element.label, power
        elif isinstance(element, Return):
            base.shape, base.label, base.live = Shape.RETURN, "return", power
        elif isinstance(element, (Connector, Continuation)):
            base.shape, base.label = Shape.LINK, element.name
        else:
            base.label = _named(element)
        if element.id in self.forced:
            base.label = f"{FORCED}{base.label}"
        return base

    def _present(self, block: Block) -> str:
        """How far a timer or counter has come: ``1.2 s of 5 s``; "" for other blocks, and where nothing is known."""
        flow = self.flow
        kind = family(block.type_name.upper()) if block.type_name.upper() in STANDARD_BLOCKS else ""
        now, goal = ("ET", "PT") if kind in TIMERS else ("CV", "PV") if kind in ("CTU", "CTD", "CTUD") else ("", "")
        values = [flow.out.get((block.id, name)) for name in (now, goal)] if flow is not None and now else []
        if len(values) < 2 or any(v is None or isinstance(v, (bool, str)) for v in values):
            return ""
        return " of ".join(duration_text(int(v or 0)) if kind in TIMERS else str(v) for v in values)

    def _block(self, base: Symbol, block: Block) -> None:
        base.present = self._present(block)
        base.shape = Shape.BLOCK
        base.label, base.sign = block.instance, written_name(block.type_name)
        inputs, outputs = [], []
        for i, pin in enumerate((*block.inputs, *block.in_outs)):
            text = " OR ".join(self._valued(wire.source) for wire in pin.wires if wire.source in self.labels)
            name = f"o{pin.name}" if pin.negated else pin.name
            inputs.append(PinText(name, i, text, any(self._live(w) for w in pin.wires)))
        for i, pin in enumerate(block.outputs):
            fed = [_named(e) for e in self.ids.values() if isinstance(e, (OutVariable, InOutVariable)) and e.id in self.labels
                   and e.wires and e.wires[0].source == block.id and output_pin(e.wires[0], block) == pin.name.upper()]
            live = bool(self.flow.out.get((block.id, pin.name.upper()), False)) if self.flow is not None else False
            outputs.append(PinText(pin.name, i, ", ".join(fed), live))
        base.inputs, base.outputs = tuple(inputs), tuple(outputs)
        base.live = any(p.live for p in outputs)

    def _valued(self, source: int) -> str:
        """A variable or literal at a pin, with its value at the moment."""
        text = _named(self.ids.get(source))
        if self.flow is None or source not in self.flow.values:
            return text
        return f"{text} ={_text(self.flow.values[source], source in self.flow.times)}"


def _text(value: bool | int | float | str, time: bool) -> str:
    """A value as a person reads it: on, off, a number, a time with its unit."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, str):
        return f"'{visible(value)}'"
    return duration_text(int(value)) if time else str(value)


def _named(element: Element | None) -> str:
    """A variable's or literal's name, with the negation that stands at it."""
    text: str = getattr(element, "expression", "")
    return f"NOT {text}" if getattr(element, "negated", False) else text


def lay_out(step: Step, flow: Flow | None = None, blockers: frozenset[int] = frozenset(), forced: frozenset[int] = frozenset()) -> RungLayout:
    """Lay a rung out.

    Args: flow: power at a moment, None for a drawing without; blockers: elements where the path stops; forced: those whose tag is forced.
    """
    return _Builder(step, flow, blockers, forced).build()
