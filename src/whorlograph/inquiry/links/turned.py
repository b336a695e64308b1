"""Only what changed is a cause of a change: which of several writers decided, and what of it was not so before (ANSWERS.md, Dropped out)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from whorlograph.model.question import LinkKind

from ..tracer import DEEPEST, LAST, Vantage
from ..trail import Link
from ..writers import Kind, Writer
from . import overwritten, passes, preempted, resumed, skipped, written
from .gates import elements_of, explain_gate, gate_tag
from .rung_false import first_out, opened_words

if TYPE_CHECKING:
    from ..tracer import Tracer


class Write(Struct, frozen=True):
    """A node wrote a value in a scan."""

    writer: Writer
    scan: int
    value: bool


def last_write(tracer: Tracer, tag: int, view: Vantage, bit: int) -> Write | None:
    """Of all that was written in one evaluation of each step before a view: what was written last; None where nothing was."""
    found: tuple[tuple[int, ...], Write] | None = None
    for writer in tracer.writers.get(tag, ()):
        if writer.kind is Kind.BLOCK or (bit >= 0 and writer.bit not in (bit, -1)):
            continue
        scan = tracer.ran(writer.step, view)
        if scan <= 0 or tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
            continue
        value = tracer.stored(tag, writer, tracer.seen(writer.step, scan))
        if value is None:
            continue
        if bit >= 0 and writer.bit < 0:
            value = int(value) >> bit & 1
        key = (scan, *tracer.written.turn(writer))
        if found is None or key > found[0]:
            found = key, Write(writer, scan, bool(value))
    return found[1] if found is not None else None


def link(tracer: Tracer, tag: int, row: int, value: bool, view: Vantage | None, depth: int, bit: int) -> Link | None:
    """What made a tag turn in a row; None where that is not decided by coils and latches of one scan."""
    writers = tracer.writers.get(tag, ())
    if depth > DEEPEST or any(w.kind is Kind.BLOCK for w in writers):
        return None
    scan, order = tracer.scan_of(row), view.order if view is not None else LAST
    if tracer.paths.order[tracer.journal.step(row)] >= order:
        scan += 1  # seen in the next scan
    now = last_write(tracer, tag, Vantage(scan, order), bit)
    if now is None or now.value != value:
        return None
    if now.scan <= 1:  # nothing was before; of several that wrote the same in the first scan the last counts
        return written.link(tracer, tag, now.writer, now.scan, value, depth, bit) if now.writer.step != tracer.journal.step(row) else None
    former = tracer.former(now.writer.step, now.scan)
    skip = tracer.paths.skipped(tracer.journal, now.writer.step, former) if former > 0 else None
    if skip is not None:
        return resumed.link(tracer, tag, now.writer, now.scan, value, skip, depth)
    was = tracer.seen(now.writer.step, former).result.stored.get(now.writer.at)
    if was is None or bool(was if bit < 0 or now.writer.bit >= 0 else int(was) >> bit & 1) != value:
        earlier = _held_itself(tracer, tag, now, former, bit)
        if earlier is not None:  # it only held what an earlier rung of the same scan gave or took away
            here = tracer.view_of(now.writer.step, now.scan)
            return link(tracer, tag, earlier, value, here, depth + 1, bit) or tracer.links.row(tracer, earlier, value, depth, bit)
        made = written.link(tracer, tag, now.writer, now.scan, value, depth, bit)
        if not value and bit < 0:
            made = overwritten.around(tracer, tag, now.writer, Vantage(scan, order), made)
        return preempted.around(tracer, tag, now.writer, now.scan, made, depth)
    before = last_write(tracer, tag, Vantage(scan - 1, order), bit)
    if before is None or before.value == value:
        return None
    return _let_go(tracer, tag, before.writer, tracer.ran(before.writer.step, Vantage(scan, order)), value, now.writer, depth)


def _held_itself(tracer: Tracer, tag: int, now: Write, former: int, bit: int) -> int | None:
    """The row in which the tag turned before a coil whose power it is itself; None where something else turned the coil."""
    power = now.writer.power
    if now.writer.kind is not Kind.COIL or power is None or now.writer.inverted:
        return None
    seen, before = tracer.seen(now.writer.step, now.scan), tracer.seen(now.writer.step, former)
    if now.value:
        circuit = tracer.circuit(now.writer.step)
        ways = [[g for g in path if not circuit.passes(g, before.result)] for path in circuit.complete(power, seen.result)]
    else:
        ways = [first_out(tracer, power, seen, before)]
    row = tracer.last_row(tag, seen.position, bit)
    if row is None or tracer.scan_of(row) != now.scan or not ways or not all(ways):
        return None
    if any(gate_tag(tracer, g, seen) != tag for gates in ways for g in gates):
        return None
    return row if tracer.journal.step(row) != now.writer.step and tracer.journal.step(row) >= 0 else None


def _let_go(tracer: Tracer, tag: int, writer: Writer, scan: int, value: bool, other: Writer, depth: int) -> Link | None:
    """The step that used to write last does not any more: it is not evaluated, or its condition is gone; so the other one counts."""
    if tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
        return skipped.link(tracer, tag, writer, scan, depth, change=True)
    power = writer.power if writer.kind in (Kind.SET, Kind.RESET) else writer.guard
    if power is None:
        return None
    now = tracer.seen(writer.step, scan)
    lost = first_out(tracer, power, now, tracer.seen(writer.step, tracer.former(writer.step, scan)))
    if not lost:
        now, lost = passes.no_more(tracer, writer, now, tracer.former(writer.step, scan))
    if not lost:
        return None
    time, since = tracer.time(scan), tracer.since_done(tag, now)
    went = f"went {tracer.state_word(value, tag)} at" if since == time else f"is {tracer.state_word(value, tag)} from"
    text = (f"{tracer.name(tag)} {went} {tracer.at(time)}{'' if since == time else ' on'}: {tracer.place(writer.step, writer.element)} let go ("
            f"{opened_words(tracer, lost, now)}), so {tracer.place(other.step, other.element)} counts, which writes {tracer.state_word(value, tag)}")
    found = Link(LinkKind.RUNG_FALSE, tag, value, since, writer.step, scan, text, writer.element, elements_of(tracer, lost, writer.step))
    for gate in lost[:3]:
        explain_gate(tracer, found, gate, now, depth, change=True)
    return found
