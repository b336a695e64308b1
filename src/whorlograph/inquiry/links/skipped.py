"""``held-by-jump`` and ``not-called``: the step that would write did not run."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr
from whorlograph.engine.path import SkipKind
from whorlograph.engine.runs import TaskRuns
from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind
from whorlograph.model.steps import PathFlag

from ..languages import words_of
from ..tracer import Vantage
from ..trail import Link, Root
from ..writers import Writer
from . import halted
from .gates import elements_of, explain_gate
from .rung_false import first_out, unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """Why the step that writes a tag did not run, and what decided that."""
    skip = tracer.paths.skipped(tracer.journal, writer.step, scan)
    if skip is None:
        return None
    if skip.kind is SkipKind.HALTED:
        return halted.link(tracer, tag, scan)
    if skip.task >= 0:
        return _idle(tracer, tag, writer, scan, skip.task)
    value = tracer.value(tag, tracer.journal.settled(tag, scan))
    since, stands = tracer.paths.skipped_since(tracer.journal, writer.step, scan), tracer.since(tag, Vantage(scan))
    word = tracer.state_word(value)
    if skip.flag is None:
        pou = tracer.steps.all[writer.step].pou
        text = f"{tracer.name(tag)} stays {word}: nobody calls {pou}, so {tracer.place(writer.step)} never runs"
        root = Root(RootKind.PROGRAM, tag, value, None, text, f"find out where {pou} should be called", step=writer.step, defect=True)
        return Link(LinkKind.NOT_CALLED, tag, value, stands, writer.step, scan, text, writer.element, roots=[root])
    where = tracer.place(skip.flag.step)
    ran = tracer.paths.last_run(tracer.journal, writer.step, scan) > 0
    start = f"since {tracer.at(since)}" if ran else "from the start"
    element, power = skip.flag.element, tracer.written.flag_power(skip.flag.step, skip.flag.element)
    if skip.kind is SkipKind.NOT_CALLED:
        text = f"{tracer.name(tag)} keeps its value {word}: {tracer.place(writer.step)} has not been called {start}, see {where}"
        found = Link(LinkKind.NOT_CALLED, tag, value, stands, writer.step, scan, text, writer.element)
        if power is not None:
            _call_off(tracer, found, power, skip.flag, scan, depth, change=ran)
        return found
    verb = "jumps over" if skip.kind is SkipKind.JUMP else "returns before"
    text = f"{tracer.name(tag)} keeps its value {word}: {where} {verb} {tracer.place(writer.step)} {start}"
    found = Link(LinkKind.HELD_BY_JUMP, tag, value, stands, writer.step, scan, text, writer.element)
    if power is not None:
        taken = tracer.journal.last_row(skip.flag.number, tracer.journal.settled_position(scan))
        at_scan = tracer.scan_of(taken) if taken is not None else scan
        child = powered(tracer, None, skip.flag.step, element, power, at_scan, depth + 1, LinkKind.RUNG_TRUE, True,
                        f"the {skip.kind} in {where}")
        if child is not None:
            child.text = child.text.replace(f" has power in {where}", " is taken", 1)
            found.children.append(child)
    return found


def _idle(tracer: Tracer, tag: int, writer: Writer, scan: int, number: int) -> Link:
    """The task of the step that writes the tag has not run: held, never due, or not yet."""
    journal, task = tracer.journal, tracer.controller.schedule.tasks[number]
    value, last = tracer.value(tag, journal.settled(tag, scan)), journal.run_scan(number, scan)
    word, since = tracer.state_word(value), journal.clock.start(last) if last else None
    stands = tracer.since(tag, Vantage(scan))
    ran = f"ran last at {tracer.at(since)}" if last else "has not run"
    held = next((h for h in reversed(journal.held) if h.task == number and h.scan <= scan), None)
    if held is not None and held.on:
        text = f"{tracer.name(tag)} keeps its value {word}: task {task.name} is held since {tracer.at(journal.clock.start(held.scan))} and {ran}"
        runs, now = journal.tasks.get(number, TaskRuns()), journal.clock.start(scan)
        waiting = runs.waiting_at(now)
        if waiting is not None:
            missed = int(((runs.missed > waiting) & (runs.missed <= now)).sum())
            text += f"; a run waits since {tracer.at(waiting)}" + (f", {missed} more came in vain" if missed else "")
        root = Root(RootKind.PROGRAM, tag, value, since, text, f"see which rung holds {task.name}, and what should release it", step=writer.step)
        return Link(LinkKind.TASK_HELD, tag, value, stands, writer.step, scan, text, writer.element, roots=[root])
    interval = task.interval or 0
    if task.interval_tag is not None:
        interval = journal.settled(task.interval_tag, scan) * task.unit
    check = f"see what should make {task.name} run"
    if not task.periodic and task.single is None:
        why = "it has neither an interval nor a tag to wait for"
    elif last and interval > 0 and journal.clock.start(scan) - journal.clock.start(last) <= 2 * interval:
        why, check = f"it comes every {duration_text(interval)}", f"look at {tracer.name(tag)} after the next run of {task.name}"
    else:
        why = "nothing has made it due"
    text = f"{tracer.name(tag)} keeps its value {word}: task {task.name} {ran}; {why}"
    root = Root(RootKind.PROGRAM, tag, value, since, text, check, step=writer.step)
    return Link(LinkKind.TASK_IDLE, tag, value, stands, writer.step, scan, text, writer.element, roots=[root])


def _call_off(tracer: Tracer, found: Link, power: Expr, flag: PathFlag, scan: int, depth: int, change: bool) -> None:
    """Add why a call's EN has no power."""
    step = flag.step
    row = tracer.journal.last_row(flag.number, tracer.journal.settled_position(scan))
    if row is not None and change:
        at_scan = tracer.scan_of(row)
        now = tracer.seen(step, at_scan)
        lost = first_out(tracer, power, now, tracer.seen(step, at_scan - 1))
        if lost:
            found.blockers = elements_of(tracer, lost, step)
            found.step, found.scan, found.element = step, at_scan, flag.element
            for gate in lost[:2]:
                explain_gate(tracer, found, gate, now, depth, change=True)
            return
    words = words_of(tracer.steps.all[step]).block(tracer.steps.all[step], flag.element)
    child = unpowered(tracer, None, step, flag.element, power, scan, depth + 1, what=f"the call of {words}")
    if child is not None:
        found.children.append(child)
