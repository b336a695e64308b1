"""Which link of a trail holds."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from ..generators import runs_at
from ..now import given_link, given_root
from ..tracer import DEEPEST, LAST, Vantage
from ..trail import Link
from ..would_be import would_give
from ..writers import Kind, Writer
from . import (
    behind,
    block,
    edge,
    frozen,
    generator,
    halted,
    holds_itself,
    modes,
    never_set,
    not_met,
    overwritten,
    preempted,
    reset_by,
    rung_false,
    rung_true,
    set_by,
    shifted,
    skipped,
    standing_reset,
    step_inactive,
    taken,
    tallied,
    turned,
    written,
)
from .field_input import input_link, not_run_yet
from .gates import gate_tag
from .handed_as_it_is import is_asked_for
from .latest import given_again, written_again
from .task_idle import add_trigger

if TYPE_CHECKING:
    from ..tracer import Tracer


def change_link(tracer: Tracer, row: int, depth: int, bit: int = -1, view: Vantage | None = None) -> Link | None:
    """The link for a change: what made it, as it was seen in a view (None: at its scan's end)."""
    journal = tracer.journal
    tag, step, moment = journal.tag(row), journal.step(row), journal.moment(row)
    scan = moment.scan
    if depth and step >= 0 and tracer.boolean(tag) and runs_at(tracer, tag, scan, change=True):
        return generator.link(tracer, tag, Vantage(scan), depth + 1)
    fault = journal.fault
    if fault is not None and scan == fault.scan and moment.step == fault.number + 1:
        return halted.link(tracer, tag, scan, depth)
    if step < 0:
        return input_link(tracer, tag, row + 1)
    if tag in tracer.charts:
        of_chart = step_inactive.change(tracer, tracer.charts[tag], tag, row, depth)
        if of_chart is not None:
            return of_chart
    value = bool(journal.raw(row) >> max(0, bit) & 1) if bit >= 0 else bool(journal.raw(row))
    if tracer.boolean(tag) or bit >= 0:
        found = turned.link(tracer, tag, row, value, view, depth, bit)
        if found is not None:
            if not value and found.kind is LinkKind.RUNG_FALSE and is_asked_for(tracer, depth):
                writer = _writer_in(tracer, tag, found.step, found.scan, value, bit)
                if writer is not None and writer.kind is Kind.COIL:
                    modes.add_left_out_before(tracer, found, writer, found.scan, depth)
            return found
    return row_link(tracer, row, value, depth, bit, view)


def row_link(tracer: Tracer, row: int, value: bool, depth: int, bit: int, view: Vantage | None = None) -> Link | None:
    """The link for what the step of a row wrote there; of a number what gave the same once more before a view."""
    tag, step, scan = tracer.journal.tag(row), tracer.journal.step(row), tracer.scan_of(row)
    writer = _writer_in(tracer, tag, step, scan, value, bit)
    if writer is not None and view is not None and bit < 0 and not tracer.boolean(tag):
        writer = given_again(tracer, tag, row, writer, view)
    if writer is None:
        other = _shared_row(tracer, row, bit)
        return tracer.change(other[0], depth + 1, other[1]) if other is not None else None
    return preempted.around(tracer, tag, writer, scan, written.link(tracer, tag, writer, scan, value, depth, bit), depth)


def in_between_link(tracer: Tracer, tag: int, writer: Writer, seen: Seen, depth: int, change: bool) -> Link | None:
    """The link for what a step gave a tag and took away again before it was done: its value and time stand in no row."""
    tracer.spent += 1
    key = (tag, seen.step, seen.scan, writer.at)
    if key in tracer.open or tracer.spent > tracer.most or depth > DEEPEST:
        return None
    tracer.open.add(key)
    try:
        value = bool(seen.result.stored.get(writer.at))
        if change or writer.kind is Kind.BLOCK or writer.bit >= 0 or not tracer.boolean(tag):
            found = written.link(tracer, tag, writer, seen.scan, value, depth)
        elif writer.kind is Kind.COIL:
            stands = rung_true.stands if value != writer.inverted else rung_false.stands
            found = stands(tracer, tag, writer, seen.scan, depth)
        else:
            found = behind.wrote(tracer, tag, writer, seen.scan, value, depth)
    finally:
        tracer.open.discard(key)
    if found is not None:
        found.tag = found.value = found.since = None
    return found


def gave_link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, bit: int) -> Link | None:
    """The link for what a write gave, of a word one bit; of one that its step wrote again value and time stand in no row."""
    tracer.spent += 1
    if tracer.spent > tracer.most or depth > DEEPEST:
        return None
    if writer.bit >= 0:
        found = written.bit_link(tracer, tag, writer, scan, depth, change=False)
    elif writer.kind in (Kind.SET, Kind.RESET):
        found = behind.wrote(tracer, tag, writer, scan, writer.kind is Kind.SET, depth)
    else:
        found = taken.link(tracer, tag, writer, scan, depth, change=False, bit=bit)
    if found is not None and tracer.wrote_before(tag, LAST, tracer.seen(writer.step, scan)) != writer:
        found.tag = found.value = found.since = None
    return found


