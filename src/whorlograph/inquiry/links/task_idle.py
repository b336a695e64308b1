"""``task-idle``: the task of the step that would write has not run: never due, not yet, or not triggered."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..tracer import Vantage
from ..trail import Link, Root
from ..writers import Writer
from .field_input import input_root

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, number: int, depth: int) -> Link:
    """Why the task of the step that writes a tag has not run."""
    journal, task, view = tracer.journal, tracer.controller.schedule.tasks[number], Vantage(scan)
    found = unwritten(tracer, tag, writer, scan, number, LinkKind.TASK_IDLE)
    if task.single is not None:
        found.text += f"; it waits for {tracer.name(task.single)}, which is {'on' if tracer.raw(task.single, view) else 'off'}"
        add_trigger(tracer, found, task.single, view, depth, change=False)
        return found
    since, now = last_run(tracer, number, scan), journal.clock.start(scan)
    interval = journal.settled(task.interval_tag, scan) * task.unit if task.interval_tag is not None else task.interval or 0
    if task.interval_tag is not None and interval <= 0:
        found.text += f"; its interval, {tracer.name(task.interval_tag)}, is {duration_text(interval)}"
        add_trigger(tracer, found, task.interval_tag, view, depth, change=False)
        return found
    check = f"see what should make {task.name} run"
    if not task.periodic:
        why = "it has neither an interval nor a tag to wait for"
    elif since is not None and interval > 0 and now - since <= 2 * interval:
        why, check = f"it comes every {duration_text(interval)}", f"look at {tracer.name(tag)} after the next run of {task.name}"
    else:
        why = "nothing has made it due"
    found.text += f"; {why}"
    found.roots.append(Root(RootKind.PROGRAM, tag, found.value, since, found.text, check, step=writer.step))
    return found


def unwritten(tracer: Tracer, tag: int, writer: Writer, scan: int, number: int, kind: LinkKind, because: str = "") -> Link:
    """The link of a tag that keeps its value because a task does not run: since when, when it ran last."""
    value, since = tracer.value(tag, tracer.journal.settled(tag, scan)), last_run(tracer, number, scan)
    ran = f"ran last at {tracer.at(since)}" if since is not None else "has not run"
    said = because.removesuffix(" and ") or "does not run" if tracer.now is not None else because + ran  # what is seen now has no time
    text = f"{tracer.name(tag)} keeps its value {tracer.state_word(value, tag)}: task {tracer.controller.schedule.tasks[number].name} {said}"
    return Link(kind, tag, value, tracer.since(tag, Vantage(scan)), writer.step, scan, text, writer.element)


def last_run(tracer: Tracer, number: int, scan: int) -> int | None:
    """When (ns) the scan began in which a task ran last, up to a scan; None where it has not run."""
    last = tracer.journal.run_scan(number, scan)
    return tracer.journal.clock.start(last) if last else None


def add_trigger(tracer: Tracer, found: Link, trigger: int, view: Vantage, depth: int, change: bool) -> None:
    """Add why the tag that triggers a task is as it is."""
    if tracer.writers.get(trigger):
        child = tracer.explain(trigger, view, change, depth + 1)
        if child is not None:
            found.children.append(child)
    else:
        root = input_root(tracer, trigger, tracer.position(view))
        root.changed = change and root.since is not None
        found.roots.append(root)
