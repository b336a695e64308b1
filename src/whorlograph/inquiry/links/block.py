"""``block``: an output of a block; the block's inputs come next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.scope.rung_types import called_instance, output_pin
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.blocks import family as block_family
from whorlograph.model.ladder import Block, InOutVariable, OutVariable, Pin
from whorlograph.model.question import LinkKind
from whorlograph.model.tags import Instance, Leaf

from ..circuit import Circuit
from ..tracer import BUDGET, DEEPEST, Vantage
from ..trail import Link
from . import counter_short, not_met, timer_running
from .pins import inputs, pin_of, wire
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer, Writer


def written(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, change: bool) -> Link | None:
    """A tag that a block writes: through a variable wired to its output, or one of its own pins."""
    circuit, element = tracer.circuit(writer.step), writer.element
    if isinstance(element, (OutVariable, InOutVariable)):
        source = circuit.ids.get(element.wires[0].source)
        if isinstance(source, Block):
            return _through(tracer, tag, writer.step, source, output_pin(element.wires[0], source), scan, depth, change)

        on = bool(tracer.flow(writer.step, scan).power.get(element.id, False))
        if on:
            return powered(tracer, tag, writer.step, element.id, element.wires, scan, depth, LinkKind.RUNG_TRUE, change)
        return unpowered(tracer, tag, writer.step, element.id, element.wires, scan, depth)
    if isinstance(element, Block):
        called = called_instance(element, circuit.step.instance, tracer.running)
        name = next((n for n, r in called.scope.items() if r == Leaf(tag)), "") if called is not None else ""
        pin = next((p for p in element.inputs if p.name.lower() == name and p.wires), None)
        if pin is not None:
            return _fed(tracer, tag, writer.step, element, pin, scan, depth)
        return output_link(tracer, circuit, element, name.upper(), writer.step, scan, depth, change)
    return None


def _through(tracer: Tracer, tag: int, step: int, block: Block, pin: str, scan: int, depth: int, change: bool) -> Link | None:
    """A variable wired to a block's output: did the block execute, and what went in."""
    flow = tracer.flow(step, scan)
    enable = pin_of(block, "EN")
    value = tracer.value(tag, tracer.journal.settled(tag, scan))
    since = tracer.since(tag, tracer.view_of(step, scan + 1))
    if enable is not None and not flow.power.get(block.id, True):
        found = unpowered(tracer, tag, step, block.id, enable.wires, scan, depth, LinkKind.NEVER_SET,
                          f"{block.type_name}, which writes {tracer.name(tag)},")
        if found is not None:
            found.value = value
        return found
    text = f"{tracer.name(tag)} was written by {block.instance or block.type_name} in {tracer.place(step)} at {tracer.at(tracer.time(scan))}"
    found = Link(LinkKind.SET_BY, tag, value, since, step, scan, text, block.id)
    if enable is not None:
        child = powered(tracer, None, step, block.id, enable.wires, scan, depth + 1, LinkKind.RUNG_TRUE, change,
                        f"EN of {block.instance or block.type_name}")
        if child is not None and (child.children or child.roots):
            found.children.append(child)
    inputs(tracer, found, tracer.circuit(step), block, step, scan, depth, ("EN",))
    return found


def _fed(tracer: Tracer, tag: int, step: int, block: Block, pin: Pin, scan: int, depth: int) -> Link | None:
    """An input pin of an instance: what is wired to it."""
    enable = pin_of(block, "EN")
    if enable is not None and not tracer.flow(step, scan).power.get(block.id, True):
        kept = unpowered(tracer, tag, step, block.id, enable.wires, scan, depth, LinkKind.NEVER_SET,
                         f"{block.instance}, which takes {tracer.name(tag)} in,")
        if kept is not None:
            kept.value = tracer.value(tag, tracer.journal.settled(tag, scan))
        return kept
    if tracer.boolean(tag):
        value = bool(tracer.journal.settled(tag, scan))
        if value != pin.negated:
            fed = powered(tracer, tag, step, block.id, pin.wires, scan, depth, LinkKind.RUNG_TRUE, True)
        else:
            fed = unpowered(tracer, tag, step, block.id, pin.wires, scan, depth)
        if fed is not None:
            fed.value = value
        return fed
    text = f"{tracer.name(tag)} is what {tracer.place(step)} gives to {block.instance}"
    found = Link(LinkKind.BLOCK, tag, tracer.value(tag, tracer.journal.settled(tag, scan)), None, step, scan, text, block.id)
    wire(tracer, found, tracer.circuit(step), pin, step, scan, depth)
    return found


