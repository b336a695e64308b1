"""When it was last right: from a symptom to the nearest time at which the same thing worked, and what went otherwise."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from msgspec import Struct

from whorlograph.engine.journal import Journal
from whorlograph.model.log import Ints
from whorlograph.model.question import Symptom
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

from .symptoms import Course, course
from .trail import Answer

MOST = 400  # tags upstream that are compared
LATE = 1_000_000_000  # machines are not as exact as programs: what comes so much later has not stayed away


class Differs(Struct, frozen=True):
    """A tag that went otherwise. ``how``: ``start`` another value where the two are laid side by side, ``more`` a change that the other time
    had not, ``less`` a change that this time has not, ``other`` a change to another value, ``now`` another value at the end.

    ``then`` and ``now``: its raw values on either side; ``at`` (ns, of this time) since when; ``depth``: how many steps up from the tag.
    """

    tag: int
    how: str
    then: int
    now: int
    at: int
    depth: int


class LastRight(Struct, frozen=True):
    """A time at which the same thing worked beside the one asked for.

    ``then`` and ``now``: the scans that are laid side by side; ``until``: the scan of this time up to which they are compared; ``whole``:
    whether that run lasted as long as this one, ``longer``: well beyond; ``differs``: what went otherwise, the first first;
    ``late`` (ns): so much later or earlier is no difference.
    """

    tag: int
    symptom: Symptom
    then: int
    now: int
    until: int
    whole: bool
    differs: tuple[Differs, ...]
    longer: bool = False
    late: int = 0


def upstream(tag: int, decided_by: Callable[[int], Iterable[int]], most: int = MOST) -> dict[int, int]:
    """The tags that a tag hangs on, nearest first, each with how many steps up it is found."""
    found, here, depth = {tag: 0}, [tag], 0
    while here and len(found) <= most:
        depth += 1
        above = [t for one in here for t in decided_by(one) if t not in found]
        here = list(dict.fromkeys(above))[:most]
        found |= dict.fromkeys(here, depth)
    del found[tag]
    return found


def last_right(journal: Journal, answer: Answer, tags: list[Tag], above: dict[int, int]) -> LastRight | None:
    """The nearest time, before it where there is one, at which what is asked about went well; None where the log has none.

    Args: above: what the tag hangs on, with its depth.
    """
    path, scan = course(journal, answer.tag), answer.scan
    if answer.symptom is Symptom.DROPPED_OUT:
        return _run(journal, answer, path, tags, above)
    if answer.symptom not in (Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT):
        return None
    on = answer.symptom is Symptom.WILL_NOT_PULL_IN
    then = path.last_change(scan, on)
    if then is None:
        later = np.nonzero(((path.values != 0) == on) & (path.scans > scan))[0]
        if not len(later):
            return None
        then = int(path.scans[later[0]])
    before, behind = _own_row(journal, answer.tag, then), journal.settled_position(scan)
    found = []
    for tag, depth in above.items():
        one, two = journal.value_at(tag, before), journal.value_at(tag, behind)
        if one != two:
            row = journal.last_row(tag, behind)
            found.append(Differs(tag, "now", one, two, journal.time(row) if row is not None else 0, depth))
    found.sort(key=lambda d: (_measured(tags[d.tag]), d.depth, tags[d.tag].name.lower()))
    return LastRight(answer.tag, answer.symptom, then, scan, scan, True, tuple(found))


def sources(found: LastRight, decided_by: Callable[[int], Iterable[int]]) -> tuple[Differs, ...]:
    """Of the tags that differ those that hang on none of the others."""
    there = {d.tag for d in found.differs}
    return tuple(d for d in found.differs if not any(t in there and t != d.tag for t in decided_by(d.tag)))


def _own_row(journal: Journal, tag: int, scan: int) -> int:
    """The journal position of a tag's last change up to a scan: what caused it stands before."""
    row = journal.last_row(tag, journal.settled_position(scan))
    return row if row is not None else journal.settled_position(scan)


def _measured(tag: Tag) -> bool:
    """Whether it is a number that is hardly ever twice the same."""
    return tag.type.family is not Family.BOOL and tag.enumeration is None


