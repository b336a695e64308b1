"""Pins of blocks: by name, and why what is wired to them has its value."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.power import Flow
from whorlograph.engine.scope.rung_types import output_pin
from whorlograph.model.ladder import Block, InOutVariable, InVariable, Pin
from whorlograph.model.literals import literal
from whorlograph.model.question import RootKind

from ..circuit import Circuit
from ..trail import Link, Root
from .field_input import input_root

if TYPE_CHECKING:
    from ..tracer import Tracer


def pin_of(block: Block, *names: str) -> Pin | None:
    """A block's input pin by one of its names, if it is wired."""
    return next((p for p in block.inputs if p.name.upper() in names and p.wires), None)


def inputs(tracer: Tracer, link: Link, circuit: Circuit, block: Block, step: int, scan: int, depth: int, without: tuple[str, ...]) -> None:
    """Add why what is wired to a block's inputs has its value."""
    for pin in block.inputs:
        if pin.name.upper() not in without and pin.wires:
            wire(tracer, link, circuit, pin, step, scan, depth)


def wire(tracer: Tracer, link: Link, circuit: Circuit, pin: Pin, step: int, scan: int, depth: int) -> None:
    """Add why what is wired to a pin has its value."""
    source = circuit.ids.get(pin.wires[0].source)
    flow: Flow = tracer.flow(step, scan)
    if isinstance(source, (InVariable, InOutVariable)):
        tag = flow.tags.get(source.id)
        if tag is None:
            read = literal(source.expression)
            if read is not None:
                link.roots.append(Root(RootKind.CONSTANT, None, source.expression, None, f"{source.expression} is written in {tracer.place(step)}",
                                       f"see {tracer.place(step)}", step=step))
            return
        if not tracer.writers.get(tag):
            link.roots.append(input_root(tracer, tag, flow.position))
            return
        child = tracer.explain(tag, tracer.view_of(step, scan), True, depth + 1)
        if child is not None:
            link.children.append(child)
    elif isinstance(source, Block):
        child = tracer.output(circuit, source, output_pin(pin.wires[0], source), step, scan, depth + 1, False)
        if child is not None:
            link.children.append(child)