def state_link(tracer: Tracer, tag: int, view: Vantage, depth: int, bit: int = -1) -> Link | None:
    """The link for a state: what keeps it."""
    writers = [w for w in tracer.writers.get(tag, []) if w.bit < 0 or bit < 0 or w.bit == bit]
    journal = tracer.journal
    if tracer.now is not None and tag in tracer.now.turned:
        return given_link(tracer, tag, tracer.raw(tag, view))
    if depth and writers and tracer.boolean(tag) and runs_at(tracer, tag, view.scan):
        # What lets it come keeps nothing off; but a chart that goes round elsewhere does not come here.
        lets = tracer.raw(tag, view) or tag in tracer.charts
        return generator.link(tracer, tag, view, depth + 1 if lets else None)
    if not writers:
        return _other_name(tracer, tag, view, depth, bit) or input_link(tracer, tag, tracer.position(view), bit)
    if journal.fault is not None and view.scan > journal.fault.scan:
        return halted.link(tracer, tag, view.scan, depth)
    row = tracer.last_row(tag, tracer.position(view), bit)
    of_chart = step_inactive.state(tracer, tracer.charts[tag], tag, view, depth) if tag in tracer.charts else None
    if of_chart is not None:
        return of_chart
    stopped = [w for w in writers if _stopped(tracer, w, view)]
    if stopped and len(stopped) == len(writers):
        idle = skipped.link(tracer, tag, stopped[-1], view.scan, depth)
        if idle is not None and stopped[-1].kind is Kind.COIL:
            skipped.add_same(tracer, idle, tag, stopped[-1], bool(tracer.raw(tag, view)), view, depth)
        return idle
    if row is None and all(tracer.ran(w.step, view) <= 0 for w in writers):
        return not_run_yet(tracer, tag, view)
    if not tracer.boolean(tag):
        if row is None and tracer.now is not None and (tag in tracer.now.given or tag in tracer.now.assumed):
            return given_link(tracer, tag, tracer.raw(tag, view))
        brought = shifted.brought(tracer, tag, view, bit) if bit >= 0 else None
        if brought is not None:
            return gave_link(tracer, tag, *brought, depth, bit)
        again = written_again(tracer, tag, view) if bit < 0 else None
        if again is not None:
            return taken.link(tracer, tag, *again, depth, change=True)
        writer = _writer_in(tracer, tag, journal.step(row), tracer.scan_of(row), True, bit) if row is not None else None
        if writer is not None and row is not None and bit < 0:
            writer = given_again(tracer, tag, row, writer, view)
        chosen = writer or next((w for w in reversed(writers) if tallied.executed(tracer, w, tracer.ran(w.step, view))), writers[-1])
        scan = tracer.scan_of(row) if writer is not None and row is not None else tracer.ran(chosen.step, view)
        if frozen.left_out(tracer, chosen, view) and (writer is None or (writer.guard is None and frozen.keeps(tracer, tag, view))):
            return skipped.link(tracer, tag, chosen, tracer.ran(chosen.step, view), depth)
        if chosen.bit >= 0:
            return _bit_stands(tracer, tag, chosen, scan, view, depth, [w for w in writers if w.bit == chosen.bit])
        stands = taken.link(tracer, tag, chosen, scan, depth, change=writer is not None, bit=bit)
        if stands is not None and bit >= 0 and writer is not None:
            _add_not_written(tracer, stands, tag, view, depth, bit)
        return stands
    value = bool(tracer.raw(tag, view))
    under = behind.conditional(writers)
    plain = [w for w in writers if w not in under]
    if plain:
        held = _held(tracer, tag, plain, value, view, depth)
        return (behind.link(tracer, tag, under, value, view, depth, held) if under or tag in tracer.external else None) or held
    kept = _writer_in(tracer, tag, journal.step(row), tracer.scan_of(row), value, bit) if row is not None else None
    if any(w.kind is Kind.VALUE for w in writers):
        found = behind.link(tracer, tag, under, value, view, depth, None) or behind.stands(tracer, tag, under, kept, row, value, view, depth)
        goes_on = kept is not None and kept.kind is Kind.VALUE and tallied.executed(tracer, kept, tracer.ran(kept.step, view))
        if found is not None and value and kept is not None and goes_on:
            holds_itself.add_start(tracer, found, tag, kept, view, depth)
        return found or _held(tracer, tag, writers, value, view, depth)
    setters = [w for w in writers if w.kind is Kind.SET]
    resetters = [w for w in writers if w.kind is Kind.RESET]
    if value and kept is not None and not resetters:
        return never_set.no_reset(tracer, tag, set_by.link(tracer, tag, kept, tracer.scan_of(row or 0), depth), setters[-1])
    if value and kept is not None and row is not None:
        return _let_set(tracer, set_by.link(tracer, tag, kept, tracer.scan_of(row), depth, view, resetters), tag, row, depth, bit)
    if value:
        found = never_set.link(tracer, tag, resetters, view, depth, LinkKind.NEVER_SET) if resetters else None
        if found is not None and tracer.now is not None:
            found.roots.insert(0, given_root(tracer, tag, 1))
        return found or input_link(tracer, tag, tracer.position(view))
    dominated = reset_by.dominates(tracer, tag, setters, resetters, view, depth)
    if dominated is not None:
        return dominated
    if kept is None and not setters:
        return input_link(tracer, tag, tracer.position(view))
    off = reset_by.link(tracer, tag, kept, tracer.scan_of(row), depth, view, setters) if kept is not None and row is not None else \
        never_set.link(tracer, tag, setters, view, depth, LinkKind.NEVER_SET)
    if off is not None:
        standing_reset.of_latch(tracer, off, tag, setters, resetters, view, depth)
    return off


