"""Generators: tags that come and go by themselves, which nobody switches (ANSWERS.md, Chatters)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from whorlograph.model.log import Ints

from .symptoms import Course, course

if TYPE_CHECKING:
    from .tracer import Tracer

RISES = 4  # and more, one like the other
EVEN = 0.02  # of a period, by which one may differ from another, beside two scans
MOST = 400  # tags that decide another
REPORTS = 100_000_000  # ns: within which an input follows what it reports
SLOWLY = 5  # times as long as that lasts a period in which it can be told
MOSTLY = 0.95  # of an input's changes


def runs_freely(tracer: Tracer, tag: int) -> bool:
    """Whether the controller drives a tag, or the program brings it on evenly while nothing that decides it comes from outside."""
    known = tracer.free.get(tag)
    if known is None:
        known = tracer.free[tag] = tag in tracer.driven or (bool(tracer.writers.get(tag)) and _even(tracer, tag))
    return known


def runs_at(tracer: Tracer, tag: int, scan: int, change: bool = False) -> bool:
    """Whether a tag that comes and goes by itself does so in a scan: it has not stood for longer than a period of its rhythm by then.

    Where what chatters is asked for, any time counts.
    Args: change: its change there is asked for, the last of which leads to something that stands.
    """
    if not runs_freely(tracer, tag) or tracer.chatters or tag in tracer.driven or not tracer.writers.get(tag):
        return runs_freely(tracer, tag)
    path = course(tracer.journal, tag)
    i = int(np.searchsorted(path.scans, scan, side="right"))
    until = scan if not change else int(path.scans[i]) if i < len(path.scans) else tracer.journal.clock.last
    return i > 0 and until - int(path.scans[i - 1]) <= _period(path) + 2


def _rhythms(path: Course) -> tuple[Ints, NDArray[np.bool_], Ints]:
    """The scans at which a tag rises; of each few rises in a row, whether they come evenly, and the scans from one to the next."""
    rises = path.scans[path.values != 0]
    if len(rises) < RISES + 1:
        return rises, np.zeros(0, np.bool_), np.zeros(0, np.int64)
    runs = np.lib.stride_tricks.sliding_window_view(np.diff(rises), RISES)
    periods = np.median(runs, axis=1)
    return rises, np.ptp(runs, axis=1) <= 2 + EVEN * periods, periods.astype(np.int64)


def _period(path: Course) -> int:
    """The scans from one rise to the next where they come evenly, the longest of several rhythms."""
    _, even, periods = _rhythms(path)
    return int(periods[even].max()) if even.any() else 0


def _even(tracer: Tracer, tag: int) -> bool:
    """Whether rises of a tag come in one rhythm over a stretch in which no input that decides it changes, but for those that report it."""
    path = course(tracer.journal, tag)
    rises, even, _ = _rhythms(path)
    outside = upstream(tracer, tag) if even.any() else None
    if outside is None or not _leads_back(tracer, tag):
        return False
    scans = [one.scans for t in outside if not _reports(tracer, one := course(tracer.journal, t), path)]
    turned = np.sort(np.concatenate([np.zeros(0, np.int64), *scans]))
    # How many changes from outside came by each rise: where that stands still for five rises, they came by themselves.
    came = np.searchsorted(turned, rises, side="right")
    return bool((even & (came[RISES:] == came[:-RISES])).any())


def _reports(tracer: Tracer, one: Course, path: Course) -> bool:
    """Whether an input changes only shortly after a tag that flashes slowly, never with it: the lamp's current, the contactor's auxiliary."""
    late = max(2, REPORTS // max(1, tracer.controller.scan_time))
    if not len(one.scans) or _period(path) < SLOWLY * late:
        return False
    before = np.searchsorted(path.scans, one.scans, side="left") - 1  # what comes in the same scan may be what brings it about
    return bool(((before >= 0) & (one.scans - path.scans[before] <= late)).mean() >= MOSTLY)


def upstream(tracer: Tracer, tag: int) -> list[int] | None:
    """The tags from outside that decide a tag, through all rungs; None where they are too many."""
    seen = _deciding(tracer, tag)
    if len(seen) > MOST:
        return None
    return [t for t in seen if t != tag and not tracer.writers.get(t) and t not in tracer.driven]


def _leads_back(tracer: Tracer, tag: int) -> bool:
    """Whether anything that decides a tag is decided by itself, or driven by the controller: without, only those that write it take turns."""
    left = _deciding(tracer, tag)
    while True:
        ended = {one for one, others in left.items() if others.isdisjoint(left)}
        if not ended or not ended.isdisjoint(tracer.driven):
            return bool(left)
        left = {one: others for one, others in left.items() if one not in ended}


def ring(tracer: Tracer, tag: int) -> set[int]:
    """The tags that decide a tag and are decided by it: what comes and goes together. Empty where nothing leads back, or too much."""
    known = tracer.rings.get(tag)
    if known is None:
        known = tracer.rings[tag] = _ring(tracer, tag)
    return known


def _ring(tracer: Tracer, tag: int) -> set[int]:
    seen = _deciding(tracer, tag)
    if len(seen) > MOST:
        return set()
    back, grows = {tag}, True
    while grows:
        grows = False
        for one, others in seen.items():
            if one not in back and not back.isdisjoint(others):
                back.add(one)
                grows = True
    return back if len(back) > 1 or tag in seen[tag] else set()


def _deciding(tracer: Tracer, tag: int) -> dict[int, set[int]]:
    """A tag and those that decide it, through all rungs, each with the tags that the steps read that write it; a few more than ``MOST`` at most."""
    seen: dict[int, set[int]] = {tag: set()}
    todo = [tag]
    while todo and len(seen) <= MOST:
        one = todo.pop()
        for writer in tracer.writers.get(one, ()):
            for use in tracer.controller.access.of_step(writer.step):
                for other in use.tags() if not use.writes else ():
                    seen[one].add(other)
                    if other not in seen:
                        seen[other] = set()
                        if tracer.writers.get(other):
                            todo.append(other)
    return seen
