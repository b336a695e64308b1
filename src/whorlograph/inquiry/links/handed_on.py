"""Values that are handed on from place to place under one condition: shift registers and queues in arrays. Where one came from, told in one line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from whorlograph.engine.code import Load
from whorlograph.model.literals import times_text
from whorlograph.model.question import LinkKind

from ..languages import words_of
from ..trail import Link
from ..writers import Kind, Writer
from .latest import latest
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 200  # places


class Hop(Struct, frozen=True):
    """A write that handed a value on to a tag, in a scan."""

    tag: int
    writer: Writer
    scan: int


def hops(tracer: Tracer, tag: int, writer: Writer, scan: int) -> list[Hop]:
    """The writes by which a value came to a tag, the last one first; the first of all, at the end, computed it, or took it from elsewhere.

    Empty where a write is none that hands on what was written under the same condition before.
    """
    found = [Hop(tag, writer, scan)]
    while len(found) < MOST:
        before = _before(tracer, found[-1])
        if before is None or before in found:
            break
        found.append(before)
    return found if len(found) > 1 else []


def _before(tracer: Tracer, hop: Hop) -> Hop | None:
    """The write under the same condition that gave what a write hands on; None where it does not, or something else gave it."""
    writer = hop.writer
    load = tracer.circuit(writer.step).plain(writer.value)
    if writer.kind is not Kind.VALUE or writer.guard is None or writer.bit >= 0 or not isinstance(load, Load):
        return None
    seen = tracer.seen(writer.step, hop.scan)
    cell = seen.result.cells.get(load.at)
    target = seen.result.cells.get(writer.at)
    if target is None or target.number != hop.tag or cell is None or cell.bit >= 0 or cell.number == hop.tag:
        return None
    if tracer.wrote_before(cell.number, load.at, seen) is not None:
        return None
    writers = tracer.writers.get(cell.number, ())
    given = latest(tracer, cell.number, writers, tracer.view_at(cell.number, load.at, seen)) if len(writers) <= MOST else None
    return Hop(cell.number, *given) if given is not None and _alike(tracer, writer, hop.scan, *given) else None


def _alike(tracer: Tracer, one: Writer, scan: int, other: Writer, before: int) -> bool:
    """Whether two writes stand in one statement, or hang on the same tags."""
    return one.step == other.step or (other.guard is not None and _decided_by(tracer, one, scan) == _decided_by(tracer, other, before))


def _decided_by(tracer: Tracer, writer: Writer, scan: int) -> set[int]:
    circuit, seen = tracer.circuit(writer.step), tracer.seen(writer.step, scan)
    cells = [tracer.cell(one, seen) for one in circuit.loads(writer.guard) if isinstance(one, Load)]
    return {cell.number for cell in cells if cell is not None}


def link(tracer: Tracer, way: list[Hop], depth: int) -> Link:
    """The link of the tag that a value came to last, with what gave it to the first place, and what let it be handed on last."""
    last, first = way[0], way[-1]
    writer, seen = last.writer, tracer.seen(last.writer.step, last.scan)
    value = tracer.value(last.tag, tracer.journal.value_at(last.tag, seen.after))
    place = tracer.place(writer.step, writer.element)
    text = f"{tracer.name(last.tag)} was given {tracer.name(way[1].tag)} ({tracer.state_word(value, last.tag)}) in {place} at " \
           f"{tracer.at(tracer.time(last.scan))}"
    if len(way) > 2:
        text += f"; that came from {tracer.name(first.tag)}, handed on {times_text(len(way) - 1)} from {tracer.at(tracer.time(way[-2].scan))} on"
    kind = LinkKind.SET_BY if value is not False else LinkKind.RESET_BY
    found = Link(kind, last.tag, value, tracer.since_done(last.tag, seen), writer.step, last.scan, text, writer.element)
    origin = tracer.links.gave(tracer, first.tag, first.writer, first.scan, depth + 1, -1)
    if origin is not None:
        origin.text += f"; that was at {tracer.at(tracer.time(first.scan))}"
        found.children.append(origin)
        for root in origin.all_roots():
            root.changed = root.since is not None
    source = words_of(tracer.steps.all[writer.step]).source(tracer.steps.all[writer.step], writer.element, tracer.passing(writer.step, writer.at))
    let = powered(tracer, None, writer.step, writer.element, writer.guard, last.scan, depth + 1, LinkKind.RUNG_TRUE, False,
                  words_of(tracer.steps.all[writer.step]).enabled(source))
    if let is not None and (let.children or let.roots):
        found.children.append(let)
    return found