def _bit_stands(tracer: Tracer, tag: int, writer: Writer, scan: int, view: Vantage, depth: int, writers: list[Writer]) -> Link | None:
    """What keeps a bit of a number: of a coil what its path looks like now; of a latch what wrote it in a scan, and what would end that."""
    ran = tracer.ran(writer.step, view)
    if writer.kind is Kind.COIL and tallied.executed(tracer, writer, ran):
        found = written.bit_link(tracer, tag, writer, ran, depth, change=False)
        if found is not None and found.kind is LinkKind.RUNG_TRUE:
            holds_itself.add_start(tracer, found, tag, writer, view, depth)
        return found
    row = tracer.last_row(tag, tracer.position(view), writer.bit)
    wrote = writer.kind not in (Kind.SET, Kind.RESET) or (row is not None and tracer.journal.step(row) >= 0)
    found = written.bit_link(tracer, tag, writer, scan, depth) if wrote else None
    ends = Kind.RESET if tracer.raw(tag, view) >> writer.bit & 1 else Kind.SET
    other = next((w for w in reversed(writers) if w.kind is ends and w is not writer), None)
    child = written.bit_link(tracer, tag, other, tracer.ran(other.step, view), depth + bool(found), change=False) if other is not None else None
    if child is not None and child.kind is LinkKind.RUNG_FALSE:
        child.kind = LinkKind.NEVER_SET
        if found is None:
            return child
        found.children.append(child)
    return found or written.bit_link(tracer, tag, writer, scan, depth)


def _other_name(tracer: Tracer, tag: int, view: Vantage, depth: int, bit: int) -> Link | None:
    """For a tag that nothing writes under its own name: what is written under one that shares its bits."""
    for share in tracer.again.shares.get(tag, ()):
        if tracer.writers.get(share.other) and (bit < 0 or share.mine <= bit < share.mine + share.width):
            theirs = share.theirs + max(0, bit - share.mine) if not tracer.boolean(share.other) else -1
            found = tracer.explain(share.other, view, True, depth + 1, theirs)
            if found is not None and theirs >= 0:
                _add_not_written(tracer, found, share.other, view, depth, theirs)
            return found
    return None


