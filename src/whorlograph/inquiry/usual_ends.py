"""What ends a tag as a rule, in a log in which it has ended before: that it has not come this time, or has come and was kept out."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

import numpy as np

from whorlograph.model.literals import counted
from whorlograph.model.question import RootKind

from .how_often import how_often
from .lingering import lingering
from .symptoms import Course, course
from .tracer import LAST, Tracer, Vantage
from .trail import Link, Root, RootKey

MOST = 20  # earlier ends that are looked at
LEAST = 2  # of which one thing is known to be usual
MOSTLY = 0.6  # of the times that a tag ended
ALIKE = 0.05  # of an interval: no clock is kept better by hands


def add_usual_ends(tracer: Tracer, tag: int, path: Course, scan: int, link: Link | None) -> None:
    """Let the roots lead that ended the tag before in this log: what keeps it on may well be that one of them did not come.

    What ended it most times, and at least twice, stands even before what started it, where that was the start as always and the tag
    has been on longer than ever before: then only the end is missing.
    """
    roots = list(link.all_roots()) if link is not None else []
    ended = _turned_by(tracer, tag, path, scan, on=False)
    often = Counter(key for keys in ended for key in keys)
    came = _add_blocked_ends(tracer, tag, path, scan, roots, ended)
    *before, now = _runs(tracer, path, scan)
    if link is None or all(now.lasted < one.lasted for one in before):
        return  # it has never ended so soon
    for root in roots:
        if often[root.key] and not root.changed and root.key not in came:
            root.leads = True
    alike, longest = _alike(before, now), longer_than_ever(tracer, path, scan, on=True)
    if len(ended) < LEAST or not (longest or alike):
        return
    started = _turned_by(tracer, tag, path, scan, on=True)[:-1]
    if not all(any(root.key in keys for keys in started) for root in roots if root.changed):
        return
    if any(lingering(tracer, root) for root in roots if not root.leads):
        alike = []  # begun as those, and kept on by what sticks
    most = max(one.lasted for one in before)
    long = [2 * one.lasted >= most for one in before]  # what ended short ones says nothing of one that has outlasted them
    for root in roots:
        if not root.leads:
            continue
        times = sum(root.key in keys for keys, lasted in zip(ended, long, strict=True) if lasted)
        usual = is_usual(often[root.key], len(ended)) or is_usual(times, sum(long))
        if alike and all(root.key in ended[place] for place in alike):
            among = f", among the last {MOST}," if len(ended) == MOST else ""
            which = f"each of {counted(len(alike), 'time')}{among} that it had come on about as long after the time before as now"
        elif longest and usual:
            which = of_turns(often[root.key], len(ended))
        else:
            continue
        root.overdue = True
        root.text += f"; it ended {tracer.name(tag)} {which}, and has not now"


def is_usual(times: int, of: int) -> bool:
    """Whether so many of the times are most, and more than one."""
    return times >= max(LEAST, MOSTLY * of)


def of_turns(times: int, of: int) -> str:
    """How often, of the earlier turns that were looked at, in words."""
    return how_often(times, of, of == MOST)


def longer_than_ever(tracer: Tracer, path: Course, scan: int, on: bool) -> bool:
    """Whether a tag that is on, or off, has been so for longer than in any earlier stretch of the log."""
    until = int(np.searchsorted(path.scans, scan, side="right"))
    times = np.array([tracer.time(s) for s in (*path.scans[:until].tolist(), scan)], np.int64)
    lasted = (times[1:] - times[:-1])[(path.values[:until] != 0) == on]
    return len(lasted) > 1 and bool(lasted[-1] > lasted[:-1].max())


class Run(NamedTuple):
    """A stretch in which a tag was on: how long (ns), and how long after the one before it began, 0 where that is not known."""

    lasted: int
    behind: int


def _runs(tracer: Tracer, path: Course, scan: int) -> list[Run]:
    """The runs that the last falls up to a scan ended, and the one that goes on there."""
    found: list[Run] = []
    for end, inside in (*((fall, fall - 1) for fall in turns(path, scan, on=False)), (scan, scan)):
        rise = path.last_change(inside, True)
        fall = path.last_change(rise - 1, False) if rise is not None else None
        before = path.last_change(fall - 1, True) if fall is not None else None
        begun = tracer.time(rise) if rise is not None else 0
        found.append(Run(tracer.time(end) - begun, begun - tracer.time(before) if before is not None else 0))
    return found


def _alike(before: list[Run], now: Run) -> list[int]:
    """The places of the runs that began as long after the one before as the present one, where it has outlasted them and they are several."""
    found = [place for place, one in enumerate(before) if one.behind and abs(one.behind - now.behind) <= now.behind * ALIKE]
    return found if len(found) >= LEAST and all(before[place].lasted < now.lasted for place in found) else []


def turns(path: Course, scan: int, on: bool) -> list[int]:
    """The last scans up to one in which a tag went on, or off."""
    found: list[int] = path.scans[((path.values != 0) == on) & (path.scans <= scan)][-MOST:].tolist()
    return found


def _turned_by(tracer: Tracer, tag: int, path: Course, scan: int, on: bool) -> list[set[RootKey]]:
    """Of the last times that a tag went on or off, up to a scan: the roots of each."""
    found: list[set[RootKey]] = []
    for turn in turns(path, scan, on):
        with tracer.briefly():
            link = tracer.explain(tag, Vantage(turn, LAST), True, 0)
        roots = list(link.all_roots()) if link is not None else []
        changed = {r.key for r in roots if r.changed}
        found.append(changed or ({r.key for r in roots} if on else set()))  # what a bistable keeps since an edge
    return found


def _add_blocked_ends(tracer: Tracer, tag: int, path: Course, scan: int, roots: list[Root], ended: list[set[RootKey]]) -> set[RootKey]:
    """Where what ended a tag most times before has come while it is on, and it stays on: mark the roots that stood otherwise at all its ends.

    Returns: what has come.
    """
    found: set[RootKey] = set()
    rise = path.last_change(scan, True)
    often = Counter(key for keys in ended for key in keys)
    ends = turns(path, scan, on=False)
    for key, count in often.items():
        kind, number, bit = key
        if rise is None or kind is not RootKind.FIELD_INPUT or number is None or bit >= 0 or not is_usual(count, len(ended)):
            continue
        own = course(tracer.journal, number)
        turned = [bool(own.at(end)) for end, keys in zip(ends, ended, strict=True) if key in keys]
        came = own.last_change(scan, turned[0])
        if not tracer.boolean(number) or len(set(turned)) > 1 or came is None or came <= rise:
            continue
        found.add(key)
        for root in roots:
            usable = isinstance(root.value, bool) and root.tag is not None and root.tag not in (number, -1) and root.bit < 0
            if usable and root.tag is not None and root.missing and all(bool(course(tracer.journal, root.tag).at(end)) != root.value for end in ends):
                root.leads = root.overdue = True
                as_when = f"went {tracer.state_word(turned[0])} as when {tracer.name(tag)} went off {of_turns(count, len(ended))}"
                root.text += f"; {tracer.name(number)} {as_when}, but then {tracer.name(root.tag)} was {tracer.state_word(not root.value)}"
    return found