def _run(journal: Journal, answer: Answer, path: Course, tags: list[Tag], above: dict[int, int]) -> LastRight | None:
    """Of a tag that dropped out: the nearest other run that lasted as long, else the longest."""
    clock, fall = journal.clock, answer.scan
    rise = path.last_change(fall, True)
    if rise is None:
        return None
    lasted = clock.start(fall) - clock.start(rise)
    runs = [(r, f) for r, f in _runs(path, clock.last) if r != rise]
    if not runs:
        return None
    late = _late(lasted)
    # One that was still on well after this one fell; else one that lasted as long: it may have ended of the same cause.
    fit = [(r, f) for r, f in runs if clock.start(f) - clock.start(r) > lasted + late]
    longer = bool(fit)
    fit = fit or [(r, f) for r, f in runs if clock.start(f) - clock.start(r) >= lasted]
    whole = bool(fit)
    earlier = [r for r, _ in fit if r < rise]
    then = max(earlier) if earlier else min(r for r, _ in fit) if fit else max(runs, key=lambda x: x[1] - x[0])[0]
    if not whole:  # compared as far as it went
        lasted = max(f - r for r, f in ((clock.start(r), clock.start(f)) for r, f in runs if r == then))
    late = _late(lasted)
    shift = clock.start(rise) - clock.start(then)
    end = _own_row(journal, answer.tag, fall) if whole else journal.settled_position(clock.scan_at(clock.start(rise) + lasted))
    far = journal.settled_position(min(clock.last, clock.scan_at(clock.start(then) + lasted + late)))
    found = []
    for tag, depth in above.items():
        now = _changes(journal, tag, journal.settled_position(rise), end)
        other = _changes(journal, tag, journal.settled_position(then), far)
        one = _first(now, other, clock.start(rise), shift, clock.start(rise) + lasted - late)
        if one is not None:
            found.append(Differs(tag, *one, depth))
    found.sort(key=lambda d: (_measured(tags[d.tag]), d.at, -d.depth))
    return LastRight(answer.tag, answer.symptom, then, rise, fall, whole, tuple(found), longer, late)


def _late(lasted: int) -> int:
    """How much later the same thing may come in a run that lasted so long, ns: a second, of long runs a twentieth, of short ones a fifth."""
    return min(max(LATE, lasted // 20), max(LATE // 10, lasted // 5))


def _runs(path: Course, last: int) -> list[tuple[int, int]]:
    """From which scan to which a tag was on, those that begin within the log."""
    found, begun = [], None
    for scan, value in zip(path.scans.tolist(), path.values.tolist(), strict=True):
        if value and begun is None:
            begun = scan
        elif not value and begun is not None:
            found.append((begun, scan))
            begun = None
    return found + ([(begun, last)] if begun is not None else [])


def _changes(journal: Journal, tag: int, low: int, high: int) -> tuple[int, list[tuple[int, int]]]:
    """A tag's value at a position, and its changes (time in ns, value at the scan's end) from there to before another."""
    rows = journal.rows_between(tag, low, high)
    values: Ints = journal.raws(rows)
    scans: Ints = journal.scans(rows)
    first = journal.value_at(tag, low)
    found, before = [], first
    for i, (scan, value) in enumerate(zip(scans.tolist(), values.tolist(), strict=True)):
        if i + 1 < len(scans) and scans[i + 1] == scan:
            continue
        if value != before:
            found.append((journal.clock.start(scan), value))
        before = value
    return first, found


def _first(now: tuple[int, list[tuple[int, int]]], then: tuple[int, list[tuple[int, int]]], start: int, shift: int,
           sure: int) -> tuple[str, int, int, int] | None:
    """Where two courses first part: (how, value then, value now, time)."""
    if now[0] != then[0]:
        return "start", then[0], now[0], start
    value = now[0]
    for k in range(max(len(now[1]), len(then[1]))):
        here = now[1][k] if k < len(now[1]) else None
        there = then[1][k] if k < len(then[1]) else None
        if here is None:
            assert there is not None
            at = there[0] + shift
            return ("less", there[1], value, at) if at <= sure else None
        if there is None:
            return "more", value, here[1], here[0]
        if here[1] != there[1]:
            return "other", there[1], here[1], here[0]
        value = here[1]
    return None