def _add_not_written(tracer: Tracer, found: Link, tag: int, view: Vantage, depth: int, bit: int) -> None:
    """Of a bit of a number that stands: the writes under a condition that would turn it, if that held."""
    value = tracer.raw(tag, view) >> bit & 1
    for writer in tracer.writers.get(tag, ()):
        scan = tracer.ran(writer.step, view)
        told = any(one.kind is LinkKind.NEVER_SET and one.step == writer.step for _, one in found.walk())
        would = would_give(tracer, writer, view.scan) if writer.bit < 0 and not told else None
        if isinstance(would, int) and would >> bit & 1 != value:
            child = taken.link(tracer, tag, writer, scan, depth + 1, change=False, bit=bit)
            if child is not None:
                child.mark_missing()
                found.children.append(child)


def _held(tracer: Tracer, tag: int, plain: list[Writer], value: bool, view: Vantage, depth: int) -> Link | None:
    """What keeps a BOOL that is written in every evaluation: the last of those that ran."""
    come = [w for w in plain if tracer.ran(w.step, view) > 0]
    if not come:
        return not_run_yet(tracer, tag, view)
    plain = come
    running = [w for w in plain if tracer.paths.skipped(tracer.journal, w.step, tracer.ran(w.step, view)) is None]
    running.sort(key=lambda w: (tracer.ran(w.step, view), *tracer.written.turn(w)))  # amid a scan, those behind ran in the one before
    while len(running) > 1 and (_gave_otherwise(tracer, running[-1], value, view) or _only_holds(tracer, tag, running[-1], value, view)):
        running.pop()
    last = running[-1] if running else plain[-1]
    if not running:
        kept = skipped.link(tracer, tag, last, tracer.ran(last.step, view), depth)
        if kept is not None and last.kind is Kind.COIL:
            skipped.add_same(tracer, kept, tag, last, value, view, depth)
        return kept
    scan = tracer.ran(last.step, view)
    if not value and len(running) > 1:
        found = overwritten.link(tracer, tag, running, view, depth)
        if found is not None:
            return found
    if last.kind is not Kind.COIL:
        return taken.link(tracer, tag, last, scan, depth, change=False)
    if value != last.inverted:
        found = rung_true.stands(tracer, tag, last, scan, depth)
        if found is not None and value:
            holds_itself.add_start(tracer, found, tag, last, view, depth)
            _add_event(tracer, found, tag, last, view, depth)
            modes.add_resumed(tracer, found, tag, last, view, depth)
            modes.add_running(tracer, found, last, view, depth)
            row = tracer.last_row(tag, tracer.position(view)) if is_asked_for(tracer, depth) else None
            if row is not None and tracer.journal.step(row) == last.step and all(c.kind is not LinkKind.RESUMED for c in found.children):
                modes.add_left_out_before(tracer, found, last, tracer.scan_of(row), depth, on=True)
        if found is not None:
            modes.add_others(tracer, found, tag, [w for w in plain if w not in running], value, view, depth)
        return found
    found = rung_false.stands(tracer, tag, last, scan, depth)
    if found is not None and not (found.children or found.roots):
        modes.add_running(tracer, found, last, view, depth)
    if found is not None:
        modes.add_others(tracer, found, tag, [w for w in plain if w not in running], value, view, depth)
    if found is not None and depth and not value:
        holds_itself.add_drop(tracer, found, tag, last, view, depth)
    return found


def _gave_otherwise(tracer: Tracer, writer: Writer, value: bool, view: Vantage) -> bool:
    """Whether a coil wrote something else in the scan that counts: a task's run there came behind what looks at the tag."""
    stored = tracer.seen(writer.step, tracer.ran(writer.step, view)).result.stored.get(writer.at)
    return writer.kind is Kind.COIL and stored is not None and bool(stored) != value


