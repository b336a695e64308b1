"""Attempts at what a sequence switches: its runs since the tag was last on, and starts that came in vain.

Without a command at the asked moment the last attempt is explained (ANSWERS.md, Will not pull in). At rest a sequence lacks no more than
its start, which tells nobody why its last run never arrived; and what it waits for on its way is nobody's command.
"""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from whorlograph.engine.code import Expr

from .charts import Part, Place
from .circuit import comparisons
from .commands import commands_of
from .numbered import asked_for, distances, starts
from .symptoms import course
from .tracer import LAST, Tracer, Vantage
from .trail import Link

MOST_ROWS = 2_000  # changes of a sequence that are looked back through
MOST_STARTS = 20  # runs of which it is looked at what began them
FAR = 1 << 20  # no way leads to the step


class SequenceAttempt(Struct, frozen=True):
    """A run that began in a scan, nearest to the wanted step up to ``looked``, where ``step`` was active and ``tag`` then changed.

    One that is under way at the asked moment is looked at there: ``tag`` -1. A start in vain: ``command`` is the tag that started, and it is
    looked at as it came; ``stuck``: what says that the sequence was not at rest then.
    """

    scan: int
    looked: int
    tag: int = -1
    step: str = ""
    command: int = -1
    stuck: int = -1


class _Sequence(Struct, frozen=True):
    """What is asked of a sequence at a scan's end, and ``tags`` whose changes are its steps.

    ``missing``: how many transitions it is away, ``at_rest`` where it begins; ``resting``: whether it stands there; ``called``: the step
    that is active; ``starts``: (step, condition) of what leads away from rest.
    """

    tags: tuple[int, ...]
    missing: Callable[[int], int]
    resting: Callable[[int], bool]
    called: Callable[[int], str]
    starts: tuple[tuple[int, Expr], ...]
    at_rest: int


def attempts_at(tracer: Tracer, link: Link, since: int, until: int) -> list[SequenceAttempt]:
    """The attempts between two scans at the sequence that a trail waits for; none where it waits for none."""
    found: _Sequence | None = None
    for _, one in link.walk():
        place = tracer.charts.get(one.tag) if one.tag is not None else None
        if place is not None and place.part is Part.STEP and not one.value:
            found = _of_chart(tracer, place)
            break
        asked = _number(tracer, one) if place is None else None
        if asked is not None:
            found = _of_number(tracer, *asked)
            break
    if found is None:
        return []
    runs = _runs(tracer, found, since, until)
    return sorted([*runs, *_in_vain(tracer, found, runs, since, until)], key=lambda a: a.scan)


def add_setback(tracer: Tracer, link: Link, run: SequenceAttempt) -> None:
    """Add to the trail at the nearest point of a run what took the sequence away from there.

    To a start in vain: what had taken it away from rest, where something came too late for it, or not at all.
    """
    if run.stuck >= 0:
        stuck = tracer.explain(run.stuck, Vantage(run.scan, LAST), True, 1)
        if stuck is not None and any(root.overdue for root in stuck.all_roots()):
            link.children.append(stuck)
    child = tracer.explain(run.tag, Vantage(run.looked + 1, LAST), True, 1) if run.tag >= 0 else None
    if child is not None:
        for root in child.all_roots():
            root.changed = False
        link.children.append(child)


def _of_chart(tracer: Tracer, place: Place) -> _Sequence:
    chart = place.tags
    first = {s.name for s in chart.chart.steps if s.initial}

    def active(scan: int) -> list[str]:
        return chart.active({name: bool(tracer.journal.settled(flag, scan)) for name, flag in chart.steps.items()})

    def missing(scan: int) -> int:
        return 0 if place.name in active(scan) else len(chart.way(active(scan), place.name)) or FAR

    low = {name.lower() for name in first}
    rest = len(chart.way(sorted(first), place.name)) or FAR
    conditions = [w for t in chart.chart.transitions if {s.lower() for s in t.sources} <= low
                  and (place.name in t.targets or 0 < len(chart.way(list(t.targets), place.name)) < rest)
                  for w in tracer.writers.get(chart.transitions.get(t.name.lower(), -1), ())]
    return _Sequence(tuple(chart.steps.values()), missing, lambda scan: set(active(scan)) == first, lambda scan: " and ".join(active(scan)),
                     tuple((w.step, w.value) for w in conditions if w.value is not None), rest)


