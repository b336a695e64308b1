"""Of a value in a branch that is not taken: that it would be the same if it were, and what lacks for the other one."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Load
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.blocks import TIMERS
from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import BlockCall, Kind, Writer
from .block import label_of
from .block_pins import pin_off, pin_on
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def add(tracer: Tracer, found: Link, tag: int, writer: Writer, seen: Seen, depth: int) -> None:
    """Of a BOOL that keeps its value because a condition does not hold: that it would be given the same if it did, and why."""
    would = seen.result.would.get(writer.at)
    if writer.value is None or isinstance(writer.value, Const) or not tracer.boolean(tag) or would is None or bool(would) != found.value:
        return
    what = f"what {tracer.name(tag)} would be given there"
    block = _block_there(tracer, writer, seen) if not would else None
    child = _not_given(tracer, block, seen, depth + 1) if block is not None else \
        powered(tracer, None, writer.step, writer.element, writer.value, seen.scan, depth + 1, LinkKind.RUNG_TRUE, False, what) if would else \
        unpowered(tracer, None, writer.step, writer.element, writer.value, seen.scan, depth + 1, what=what)
    if child is not None and (child.roots or child.children):
        found.children.append(child)


def _block_there(tracer: Tracer, writer: Writer, seen: Seen) -> BlockCall | None:
    """The timer or counter whose output a writer hands on, where its step executes it under the writer's own condition."""
    load = tracer.circuit(writer.step).behind(writer.value)
    cell = tracer.cell(load, seen) if isinstance(load, Load) else None
    for other in tracer.writers.get(cell.number, ()) if cell is not None and cell.bit < 0 else ():
        call = tracer.written.block(other.step, other.at) if other.kind is Kind.BLOCK and other.step == writer.step else None
        if call is not None and (call.kind in TIMERS or call.kind == "CTU") and set(call.guards) <= set(writer.guards):
            return call
    return None


def _not_given(tracer: Tracer, call: BlockCall, seen: Seen, depth: int) -> Link | None:
    """Why a timer or a counter that is not executed would not come on if it were: its reset, else what starts or counts it."""
    label = label_of(tracer, call.step, call.element, call.at)
    circuit, starts = tracer.circuit(call.step), "IN" if call.kind in TIMERS else "CU"
    if "R" in call.pins and circuit.complete(call.pins["R"], seen.result):
        return pin_on(tracer, call, "R", label, seen.scan, depth, change=False)
    off = starts in call.pins and not circuit.complete(call.pins[starts], seen.result)
    return pin_off(tracer, call, starts, label, seen.scan, depth) if off else None
