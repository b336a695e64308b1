"""``not-met``: a comparison does not hold; traced to the writes that would meet it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.ladder import Block, InVariable, OutVariable
from whorlograph.model.literals import literal
from whorlograph.model.question import LinkKind

from ..circuit import Circuit
from ..tracer import Vantage
from ..trail import Link
from .gates import comparison_words
from .pins import inputs, pin_of
from .rung_false import unpowered
from .skipped import link as skipped_link

if TYPE_CHECKING:
    from ..tracer import Tracer, Writer


def link(tracer: Tracer, circuit: Circuit, block: Block, step: int, scan: int, depth: int, change: bool) -> Link | None:
    """A comparison with its operands' values, and who would have to change them."""
    flow = tracer.flow(step, scan)
    enable = pin_of(block, "EN")
    if enable is not None and not flow.power.get(block.id, True):
        return unpowered(tracer, None, step, block.id, enable.wires, scan, depth, what=f"EN of {block.type_name}")
    held = bool(flow.out.get((block.id, "OUT"), False))
    values = [f"{source.expression} is {flow.out.get((source.id, ''), '?')}" for source in _operands(circuit, block)]
    text = f"{comparison_words(circuit, block)} {'holds' if held else 'does not hold'} in {tracer.place(step)}"
    text += f" ({', '.join(values)})" if values else ""
    found = Link(LinkKind.NOT_MET if not held else LinkKind.BLOCK, None, held, None, step, scan, text, block.id)
    if not held and not change:
        for tag, wanted in _wanted(circuit, block, flow.tags):
            for writer in tracer.writers.get(tag, [])[:12]:
                if _gives(tracer, writer, wanted):
                    child = _why_not_written(tracer, tag, writer, scan, depth)
                    if child is not None:
                        found.children.append(child)
    if not found.children:
        inputs(tracer, found, circuit, block, step, scan, depth, ("EN",))
    return found


def _operands(circuit: Circuit, block: Block) -> list[InVariable]:
    """The operands that are no literals."""
    found = [circuit.ids.get(pin.wires[0].source) for pin in block.inputs if pin.wires and pin.name.upper() != "EN"]
    return [e for e in found if isinstance(e, InVariable) and literal(e.expression) is None]


def _wanted(circuit: Circuit, block: Block, tags: dict[int, int]) -> list[tuple[int, int]]:
    """(tag, number it should have) where a tag is compared for equality with a literal."""
    if block.type_name.upper() not in ("EQ", "GE", "LE"):
        return []
    tag, number = None, None
    for pin in block.inputs:
        source = circuit.ids.get(pin.wires[0].source) if pin.wires else None
        if isinstance(source, InVariable):
            read = literal(source.expression)
            if read is not None and isinstance(read[1], int):
                number = int(read[1])
            elif source.id in tags:
                tag = tags[source.id]
    return [(tag, number)] if tag is not None and number is not None else []


def _gives(tracer: Tracer, writer: Writer, wanted: int) -> bool:
    """Whether a writer moves just that number into its tag."""
    element = writer.element
    if not isinstance(element, OutVariable):
        return False
    circuit = tracer.circuit(writer.step)
    source = circuit.ids.get(element.wires[0].source)
    if not isinstance(source, Block) or source.type_name.upper() != "MOVE":
        return False
    pin = next((p for p in source.inputs if p.name.upper() != "EN" and p.wires), None)
    value = circuit.ids.get(pin.wires[0].source) if pin is not None else None
    read = literal(value.expression) if isinstance(value, InVariable) else None
    return read is not None and read[1] == wanted


def _why_not_written(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:

    at_scan = tracer.ran(writer.step, Vantage(scan))
    if tracer.paths.skipped(tracer.journal, writer.step, at_scan) is not None:
        return skipped_link(tracer, tag, writer, at_scan, depth + 1)
    circuit = tracer.circuit(writer.step)
    source = circuit.ids[writer.element.wires[0].source]  # type: ignore[attr-defined]
    enable = pin_of(source, "EN") if isinstance(source, Block) else None
    if enable is None or not isinstance(source, Block):
        return None
    tracer.coils.append(tag)
    try:
        return unpowered(tracer, tag, writer.step, source.id, enable.wires, at_scan, depth + 1, LinkKind.NEVER_SET,
                         f"the step that would write {tracer.name(tag)}")
    finally:
        tracer.coils.pop()
