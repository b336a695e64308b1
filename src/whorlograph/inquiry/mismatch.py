"""Mismatches: the log recorded one value of a tag, the virtual controller computed another."""

from __future__ import annotations

from bisect import bisect_left, bisect_right

from msgspec import Struct

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import input_tags
from whorlograph.engine.journal import Journal
from whorlograph.model.iolist import IoList
from whorlograph.model.log import Log, tags_logged
from whorlograph.model.question import RootKind, Symptom
from whorlograph.model.times import clock_text

from .pulses import Stay, stays
from .symptoms import course
from .trail import Root


class Difference(Struct, frozen=True):
    """A stretch in which record and computation differ: tag, start and end in ns, the recorded raw value."""

    tag: int
    start: int
    end: int
    recorded: int


def compared_tags(controller: Controller, log: Log) -> list[int]:
    """The logged tags that the program itself writes: compared, not replayed."""
    return sorted(tags_logged(log) - input_tags(controller.running, log, controller.written, controller.profile))


def differences(controller: Controller, journal: Journal, log: Log, tag: int) -> list[Difference]:
    """Where a recorded tag differs from the computed one for longer than the profile allows, in pieces of one recorded value each."""
    path = course(journal, tag)
    clock = journal.clock
    starts, values = [0, *clock.start_all(path.scans).tolist()], [path.first, *path.values.tolist()]
    found: list[Difference] = []
    run: list[Difference] = []
    for stay in stays(log, tag, controller.running.tags[tag].initial):
        for piece in _within(tag, stay, starts, values):
            if run and run[-1].end != piece.start:
                found += _lasting(run, controller.mismatch_after)
                run = []
            run.append(piece)
    return found + _lasting(run, controller.mismatch_after)


def _lasting(run: list[Difference], allowed: int) -> list[Difference]:
    """A run of pieces that touch, where it lasts longer than allowed; pieces of the same recorded value are one."""
    if not run or run[-1].end - run[0].start <= allowed:
        return []
    found = run[:1]
    for piece in run[1:]:
        if piece.recorded == found[-1].recorded:
            found[-1] = Difference(piece.tag, found[-1].start, piece.end, piece.recorded)
        else:
            found.append(piece)
    return found


def _within(tag: int, stay: Stay, starts: list[int], values: list[int]) -> list[Difference]:
    found = []
    last = stay.start + stay.length
    for i in range(max(0, bisect_right(starts, stay.start) - 1), bisect_left(starts, last)):
        end = starts[i + 1] if i + 1 < len(starts) else last
        low, high = max(starts[i], stay.start), min(end, last)
        if values[i] != stay.value and high > low:
            found.append(Difference(tag, low, high, stay.value))
    return found


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
