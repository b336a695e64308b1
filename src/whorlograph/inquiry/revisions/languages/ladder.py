"""What a rung does, apart from where its elements stand on the sheet."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable

from whorlograph.inquiry.revisions.form import Form, Numbers, Part, value_form
from whorlograph.model.fed_back import LEADS_BACK, cut_by_turn, leading_back
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
    LadderBody,
    OutVariable,
    Pin,
    Return,
    Rung,
    Wire,
)
from whorlograph.model.rungs import evaluation_order

_RAIL = ("rail",)


def jumped(part: LadderBody) -> set[str]:
    """The labels that are jumped to, in lower case: others mean nothing."""
    return {e.label.lower() for e in part.elements if isinstance(e, Jump)}


class _Drawing:
    """Turns one rung into what it does, element by element in the order of evaluation."""

    def __init__(self, rung: Rung, numbers: Numbers) -> None:
        self.rung, self.numbers = rung, numbers
        self.ids = {e.id: e for e in rung.elements}
        self.known: dict[int, Hashable] = {}
        self.does: list[Hashable] = []
        self.parts: Counter[Part] = Counter()
        self.writes: set[str] = set()

    def number(self, key: Hashable) -> int:
        """One number for all that is alike: written out, a rung would grow with each branch."""
        return self.numbers.setdefault(key, len(self.numbers))

    def power(self, wires: tuple[Wire, ...]) -> tuple[int, ...]:
        """What comes in over some wires: their order on the sheet means nothing."""
        return tuple(sorted({self.number((self.known.get(w.source, _RAIL), w.pin.lower())) for w in wires}))

    def always(self, pin: Pin) -> bool:
        """Whether it is an EN that hangs on the rail: the block is executed as without."""
        on_rail = bool(pin.wires) and all(w.source not in self.ids for w in pin.wires)
        return pin.name.upper() == "EN" and on_rail and not pin.negated and pin.edge.value == "none"

    def pin(self, owner: str, pin: Pin) -> tuple[str, tuple[int, ...], bool, str, str]:
        """A pin with what goes into it. Where it stands on the block means nothing."""
        for wire in pin.wires:
            fed = self.ids.get(wire.source)
            if isinstance(fed, (InVariable, InOutVariable)):
                self.parts[Part("pin", f"{owner}.{pin.name}", fed.expression)] += 1
        if pin.negated or pin.edge.value != "none" or pin.storage:
            said = " ".join(w for w in ("inverted" if pin.negated else "", pin.edge.value if pin.edge.value != "none" else "", pin.storage) if w)
            self.parts[Part("pin kind", f"{owner}.{pin.name}", said)] += 1
        return pin.name.lower(), self.power(pin.wires), pin.negated, pin.edge.value, pin.storage.lower()

    def take(self, one: Element) -> None:
        """The next element."""
        if isinstance(one, Contact):
            self.parts[Part("contact", one.variable, one.kind.value)] += 1
            self.known[one.id] = ("contact", value_form(one.variable), one.kind.value, self.power(one.wires))
        elif isinstance(one, Coil):
            self.parts[Part("coil", one.variable, one.kind.value)] += 1
            self.act(one, ("coil", value_form(one.variable), one.kind.value, self.power(one.wires)), one.variable)
        elif isinstance(one, Block):
            owner = one.instance or one.type_name
            self.parts[Part("block", owner, one.type_name.upper())] += 1
            inputs = [p for p in one.inputs if not self.always(p)]
            pins = tuple(tuple(sorted(self.pin(owner, p) for p in group)) for group in (inputs, one.in_outs))
            outs = tuple(sorted((p.name.lower(), p.negated, p.edge.value, p.storage.lower()) for p in one.outputs
                                if p.negated or p.edge.value != "none" or p.storage))
            self.act(one, ("block", one.type_name.lower(), one.instance.lower(), pins, outs), one.instance)
        elif isinstance(one, InVariable) or (isinstance(one, InOutVariable) and not one.wires):
            self.known[one.id] = ("value", value_form(one.expression), isinstance(one, InVariable) and one.negated)
        elif isinstance(one, (OutVariable, InOutVariable)):
            negated = isinstance(one, OutVariable) and one.negated
            if isinstance(one, OutVariable):
                self.parts[Part("written", one.expression, "inverted" if negated else "")] += 1
            self.act(one, ("out", value_form(one.expression), negated, self.power(one.wires)), one.expression)
        elif isinstance(one, Jump):
            self.parts[Part("jump", one.label, "")] += 1
            self.act(one, ("jump", one.label.lower(), self.power(one.wires)), "")
        elif isinstance(one, Return):
            self.parts[Part("return", "", "")] += 1
            self.act(one, ("return", self.power(one.wires)), "")
        elif isinstance(one, Connector):
            self.known[one.id] = ("joined", self.power(one.wires))
        elif isinstance(one, Continuation):
            self.known[one.id] = self.known.get(self.rung.continued.get(one.id, -1), ("open", one.name.lower()))

    def act(self, one: Element, does: Hashable, writes: str) -> None:
        """Something that is written or called: in this order."""
        self.known[one.id] = does
        self.does.append(does)
        if writes:
            self.writes.add(writes.lower())


def form(rung: Rung, numbers: Numbers) -> Form:
    """A rung's form."""
    if rung.fault == LEADS_BACK:
        rung = cut_by_turn(rung, leading_back(rung.elements, rung.continued))
    drawing = _Drawing(rung, numbers)
    order = evaluation_order(rung)
    for one in order:
        drawing.take(one)
    idle = () if drawing.does else tuple(sorted(drawing.number(drawing.known[e.id]) for e in order if isinstance(e, Contact)))
    left, top = min((e.x for e in rung.elements), default=0), min((e.y for e in rung.elements), default=0)
    drawn = tuple((type(e).__name__, e.x - left, e.y - top) for e in order)
    key = tuple(drawing.does), idle, rung.fault
    return Form(key, drawing.parts, frozenset(drawing.writes), drawn, rung.comment, rung.number)
