"""A number that several steps of a scan add up: what stood before, and which of them were not executed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Load
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from ..languages import words_of
from ..trail import Link
from ..writers import Kind, Writer
from . import passes
from .rung_false import unpowered

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 3


def add(tracer: Tracer, link: Link, tag: int, writer: Writer, seen: Seen, depth: int, change: bool) -> None:
    """Add to the link of a written number the write of the same scan that it was computed from, and the writes that did not follow.

    A write that did not follow counts where it was executed the scan before; where there is none, and in a state, where it adds to the number.
    """
    earlier = tracer.journal.last_row(tag, seen.position) if _adds(tracer, tag, writer, seen) else None
    if earlier is not None and tracer.journal.step(earlier) not in (-1, writer.step) and tracer.scan_of(earlier) == seen.scan:
        child: Link | None = tracer.change(earlier, depth + 1, view=tracer.view_of(writer.step, seen.scan))
        if child is not None:
            link.children.append(child)
    missing = _left_out(tracer, tag, writer, seen.scan)
    lost = [w for w in missing if executed(tracer, w, seen.scan - 1)] if change else []
    adding = [w for w in missing if _adds(tracer, tag, w, tracer.seen(w.step, seen.scan))]
    for other in (lost or adding)[:MOST]:
        words, step = words_of(tracer.steps.all[other.step]), tracer.steps.all[other.step]
        source, before = words.source(step, other.element, tracer.passing(other.step, other.at)), " (executed the scan before)" if lost else ""
        there = tracer.seen(other.step, seen.scan)
        if passes.in_loop(tracer, other):
            child = passes.left_out(tracer, other, there, source + before, depth + 1, bool(lost))
        else:
            what = words.enabled(source) + before
            last = tracer.seen(other.step, seen.scan - 1) if lost else None
            child = unpowered(tracer, None, other.step, other.element, other.guard, seen.scan, depth + 1, LinkKind.NEVER_SET, what, before=last)
        if child is not None:
            link.children.append(child)


def _left_out(tracer: Tracer, tag: int, writer: Writer, scan: int) -> list[Writer]:
    """The writers behind one that were not executed, up to the next that was."""
    found: list[Writer] = []
    writers = [w for w in tracer.writers.get(tag, ()) if w.kind is Kind.VALUE and w.bit < 0]
    for other in writers[writers.index(writer) + 1:] if writer in writers else ():
        if other.step == writer.step and not (set(writer.guards) <= set(other.guards) or _adds(tracer, tag, other, tracer.seen(other.step, scan))):
            continue  # it comes in its place, not behind it
        if tracer.paths.skipped(tracer.journal, other.step, scan) is not None or _alternative(tracer, writer, other):
            continue
        if executed(tracer, other, scan):
            break
        if other.guard is not None:
            found.append(other)
    return found


def _alternative(tracer: Tracer, writer: Writer, other: Writer) -> bool:
    """Whether two writes are alternatives of one statement: that one is executed says already that the other is not."""
    if writer.step != other.step or writer.guard is None or other.guard is None:
        return False
    circuit = tracer.circuit(writer.step)
    return all(circuit.exclude(a, b) for a in circuit.paths(writer.guard) for b in circuit.paths(other.guard))


def executed(tracer: Tracer, writer: Writer, scan: int) -> bool:
    """Whether a write was executed in a scan."""
    return scan > 0 and tracer.paths.skipped(tracer.journal, writer.step, scan) is None \
        and writer.at in tracer.seen(writer.step, scan).result.stored


def _adds(tracer: Tracer, tag: int, writer: Writer, seen: Seen) -> bool:
    """Whether a write is computed from its tag's own value; of one that was not executed what it would read is not known otherwise."""
    target = getattr(tracer.written.nodes(writer.step).get(writer.at, (None, ()))[0], "target", None)
    loads = [one for one in tracer.circuit(writer.step).loads(writer.value) if isinstance(one, Load)]
    return any(cell.number == tag if (cell := tracer.cell(one, seen)) is not None else one.target == target for one in loads)
