"""Power flow in a rung at a scan, from the journal alone."""

from __future__ import annotations

from msgspec import Struct, field

from whorlograph.engine.scope.rung_types import called_instance, output_pin, rung_types
from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Connector,
    Contact,
    ContactKind,
    Continuation,
    InOutVariable,
    InVariable,
    Jump,
    LadderBody,
    LeftRail,
    OutVariable,
    Return,
    Wire,
)
from whorlograph.model.literals import cooked, literal
from whorlograph.model.paths import parse_path
from whorlograph.model.profile import Overflow
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step
from whorlograph.model.tags import BitOf, Element, Instance, Leaf, Running, resolve_path
from whorlograph.model.types import BOOL, Elementary, Family

from .journal import Journal
from .path import Paths, Skip
from .plain.functions import Halt, Value
from .plain.standard import standard


class Flow(Struct):
    """One rung as it was evaluated.

    ``scan`` is the scan shown: the last one in which the rung ran; ``skip`` says why it did not run in the
    scan asked for. By element id: ``power`` what comes in, ``passes`` whether the contact itself would pass,
    ``out`` what goes out (by element and pin), ``values`` the tag's value, ``tags`` its number; ``times``: the elements where it is a TIME.
    """

    step: Step
    scan: int
    position: int
    skip: Skip | None = None
    power: dict[int, bool] = field(default_factory=dict)
    passes: dict[int, bool] = field(default_factory=dict)
    out: dict[tuple[int, str], Value] = field(default_factory=dict)
    values: dict[int, Value] = field(default_factory=dict)
    tags: dict[int, int] = field(default_factory=dict)
    times: set[int] = field(default_factory=set)

    def wire(self, wire: Wire) -> Value:
        """What a wire carries."""
        return self.out.get((wire.source, wire.pin.upper()), self.out.get((wire.source, ""), False))


class PowerFlow:
    """Evaluates rungs of one program on a journal.

    Args: mode: how results are held that their type cannot hold.
    """

    def __init__(self, running: Running, paths: Paths, mode: Overflow = Overflow.HALT) -> None:
        self.running, self.paths, self.mode = running, paths, mode
        self._rails: dict[int, set[int]] = {}
        self._cache: dict[tuple[int, int, int], Flow] = {}

    def flow(self, journal: Journal, step: Step, scan: int) -> Flow:
        """The rung as evaluated in a scan, or in the last scan before it in which it ran."""
        key = (id(journal), step.index, scan)
        found = self._cache.get(key)
        if found is None:
            if len(self._cache) > 4000:
                self._cache.clear()
            found = self._cache[key] = self._evaluate(journal, step, scan)
        return found

    def now(self, journal: Journal, step: Step, scan: int) -> Flow:
        """The rung as it would be evaluated with the values that a scan settled at, whether or not it ran."""
        position = journal.settled_position(scan)
        flow = Flow(step, scan, position)
        _Evaluation(self, journal, flow, position).run()
        return flow

    def _evaluate(self, journal: Journal, step: Step, scan: int) -> Flow:
        skip = self.paths.skipped(journal, step.index, scan) if scan > 0 else None
        shown = self.paths.last_run(journal, step.index, scan) if skip is not None else scan
        flow = Flow(step, shown, 0, skip)
        flow.position = self.paths.seen(journal, step.index, shown) if shown > 0 else 0
        after = self.paths.done(journal, step.index, shown) if shown > 0 else 0
        _Evaluation(self, journal, flow, after).run()
        return flow

    def rails(self, step: Step) -> set[int]:
        """Ids of the left rails of a step's body."""
        key = id(step.instance)
        if key not in self._rails:
            body = step.instance.pou.body if step.instance.pou is not None else None
            self._rails[key] = {e.id for e in body.elements if isinstance(e, LeftRail)} if isinstance(body, LadderBody) else set()
        return self._rails[key]