def output_link(tracer: Tracer, circuit: Circuit, block: Block, pin: str, step: int, scan: int, depth: int, change: bool) -> Link | None:
    """Why a block's output is as it is."""
    tracer.spent += 1
    if tracer.spent > BUDGET or depth > DEEPEST:
        return None
    called = called_instance(block, circuit.step.instance, tracer.running)
    flow = tracer.flow(step, scan)
    if called is not None and called.pou is not None and block.instance:
        ref = called.scope.get(pin.lower())
        if isinstance(ref, Leaf):
            return tracer.explain(ref.tag, Vantage(scan), change, depth)
        return None
    if called is not None and called.type_name in STANDARD_BLOCKS:
        name = block_family(called.type_name)
        if name in ("TON", "TOF", "TP"):
            return timer_running.link(tracer, block, called, name, step, scan, depth, change)
        if name in ("CTU", "CTD", "CTUD"):
            return counter_short.link(tracer, block, called, name, pin, step, scan, depth)
        return _bistable(tracer, block, called, name, step, scan, depth, change)
    if block.type_name.upper() in COMPARISONS:
        return not_met.link(tracer, circuit, block, step, scan, depth, change)
    value = flow.out.get((block.id, pin), False)
    text = f"{block.type_name} in {tracer.place(step)} gives {tracer.state_word(value)}"
    found = Link(LinkKind.BLOCK, None, value, None, step, scan, text, block.id)
    enable = pin_of(block, "EN")
    if enable is not None and not flow.power.get(block.id, True):
        child = unpowered(tracer, None, step, block.id, enable.wires, scan, depth + 1, what=f"EN of {block.type_name}")
        if child is not None:
            found.children.append(child)
    else:
        inputs(tracer, found, circuit, block, step, scan, depth, ("EN",))
    return found


def _bistable(tracer: Tracer, block: Block, called: Instance, name: str, step: int, scan: int, depth: int, change: bool) -> Link | None:
    """SR, RS, R_TRIG, F_TRIG: the input that decided, at the instant it did."""
    output = called.scope.get("q1", called.scope.get("q"))
    if not isinstance(output, Leaf):
        return None
    done = tracer.paths.done(tracer.journal, step, scan)
    row = tracer.journal.last_row(output.tag, done)
    value = bool(tracer.journal.value_at(output.tag, done))
    since = tracer.journal.time(row) if row is not None else None
    label = block.instance
    if name in ("R_TRIG", "F_TRIG"):
        clock = pin_of(block, "CLK")
        text = f"{label} sees no {'rise' if name == 'R_TRIG' else 'fall'} in {tracer.place(step)}" if not value else f"{label} saw an edge"
        found = Link(LinkKind.BLOCK, output.tag, value, since, step, scan, text, block.id)
        if clock is not None:
            on = tracer.circuit(step).complete(clock.wires, tracer.flow(step, scan))
            child = powered(tracer, None, step, block.id, clock.wires, scan, depth + 1, LinkKind.RUNG_TRUE, change, f"CLK of {label}") if on \
                else unpowered(tracer, None, step, block.id, clock.wires, scan, depth + 1, what=f"CLK of {label}")
            if child is not None:
                found.children.append(child)
        return found
    at_scan = tracer.scan_of(row) if row is not None else scan
    setter, resetter = pin_of(block, "S1", "S"), pin_of(block, "R", "R1")
    state = "set" if value else ("reset" if row is not None else "never set")
    when = f" at {tracer.at(since)}" if since is not None else ""
    found = Link(LinkKind.BLOCK, output.tag, value, since, step, scan, f"{label} in {tracer.place(step)} was {state}{when}", block.id)
    decided = setter if value else resetter if row is not None else None
    if decided is not None:
        child = powered(tracer, None, step, block.id, decided.wires, at_scan, depth + 1, LinkKind.RUNG_TRUE, True,
                        f"{decided.name} of {label}")
        if child is not None:
            found.children.append(child)
    missing = resetter if value else setter
    if missing is not None and not change:
        child = unpowered(tracer, None, step, block.id, missing.wires, scan, depth + 1, what=f"{missing.name} of {label}")
        if child is not None and child.blockers:
            found.children.append(child)
    return found
