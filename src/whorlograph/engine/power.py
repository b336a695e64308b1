"""Power flow in a rung at a scan: the step executed again, told by its elements."""

from __future__ import annotations

from msgspec import Struct, field

from whorlograph.engine.evaluate.again import Result
from whorlograph.engine.evaluate.sight import ET
from whorlograph.engine.evaluate.steps import Again
from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.pin_values import computed_at, element_at
from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.engine.scope.text_parts import parts
from whorlograph.engine.scope.text_types import Scope
from whorlograph.model.ladder import (
    Block,
    Coil,
    Connector,
    Contact,
    Continuation,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    OutVariable,
    Return,
    Wire,
)
from whorlograph.model.literals import cooked, said_value
from whorlograph.model.pins import output_pin
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step, rails_of, segment_at
from whorlograph.model.tags import Instance, Leaf
from whorlograph.model.text import Assign, For, Statement, Var
from whorlograph.model.types import Elementary, Family

from .code import Value
from .journal import Journal
from .path import Skip


class Flow(Struct):
    """One rung as it was evaluated.

    ``scan`` is the scan shown: the last one in which the rung ran; ``skip`` says why it did not run in the
    scan asked for. By element id: ``power`` what comes in, ``passes`` whether the contact itself would pass,
    ``out`` what goes out (by element and pin), ``values`` the tag's value, ``tags`` its number, none of an expression;
    ``times``: the elements where it is a TIME.
    ``done``: of a statement's parts those that were executed; ``each``: of those in a loop that is laid out (tag, value) in each pass, where
    these differ.
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
    done: set[int] = field(default_factory=set)
    each: dict[int, tuple[tuple[int, Value], ...]] = field(default_factory=dict)

    def named(self) -> list[int]:
        """The tags of all elements, each once, in order."""
        return list(dict.fromkeys(tag for element, last in self.tags.items() for tag, _ in self.each.get(element, ((last, 0),))))


class PowerFlow:
    """Power flow of one program's rungs, on a journal."""

    def __init__(self, again: Again) -> None:
        self.running, self.again = again.running, again
        self._rails: dict[int, frozenset[int]] = {}
        self._nodes: dict[int, dict[tuple[int, int, str], list[int]]] = {}
        self._cache: dict[tuple[int, int], Flow] = {}
        self._of: Journal | None = None

    def flow(self, journal: Journal, step: Step, scan: int) -> Flow:
        """The rung as evaluated in a scan, or in the last scan before it in which it ran."""
        if journal is not self._of:
            self._of, self._cache = journal, {}
        key = (step.index, scan)
        found = self._cache.get(key)
        if found is None:
            if len(self._cache) > 4000:
                self._cache.clear()
            found = self._cache[key] = self._evaluate(journal, step, scan)
        return found

    def shown(self, journal: Journal, step: Step, scan: int) -> Flow:
        """The rung for a picture: as it was evaluated; one that was not has no power anywhere, and the values that its tags have now."""
        found = self.flow(journal, step, scan)
        if found.skip is None:
            return found
        position, values = journal.settled_position(scan), {e: v for e, v in found.values.items() if e in found.tags}
        for element, tag in found.tags.items():
            if tag < len(self.running.tags) and element in values:
                type_ = self.running.tags[tag].type
                if (type_.family is Family.BOOL) == isinstance(values[element], bool):  # a bit of a number is told by its rung alone
                    values[element] = cooked(journal.value_at(tag, position), type_)
        return Flow(step, found.scan, found.position, found.skip, values=values, tags=found.tags, times=found.times)

    def _evaluate(self, journal: Journal, step: Step, scan: int) -> Flow:
        seen = self.again.seen(journal, step.index, scan)
        flow = Flow(step, seen.scan, seen.position, seen.skip)
        telling = _Telling(self, journal, flow, seen.result, seen.after)
        if step.rung.statement is not None:
            telling.tell_text(step.rung.statement)
        else:
            telling.tell()
        return flow

    def rails(self, step: Step) -> frozenset[int]:
        """Ids of the left rails of a step's body."""
        assert step.instance.pou is not None
        part, _ = segment_at(step.instance.pou.body, step.index - self.again.calls.instance(step.index).first)
        if id(part) not in self._rails:
            self._rails[id(part)] = rails_of(part)
        return self._rails[id(part)]

    def nodes(self, step: Step) -> dict[tuple[int, int, str], list[int]]:
        """The nodes of the step's body: by its number there, element and what of it."""
        number = self.again.calls.instance(step.index).body
        found = self._nodes.get(number)
        if found is None:
            found = self._nodes[number] = {}
            for at, origin in enumerate(self.again.code.bodies[number].origins):
                found.setdefault((origin.step, origin.element, origin.what), []).append(at)
        return found


