"""Ladder's words (IEC 61131-3:2013, 8.2)."""

from __future__ import annotations

from whorlograph.engine.access import How, Use
from whorlograph.model.ladder import Block, Coil, Contact, Element, InOutVariable, InVariable, Jump, LadderBody, OutVariable, Return
from whorlograph.model.steps import Step


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
                    return f"{element.instance or element.type_name}.{pin.name}"
    return ""


LADDER = Ladder()
