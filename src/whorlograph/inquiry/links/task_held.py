"""``task-held``: the task of the step that would write is held."""

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


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, number: int, depth: int) -> Link | None:
    """Since when the task of the step that writes a tag is held, what waits, and what held it; None where it is not held."""
    journal, task = tracer.journal, tracer.controller.schedule.tasks[number]
    held = next((h for h in reversed(journal.held) if h.task == number and h.scan <= scan), None)
    if held is None or not held.on:
        return None
    found = unwritten(tracer, tag, writer, scan, number, LinkKind.TASK_HELD, f"is held since {tracer.at(journal.clock.start(held.scan))} and ")
    runs, now = journal.tasks.get(number, TaskRuns()), journal.clock.start(scan)
    waiting = runs.waiting_at(now)
    if waiting is not None:
        missed = int(((runs.missed > waiting) & (runs.missed <= now)).sum())
        found.text += f"; a run waits since {tracer.at(waiting)}" + (f", {missed} more came in vain" if missed else "")
    for order in tracer.written.orders("hold", number):
        child = powered(tracer, None, order.step, order.element, order.guard, held.scan, depth + 1, LinkKind.RUNG_TRUE, True,
                        f"the order that holds {task.name}") if order.guard is not None else None
        if child is not None and child.blockers:
            found.children.append(child)
    if not found.children:
        check = f"see which rung holds {task.name}, and what should release it"
        found.roots.append(Root(RootKind.PROGRAM, tag, found.value, last_run(tracer, number, scan), found.text, check, step=writer.step))
    return found
