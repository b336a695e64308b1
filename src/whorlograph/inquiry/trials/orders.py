"""Two changes within one raster of the log: their order is not known, so both are replayed (ANSWERS.md, How far the log goes)."""

from __future__ import annotations

import numpy as np

from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.literals import duration_text
from whorlograph.model.log import Log
from whorlograph.model.question import RootKind, Symptom

from ..generators import upstream
from ..raster import raster
from ..symptoms import course
from ..tracer import Tracer
from ..trail import Answer
from .runs import TrialRuns

MOST = 8  # replays
_VERBS = {Symptom.DROPPED_OUT: ("it drops out", "it does not drop out"), Symptom.WILL_NOT_PULL_IN: ("it does not pull in", "it pulls in"),
          Symptom.WILL_NOT_DROP_OUT: ("it stays on", "it does not stay on")}


def orders(runs: TrialRuns, tracer: Tracer) -> list[str]:
    """What is not known of the order of changes that matter, and what either order does; a sentence for each outcome.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    answer, step = runs.answer, raster(runs.log)
    if answer.symptom not in _VERBS or step <= 2 * runs.controller.scan_time:
        return []
    found: dict[tuple[str, int, bool, bool], list[str]] = {}
    done: set[frozenset[int]] = set()
    for root in answer.roots:
        if root.kind is not RootKind.FIELD_INPUT or root.tag is None or not root.since:
            continue
        for other in _beside(root.tag, root.since, answer, runs.log, tracer):
            pair = frozenset((root.tag, other))
            if pair in done or len(done) == MOST // 2:
                continue
            done.add(pair)
            mine, theirs = (_comes(answer, runs.run(Trial(), _earlier(runs.log, first, root.since, step // 2), root.since - step), step)
                            for first in (root.tag, other))
            found.setdefault((tracer.name(root.tag), root.since, mine, theirs), []).append(tracer.name(other))
    return [_told(tracer, answer.symptom, key, names, step) for key, names in found.items()]


def _told(tracer: Tracer, symptom: Symptom, key: tuple[str, int, bool, bool], others: list[str], step: int) -> str:
    name, since, mine, theirs = key
    does, does_not = _VERBS[symptom]
    names = f"{', '.join(others[:-1])} and {others[-1]}" if len(others) > 1 else others[0]
    text = f"{name} and {names} changed within one raster of {duration_text(step)} at {tracer.at(since)}: which came first is not known; "
    if mine and theirs:
        return f"{text}in either order {does}"
    if not mine and not theirs:
        return f"{text}one after the other {does_not}, only both in one scan"
    first, second = (name, names) if mine else (names, name)
    return f"{text}with {first} first {does}, with {second} first {does_not}"


def _beside(tag: int, at: int, answer: Answer, log: Log, tracer: Tracer) -> list[int]:
    """The other inputs that decide the asked tag and changed in the log at the instant at which this one did."""
    low, high = (int(n) for n in np.searchsorted(log.times, [at, at + 1]))
    there = set(log.tags[low:high].tolist())
    if tag not in there:
        return []
    near = upstream(tracer, answer.tag) or [r.tag for r in answer.roots if r.tag is not None]
    return [t for t in near if t in there and t != tag and _turns(log, t, low, high)]


def _turns(log: Log, tag: int, low: int, high: int) -> bool:
    """Whether a tag's row at an instant is news: a recorder that polls writes the same again and again."""
    rows = log.of(tag)
    mine = rows[(rows >= low) & (rows < high)]
    before = rows[rows < low]
    return len(mine) == 1 and (not len(before) or log.values[mine[0]] != log.values[before[-1]])


def _earlier(log: Log, tag: int, at: int, by: int) -> Log:
    """The log with one tag's row of an instant earlier."""
    times = log.times.copy()
    times[(log.times == at) & (log.tags == tag)] -= by
    order = np.argsort(times, kind="stable")
    return Log(times[order], log.tags[order], log.values[order], end=log.end, rows=log.rows)


def _comes(answer: Answer, journal: Journal, step: int) -> bool:
    """Whether the symptom comes: the drop within a raster of when it came, else the tag as it is at the asked moment."""
    path, clock = course(journal, answer.tag), journal.clock
    if answer.symptom is Symptom.DROPPED_OUT:
        inside = (path.scans >= clock.scan_at(max(0, answer.time - step))) & (path.scans <= answer.scan + 2)
        return bool(np.any(path.values[inside] == 0))
    if answer.symptom is Symptom.WILL_NOT_DROP_OUT:
        return bool(path.at(answer.asked))
    tried = clock.start(answer.attempts[-1]) if answer.attempts else answer.time
    begins = max(1, clock.scan_at(max(0, tried - step)))
    return not path.at(begins) and not np.any(path.values[(path.scans > begins) & (path.scans <= answer.asked)])
