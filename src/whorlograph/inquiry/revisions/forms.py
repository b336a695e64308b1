"""What a step does, apart from how and where it is drawn: two steps with one form do the same."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Hashable
from typing import Any

from msgspec import Struct

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
from whorlograph.model.literals import literal
from whorlograph.model.program import Body, OpaqueBody
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import segments, units
from whorlograph.model.text import Statement, TextBody

_WORD = re.compile(r"[A-Za-z_%][A-Za-z0-9_.%\[\]]*")
_RAIL = ("rail",)

Numbers = dict[Hashable, int]  # all that is alike in two programs bears one number


class Part(Struct, frozen=True):
    """One thing in a step, for telling what came and went: ``what`` it is, on which ``name``, and how (``state``)."""

    what: str
    name: str
    state: str


class Form(Struct, frozen=True):
    """``key``: equal for steps that do the same; ``parts``: what is in it; ``writes``: what it writes, in lower case; ``drawn``: how it is
    drawn, the place on the sheet apart; ``comment``; ``number``: its rung, or line."""

    key: Hashable
    parts: Counter[Part]
    writes: frozenset[str]
    drawn: Hashable
    comment: str
    number: int


def value_form(text: str) -> str:
    """A variable or literal as it counts: ``T#5000ms`` is ``T#5s``."""
    stripped = "".join(text.split())
    found = literal(stripped) if stripped[:1].isdigit() or "#" in stripped or stripped[:1] in "-'\"" else None
    if found is None:
        return stripped.lower()
    return repr(found)


def forms(body: Body, numbers: Numbers) -> list[Form]:
    """The forms of all steps of a body; of one that is not executed a single one. Forms made with the same ``numbers`` can be compared."""
    if isinstance(body, OpaqueBody):
        text = " ".join(body.text.split())
        return [Form(text, Counter([Part("text", text, "")]), frozenset(a.lower() for a in body.assigns), (), "", 1)] if text else []
    found: list[Form] = []
    for part in segments(body):
        jumped = _jumped(part)
        at = {index: tuple(sorted(name for name, i in part.targets.items() if i == index + 1 and name in jumped)) for index in range(part.count + 1)}
        for index, rung in enumerate(units(part)):
            one = _statement(rung, part, index) if rung.statement is not None else _rung(rung, numbers)
            found.append(Form((one.key, at[index]), one.parts + Counter(Part("label", n, "") for n in at[index]), one.writes, one.drawn,
                              one.comment, one.number))
        if at[part.count]:
            found.append(Form(("end", at[part.count]), Counter(Part("label", n, "") for n in at[part.count]), frozenset(), (), "", 0))
    return found


def _jumped(part: LadderBody | TextBody) -> set[str]:
    """The labels that are jumped to, in lower case: others mean nothing."""
    if isinstance(part, LadderBody):
        return {e.label.lower() for e in part.elements if isinstance(e, Jump)}
    found: set[str] = set()
    _labels(part.statements, found)
    return found


def _labels(node: Any, found: set[str]) -> None:
    if isinstance(node, Struct):
        label = getattr(node, "label", None)
        if isinstance(label, str):
            found.add(label.lower())
        for name in node.__struct_fields__:
            _labels(getattr(node, name), found)
    elif isinstance(node, tuple):
        for one in node:
            _labels(one, found)


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

    def power(self, wires: tuple[Wire, ...]) -> tuple[Hashable, ...]:
        """What comes in over some wires: their order on the sheet means nothing."""
        return tuple(sorted({self.number((self.known.get(w.source, _RAIL), w.pin.lower())) for w in wires}))

    def pin(self, owner: str, pin: Pin) -> Hashable:
        """A pin with what goes into it."""
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
            pins = tuple(tuple(self.pin(owner, p) for p in group) for group in (one.inputs, one.in_outs))
            outs = tuple(sorted((p.name.lower(), p.negated, p.edge.value, p.storage.lower()) for p in one.outputs
                                if p.negated or p.edge.value != "none" or p.storage))
            self.act(one, ("block", one.type_name.lower(), one.instance.lower(), pins, outs), one.instance)
        elif isinstance(one, InVariable):
            self.known[one.id] = ("value", value_form(one.expression), one.negated)
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


