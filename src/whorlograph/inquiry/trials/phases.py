"""Phases: whether a short change is seen depends on where the scans lay, which no log holds (ANSWERS.md, Phases)."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.log import Log
from whorlograph.model.question import RootKind, Symptom

from ..pulses import stays
from ..symptoms import course
from ..trail import Answer, Root
from .runs import TrialRuns

OF = 4
BEFORE = 10_000_000_000  # ns before the change from which on rows come later


class Phases(Struct, frozen=True):
    """At how many of four phases of the scan it comes out as it did in the replay."""

    seen: int
    of: int = OF


def rests_on_a_short_change(answer: Answer, root: Root, runs: TrialRuns) -> bool:
    """Whether an answer's first root is a change shorter than two scans, or a pulse that no scan saw."""
    if root.missed:
        return True
    if root.kind is not RootKind.FIELD_INPUT or root.tag is None or root.since is None:
        return False
    stay = stays(runs.log, root.tag, runs.controller.running.tags[root.tag].initial).at(root.since)
    clock = runs.original.clock
    return stay is not None and stay.ended and stay.length < 2 * clock.period(max(1, clock.scan_at(root.since)))


def phases(answer: Answer, root: Root, runs: TrialRuns) -> Phases:
    """Replay at four phases and count those in which the change is seen: the pulse by some scan, else the symptom as it is.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    clock, since = runs.original.clock, root.since or 0
    period, begin = clock.period(max(1, clock.scan_at(since))), max(1, since - BEFORE)
    seen = 0
    for k in range(OF):
        if k:
            later = _later(runs.log, begin, k * period // OF)
            journal = runs.run(Trial(), later, begin)
        else:
            journal = runs.original
        shift = k * period // OF
        task = runs.controller.paths.task_of(root.step) if root.step >= 0 else -1
        seen += journal.ran_between(task, since + shift, since + shift + root.missed) if root.missed else _comes(answer, journal)
    return Phases(seen)


def _later(log: Log, begin: int, shift: int) -> Log:
    """A log whose rows from a time on come later."""
    times = log.times.copy()
    times[times >= begin] += shift
    return Log(times, log.tags, log.values, end=log.end + shift, rows=log.rows)


def _comes(answer: Answer, journal: Journal) -> bool:
    """Whether the symptom comes: the drop within a scan or two of when it came, else the tag as it is at the asked moment."""
    path = course(journal, answer.tag)
    if answer.symptom is Symptom.DROPPED_OUT:
        inside = (path.scans >= answer.scan - 1) & (path.scans <= answer.scan + 2)
        return bool(np.any(path.values[inside] == 0))
    if answer.symptom is Symptom.CHATTERS:
        return path.changes_between(journal.clock.scan_at(answer.begun), answer.asked) > 0
    if answer.symptom is Symptom.WILL_NOT_DROP_OUT:
        return bool(path.at(answer.asked))
    begins = answer.attempts[-1] if answer.attempts else answer.asked
    return not path.at(begins) and not np.any(path.values[(path.scans > begins) & (path.scans <= answer.asked)])
