"""Gates on a path: when they changed, how they are called, and why they stand as they do."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.power import Flow
from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.model.ladder import Block, ContactKind, InOutVariable, InVariable
from whorlograph.model.tags import Leaf

from ..circuit import Circuit, Gate
from ..pulses import last_change
from ..trail import Link
from .field_input import input_root

if TYPE_CHECKING:
    from ..tracer import Tracer


def gate_tag(tracer: Tracer, circuit: Circuit, gate: Gate, flow: Flow) -> int | None:
    """The tag a gate depends on: a contact's, or a block's output pin."""
    if gate.element in flow.tags and not gate.pin:
        return flow.tags[gate.element]
    element = circuit.ids.get(gate.element)
    if isinstance(element, Block):
        called = called_instance(element, circuit.step.instance, tracer.running)
        ref = called.scope.get(gate.pin.lower()) if called is not None and element.instance else None
        if isinstance(ref, Leaf):
            return ref.tag
    return None


def gate_time(tracer: Tracer, circuit: Circuit, gate: Gate, flow: Flow) -> tuple[int, int]:
    """(scan and step, row) of a gate's last change before the rung saw it; (0, -1) where it never changed."""
    tag = gate_tag(tracer, circuit, gate, flow)
    if tag is None:
        return 0, -1
    position = flow.position if not gate.pin else tracer.paths.done(tracer.journal, flow.step.index, flow.scan)
    row = tracer.journal.last_row(tag, position)
    if row is None:
        return 0, -1
    return _exact_time(tracer, tag, row), row


def _exact_time(tracer: Tracer, tag: int, row: int) -> int:
    """When a change happened: an input's by the log, another's by its scan's clock."""
    clock = tracer.journal.time(row)
    if tracer.journal.step(row) < 0 and tag in tracer.logged:
        found = last_change(tracer.log, tag, clock)
        if found is not None:
            return found[0]
    return clock


def gate_words(tracer: Tracer, circuit: Circuit, gate: Gate, flow: Flow) -> str:
    """A gate as a person calls it: the tag, or the block and its pin."""
    contact = circuit.contact(gate)
    if contact is not None:
        extra = {ContactKind.NORMALLY_CLOSED: " (normally closed)", ContactKind.RISING: " (rising edge)",
                 ContactKind.FALLING: " (falling edge)"}
        return contact.variable + extra.get(contact.kind, "")
    element = circuit.ids.get(gate.element)
    if isinstance(element, Block):
        return f"{element.instance or element.type_name}.{gate.pin}" if element.instance else comparison_words(circuit, element)
    if isinstance(element, (InVariable, InOutVariable)):
        return element.expression
    return "a wire"


def comparison_words(circuit: Circuit, block: Block) -> str:
    """A function with its operands: ``Count >= 5``."""
    signs = {"GT": ">", "GE": ">=", "EQ": "=", "LE": "<=", "LT": "<", "NE": "<>"}
    names = []
    for pin in block.inputs:
        if pin.name.upper() == "EN" or not pin.wires:
            continue
        source = circuit.ids.get(pin.wires[0].source)
        names.append(getattr(source, "expression", "") or getattr(source, "type_name", "?"))
    sign = signs.get(block.type_name.upper())
    return f" {sign} ".join(names) if sign else f"{block.type_name}({', '.join(names)})"


def explain_gate(tracer: Tracer, link: Link, circuit: Circuit, gate: Gate, flow: Flow, depth: int, change: bool) -> None:
    """Add to a link why a gate stands as it does: a child link, or the roots at its end."""
    step, scan = flow.step.index, flow.scan
    element = circuit.ids.get(gate.element)
    tag = gate_tag(tracer, circuit, gate, flow)
    if isinstance(element, Block) and gate.pin:
        child = tracer.output(circuit, element, gate.pin, step, scan, depth + 1, change)
        if child is not None:
            link.children.append(child)
        return
    if tag is None:
        return
    if not tracer.writers.get(tag):
        root = input_root(tracer, tag, flow.position)
        root.changed = change
        root.step = step
        link.roots.append(root)
        return
    child = tracer.explain(tag, tracer.view_of(step, scan), change, depth + 1)
    if child is not None:
        link.children.append(child)


