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
    """The coil that had power, and the later one that took it away again; None where no coil had."""
    last = running[-1]
    writer = _switched_on_before(tracer, tag, running, view)
    if writer is None:
        return None
    scan = tracer.ran(last.step, view)
    text = _words(tracer, tag, writer, last)
    since = tracer.since_done(tag, tracer.seen(last.step, scan))
    root = _root(tracer, tag, writer, last, text, True)
    found = Link(LinkKind.OVERWRITTEN, tag, False, since, last.step, scan, text, last.element, roots=[root])
    taker = rung_true if last.inverted else rung_false
    below = taker.stands(tracer, tag, last, scan, depth + 1)
    if below is not None:
        found.children.append(below)
    return found


def around(tracer: Tracer, tag: int, last: Writer, view: Vantage, inner: Link | None) -> Link | None:
    """The link of a drop, under the coil that has power all the same, where there is one: what dropped it comes first, then that."""
    scan = tracer.ran(last.step, view)
    if inner is None or last.kind is not Kind.COIL:
        return inner
    running = [w for w in tracer.writers.get(tag, ()) if w.kind is Kind.COIL and w.step != last.step and tracer.ran(w.step, view) == scan
               and tracer.paths.skipped(tracer.journal, w.step, scan) is None and tracer.written.turn(w) < tracer.written.turn(last)]
    writer = _switched_on_before(tracer, tag, [*running, last], view)
    if writer is None:
        return inner
    text = _words(tracer, tag, writer, last)
    root = _root(tracer, tag, writer, last, text, False)
    return Link(LinkKind.OVERWRITTEN, tag, False, inner.since, last.step, scan, text, last.element, children=[inner], roots=[root])


def _switched_on_before(tracer: Tracer, tag: int, running: list[Writer], view: Vantage) -> Writer | None:
    """The first coil that switched a tag on in the scan in which the last of some wrote it; None where none did, or what it wrote was used.

    What an instruction leaves for the next is written again and again as it should be.
    """
    last = running[-1]
    if tag in tracer.results:
        return None
    for writer in running[:-1]:
        if tracer.ran(writer.step, view) != tracer.ran(last.step, view) or _read_between(tracer, tag, writer, last):
            continue
        seen = tracer.seen(writer.step, tracer.ran(writer.step, view))
        if writer.step != last.step and writer.kind is Kind.COIL and seen.result.stored.get(writer.at, False):
            return writer
    return None


def _words(tracer: Tracer, tag: int, writer: Writer, last: Writer) -> str:
    return (f"{tracer.name(tag)} is switched on by {tracer.place(writer.step)} and off again by "
            f"{tracer.place(last.step)} in the same scan: two coils for one tag")


def _root(tracer: Tracer, tag: int, writer: Writer, last: Writer, text: str, alone: bool) -> Root:
    """Two coils of one tag. Args: alone: that explains why the tag is off."""
    what = f"bring {tracer.place(writer.step)} and {tracer.place(last.step)} together"
    return Root(RootKind.PROGRAM, tag, False, None, text, what, step=last.step, defect=alone)


def _read_between(tracer: Tracer, tag: int, writer: Writer, last: Writer) -> bool:
    """Whether a tag of the program's own is read between two steps that write it: then each write serves what follows it, and none is lost."""
    address, order = tracer.tag(tag).address, tracer.paths.order
    if address is not None and address.area == "Q":
        return False
    low, high = int(order[writer.step]), int(order[last.step])
    return any(not use.writes and low < int(order[use.step]) < high for use in tracer.controller.access.of_tag(tag))
