"""``overwritten``: one step gave the wanted value, a later one of the same scan the other."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.ladder import CoilKind
from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link, Root
from . import rung_false, rung_true

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage, Writer


def link(tracer: Tracer, tag: int, running: list[Writer], view: Vantage, depth: int) -> Link | None:
    """The coil that had power, and the later one that took it away again; None where no coil had."""
    last = running[-1]
    for writer in running[:-1]:
        if writer.step == last.step or writer.kind is None:
            continue
        flow = tracer.flow(writer.step, tracer.ran(writer.step, view))
        if flow.power.get(writer.element.id, False) == (writer.kind is CoilKind.NEGATED):
            continue
        scan = tracer.ran(last.step, view)
        text = (f"{tracer.name(tag)} is switched on by {tracer.place(writer.step)} and off again by "
                f"{tracer.place(last.step)} in the same scan: two coils for one tag")
        root = Root(RootKind.PROGRAM, tag, False, None, text, f"bring {tracer.place(writer.step)} and {tracer.place(last.step)} together",
                    step=last.step)
        found = Link(LinkKind.OVERWRITTEN, tag, False, tracer.since(tag, view), last.step, scan, text, last.element.id, roots=[root])
        taker = rung_true if last.kind is CoilKind.NEGATED else rung_false
        below = taker.stands(tracer, tag, last, scan, depth + 1)
        if below is not None:
            found.children.append(below)
        return found
    return None