class _Evaluation:
    """One evaluation of a rung from remembered values; its own writes are seen by later elements."""

    def __init__(self, above: PowerFlow, journal: Journal, flow: Flow, after: int) -> None:
        self.above, self.journal, self.flow, self.after = above, journal, flow, after
        self.step, self.running = flow.step, above.running
        self.ids = {e.id: e for e in flow.step.rung.elements}
        self.rails = above.rails(flow.step)
        self.written: dict[tuple[int, int], bool] = {}
        self.types = rung_types(flow.step, self.running)

    def run(self) -> None:
        for rail in self.rails:
            self.flow.out[rail, ""] = True
        for element in evaluation_order(self.step.rung):
            if isinstance(element, Contact):
                self.contact(element)
            elif isinstance(element, Coil):
                self.coil(element)
            elif isinstance(element, Block):
                self.block(element)
            elif isinstance(element, (InVariable, InOutVariable)):
                self.variable(element)
            elif isinstance(element, Continuation):
                source = self.step.rung.continued.get(element.id)
                self.flow.out[element.id, ""] = self.flow.out.get((source, ""), False) if source is not None else False
            elif isinstance(element, (OutVariable, Jump, Return, Connector)):
                self.flow.power[element.id] = self.power(element.wires)
                self.flow.out[element.id, ""] = self.flow.power[element.id]
                if isinstance(element, OutVariable):
                    self.read(element.expression, element.id, self.after)

    def wire(self, wire: Wire) -> Value:
        source = self.ids.get(wire.source)
        if source is None:
            return wire.source in self.rails
        pin = output_pin(wire, source) if isinstance(source, Block) else ""
        return self.flow.out.get((source.id, pin), False)

    def power(self, wires: tuple[Wire, ...]) -> bool:
        return any(bool(self.wire(w)) for w in wires)

    def read(self, text: str, element: int, position: int) -> Value | None:
        """A name's value at a position, noted for the element."""
        found = self.found(text, position, self.written)
        if found is None:
            return None
        self.flow.values[element], self.flow.tags[element] = found
        if self.running.tags[found[1]].type.family is Family.TIME:
            self.flow.times.add(element)
        return found[0]

    def found(self, text: str, position: int, written: dict[tuple[int, int], bool]) -> tuple[Value, int] | None:
        """A name's value at a position, and its tag; ``written``: what the rung itself has written by then."""
        path = parse_path(text)
        target = resolve_path(path, self.step.instance, self.running.scope) if path is not None else None
        if isinstance(target, Leaf):
            own = written.get((target.tag, -1))
            return own if own is not None else cooked(self.journal.value_at(target.tag, position), self.running.tags[target.tag].type), target.tag
        if isinstance(target, BitOf):
            own = written.get((target.tag, target.bit))
            return own if own is not None else bool(self.journal.value_at(target.tag, position) >> target.bit & 1), target.tag
        if isinstance(target, Element):
            tag = target.first
            for subscript, low, high, stride in target.terms:
                inner = resolve_path(subscript, self.step.instance, self.running.scope)
                index = self.journal.value_at(inner.tag, position) if isinstance(inner, Leaf) else low
                tag += (min(max(index, low), high) - low) * stride
            return cooked(self.journal.value_at(tag, position), self.running.tags[tag].type), tag
        return None

    def contact(self, element: Contact) -> None:
        value = self.read(element.variable, element.id, self.flow.position)
        passes = bool(value)
        if element.kind is ContactKind.NORMALLY_CLOSED:
            passes = value is not None and not value
        elif element.kind in (ContactKind.RISING, ContactKind.FALLING):
            before = self.before(element)
            passes = before is not None and before != bool(value) and bool(value) == (element.kind is ContactKind.RISING)
        power = self.power(element.wires)
        self.flow.power[element.id], self.flow.passes[element.id] = power, passes
        self.flow.out[element.id, ""] = power and passes

    def before(self, element: Contact) -> bool | None:
        """What an edge contact saw at its evaluation before this one; None where there was none."""
        earlier = self.above.paths.last_run(self.journal, self.step.index, self.flow.scan - 1)
        if earlier <= 0:
            return None
        found = self.found(element.variable, self.above.paths.seen(self.journal, self.step.index, earlier), {})
        return bool(found[0]) if found is not None else None

    def coil(self, element: Coil) -> None:
        power = self.power(element.wires)
        self.flow.power[element.id] = power
        self.flow.out[element.id, ""] = power
        self.read(element.variable, element.id, self.after)
        path = parse_path(element.variable)
        target = resolve_path(path, self.step.instance, self.running.scope) if path is not None else None
        key = (target.tag, -1) if isinstance(target, Leaf) else (target.tag, target.bit) if isinstance(target, BitOf) else None
        if key is None:
            return
        if element.kind is CoilKind.PLAIN or (element.kind is CoilKind.SET and power):
            self.written[key] = power
        elif element.kind is CoilKind.NEGATED or (element.kind is CoilKind.RESET and power):
            self.written[key] = not power

    def variable(self, element: InVariable | InOutVariable) -> None:
        read = literal(element.expression)
        if read is not None and not isinstance(read[1], str):
            self.flow.out[element.id, ""] = read[1]
            return
        value = self.read(element.expression, element.id, self.flow.position)
        if isinstance(element, InVariable) and element.negated:
            value = not value
        self.flow.out[element.id, ""] = value if value is not None else False

    def block(self, element: Block) -> None:
        enable = next((p for p in element.inputs if p.name.upper() == "EN"), None)
        on = (self.power(enable.wires) != enable.negated) if enable is not None and enable.wires else True
        self.flow.power[element.id] = on
        self.flow.out[element.id, "ENO"] = on
        called = called_instance(element, self.step.instance, self.running)
        if isinstance(called, Instance) and element.instance:
            for name, ref in called.scope.items():
                if isinstance(ref, Leaf):
                    kind = self.running.tags[ref.tag].type
                    self.flow.out[element.id, name.upper()] = cooked(self.journal.value_at(ref.tag, self.after), kind)
        elif on:
            self.function(element, called)
        else:
            self.remembered(element)
        for pin in element.outputs:
            if pin.negated:
                key = (element.id, pin.name.upper())
                self.flow.out[key] = not self.flow.out.get(key, False)

    def remembered(self, element: Block) -> None:
        """What a function whose EN is off still gives: its result of the last time that EN was on (CONTROLLER.md, Blocks)."""
        flag = self.above.paths.steps.flags.get((self.step.index, element.id))
        row = self.journal.last_row(flag.number, self.after) if flag is not None else None
        scan = self.journal.scan(row) - 1 if row is not None and not self.journal.raw(row) else 0
        scan = self.above.paths.last_run(self.journal, self.step.index, scan)
        if scan <= 0:
            return
        before = self.above.flow(self.journal, self.step, scan)
        for (source, pin), value in before.out.items():
            if source == element.id and pin not in ("ENO", "EN"):
                negated = next((p.negated for p in element.outputs if p.name.upper() == pin), False)
                self.flow.out[source, pin] = (not value) if negated else value

    def function(self, element: Block, called: Instance | None) -> None:
        """What a function gave: the standard's from its operands, one of the file's own from what it left."""
        result = self.own_result(element, called) if called is not None else self.standard_result(element)
        self.flow.out[element.id, "OUT"] = result if result is not None else False

    def standard_result(self, element: Block) -> Value | None:
        kind = self.types.operation.get(element.id, BOOL)
        boolean = kind.family is Family.BOOL
        given: dict[str, Value] = {}
        sources: dict[str, Elementary | None] = {}
        for pin in element.inputs:
            name = pin.name.upper()
            if name == "EN" or not pin.wires:
                continue
            value: Value = self.power(pin.wires) if (boolean and name not in ("K", "N")) or name == "G" else self.wire(pin.wires[0])
            given[name] = (not value) if pin.negated else value
            first, source = pin.wires[0], self.ids.get(pin.wires[0].source)
            sources[name] = self.types.of(Wire(first.source, output_pin(first, source)) if isinstance(source, Block) else first)
        try:
            return standard(element.type_name.upper(), given, sources, kind, self.types.outputs.get((element.id, "OUT")) or kind,
                            self.above.mode)
        except Halt:
            return None

    def own_result(self, element: Block, called: Instance) -> Value | None:
        receiver = next((e for e in self.ids.values() if isinstance(e, (OutVariable, InOutVariable))
                         and any(w.source == element.id for w in e.wires)), None)
        if receiver is not None:
            return self.read(receiver.expression, receiver.id, self.after)
        left = called.scope.get(called.type_name.lower())
        return cooked(self.journal.value_at(left.tag, self.after), self.running.tags[left.tag].type) if isinstance(left, Leaf) else None
