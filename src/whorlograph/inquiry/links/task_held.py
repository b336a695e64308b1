"""``task-held``: the task of the step that would write is held; and what released one that runs again."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.runs import TaskRuns
from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link, Root
from ..writers import Writer
from .rung_true import powered
from .task_idle import last_run, unwritten

if TYPE_CHECKING:
    from ..tracer import Tracer


def released(tracer: Tracer, tag: int, writer: Writer, scan: int, number: int, value: bool, depth: int) -> Link | None:
    """A tag turned in the first run of a task that had been held: since when, and what released it; None where it was not so."""
    journal = tracer.journal
    held = [h for h in journal.held if h.task == number and h.scan <= scan]
    if len(held) < 2 or held[-1].on:
        return None
    runs, let = journal.tasks.get(number, TaskRuns()), journal.clock.start(held[-1].scan)
    first = next(runs.starts(let, 1 << 62, 1), None)
    if first is None or runs.last_start(journal.clock.start(scan) + journal.length(scan)) != first:
        return None
    name, since = tracer.controller.schedule.tasks[number].name, tracer.time(scan)
    text = (f"{tracer.name(tag)} went {tracer.state_word(value, tag)} at {tracer.at(since)}: task {name} runs again; it had been held since "
            f"{tracer.at(journal.clock.start(held[-2].scan))}")
    found = Link(LinkKind.RESUMED, tag, value, since, writer.step, scan, text, writer.element)
    add_release(tracer, found, number, held[-1].scan, depth)
    return found if found.children else None


def add_release(tracer: Tracer, found: Link, number: int, scan: int, depth: int) -> None:
    """Add what released a task in a scan."""
    _add_orders(tracer, found, number, "release", scan, depth)


def _add_orders(tracer: Tracer, found: Link, number: int, what: str, scan: int, depth: int) -> None:
    """Add what made a rung hold or release a task in a scan."""
    for order in tracer.written.orders(what, number):
        child = powered(tracer, None, order.step, order.element, order.guard, scan, depth + 1, LinkKind.RUNG_TRUE, True,
                        f"the order that {what}s {tracer.controller.schedule.tasks[number].name}") if order.guard is not None else None
        if child is not None and child.blockers:
            found.children.append(child)


def held_in(tracer: Tracer, number: int, scan: int) -> int | None:
    """The scan in which a task was held that is held still by another; None where it is not."""
    held = next((h for h in reversed(tracer.journal.held) if h.task == number and h.scan <= scan), None)
    return held.scan if held is not None and held.on else None


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, number: int, depth: int) -> Link | None:
    """Since when the task of the step that writes a tag is held, what waits, and what held it; None where it is not held."""
    journal, task, held = tracer.journal, tracer.controller.schedule.tasks[number], held_in(tracer, number, scan)
    if held is None:
        return None
    found = unwritten(tracer, tag, writer, scan, number, LinkKind.TASK_HELD, f"is held since {tracer.at(journal.clock.start(held))} and ")
    runs, now = journal.tasks.get(number, TaskRuns()), journal.clock.start(scan)
    waiting = runs.waiting_at(now)
    if waiting is not None and tracer.now is None:
        missed = int(((runs.missed > waiting) & (runs.missed <= now)).sum())
        found.text += f"; a run waits since {tracer.at(waiting)}" + (f", {missed} more came in vain" if missed else "")
    _add_orders(tracer, found, number, "hold", held, depth)
    if not found.children:
        check = f"see which rung holds {task.name}, and what should release it"
        found.roots.append(Root(RootKind.PROGRAM, tag, found.value, last_run(tracer, number, scan), found.text, check, step=writer.step))
    return found