def _only_holds(tracer: Tracer, tag: int, writer: Writer, value: bool, view: Vantage) -> bool:
    """Whether a coil only keeps its tag as an earlier step of the scan left it: the tag stands in every path to it, or alone completes one."""
    if writer.kind is not Kind.COIL or writer.power is None or writer.inverted:
        return False
    circuit, seen = tracer.circuit(writer.step), tracer.seen(writer.step, tracer.ran(writer.step, view))
    if bool(tracer.journal.value_at(tag, seen.position)) != value:
        return False
    ways = circuit.complete(writer.power, seen.result) if value else circuit.paths(writer.power)
    mine = [[g for g in path if not g.negated and gate_tag(tracer, g, seen) == tag] for path in ways]
    return bool(mine) and all(len(own) == len(path) if value else own for own, path in zip(mine, ways, strict=True))


def _let_set(tracer: Tracer, found: Link | None, tag: int, row: int, depth: int, bit: int) -> Link | None:
    """Of a latch whose set coil had power before already: the reset that let go in the scan in which it turned, before what sets it."""
    let = turned.link(tracer, tag, row, True, None, depth + 1, bit) if found is not None else None
    if found is not None and let is not None and let.kind is LinkKind.RUNG_FALSE and let.step >= 0:
        for root in found.all_roots():
            root.changed = False
        found.children.insert(0, let)
    return found


def _add_event(tracer: Tracer, found: Link, tag: int, last: Writer, view: Vantage, depth: int) -> None:
    """Of something that an event's task switched on: the event."""
    number = tracer.paths.task_of(last.step)
    single = tracer.controller.schedule.tasks[number].single if number >= 0 else None
    row = tracer.last_row(tag, tracer.position(view))
    step = tracer.journal.step(row) if row is not None else -1
    if single is None or row is None or step < 0 or tracer.paths.task_of(step) != number:
        return
    if all(r.tag != single for r in found.all_roots()):
        add_trigger(tracer, found, single, Vantage(tracer.scan_of(row)), depth, change=not any(r.changed for r in found.all_roots()))


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
    if task.periodic:
        interval = journal.settled(task.interval_tag, last) * task.unit if task.interval_tag is not None else task.interval or 0
        if journal.clock.start(view.scan) - journal.clock.start(last) > 2 * max(interval, tracer.controller.scan_time):
            return True
    now = tracer.again.now(journal, writer.step, view.scan)
    return tracer.seen(writer.step, view.scan).result.stored.get(writer.at) != now.stored.get(writer.at)


def _writer_in(tracer: Tracer, tag: int, step: int, scan: int, value: bool, bit: int) -> Writer | None:
    """What gave a tag its value in a step: of those that were executed then the last; None where no step did."""
    if step < 0:
        return None
    here = [w for w in tracer.writers.get(tag, []) if w.step == step and (w.bit < 0 or bit < 0 or w.bit == bit)]
    done = tracer.seen(step, scan).result.stored
    executed = [w for w in here if w.at in done or w.kind is Kind.BLOCK]
    unfit = Kind.RESET if value else Kind.SET
    fitting = [w for w in executed if w.kind is not unfit] or executed or here
    stores = [w for w in fitting if w.kind is not Kind.BLOCK]
    return max(stores or fitting, key=lambda w: w.at, default=None)


def _shared_row(tracer: Tracer, row: int, bit: int) -> tuple[int, int] | None:
    """The row of the same step whose write changed this tag too, because they share bits, and which bit of that it is: -1 the whole."""
    journal = tracer.journal
    near = {s.other: s for s in tracer.again.shares.get(journal.tag(row), ()) if bit < 0 or s.mine <= bit < s.mine + s.width}
    for other in range(row - 1, max(-1, row - 40), -1):
        if journal.key(other) != journal.key(row):
            return None
        share = near.get(journal.tag(other))
        if share is not None:
            one = bit >= 0 or tracer.boolean(journal.tag(row))
            return other, share.theirs + max(0, bit - share.mine) if one and not tracer.boolean(share.other) else -1
    return None


class Choice:
    """The links as the tracer is handed them."""

    change = staticmethod(change_link)
    row = staticmethod(row_link)
    state = staticmethod(state_link)
    in_between = staticmethod(in_between_link)
    gave = staticmethod(gave_link)
    output = staticmethod(block.output_in)
    edge = staticmethod(edge.link)
    kept = staticmethod(block.kept)
    compared = staticmethod(not_met.link)
    computed = staticmethod(block.function)
