"""Which link of a trail holds."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.scope.overlap import shared_bits
from whorlograph.model.ladder import Block, Coil, CoilKind
from whorlograph.model.question import LinkKind

from ..trail import Link
from . import block, halted, never_set, overwritten, reset_by, rung_false, rung_true, set_by, skipped
from .field_input import input_link, not_run_yet
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage, Writer


def change_link(tracer: Tracer, row: int, depth: int) -> Link | None:
    """The link for a change: what made it."""
    journal = tracer.journal
    tag, step, moment = journal.tag(row), journal.step(row), journal.moment(row)
    scan = moment.scan
    fault = journal.fault
    if fault is not None and scan == fault.scan and moment.step == fault.number + 1:
        return halted.link(tracer, tag, scan)
    if step < 0:
        return input_link(tracer, tag, row + 1)
    value = bool(journal.raw(row))
    writer = _writer_in(tracer, tag, step, value)
    if writer is None:
        other = _shared_row(tracer, row)
        return tracer.change(other, depth + 1) if other is not None else None
    if writer.kind is CoilKind.SET:
        return set_by.link(tracer, tag, writer, scan, depth)
    if writer.kind is CoilKind.RESET:
        return reset_by.link(tracer, tag, writer, scan, depth)
    if writer.kind is None:
        return block.written(tracer, tag, writer, scan, depth, change=True)
    if value != (writer.kind is CoilKind.NEGATED):
        return rung_true.changed(tracer, tag, writer, scan, depth)
    return rung_false.changed(tracer, tag, writer, scan, depth)


def state_link(tracer: Tracer, tag: int, view: Vantage, depth: int) -> Link | None:
    """The link for a state: what keeps it."""
    writers = tracer.writers.get(tag, [])
    journal = tracer.journal
    if not writers:
        return input_link(tracer, tag, tracer.position(view))
    if journal.fault is not None and view.scan > journal.fault.scan:
        return halted.link(tracer, tag, view.scan)
    row = journal.last_row(tag, tracer.position(view))
    stopped = [w for w in writers if _stopped(tracer, w, view)]
    if stopped and len(stopped) == len(writers):
        return skipped.link(tracer, tag, stopped[-1], view.scan, depth)
    if row is None and all(tracer.ran(w.step, view) <= 0 for w in writers):
        return not_run_yet(tracer, tag, view)
    if not tracer.boolean(tag):
        writer = _writer_in(tracer, tag, journal.step(row), True) if row is not None else None
        chosen = writer or writers[-1]
        if isinstance(chosen.element, Coil):
            return _bit(tracer, tag, chosen, tracer.scan_of(row) if writer is not None and row is not None else tracer.ran(chosen.step, view), depth)
        return block.written(tracer, tag, chosen, tracer.scan_of(row) if writer is not None and row is not None
                             else tracer.ran(chosen.step, view), depth, change=writer is not None)
    value = bool(tracer.raw(tag, view))
    plain = [w for w in writers if w.kind not in (CoilKind.SET, CoilKind.RESET)]
    if plain:
        running = [w for w in plain if tracer.paths.skipped(journal, w.step, tracer.ran(w.step, view)) is None]
        last = running[-1] if running else plain[-1]
        if not running:
            return skipped.link(tracer, tag, last, tracer.ran(last.step, view), depth)
        scan = tracer.ran(last.step, view)
        if not value and len(running) > 1:
            found = overwritten.link(tracer, tag, running, view, depth)
            if found is not None:
                return found
        if last.kind is None:
            return block.written(tracer, tag, last, scan, depth, change=False)
        if value != (last.kind is CoilKind.NEGATED):
            return rung_true.stands(tracer, tag, last, scan, depth)
        return rung_false.stands(tracer, tag, last, scan, depth)
    kept = _writer_in(tracer, tag, journal.step(row), value) if row is not None else None
    setters = [w for w in writers if w.kind is CoilKind.SET]
    resetters = [w for w in writers if w.kind is CoilKind.RESET]
    if value and kept is not None and row is not None:
        return set_by.link(tracer, tag, kept, tracer.scan_of(row), depth, view, resetters)
    if value:
        return never_set.link(tracer, tag, resetters, view, depth, LinkKind.NEVER_SET) if resetters else \
            input_link(tracer, tag, tracer.position(view))
    if kept is not None and row is not None:
        return reset_by.link(tracer, tag, kept, tracer.scan_of(row), depth, view, setters)
    return never_set.link(tracer, tag, setters, view, depth, LinkKind.NEVER_SET) if setters else \
        input_link(tracer, tag, tracer.position(view))


def _stopped(tracer: Tracer, writer: Writer, view: Vantage) -> bool:
    """Whether the task of a writer does not come: it is held, has not run for two of its intervals, or would write something else by now."""
    number = tracer.paths.task_of(writer.step)
    if number < 0:
        return False
    journal, task = tracer.journal, tracer.controller.schedule.tasks[number]
    last = journal.run_scan(number, view.scan)
    if last == view.scan:
        return False
    if journal.held_at(number, view.scan) or last == 0:
        return True
    if not task.periodic:
        return False  # an event that does not come is looked for where it should come from
    interval = journal.settled(task.interval_tag, last) * task.unit if task.interval_tag is not None else task.interval or 0
    if journal.clock.start(view.scan) - journal.clock.start(last) > 2 * max(interval, tracer.controller.scan_time):
        return True
    seen, now = tracer.flow(writer.step, view.scan), tracer.power.now(journal, tracer.steps.all[writer.step], view.scan)
    return seen.power.get(writer.element.id) != now.power.get(writer.element.id)


def _bit(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """A number one of whose bits a coil writes: the coil's rung."""
    coil = writer.element
    assert isinstance(coil, Coil)
    what = f"{coil.variable} of {tracer.name(tag)}"
    if tracer.flow(writer.step, scan).power.get(coil.id, False):
        found = powered(tracer, None, writer.step, coil.id, coil.wires, scan, depth, LinkKind.RUNG_TRUE, False, what)
    else:
        found = unpowered(tracer, None, writer.step, coil.id, coil.wires, scan, depth, what=what)
    if found is not None:
        found.tag, found.value = tag, tracer.value(tag, tracer.journal.settled(tag, scan))
    return found


def _writer_in(tracer: Tracer, tag: int, step: int, value: bool) -> Writer | None:
    """The element of a step that gave a tag this value."""
    here = [w for w in tracer.writers.get(tag, []) if w.step == step]
    wanted = CoilKind.SET if value else CoilKind.RESET
    fitting = [w for w in here if w.kind is wanted] or [w for w in here if w.kind not in (CoilKind.SET, CoilKind.RESET)]
    blocks = [w for w in fitting if isinstance(w.element, Block)]
    coils = [w for w in fitting if not isinstance(w.element, Block)]
    return (coils or blocks or here or [None])[-1]  # type: ignore[list-item]


def _shared_row(tracer: Tracer, row: int) -> int | None:
    """The row of the same step whose write changed this tag too, because they share bits."""
    journal = tracer.journal
    shares = shared_bits(tracer.running.tags[:tracer.running.public], tracer.controller.profile.addressing)
    near = {s.other for s in shares.get(journal.tag(row), ())}
    for other in range(row - 1, max(-1, row - 40), -1):
        if journal.key(other) != journal.key(row):
            return None
        if journal.tag(other) in near:
            return other
    return None


class Choice:
    """The links as the tracer is handed them."""

    change = staticmethod(change_link)
    state = staticmethod(state_link)
    output = staticmethod(block.output_link)