class _Telling:
    """Tells one execution by the rung's elements: power goes along the wires, what each element did stands at its nodes."""

    def __init__(self, above: PowerFlow, journal: Journal, flow: Flow, result: Result, after: int) -> None:
        self.above, self.journal, self.flow, self.result, self.after = above, journal, flow, result, after
        self.step, self.running = flow.step, above.running
        self.number = flow.step.index - above.again.calls.instance(flow.step.index).first
        self.nodes = above.nodes(flow.step)
        self.ids = {e.id: e for e in flow.step.rung.elements}
        self.rails = above.rails(flow.step)

    def tell(self) -> None:
        for rail in self.rails:
            self.flow.out[rail, ""] = True
        for element in evaluation_order(self.step.rung):
            if isinstance(element, Contact):
                self.contact(element)
            elif isinstance(element, Block):
                self.block(element)
            elif isinstance(element, (InVariable, InOutVariable)):
                self.variable(element)
            elif isinstance(element, Continuation):
                source = self.step.rung.continued.get(element.id)
                self.flow.out[element.id, ""] = self.flow.out.get((source, ""), False) if source is not None else False
            elif isinstance(element, (Coil, OutVariable, Jump, Return, Connector)):
                self.flow.power[element.id] = power = self.power(element.wires)
                self.flow.out[element.id, ""] = power
                if isinstance(element, (Coil, OutVariable)):
                    self.written(element)

    def tell_text(self, statement: Statement) -> None:
        """What a statement's variables held as they were read, and what they hold after they were written."""
        for part in parts(statement):
            if isinstance(part, Var):
                self.read_at(part.at, "gate")
            elif isinstance(part, (Assign, For)):
                self.written_at(part.at)
        result = self.result
        executed = {*result.values, *result.raws, *result.stored, *result.done}
        for (step, element, _), nodes in self.nodes.items():
            if step == self.number and not executed.isdisjoint(nodes):
                self.flow.done.add(element)

    # wires

    def wire(self, wire: Wire) -> Value:
        source = self.ids.get(wire.source)
        if source is None:
            return wire.source in self.rails
        pin = output_pin(wire, source) if isinstance(source, Block) else ""
        return self.flow.out.get((source.id, pin), False)

    def power(self, wires: tuple[Wire, ...]) -> bool:
        return any(bool(self.wire(w)) for w in wires)

    # nodes

    def value(self, element: Element, what: str = "") -> Value | None:
        """What was computed at an element; None where nothing was."""
        # What a computed subscript is made of stands behind the node of the element that it chooses.
        nodes = self.nodes.get((self.number, element.id, what), [])
        nodes = nodes[:1] if _chosen(element) else nodes[::-1]
        return next((self.result.values[at] for at in nodes if at in self.result.values), None)

    def read(self, element: Element, what: str = "") -> Value | None:
        """What a tag held when an element read it, noted for the element; None where it read none."""
        return self.read_at(element.id, what, _chosen(element))

    def read_at(self, element: int, what: str, chosen: bool = False) -> Value | None:
        """The same by the element's number. Args: chosen: its own node comes before those of its subscript."""
        result, nodes = self.result, self.nodes.get((self.number, element, what), [])
        found = [(result.cells[at].number, result.raws[at]) for at in (nodes[1:] + nodes[:1] if chosen else nodes) if at in result.raws]
        return self.note_each(element, found)

    def written(self, element: Element) -> None:
        """What a tag held after an element had its turn to write it."""
        self.written_at(element.id)

    def written_at(self, element: int) -> None:
        """The same by the element's number."""
        found: list[tuple[int, Value]] = []
        for at in self.nodes.get((self.number, element, ""), ()):
            cell = self.result.cells.get(at)
            if cell is None or at in self.result.raws:
                continue
            kind = self.running.tags[cell.number].type
            local = cell.number >= self.running.public
            bits = self.result.own.get(cell.number, 0) if local else self.journal.value_at(cell.number, self.after)
            found.append((cell.number, bool(bits >> cell.bit & 1) if cell.bit >= 0 else cooked(bits, kind)))
        self.note_each(element, found)

    def note_each(self, element: int, found: list[tuple[int, Value]]) -> Value | None:
        """What an element held in each pass, one after the other: the last counts. Returns: that; None where there is none."""
        if not found:
            return None
        self.note(element, *found[-1])
        if len(set(found)) > 1 and all(tag < len(self.running.tags) for tag, _ in found):
            self.flow.each[element] = tuple(found)
        return found[-1][1]

    def note(self, element: int, tag: int, value: Value) -> None:
        if tag >= len(self.running.tags):
            return
        self.flow.tags[element] = tag
        self.say(element, value, self.running.tags[tag].type)

    def say(self, element: int, value: Value, kind: Elementary | None) -> None:
        """A value as it stands at an element."""
        if kind is not None and kind.family is Family.DATE and not isinstance(value, bool):
            value = said_value(value, kind)
        self.flow.values[element] = value
        if kind is not None and kind.family is Family.TIME:
            self.flow.times.add(element)

    # elements

    def contact(self, element: Contact) -> None:
        self.read(element, "gate")
        edge = self.value(element, "edge")
        passes = bool(edge if edge is not None else self.value(element, "gate"))
        power = self.power(element.wires)
        self.flow.power[element.id], self.flow.passes[element.id] = power, passes
        self.flow.out[element.id, ""] = power and passes

    def variable(self, element: InVariable | InOutVariable) -> None:
        if isinstance(element, InOutVariable):
            self.written(element)
        read = self.read(element)
        value = self.value(element) if isinstance(element, InVariable) else read
        if value is None:
            known = constant_of(element.expression, self.step.instance, self.running)
            value = known[1] if known is not None else False
            if isinstance(element, InVariable) and element.negated:
                value = not value
        self.flow.out[element.id, ""] = value
        computed = computed_at(element.expression, element.id) if isinstance(element, InVariable) else None
        if computed is not None and self.value(element) is not None:
            type_ = Scope(self.step.instance, self.running).kind(computed)
            self.say(element.id, value, type_)

    def block(self, element: Block) -> None:
        enable = next((p for p in element.inputs if p.name.upper() == "EN"), None)
        on = True
        if enable is not None and enable.wires:
            edge = self.value(element, "EN edge")
            on = bool(edge) if edge is not None else self.power(enable.wires) != enable.negated
        self.flow.power[element.id] = on
        self.flow.out[element.id, "ENO"] = on
        called = called_instance(element, self.step.instance, self.running)
        if isinstance(called, Instance) and element.instance:
            for name, ref in called.scope.items():
                if isinstance(ref, Leaf):
                    self.flow.out[element.id, name.upper()] = cooked(self.left(ref.tag), self.running.tags[ref.tag].type)
        for pin in element.outputs or ():
            name = pin.name.upper()
            value = self.value(element, name) if name != "ENO" else None
            if value is not None:
                self.flow.out[element.id, name] = value
            elif pin.negated:
                self.flow.out[element.id, name] = not self.flow.out.get((element.id, name), False)

    def left(self, tag: int) -> int:
        """What a block's pin held when the step was done."""
        bits = self.result.own.get(tag)
        if bits is None and self.running.tags[tag].computed:
            return self.above.again.elapsed(self.journal, tag - ET, self.flow.scan)
        return bits if bits is not None else self.journal.value_at(tag, self.after)


def _chosen(element: Element) -> bool:
    """Whether what stands at an element is chosen by a computed subscript."""
    text = element.variable if isinstance(element, Contact) else element.expression if isinstance(element, (InVariable, InOutVariable)) else ""
    return element_at(text, element.id) is not None
