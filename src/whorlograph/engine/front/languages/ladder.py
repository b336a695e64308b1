"""Ladder: each rung is a step whose elements are evaluated once, in the order of evaluation (CONTROLLER.md, Ladder)."""

from __future__ import annotations

from whorlograph.engine.code import Const, Convert, Exit, Kind, Load, Op, Taken
from whorlograph.engine.front.builder import OFF, ON, Builder, constant, widened
from whorlograph.engine.front.names import Variable, Whole
from whorlograph.engine.scope.pin_values import computed_at
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
)
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.types import BOOL, Family

from .ladder_blocks import Blocks


def lower(build: Builder, body: LadderBody, tasks: dict[str, int]) -> None:
    """Add the steps of a ladder body.

    Args: tasks: the number of each task, by name in lower case.
    """
    rails = frozenset(e.id for e in body.elements if isinstance(e, LeftRail))
    build.segment = build.index
    for rung in body.rungs:
        build.begin()
        build.end(() if build.reading.rung(rung, build.instance) else tuple(_Rung(build, body, rung, rails, tasks).lower()))


class _Rung(Blocks):
    """One rung, element by element."""

    def lower(self) -> list[Exit]:
        exits: list[Exit] = []
        for element in evaluation_order(self.rung):
            if isinstance(element, Contact):
                self.contact(element)
            elif isinstance(element, Coil):
                self.coil(element)
            elif isinstance(element, Block):
                self.block(element)
            elif isinstance(element, InVariable):
                self.in_variable(element)
            elif isinstance(element, (OutVariable, InOutVariable)):
                self.out_variable(element)
            elif isinstance(element, Connector):
                at = self.b.at(element.id)
                self.out[element.id, ""] = self.b.keep(self.power(element.wires, at), at)
            elif isinstance(element, Continuation):
                source = self.rung.continued.get(element.id)
                self.out[element.id, ""] = self.out.get((source, ""), OFF) if source is not None else OFF
            elif isinstance(element, (Jump, Return)):
                exits += self.leave(element)
        return exits

    def leave(self, element: Jump | Return) -> list[Exit]:
        """A jump or return: noted, and acted on after the step."""
        count = len(self.body.rungs)
        target = self.body.targets.get(element.label.lower()) if isinstance(element, Jump) else count + 1
        at = self.b.at(element.id)
        taken = self.b.keep(self.power(element.wires, at), at) if target is not None else OFF
        flag = self.b.cell(Kind.FLAG, element.id, "jump" if isinstance(element, Jump) else "return", "BOOL")
        self.b.put(Taken(flag, taken, at))
        return [Exit(Load(flag, "BOOL", at), self.b.segment + target - 1, at)] if target is not None else []

    # elements

    def contact(self, element: Contact) -> None:
        gate = self.b.at(element.id, "gate")
        found = self.find(element.variable, gate)
        if not isinstance(found, Variable):
            self.out[element.id, ""] = OFF
            return
        on = self.b.load(found, gate)
        if on.type != "BOOL":
            on = Convert("WIDEN", "BOOL", on, gate)
        if element.kind is ContactKind.NORMALLY_CLOSED:
            on = Op("NOT", "BOOL", (on,), gate)
        elif element.kind in (ContactKind.RISING, ContactKind.FALLING):
            on = self.b.edge(element.id, "", on, element.kind is ContactKind.RISING, 2)
        at = self.b.at(element.id)
        on = self.b.keep(on, gate)
        power = self.power(element.wires, at)
        if power == ON:
            self.out[element.id, ""] = on
        else:
            self.out[element.id, ""] = OFF if power == OFF else self.b.keep(Op("AND", "BOOL", (power, on), at), at)

    def coil(self, element: Coil) -> None:
        at = self.b.at(element.id)
        on = self.b.keep(self.power(element.wires, at), at)
        self.out[element.id, ""] = on
        kind = element.kind
        if kind in (CoilKind.RISING, CoilKind.FALLING):
            on = self.b.edge(element.id, "", on, kind is CoilKind.RISING, 2)
        found = self.find(element.variable, at)
        if not isinstance(found, Variable):
            return
        if kind in (CoilKind.SET, CoilKind.RESET):
            with self.b.when(on, at):
                self.b.store(found, constant(kind is CoilKind.SET, found.type), at)
            return
        value = Op("NOT", "BOOL", (on,), at) if kind is CoilKind.NEGATED else on
        self.b.store(found, widened(value, found.type, at), at)

    def in_variable(self, element: InVariable) -> None:
        computed = computed_at(element.expression, element.id)
        if computed is not None:
            value = self.values.value(computed, None)
            at = self.b.at(element.id)
            negated = element.negated and value.type == "BOOL"
            self.out[element.id, ""] = self.b.let(Op("NOT", "BOOL", (value,), at) if negated else value, at)
            return
        at = self.b.at(element.id)
        read = self.constant(element)
        if read is not None:
            type_ = read[0]
            if type_ is None or type_ == BOOL:
                self.out[element.id, ""] = Const(bool(read[1]) != element.negated, "BOOL")
            else:
                self.out[element.id, ""] = constant(read[1], type_)
            return
        found = self.find(element.expression, at)
        if not isinstance(found, Variable):
            self.out[element.id, ""] = OFF  # an array or structure is read where it goes
            return
        value_read = self.b.load(found, at)
        if element.negated and found.type.family is Family.BOOL:
            value_read = Op("NOT", "BOOL", (value_read,), at)
        self.out[element.id, ""] = self.b.keep(value_read, at)

    def out_variable(self, element: OutVariable | InOutVariable) -> None:
        at = self.b.at(element.id)
        found = self.find(element.expression, at)
        source = self.ids.get(element.wires[0].source) if element.wires else None
        if isinstance(found, Whole) and element.wires:
            with self.b.when(self.executed.get(source.id, OFF) if isinstance(source, Block) else ON, at):
                self.fill(found, element.wires[0], element.id)
        if element.wires and isinstance(found, Variable):
            with self.b.when(self.executed.get(source.id, OFF) if isinstance(source, Block) else ON, at):
                if found.type.family is Family.BOOL:
                    value = self.power(element.wires, at)
                    if isinstance(element, OutVariable) and element.negated:
                        value = Op("NOT", "BOOL", (value,), at)
                else:
                    value = self.assigned(element.wires[0], found.type, at)
                self.b.store(found, value, at)
        if isinstance(element, InOutVariable) and isinstance(found, Variable):
            self.out[element.id, ""] = self.b.keep(self.b.load(found, at), at)
