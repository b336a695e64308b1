"""Mismatches: the log recorded one value of a tag, the virtual controller computed another (ANSWERS.md, Disagreements)."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import input_tags
from whorlograph.engine.journal import Journal
from whorlograph.model.iolist import IoList
from whorlograph.model.literals import cooked
from whorlograph.model.log import Ints, Log, tags_logged
from whorlograph.model.question import RootKind, Symptom
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .pulses import stays
from .raster import decimals, raster
from .symptoms import course
from .trail import Root

RELATIVE = 1e-6  # by which an unrounded REAL may differ


class Difference(Struct, frozen=True):
    """A stretch in which record and computation differ: tag, start and end in ns, the recorded and the computed raw value at its start."""

    tag: int
    start: int
    end: int
    recorded: int
    computed: int


def compared_tags(controller: Controller, log: Log) -> list[int]:
    """The logged tags that the program itself writes: compared, not replayed."""
    return sorted(tags_logged(log) - input_tags(controller.running, log, controller.written, controller.profile))


def disagreements(controller: Controller, journal: Journal, log: Log) -> list[Difference]:
    """All stretches in which recorded tags differ from the computed ones, in order of time; behind a halt one for each tag."""
    found: list[Difference] = []
    halted = journal.clock.start(journal.fault.scan) if journal.fault is not None else None
    for tag in compared_tags(controller, log):
        behind = False
        for one in differences(controller, journal, log, tag):
            if halted is not None and one.start >= halted:
                if behind:
                    continue
                behind = True
            found.append(one)
    return sorted(found, key=lambda d: (d.start, d.tag))


def differences(controller: Controller, journal: Journal, log: Log, tag: int) -> list[Difference]:
    """Where a recorded tag differs from the computed one for longer than the profile and the log's raster allow.

    Of a BOOL a stretch for each recorded value, of a number one for each time that it differs without a break.
    """
    path, recorded = course(journal, tag), stays(log, tag, controller.running.tags[tag].initial)
    if not len(recorded):
        return []
    rows = log.of(tag)
    begins = int(log.times[rows[0]])  # before its first row the log says nothing of the tag
    clock = journal.clock
    turned = clock.start_all(path.scans)
    last = min(log.end, clock.start(clock.last) + clock.period(clock.last)) if clock.last > 0 else log.end
    edges = np.unique(np.concatenate([[begins], recorded.starts, turned]))
    edges = edges[(edges >= begins) & (edges < last)]
    if not len(edges):
        return []
    said = recorded.values[np.maximum(recorded.starts.searchsorted(edges, "right") - 1, 0)]
    had = np.append(path.first, path.values)[turned.searchsorted(edges, "right")]
    apart = _apart(controller, tag, said, had)
    allowed = controller.mismatch_after + raster(log, tag)
    ends = np.append(edges[1:], last)
    found: list[Difference] = []
    bits = controller.running.tags[tag].type.family is Family.BOOL
    edge = np.flatnonzero(np.diff(np.concatenate([[0], apart.astype(np.int8), [0]])))
    for low, high in edge.reshape(-1, 2).tolist():
        if ends[high - 1] - edges[low] <= allowed:
            continue
        cuts = [low, *(i for i in range(low + 1, high) if said[i] != said[i - 1])] if bits else [low]
        for i, cut in enumerate(cuts):
            until = int(edges[cuts[i + 1]]) if i + 1 < len(cuts) else int(ends[high - 1])
            found.append(Difference(tag, int(edges[cut]), until, int(said[cut]), int(had[cut])))
    return found


def _apart(controller: Controller, tag: int, said: Ints, had: Ints) -> NDArray[np.bool_]:
    """bool[n]: where two columns of raw values differ; REALs by more than the recorder's rounding."""
    type_ = controller.running.tags[tag].type
    apart: NDArray[np.bool_] = said != had
    if type_.family is not Family.REAL or not apart.any():
        return apart
    places = decimals([float(cooked(int(v), type_)) for v in np.unique(said)[:1000].tolist()])
    for i in np.flatnonzero(apart).tolist():
        one, other = float(cooked(int(said[i]), type_)), float(cooked(int(had[i]), type_))
        allowed = 0.5000001 * 10.0 ** -places if places is not None else 0.0
        apart[i] = not abs(one - other) <= max(allowed, RELATIVE * abs(other))
    return apart


def mismatch_root(controller: Controller, journal: Journal, log: Log, iolist: IoList, tag: int, symptom: Symptom, at: int) -> Root | None:
    """The root where the recorded tag has the symptom and the computed one has not."""
    if tag not in compared_tags(controller, log):
        return None
    wanted_off = symptom in (Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN)
    here = [d for d in differences(controller, journal, log, tag) if d.start <= at and bool(d.recorded) != wanted_off]
    current = [d for d in here if d.end >= at]
    if symptom is Symptom.CHATTERS or not current:
        return None
    found = current[-1]
    name, point = controller.running.tags[tag].name, iolist.get(tag)
    state, other = ("off", "on") if wanted_off else ("on", "off")
    since = clock_text(log, found.start)
    text = f"the program has {name} {other}, but the log recorded it {state} since {since}: the fault lies behind the output"
    where = point.whereabouts if point is not None and point.whereabouts else name
    drawing = f", drawing {point.drawing}" if point is not None and point.drawing else ""
    return Root(RootKind.MISMATCH, tag, not wanted_off, found.start, text,
                f"check the output card, fuse, wire and contactor of {where}{drawing}", point, changed=True)
