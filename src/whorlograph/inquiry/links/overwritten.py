"""``overwritten``: one step gave the wanted value, a later one of the same scan the other."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link, Root
from ..writers import Kind, Writer
from . import rung_false, rung_true

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, running: list[Writer], view: Vantage, depth: int) -> Link | None:
    """The coil that had power, and the later one that took it away again; None where no coil had.

    What an instruction leaves for the next is written again and again as it should be.
    """
    last = running[-1]
    if tag in tracer.results:
        return None
    for writer in running[:-1]:
        if tracer.ran(writer.step, view) != tracer.ran(last.step, view) or _read_between(tracer, tag, writer, last):
            continue
        seen = tracer.seen(writer.step, tracer.ran(writer.step, view))
        if writer.step == last.step or writer.kind is not Kind.COIL or not seen.result.stored.get(writer.at, False):
            continue
        scan = tracer.ran(last.step, view)
        text = (f"{tracer.name(tag)} is switched on by {tracer.place(writer.step)} and off again by "
                f"{tracer.place(last.step)} in the same scan: two coils for one tag")
        root = Root(RootKind.PROGRAM, tag, False, None, text, f"bring {tracer.place(writer.step)} and {tracer.place(last.step)} together",
                    step=last.step, defect=True)
        since = tracer.since_done(tag, tracer.seen(last.step, scan))
        found = Link(LinkKind.OVERWRITTEN, tag, False, since, last.step, scan, text, last.element, roots=[root])
        taker = rung_true if last.inverted else rung_false
        below = taker.stands(tracer, tag, last, scan, depth + 1)
        if below is not None:
            found.children.append(below)
        return found
    return None


def _read_between(tracer: Tracer, tag: int, writer: Writer, last: Writer) -> bool:
    """Whether a tag of the program's own is read between two steps that write it: then each write serves what follows it, and none is lost."""
    address, order = tracer.tag(tag).address, tracer.paths.order
    if address is not None and address.area == "Q":
        return False
    low, high = int(order[writer.step]), int(order[last.step])
    return any(not use.writes and low < int(order[use.step]) < high for use in tracer.controller.access.of_tag(tag))
