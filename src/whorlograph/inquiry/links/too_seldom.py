"""Pulses to be counted that came and went between two evaluations of what counts them: its task comes too seldom, or the scan does."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.code import Expr
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..amounts import set_back_at
from ..commands import looked_at_by
from ..pulses import BOUNCE, Stays, calm
from ..trail import Link, Root
from ..wiring import where
from ..writers import BlockCall, Kind
from .missed_pulse import computed

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 2_000  # stretches of a tag that are looked at, the last ones
BRIEF = 20  # times the interval: what lasts longer was seen
LEAST = 4  # pulses as short as a contact bounces that are a train of their own


class Unseen(Struct, frozen=True):
    """Of ``came`` times that a tag came on (or off), from ``first`` on (ns), a step saw ``seen``: ``since`` when it missed some (ns), the
    ``shortest`` stretch that it missed (ns).
    """

    tag: int
    on: bool
    step: int
    came: int
    seen: int
    first: int
    since: int
    shortest: int

    @property
    def missed(self) -> int:
        """How many it did not see."""
        return self.came - self.seen


def of_pin(tracer: Tracer, call: BlockCall, pin: str, after: int, until: int) -> Unseen | None:
    """Of the pulses that a pin counts from one time to another (ns): the tag of which the most were missed; None where none was."""
    if pin in call.pins:
        return of_value(tracer, call.step, call.pins[pin], after, until)
    given = [(w.step, w.power if w.power is not None else w.value) for w in tracer.writers.get(call.tags[pin], ()) if w.kind is not Kind.BLOCK]
    found = [one for step, value in given if value is not None and (one := of_value(tracer, step, value, after, until)) is not None]
    return max(found, key=lambda one: one.missed, default=None)


def of_value(tracer: Tracer, step: int, value: Expr, after: int, until: int) -> Unseen | None:
    """The same of what a condition of a write counts."""
    if tracer.now is not None:
        return None
    key = step, value
    if key not in tracer.counted:
        tracer.counted[key] = [(command.tag, command.on, by) for command, by in looked_at_by(tracer, step, value)]
    found = [_missed(tracer, *one, after, until) for one in tracer.counted[key]]
    return max((one for one in found if one is not None), key=lambda one: one.missed, default=None)


def _missed(tracer: Tracer, tag: int, on: bool, step: int, after: int, until: int) -> Unseen | None:
    """The pulses of one tag that a step missed; those as short as a bounce count where they are a train of their own.

    What the program writes lasts until the next evaluation in the same scan: only a task misses it.
    """
    if tracer.writers.get(tag):
        return _counted(tracer, computed(tracer, tag), tag, on, step, after, until) if tracer.paths.task_of(step) >= 0 else None
    if tag not in tracer.logged:
        return None
    whole = tracer.stretches(tag)
    found = _counted(tracer, calm(whole), tag, on, step, after, until)
    if found is None:
        found = _counted(tracer, whole, tag, on, step, after, until)
        if found is not None and (found.missed < LEAST or _lasting(whole, after, until) < LEAST * BOUNCE):
            return None
    return found


def _lasting(found: Stays, after: int, until: int) -> int:
    """How long (ns) the longest train of stretches that are short each goes on between two times."""
    short = (found.lengths <= BOUNCE) & (found.starts >= after) & (found.starts <= until)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], short.astype(np.int8), [0]])))
    totals = np.concatenate([[0], np.cumsum(np.where(short, found.lengths, 0))])
    return int((totals[edges[1::2]] - totals[edges[::2]]).max(initial=0))


def _counted(tracer: Tracer, found: Stays, tag: int, on: bool, step: int, after: int, until: int) -> Unseen | None:
    """How many times a tag came in some stretches, and how many of these the step saw; None where it saw all, or its task was held meanwhile."""
    last = int(found.starts.searchsorted(until, "right"))
    begin = max(int(found.starts.searchsorted(after, "right")) - 1, last - MOST, 0)
    starts, states = found.starts[begin:last], (found.values[begin:last] != 0) == on
    lengths = found.lengths[begin:last]
    journal, task = tracer.journal, tracer.paths.task_of(step)
    if task >= 0 and not tracer.controller.schedule.tasks[task].periodic:
        return None  # it comes by an event, which is told where that is missing
    brief = found.ended[begin:last] & (lengths < BRIEF * (_interval(tracer, task) or tracer.log.end))
    brief[:1] = False
    seen = ~brief
    for n in np.flatnonzero(brief).tolist():
        seen[n] = journal.ran_between(task, int(starts[n]), int(starts[n] + lengths[n]))
    came, noticed = _rises(states), _rises(states[seen])
    if came <= noticed:
        return None
    since = int(starts[~seen & states][0]) if (~seen & states).any() else int(starts[~seen][0])
    if task >= 0 and journal.held_at(task, journal.clock.scan_at(since)):
        return None
    first = int(starts[1:][states[1:] & ~states[:-1]][0])
    return Unseen(tag, on, step, came, noticed, first, since, int(lengths[~seen].min()))


def _interval(tracer: Tracer, task: int) -> int:
    """How far the runs of a task, or the scans, are apart as a rule (ns); 0 where a task has no interval that always is the same."""
    if task < 0:
        return tracer.controller.scan_time
    return tracer.controller.schedule.tasks[task].interval or 0


def _rises(states: NDArray[np.bool_]) -> int:
    """How many times states become true."""
    return int((states[1:] & ~states[:-1]).sum())


def counting_since(tracer: Tracer, tag: int, position: int, up: bool) -> int:
    """Since when (ns) a number has been counted one way: when it last went the other."""
    row = set_back_at(tracer, tag, position, up)
    return tracer.journal.time(row) if row is not None else 0


def link(tracer: Tracer, found: Unseen, scan: int, alone: bool) -> Link:
    """That a step misses pulses. Args: alone: had it seen all, the count would be there."""
    name, number = tracer.name(found.tag), tracer.paths.task_of(found.step)
    point, place = tracer.iolist.get(found.tag), tracer.place(found.step)
    times = f"{counted(found.came, 'time')} {'at' if found.came == 1 else 'from'} {tracer.at(found.first)}{'' if found.came == 1 else ' on'}"
    came = f"{name} went {tracer.state_word(found.on)} {times}, and was on or off for as little as {duration_text(found.shortest)}"
    if number >= 0:
        task = tracer.controller.schedule.tasks[number]
        every = f", which comes every {duration_text(task.interval)}," if task.periodic and task.interval else ""
        text = f"{came}; {place} on task {task.name}{every} saw {found.seen} of them: the task comes too seldom"
        check = f"let {task.name} come more often than every {duration_text(found.shortest)}, or count {name} in a faster task or a counter input"
    else:
        period = tracer.journal.clock.period(max(1, tracer.journal.clock.scan_at(found.since)))
        text = f"{came}; {place}, once in a scan of {duration_text(period)}, saw {found.seen} of them"
        check = f"{where(point, tracer.tag(found.tag))}; count it in a task or at an input that is faster than its pulses"
    kind, link_kind = (RootKind.PROGRAM, LinkKind.TASK_IDLE) if number >= 0 else (RootKind.FIELD_INPUT, LinkKind.MISSED_PULSE)
    root = Root(kind, found.tag, found.on, found.since, text, check, point, changed=alone, step=found.step, defect=alone)
    return Link(link_kind, found.tag, found.on, found.since, found.step, scan, text, roots=[root])
