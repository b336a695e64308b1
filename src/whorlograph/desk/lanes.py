"""Lanes of tasks and of scans: runs, what waits, what was missed; how long scans took, how often loops went round; tags that no
program has, with numbers beyond all others."""

from __future__ import annotations

from whorlograph.drawing.timeline_layout import SCAN_LANES, TASK_LANES, TaskLane
from whorlograph.model.tags import Tag
from whorlograph.model.types import BOOL, DINT, TIME

from .session import Session

_WORDS = {TaskLane.RUNS: "runs", TaskLane.WAITS: "waits", TaskLane.MISSED: "missed"}
SCAN_TIME = "scan time"


def lane_of_task(task: int, what: TaskLane = TaskLane.RUNS) -> int:
    """The number of a task's lane."""
    return TASK_LANES + len(TaskLane) * task + list(TaskLane).index(what)


def lane_of_scans(loop: int = -1) -> int:
    """The number of the lane of scan times, or of the passes of a loop of the journal."""
    return SCAN_LANES + loop + 1


def loop_name(session: Session, loop: tuple[int, int]) -> str:
    """A loop in words: where its jump stands, and where it goes back to."""
    end, start = (session.controller.steps.all[s] for s in loop)
    return f"{end.pou} {end.rung.number} back to {start.rung.number}"


def lane_tag(session: Session, number: int) -> Tag:
    """What a lane is drawn of: a tag of the program, something of a task, or of each scan."""
    if number < TASK_LANES:
        return session.running.tags[number]
    if number >= SCAN_LANES:
        loop, loops = number - SCAN_LANES - 1, session.journal.loops if session.replayed else []
        if loop < 0:
            return Tag(number, SCAN_TIME, TIME)
        return Tag(number, f"passes {loop_name(session, loops[loop])}" if loop < len(loops) else "passes", DINT)
    task, what = divmod(number - TASK_LANES, len(TaskLane))
    return Tag(number, f"{session.controller.schedule.tasks[task].name} {_WORDS[list(TaskLane)[what]]}", BOOL)


def lane_named(session: Session, name: str) -> int | None:
    """The lane of a name: a tag's, something of a task, or of each scan."""
    found = session.running.by_name.get(name.lower())
    if found is not None:
        return found
    if name.lower() == SCAN_TIME:
        return lane_of_scans()
    for i, loop in enumerate(session.journal.loops if session.replayed else []):
        if name.lower() == f"passes {loop_name(session, loop)}".lower():
            return lane_of_scans(i)
    for task in session.controller.schedule.tasks:
        for what, word in _WORDS.items():
            if name.lower() == f"{task.name} {word}".lower():
                return lane_of_task(task.number, what)
    return None
