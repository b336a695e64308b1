"""``preempted``: a task wrote a tag between two steps of a scan, or between two scans."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..tracer import Vantage
from ..trail import Link
from ..writers import Writer
from .task_idle import add_trigger

if TYPE_CHECKING:
    from ..tracer import Tracer


def around(tracer: Tracer, tag: int, writer: Writer, scan: int, inner: Link | None, depth: int) -> Link | None:
    """The link of a write, told as a task's where others write the tag too, or where the task was triggered: then that comes second."""
    number = tracer.paths.task_of(writer.step)
    if inner is None or number < 0:
        return inner
    task = tracer.controller.schedule.tasks[number]
    others = any(tracer.paths.task_of(w.step) != number for w in tracer.writers.get(tag, ()))
    if not others and task.single is None:
        return inner
    began = tracer.journal.run_start(number, scan)
    since = tracer.time(scan)
    when = f" at {tracer.at(began if began is not None else since)}"
    by = f", triggered by {tracer.name(task.single)}" if task.single is not None else ""
    text = f"task {task.name}{by}, wrote {tracer.name(tag)} {tracer.state_word(inner.value, tag)}{when} in {tracer.place(writer.step)}"
    found = Link(LinkKind.PREEMPTED, tag, inner.value, inner.since, writer.step, scan, text, writer.element, children=[inner])
    if task.single is not None:
        add_trigger(tracer, found, task.single, Vantage(scan), depth, change=not any(r.changed for r in inner.all_roots()))
        found.roots = [r for r in found.roots if r.key not in {o.key for o in inner.all_roots()}]
    return found
