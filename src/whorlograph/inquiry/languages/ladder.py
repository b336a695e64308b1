"""Ladder's words (IEC 61131-3:2013, 8.2)."""

from __future__ import annotations

from whorlograph.engine.access import How, Use
from whorlograph.engine.code import Passing
from whorlograph.engine.scope.pin_values import calls_at, expression_at
from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Contact,
    ContactKind,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    Label,
    LadderBody,
    OutVariable,
    Return,
)
from whorlograph.model.program import Body, Pou, Program, written_name
from whorlograph.model.steps import Step

_CONTACTS = {ContactKind.NORMALLY_CLOSED: " (normally closed)", ContactKind.RISING: " (rising edge)", ContactKind.FALLING: " (falling edge)"}
_CONTACT_PAGES = {ContactKind.NORMALLY_OPEN: "contact", ContactKind.NORMALLY_CLOSED: "closed-contact"}
_COIL_PAGES = {CoilKind.PLAIN: "coil", CoilKind.NEGATED: "negated-coil", CoilKind.SET: "set-coil", CoilKind.RESET: "reset-coil"}
_SIGNS = {"GT": ">", "GE": ">=", "EQ": "=", "LE": "<=", "LT": "<", "NE": "<>"}


class Ladder:
    """Names of contacts, coils, blocks and jumps."""

    def role(self, step: Step, use: Use) -> str:
        """How an element uses a tag."""
        if use.how is How.SUBSCRIPT:
            return "subscript"
        element = _element(step, use.element)
        if isinstance(element, (Contact, Coil)):
            return str(element.kind)
        if isinstance(element, InVariable):
            return f"block input {_fed(step, use.element)}".strip()
        if isinstance(element, InOutVariable):
            return f"in-out {_fed(step, use.element)}".strip()
        if isinstance(element, OutVariable):
            return "block output"
        return "block" if use.how is How.BLOCK else "block input"

    def gate(self, step: Step, element: int, what: str, passing: Passing = ()) -> str:
        """What passes or stops power at an element, or at a pin of it."""
        found = _element(step, element)
        if isinstance(found, Contact):
            return found.variable + _CONTACTS.get(found.kind, "")
        if isinstance(found, Block):
            if found.instance:
                return f"{found.instance}.{what.removesuffix(' edge') or 'Q'}"
            return self._comparison(step, found)
        if isinstance(found, Coil):
            return f"the {'rise' if found.kind is CoilKind.RISING else 'fall'} that {found.variable} waits for"
        return getattr(found, "expression", "") or "a wire"

    def _comparison(self, step: Step, block: Block) -> str:
        """A function with its operands: ``Count >= 5``."""
        names = []
        for pin in block.inputs:
            if pin.name.upper() != "EN" and pin.wires:
                source = _element(step, pin.wires[0].source)
                names.append(getattr(source, "expression", "") or getattr(source, "type_name", "") or getattr(source, "variable", "?"))
        sign = _SIGNS.get(block.type_name.upper())
        return f" {sign} ".join(names) if sign else f"{written_name(block.type_name)}({', '.join(names)})"

    def powered(self, on: bool) -> str:
        """Power comes or not."""
        return "has power" if on else "has no power"

    def lacking(self) -> str:
        """Power does not come."""
        return "no power"

    def giving(self) -> str:
        """A contact lets power through."""
        return "would give power"

    def fell(self) -> str:
        """A contact opens."""
        return "opened"

    def off(self) -> str:
        """A coil without power."""
        return "off, no power"

    def wanted(self, said: str, on: bool) -> str:
        """A gate's words on a path that wants its tag on or off: a normally closed contact says it itself."""
        return said if on != said.endswith(_CONTACTS[ContactKind.NORMALLY_CLOSED]) else f"{said} negated"

    def enabled(self, name: str) -> str:
        """What decides whether a block is executed."""
        return f"EN of {name}"

    def writing(self, source: str, tag: str) -> str:
        """A block by its name."""
        return f"{source}, which writes {tag},"

    def block(self, step: Step, element: int, passing: Passing = ()) -> str:
        """A block: its instance, else the name of its function."""
        found = _element(step, element)
        return (found.instance or written_name(found.type_name)) if isinstance(found, Block) else ""

    def source(self, step: Step, element: int, passing: Passing = ()) -> str:
        """The block whose output an element takes."""
        found = _element(step, element)
        wires = found.wires if isinstance(found, (OutVariable, InOutVariable)) else ()
        return next((name for name in (self.block(step, w.source) for w in wires) if name), "")

    def value(self, step: Step, element: int, passing: Passing = ()) -> str:
        """What is wired to a pin, as it is written; "" of an expression, each of whose operands has a name of its own."""
        text = getattr(_element(step, element), "expression", "")
        return "" if expression_at(text, element) is not None else text

    def called(self, pou: Pou, program: Program) -> list[str]:
        """The types of the blocks that a body names."""
        elements = [e for r in pou.body.rungs for e in r.elements] if isinstance(pou.body, LadderBody) else []
        blocks = [e.type_name for e in elements if isinstance(e, Block)]
        return list(dict.fromkeys(map(written_name, [*blocks, *(p.called.base for p in calls_at(elements))])))

    def line(self, step: Step, element: int) -> int:
        """Rungs have none."""
        return 0

    def labels(self, body: Body) -> list[tuple[str, int]]:
        """Labels with the rungs they stand at; one that stands twice at the rung behind it."""
        if not isinstance(body, LadderBody):
            return []
        tops = [(min((e.y for e in r.elements), default=0), r.number) for r in body.rungs]
        found = sorted((e for e in body.elements if isinstance(e, Label)), key=lambda e: (e.y, e.x))
        return [(e.label, next((n for top, n in tops if top >= e.y), len(tops) + 1)) for e in found]

    def jumps(self, body: Body) -> list[tuple[str, int]]:
        """Jumps with their rungs."""
        rungs = body.rungs if isinstance(body, LadderBody) else ()
        return [(e.label, r.number) for r in rungs for e in r.elements if isinstance(e, Jump)]

    def areas(self, body: Body) -> list[tuple[str, int, int]]:
        """Areas by the comments above their first rungs."""
        rungs = body.rungs if isinstance(body, LadderBody) else ()
        heads = [r for r in rungs if r.comment]
        ends = [*(r.number - 1 for r in heads[1:]), len(rungs)]
        return [(head.comment, head.number, end) for head, end in zip(heads, ends, strict=False)]

    def explained(self, step: Step, element: int) -> str:
        """Under which word an element is explained."""
        found = _element(step, element)
        if isinstance(found, Contact):
            return _CONTACT_PAGES.get(found.kind, "edge-contact")
        if isinstance(found, Coil):
            return _COIL_PAGES.get(found.kind, "edge-coil")
        if isinstance(found, Block):
            return found.type_name.partition("_")[0] if "TRIG" not in found.type_name.upper() else found.type_name
        return "jump" if isinstance(found, Jump) else "return" if isinstance(found, Return) else ""

    def words(self, step: Step) -> list[str]:
        """All that can be read on a rung: comment, labels, tags, blocks, jumps."""
        found = [step.rung.comment, *step.rung.labels]
        for element in step.rung.elements:
            found += [getattr(element, name, "") for name in ("variable", "expression", "type_name", "instance", "label")]
        return [w for w in found if w]

    def condition(self, step: Step, element: int) -> str:
        """What the condition of a jump or return decides."""
        found = _element(step, element)
        body = step.instance.pou.body if step.instance.pou is not None else None
        if isinstance(found, Return):
            return "return condition"
        if not isinstance(found, Jump) or not isinstance(body, LadderBody):
            return ""
        to, number = body.targets.get(found.label.lower(), 0), step.rung.number
        over = f" (over {number + 1} to {to - 1})" if to > number + 1 else " (backwards)" if to <= number else ""
        return f"jump condition to {found.label}{over}"


def _element(step: Step, number: int) -> Element | None:
    return next((e for e in step.rung.elements if e.id == number), None)


def _fed(step: Step, number: int) -> str:
    """The block and pin that an element feeds directly."""
    for element in step.rung.elements:
        if isinstance(element, Block):
            for pin in (*element.inputs, *element.in_outs):
                if any(w.source == number for w in pin.wires):
                    return f"{element.instance or written_name(element.type_name)}.{pin.name}"
    return ""


class Diagram(Ladder):
    """Names of what a block diagram is made of: values go through it, no power."""

    def powered(self, on: bool) -> str:
        """A value is TRUE or FALSE."""
        return "is TRUE" if on else "is FALSE"

    def lacking(self) -> str:
        """It is FALSE, behind a colon."""
        return "FALSE"

    def giving(self) -> str:
        """A value makes another one TRUE."""
        return "would make it TRUE"

    def fell(self) -> str:
        """A value does not open."""
        return "became FALSE"

    def off(self) -> str:
        """What is FALSE."""
        return "off"


LADDER = Ladder()
DIAGRAM = Diagram()
