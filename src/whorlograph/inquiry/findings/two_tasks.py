"""A tag written by two tasks, or by tasks without a difference of priority."""

from __future__ import annotations

from collections.abc import Iterator

from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Tags that more than one task writes."""
    tasks = facts.tracer.controller.schedule.tasks
    for tag, writers in facts.written():
        numbers = sorted({facts.tracer.paths.task_of(w.step) for w in writers})
        if len(numbers) < 2:
            continue
        names = facts.listed("the scan's programs" if n < 0 else f"task {tasks[n].name}" for n in numbers)
        effect = "which of them counts depends on when the task comes"
        yield facts.finding("two-tasks", writers[-1], tag, f"{facts.name(tag)} is written by {names}", effect, 1)
        alike = [n for n in numbers if n >= 0]
        if len(alike) > 1 and len({tasks[n].priority for n in alike}) < len(alike):
            text = f"tasks of one priority write {facts.name(tag)}"
            yield facts.finding("same-priority", writers[-1], tag, text, "their order is not laid down", 1)
