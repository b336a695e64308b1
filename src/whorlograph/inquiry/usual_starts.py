"""What brings a tag on as a rule, in a log in which it came on before: that it has not come this time, and what never kept it off before."""

from __future__ import annotations

from .commands import Command
from .symptoms import Course, course
from .tracer import LAST, Tracer, Vantage
from .trail import Link
from .usual_ends import LEAST, is_usual, longer_than_ever, of_turns, turns


def add_usual_starts(tracer: Tracer, tag: int, path: Course, scan: int, commands: tuple[Command, ...], link: Link | None) -> None:
    """Where nobody tried and a tag is off for longer than ever: what the program gives as a rule to bring it on, and why it has not come.

    What stood the same each time that the tag was brought on so cannot be what keeps it off now, and comes after what follows from that.
    """
    rises = turns(path, scan, on=True)
    if link is None or len(rises) < LEAST or not longer_than_ever(tracer, path, scan, on=False):
        return
    roots = list(link.all_roots())
    for one in commands:
        own = course(tracer.journal, one.tag)
        came = [turn for turn in rises if (turned := own.last_change(turn, one.on)) is not None and turned >= turn - 1]
        if one.edge or one.limit is not None or not tracer.writers.get(one.tag) or not is_usual(len(came), len(rises)):
            continue
        last = own.last_change(scan, one.on)
        if bool(own.at(scan)) == one.on or (last is not None and last > (path.last_change(scan, False) or 0)):
            continue  # it has come, if as an attempt at something else
        known = next((child for child in link.children if child.tag == one.tag), None)
        child = known or tracer.explain(one.tag, Vantage(scan, LAST), False, 1)
        if child is None:
            continue
        state = "" if one.on else " off"
        child.text += f"; {tracer.name(one.tag)}{state} brought {tracer.name(tag)} on {of_turns(len(came), len(rises))}, and has not come"
        if known is None:
            link.children.append(child)
        for root in (*(r for r in roots if r.changed or not r.missing), *(r for r in child.all_roots() if r.changed)):
            if isinstance(root.value, bool) and root.tag is not None and root.tag >= 0 and root.bit < 0:
                its = course(tracer.journal, root.tag)
                root.as_ever = all(bool(its.at(rise)) == root.value for rise in came)