def _rung(rung: Rung, numbers: Numbers) -> Form:
    drawing = _Drawing(rung, numbers)
    order = evaluation_order(rung)
    for one in order:
        drawing.take(one)
    idle = () if drawing.does else tuple(sorted(drawing.number(drawing.known[e.id]) for e in order if isinstance(e, Contact)))
    left, top = min((e.x for e in rung.elements), default=0), min((e.y for e in rung.elements), default=0)
    drawn = tuple((type(e).__name__, e.x - left, e.y - top) for e in order)
    key = tuple(drawing.does), idle, rung.fault
    return Form(key, drawing.parts, frozenset(drawing.writes), drawn, rung.comment, rung.number)


def _statement(rung: Rung, part: LadderBody | TextBody, index: int) -> Form:
    assert rung.statement is not None
    text = " ".join(line.strip() for line in part.lines(index)) if isinstance(part, TextBody) and part.source else ""
    parts: Counter[Part] = Counter(Part("word", w, "") for w in _WORD.findall(text))
    return Form(plain(rung.statement), parts, frozenset(_written(rung.statement)), (), rung.comment, rung.number)


def plain(node: Any) -> Hashable:
    """A piece of syntax without its places, names in lower case."""
    if isinstance(node, Struct):
        if type(node).__name__ == "Constant":
            return "constant", node.named, type(node.value).__name__, node.value  # type: ignore[attr-defined]
        return (type(node).__name__, *(plain(getattr(node, name)) for name in node.__struct_fields__ if name not in ("at", "line", "made")))
    if isinstance(node, tuple):
        return tuple(plain(one) for one in node)
    return node.lower() if isinstance(node, str) else node


def _written(statement: Statement) -> set[str]:
    """The names left of ``:=`` in a statement, in lower case."""
    found: set[str] = set()

    def visit(node: Any) -> None:
        if isinstance(node, Struct):
            target = getattr(node, "target", None)
            if target is not None and hasattr(target, "base"):
                found.add(target.base.lower())
            called = getattr(node, "called", None)
            if called is not None:
                found.add(called.base.lower())
            for name in node.__struct_fields__:
                visit(getattr(node, name))
        elif isinstance(node, tuple):
            for one in node:
                visit(one)

    visit(statement)
    return found


def differences(old: Form, new: Form) -> tuple[str, ...]:
    """What came, went and changed between two forms of one step, each in a few words."""
    gone, came = old.parts - new.parts, new.parts - old.parts
    if not gone and not came:
        return ("wired otherwise",)
    said: list[str] = []
    if any(p.what == "word" for p in (*gone, *came)):
        return ()  # of a text the lines themselves are shown
    for part in list(gone):
        other = next((p for p in came if (p.what, p.name.lower()) == (part.what, part.name.lower())), None)
        if other is not None and gone[part] and came[other]:
            gone[part] -= 1
            came[other] -= 1
            said.append(_turned(part, other))
    for parts, word in ((+gone, "gone"), (+came, "added")):
        said += [f"{_named(p)} {word}" + (f" {n} times" if n > 1 else "") for p, n in parts.items()]
    return tuple(said)


def _named(part: Part) -> str:
    if part.what == "contact":
        return f"{part.state} contact {part.name}"
    if part.what == "coil":
        return f"{part.state if 'coil' in part.state else part.state + ' coil'} {part.name}"
    if part.what == "block":
        return f"block {part.name}" + (f" ({part.state})" if part.state != part.name.upper() else "")
    if part.what in ("pin", "pin kind"):
        return f"{part.state} at {part.name}"
    if part.what == "written":
        return f"writing of {part.name}"
    if part.what == "jump":
        return f"jump to {part.name}"
    return f"{part.what} {part.name}".strip()


def _turned(old: Part, new: Part) -> str:
    if old.what == "contact":
        return f"contact {new.name}: {old.state} -> {new.state}"
    if old.what == "coil":
        return f"coil {new.name}: {_coil(old.state)} -> {_coil(new.state)}"
    return f"{new.name}: {old.state or 'plain'} -> {new.state or 'plain'}"


def _coil(state: str) -> str:
    return "plain" if state == "coil" else state.removesuffix(" coil")
