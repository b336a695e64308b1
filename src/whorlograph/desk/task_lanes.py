"""Lanes of tasks: their runs, what waits, what was missed; tags that no program has, with numbers beyond all others."""

from __future__ import annotations

from whorlograph.drawing.timeline_layout import TASK_LANES, TaskLane
from whorlograph.model.tags import Tag
from whorlograph.model.types import BOOL

from .session import Session

_WORDS = {TaskLane.RUNS: "runs", TaskLane.WAITS: "waits", TaskLane.MISSED: "missed"}


def lane_of_task(task: int, what: TaskLane = TaskLane.RUNS) -> int:
    """The number of a task's lane."""
    return TASK_LANES + len(TaskLane) * task + list(TaskLane).index(what)


def lane_tag(session: Session, number: int) -> Tag:
    """What a lane is drawn of: a tag of the program, or something of a task."""
    if number < TASK_LANES:
        return session.running.tags[number]
    task, what = divmod(number - TASK_LANES, len(TaskLane))
    return Tag(number, f"{session.controller.schedule.tasks[task].name} {_WORDS[list(TaskLane)[what]]}", BOOL)


def lane_named(session: Session, name: str) -> int | None:
    """The lane of a name: a tag's, or something of a task."""
    found = session.running.by_name.get(name.lower())
    if found is not None:
        return found
    for task in session.controller.schedule.tasks:
        for what, word in _WORDS.items():
            if name.lower() == f"{task.name} {word}".lower():
                return lane_of_task(task.number, what)
    return None
