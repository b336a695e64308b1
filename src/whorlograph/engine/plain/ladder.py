"""Walks ladder bodies as the model has them: every element of every rung, one after the other, as CONTROLLER.md says it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from whorlograph.engine.scope.pin_values import computed_at
from whorlograph.engine.scope.rung_types import RungTypes, rung_types
from whorlograph.engine.scope.unreadable import unreadable
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
)
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step, segment_at
from whorlograph.model.tags import Instance, Ref
from whorlograph.model.types import Family

from .functions import Value
from .ladder_blocks import Blocks
from .memory import Memory, Where
from .places import Frame, Places
from .text import Text


class Ladder(Blocks):
    """Evaluates bodies on a memory.

    Args: comes: told before each step of a program's own body; passed: told after each step; ordered: told of orders to the
        controller (what, the task's name).
    """

    def __init__(self, memory: Memory, comes: Callable[[], None], passed: Callable[[], None], ordered: Callable[[str, str], None]) -> None:
        self.m, self.comes, self.passed, self.ordered = memory, comes, passed, ordered
        self.running, self.steps, self.profile = memory.running, memory.steps, memory.profile
        self.memory: dict[object, object] = {}
        self.left: dict[int, frozenset[int]] = {}
        self.depth = self.element = 0
        self.passes: dict[tuple[int, int], tuple[int, int, int, int]] = {}  # (scan, times, first number, last number)
        self.before: dict[tuple[int, int], int] = {}
        self.types: dict[int, RungTypes] = {}
        self.orders: dict[int, list[Element]] = {}
        self.elements: dict[int, dict[int, Element]] = {}  # by step, by id
        self.text = Text(self)
        self.places = Places(memory, self.text, lambda: self.element)

    def flagged(self, step: Step, element: Element, taken: bool) -> None:
        """Note whether a jump, return or call is taken."""
        flag = self.steps.flags.get((step.index, element.id))
        if flag is not None:
            self.m.put(flag.number, int(taken))

    def program(self, instance: Instance) -> None:
        """Run a program once: its temporaries begin anew."""
        self.anew(instance)
        self.body(instance, {}, True)

    def body(self, instance: Instance, bound: dict[str, Ref | Where], own: bool) -> None:
        """Execute a ladder body from its first rung to its end, a return, or a halt.

        Args: own: it is a program's, between whose steps tasks may run.
        """
        steps = self.steps.of(instance)
        if instance.pou is None or not steps:
            return
        body = instance.pou.body
        at = 0
        while at < len(steps):
            if own:
                self.comes()
            self.m.number += 1
            self.m.current = steps[at].index
            label = self.rung(steps[at], bound)
            self.m.current = steps[at].index
            self.passed()
            if label is None:
                at += 1
                continue
            part, first = segment_at(body, at)
            if label == "":
                at = first + part.count
                continue
            target = first + part.targets.get(label.lower(), at - first + 2) - 1
            if target <= at:
                self.back(steps[at].index, steps[target].index, instance, own)
            at = target

    def back(self, step: int, target: int, instance: Instance, own: bool) -> None:
        """A jump goes back: count it for this scan, in a POU that is called for all its instances together."""
        if not own:
            first = self.steps.of(instance)[0].index
            apart = min(s.index for s in self.steps.all if s.instance.type_name.lower() == instance.type_name.lower()) - first
            step, target = step + apart, target + apart
        scan, times, since, _ = self.passes.get((step, target), (0, 0, 0, 0))
        if scan != self.m.scan:
            scan, times, since = self.m.scan, 0, self.m.number
        self.passes[step, target] = scan, times + 1, since, self.m.number

    def taken(self) -> Iterator[tuple[int, int, int]]:
        """(step, target, times) of jumps back that were taken another number of times in this scan than in the one before."""
        for way, (scan, times, _, _) in self.passes.items():
            now = times if scan == self.m.scan else 0
            if self.before.get(way, 0) != now:
                self.before[way] = now
                yield *way, now

    def rung(self, step: Step, bound: dict[str, Ref | Where]) -> str | None:
        """Evaluate a rung; the label to go on at, "" to end the POU, None to go on below."""
        if step.rung.statement is not None:
            return self.text.run(step, bound)
        if step.index not in self.orders:
            self.elements[step.index] = {e.id: e for e in step.rung.elements}
            self.orders[step.index] = [] if unreadable(step.rung, step.instance, self.running) else evaluation_order(step.rung)
            self.types[step.index] = rung_types(step, self.running)
        frame = Frame(step, bound, self.elements[step.index])
        leave: str | None = None
        for element in self.orders[step.index]:
            self.element = element.id
            if isinstance(element, Contact):
                self.contact(element, frame)
            elif isinstance(element, Coil):
                self.coil(element, frame)
            elif isinstance(element, Block):
                self.block(element, frame)
                self.m.current = step.index
            elif isinstance(element, InVariable):
                computed = computed_at(element.expression, element.id)
                value = self.value_of(element.expression, frame) if computed is None else self.text.at_pin(computed, step, bound)
                frame.out[element.id, ""] = (not value) if element.negated else value
            elif isinstance(element, (OutVariable, InOutVariable)):
                self.variable(element, frame)
            elif isinstance(element, Connector):
                frame.out[element.id, ""] = self.power(element.wires, frame)
            elif isinstance(element, Continuation):
                source = step.rung.continued.get(element.id)
                frame.out[element.id, ""] = frame.out.get((source, ""), False) if source is not None else False
            elif isinstance(element, (Jump, Return)):
                taken = self.power(element.wires, frame)
                if isinstance(element, Jump) and element.label.lower() not in step.instance.pou.body.targets:  # type: ignore[union-attr]
                    taken = False
                self.flagged(step, element, taken)
                if taken and leave is None:
                    leave = element.label if isinstance(element, Jump) else ""
        return leave

    def contact(self, element: Contact, frame: Frame) -> None:
        where = self.places.place(element.variable, frame)
        on = bool(self.m.load(where[0])) if where is not None else False
        passes = on
        if element.kind is ContactKind.NORMALLY_CLOSED:
            passes = not on if where is not None else False
        elif element.kind in (ContactKind.RISING, ContactKind.FALLING):
            key = (frame.step.index, element.id)
            before = self.memory.get(key)
            self.memory[key] = on
            self.m.keep(frame.step.index, element.id, "edge", int(on))
            rising = element.kind is ContactKind.RISING
            passes = before is not None and before != on and on == rising
        frame.out[element.id, ""] = self.power(element.wires, frame) and passes

    def coil(self, element: Coil, frame: Frame) -> None:
        on = self.power(element.wires, frame)
        frame.out[element.id, ""] = on
        kind = element.kind
        if kind in (CoilKind.RISING, CoilKind.FALLING):
            key = (frame.step.index, element.id)
            before = self.memory.get(key)
            self.memory[key] = on
            self.m.keep(frame.step.index, element.id, "edge", int(on))
            on = before is not None and before != on and on == (kind is CoilKind.RISING)
        if kind in (CoilKind.SET, CoilKind.RESET) and not on:
            return
        where = self.places.place(element.variable, frame)
        if where is None:
            return
        value = not on if kind in (CoilKind.NEGATED, CoilKind.RESET) else on
        self.m.store(where[0], value, None)

    def variable(self, element: OutVariable | InOutVariable, frame: Frame) -> None:
        source = frame.elements.get(element.wires[0].source) if element.wires else None
        if element.wires and not (isinstance(source, Block) and source.id not in frame.executed):
            self.stored(element, frame)
        if isinstance(element, InOutVariable):
            frame.out[element.id, ""] = self.value_of(element.expression, frame)

    def stored(self, element: OutVariable | InOutVariable, frame: Frame) -> None:
        """What the wire brings is stored."""
        if self.places.part(element.expression, frame) is not None:
            self.filled(self.whole(element.wires[0], frame), element.expression, frame)
            return
        where = self.places.place(element.expression, frame)
        if where is not None:
            value: Value = self.power(element.wires, frame) if where[1].family is Family.BOOL else self.wire(element.wires[0], frame)
            if isinstance(element, OutVariable) and element.negated:
                value = not value
            self.m.store(where[0], value, self.types[frame.step.index].of(self.named(element.wires[0], frame)))
