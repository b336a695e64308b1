"""A block that remembers what nobody sees: without a log it is taken to stand as what is seen needs it (ANSWERS.md, Without a log)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.blocks import COUNTERS, TIMERS
from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind

from ..now import given_root
from ..trail import Link
from ..writers import BlockCall
from .block_pins import is_fed, pin_off

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, call: BlockCall, label: str, output: int, scan: int, depth: int) -> Link:
    """How it is taken to stand, and which of its inputs would turn it."""
    assert tracer.now is not None
    tag, raw = next((t, tracer.now.assumed[t]) for t in call.tags.values() if t in tracer.now.assumed)
    value = tracer.value(output, tracer.journal.value_at(output, tracer.seen(call.step, scan).after))
    if call.kind in TIMERS:
        state, turning = "still running", ""
    elif call.kind in COUNTERS:
        down = "LD" in call.tags and "R" not in call.tags
        state, turning = f"standing at {raw}", ("LD" if down else "R") if value else ("CD" if down else "CU")
    else:
        state, turning = ("set", "R" if "R" in call.tags else "R1") if raw else ("reset", "S1" if "S1" in call.tags else "S")
    text = f"{label} in {tracer.place(call.step)} is taken as {state}, so that what is seen stands"
    if call.kind in TIMERS:
        preset = duration_text(tracer.journal.value_at(call.tags["PT"], tracer.seen(call.step, scan).after))
        text += f"; where that has lasted longer than its {preset}, what is seen is wrong, or what lies behind the output"
    found = Link(LinkKind.BLOCK, output, value, None, call.step, scan, text, call.element, roots=[given_root(tracer, tag, raw)])
    child = pin_off(tracer, call, turning, label, scan, depth + 1) if turning and is_fed(tracer, call, turning) else None
    if child is not None and (child.blockers or turning not in call.pins):
        found.children.append(child)
    return found