def _of_number(tracer: Tracer, tag: int, number: int) -> _Sequence | None:
    away, at, first = distances(tracer, tag, number), tracer.journal.settled, int(tracer.tag(tag).initial)
    if first not in away or first == number:
        return None
    return _Sequence((tag,), lambda scan: away.get(at(tag, scan), FAR), lambda scan: at(tag, scan) == first,
                     lambda scan: tracer.called(tag, at(tag, scan)), tuple(starts(tracer, tag, number)), away[first])


def _number(tracer: Tracer, link: Link) -> tuple[int, int] | None:
    """(step number, what it should be) where a link is about a comparison that does not hold."""
    if link.step < 0 or link.value is not False:
        return None
    circuit, seen = tracer.circuit(link.step), tracer.seen(link.step, link.scan)
    asked = [op for op in comparisons(circuit.step) if op.code == "EQ" and tracer.origin(link.step, op.at).element == link.element]
    found = [*dict.fromkeys(one for op in asked for one in asked_for(circuit, op, seen))]  # once in each pass of a loop that is laid out
    return found[0] if len(found) == 1 and not tracer.boolean(found[0][0]) else None


def _runs(tracer: Tracer, sequence: _Sequence, since: int, until: int) -> list[SequenceAttempt]:
    """The runs, each from when it left the rest until it was back or the asked moment; of equally near points the last one.

    None that came no nearer than it was at rest: it went another way.
    """
    journal, found = tracer.journal, list[SequenceAttempt]()
    rows = sorted((int(row), tag) for tag in sequence.tags for row in journal.rows(tag).tolist()
                  if since < tracer.scan_of(int(row)) <= until)[-MOST_ROWS:]
    begun, nearest, best = 0, (FAR + 1, 0, -1), FAR
    for row, tag in rows:
        scan = tracer.scan_of(row)
        if begun and scan > begun and (before := sequence.missing(scan - 1)) <= nearest[0] and scan - 1 > nearest[1]:
            nearest = before, scan - 1, tag
        if not begun and sequence.resting(scan - 1) and not sequence.resting(scan):
            begun, nearest, best = scan, (FAR + 1, 0, -1), sequence.missing(scan)
        elif begun and sequence.resting(scan):
            if nearest[1] and best < sequence.at_rest:
                found.append(SequenceAttempt(begun, nearest[1], nearest[2], sequence.called(nearest[1])))
            begun = 0
        elif begun:
            best = min(best, sequence.missing(scan))
    if not begun or best >= sequence.at_rest:
        return found
    # One that has left its way for a step of faults is looked at where it was nearest.
    strayed = nearest[1] and sequence.missing(until) > max(sequence.at_rest, nearest[0])
    looked, left = (nearest[1], nearest[2]) if strayed else (until, -1)
    return [*found, SequenceAttempt(begun, looked, left, sequence.called(looked))]


def _in_vain(tracer: Tracer, sequence: _Sequence, runs: list[SequenceAttempt], since: int, until: int) -> list[SequenceAttempt]:
    """What starts the sequence, and came while it was no nearer than at rest and stayed so: what began its runs, else any condition of its start."""
    commands: dict[tuple[int, bool], None] = {}
    for run in runs[-MOST_STARTS:]:
        for tag in sequence.tags:
            row = tracer.journal.last_row(tag, tracer.journal.settled_position(run.scan))
            if row is not None and tracer.scan_of(row) == run.scan:
                with tracer.aside(brief=True):
                    link = tracer.explain(tag, Vantage(run.scan, LAST), True, 0)
                commands |= {(r.tag, r.value): None for r in link.all_roots() if r.changed and r.tag is not None and isinstance(r.value, bool)} \
                    if link is not None else {}
    for step, power in sequence.starts if not commands else ():
        commands |= {(c.tag, c.on): None for c in commands_of(tracer, step, power) if c.limit is None and not tracer.writers.get(c.tag)}
    found: dict[int, SequenceAttempt] = {}
    for tag, on in commands:
        its = course(tracer.journal, tag)
        came = its.scans[(its.scans > max(1, since)) & (its.scans <= until) & ((its.values != 0) == on)]
        for scan in came.tolist()[-MOST_STARTS:]:
            if all(sequence.missing(one) >= sequence.at_rest for one in (scan - 1, scan, min(until, scan + 1))):
                where = next((t for t in sequence.tags if tracer.journal.settled(t, scan)), -1) if not sequence.resting(scan) else -1
                found.setdefault(scan, SequenceAttempt(scan, scan, command=tag, stuck=where))
    return list(found.values())
