"""What stood otherwise each time before that the command of the last attempt brought a tag on."""

from __future__ import annotations

from .commands import Command
from .symptoms import Course, course
from .tracer import Tracer
from .trail import Link, Root
from .usual_ends import LEAST, MOST, turns

SOON = 2  # scans from a command to what it brings on at once


def add_usual_pull_ins(tracer: Tracer, tag: int, path: Course, command: Command, looked: int, link: Link | None) -> None:
    """Mark the roots that stand otherwise than at all pull-ins which the command brought about, where others stand as they did then.

    Args: command: of the last attempt; looked: the scan in which that is looked at.
    """
    if link is None or command.limit is not None or command.bit >= 0:
        return
    rises = turns(path, looked, on=True)
    own = course(tracer.journal, command.tag)
    came = [rise for rise in rises if (turned := own.last_change(rise, command.on)) is not None and turned >= rise - SOON]
    roots = [r for r in link.all_roots() if isinstance(r.value, bool) and r.tag not in (None, -1) and r.bit < 0]
    if len(came) < LEAST or len(came) < len(rises):
        return
    otherwise = [r for r in roots if r.tag != command.tag and _stood_otherwise(tracer, r, came, looked)]
    if not any(r.since is not None and r not in otherwise for r in roots):
        return
    often = f"{'last ' if len(came) == MOST else ''}{len(came)}"
    for root in otherwise:
        root.novel = True
        when = f"{tracer.name(tag)} came on when {tracer.name(command.tag)} went {tracer.state_word(command.on)}"
        root.text += f"; it was {tracer.state_word(not root.value)} each of the {often} times that {when}"


def _stood_otherwise(tracer: Tracer, root: Root, came: list[int], looked: int) -> bool:
    """Whether a root's tag stands now as the root says, and stood otherwise in all of some scans."""
    its = course(tracer.journal, root.tag or 0)
    return bool(its.at(looked)) == root.value and all(bool(its.at(one)) != root.value for one in came)
