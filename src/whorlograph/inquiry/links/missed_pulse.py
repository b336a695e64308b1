"""``missed-pulse``: a tag came and went between two evaluations of what reads it, which never saw it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..commands import DEEPEST, start_conditions
from ..pulses import Stay, Stays, calm, stays
from ..symptoms import course
from ..tracer import Vantage
from ..trail import Link, Root
from ..wiring import where
from ..writers import Kind

if TYPE_CHECKING:
    from ..tracer import Tracer

PHASES = 4


class Missed(Struct, frozen=True):
    """A pulse that was not seen: which condition of which tag's rung (``step``), when and how long (ns)."""

    tag: int
    condition: int
    step: int
    stay: Stay


def find(tracer: Tracer, tag: int, after: int, until: int, depth: int = 0, seen: set[int] | None = None) -> Missed | None:
    """The last pulse of a start condition, from ``after`` on and up to ``until`` (ns), that what reads it did not see.

    A start condition that the program computes passes on what its own conditions missed; each is looked at once (``seen``).
    """
    best: Missed | None = None
    if tracer.journal.fault is not None:
        until = min(until, tracer.time(tracer.journal.fault.scan))
    seen = {tag} if seen is None else seen
    for writer in tracer.writers.get(tag, []):
        if writer.kind is Kind.BLOCK or depth > DEEPEST:
            continue
        for command in (one for one in start_conditions(tracer, tag, writer) if one.bit < 0 and one.limit is None):
            condition, on = command.tag, command.on
            found = unseen(tracer, tag, condition, on, writer.step, after, until)
            if found is None and tracer.writers.get(condition) and on and condition not in seen:
                seen.add(condition)
                found = find(tracer, condition, after, until, depth + 1, seen)
            if found is not None and (best is None or found.stay.start > best.stay.start):
                best = found
    return best


def unseen(tracer: Tracer, tag: int, condition: int, on: bool, step: int, after: int, until: int) -> Missed | None:
    """The last pulse of one condition that a step did not see."""
    if tracer.writers.get(condition):
        if tracer.paths.task_of(step) < 0:
            return None  # what the program writes lasts until the next evaluation in the same scan, or the next
        pulses = computed(tracer, condition)
    elif condition in tracer.logged:
        pulses = calm(stays(tracer.log, condition, tracer.tag(condition).initial))
    else:
        return None
    # With what the log begins is no pulse.
    pulses = pulses.chosen(((pulses.values != 0) == on) & pulses.ended & (pulses.starts > 0) & (pulses.starts >= after) & (pulses.starts <= until))
    for i in range(len(pulses) - 1, -1, -1):
        stay = pulses[i]
        if not tracer.journal.ran_between(tracer.paths.task_of(step), stay.start, stay.start + stay.length):
            task = tracer.paths.task_of(step)
            held = task >= 0 and tracer.journal.held_at(task, tracer.journal.clock.scan_at(stay.start))
            return None if held else Missed(tag, condition, step, stay)
    return None


def computed(tracer: Tracer, tag: int) -> Stays:
    """The stretches of a tag that the program writes."""
    path, clock = course(tracer.journal, tag), tracer.journal.clock
    starts = np.append(0, clock.start_all(path.scans)).astype(np.int64)
    values = np.append(path.first, path.values).astype(np.int64)
    ended = np.ones(len(starts), bool)
    ended[-1:] = False
    return Stays(starts, np.append(starts[1:], tracer.log.end) - starts, values, ended)


def _phases(tracer: Tracer, stay: Stay) -> int:
    """At how many of four phases of the scans the pulse would have been seen."""
    period = max(1, tracer.journal.clock.period(tracer.journal.clock.scan_at(stay.start)))
    return sum((stay.start + stay.length - 1 - shift) // period > (stay.start - 1 - shift) // period
               for shift in (k * period // PHASES for k in range(PHASES)))


def link(tracer: Tracer, asked: int, missed: Missed) -> Link:
    """The asked tag without power, because of a pulse that was not seen."""
    name, inner = tracer.name(missed.condition), pulse_link(tracer, missed)
    return Link(LinkKind.RUNG_FALSE, asked, False, tracer.since(asked, Vantage(inner.scan)), missed.step, inner.scan,
                f"{tracer.name(asked)} got no power: {name} came and went in {tracer.place(missed.step)} without being seen", children=[inner])


def pulse_link(tracer: Tracer, missed: Missed) -> Link:
    """The pulse itself: between which two evaluations it lay, and what lets it be seen."""
    name, stay = tracer.name(missed.condition), missed.stay
    state = tracer.state_word(bool(stay.value))
    point, number = tracer.iolist.get(missed.condition), tracer.paths.task_of(missed.step)
    own = bool(tracer.writers.get(missed.condition))
    lasted = f"{name} was {state} for {duration_text(stay.length)} at {tracer.at(stay.start)}"
    if number >= 0:
        task = tracer.controller.schedule.tasks[number]
        every = f", which comes every {duration_text(task.interval)}" if task.periodic and task.interval else ""
        text = f"{lasted}, between two runs of task {task.name}{every}: {tracer.place(missed.step)}, which reads it, never saw it"
        remedy = f"make the pulse longer, or let {task.name} come more often" if task.single is None else \
            f"{tracer.name(task.single)}, which makes {task.name} run, must come while it lasts"
    else:
        period = tracer.journal.clock.period(tracer.journal.clock.scan_at(stay.start))
        text = f"{lasted}, between two scans: no rung ever saw it (seen in {_phases(tracer, stay)} of {PHASES} phases of the scan)"
        remedy = f"the pulse is shorter than the scan of {duration_text(period)}: make it longer, or give it to a task or a faster input"
    check = f"see {tracer.place(missed.step)}; {remedy}" if own else f"{where(point, tracer.tag(missed.condition))}; {remedy}"
    kind = RootKind.PROGRAM if own else RootKind.FIELD_INPUT
    root = Root(kind, missed.condition, bool(stay.value), stay.start, text, check, point, changed=True, missed=max(1, stay.length), step=missed.step)
    scan = tracer.journal.clock.scan_at(stay.start)
    return Link(LinkKind.MISSED_PULSE, missed.condition, bool(stay.value), stay.start, missed.step, scan, text, roots=[root])
