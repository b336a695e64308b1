"""What grows or shrinks from cycle to cycle, and how far it is from the program's own limit."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from whorlograph.model.blocks import family
from whorlograph.model.tags import Leaf

from ..symptoms import course
from ..tracer import Tracer
from .turns import Floats, Turn, Turns

LEAST = 8  # cycles that make a course
CHANCE = 0.01  # that any interval of a log seems to drift by itself
NOTICED = 0.02  # of an interval, by which it must have changed
OFTEN = 0.6  # of the cycles in which a timer measures the interval


class Drift(Struct, frozen=True):
    """An interval between two events of the typical cycle (places; ``follows`` -1: the beginning) that grows or shrinks: its usual length in the
    first and the last third of the cycles (ns), the chance that noise does that; ``limit`` (ns): the preset of a timer that measures it,
    -1 none; ``cycles_left``: until it meets that at this rate, -1 never or unknown; ``timer``: its instance's first pin."""

    event: int
    follows: int
    first: int
    last: int
    p: float
    limit: int = -1
    timer: int = -1
    cycles_left: int = -1


def drifts(tracer: Tracer, found: Turns, floor: int) -> list[Drift]:
    """The intervals that drift, the surest first. Args: floor: ns below which no change is believed."""
    whole = [t for t in found.turns if t.kind == "whole"]
    tests = sum(1 for _ in found.typical)
    drifting: list[Drift] = []
    for place, one in enumerate(found.typical):
        gaps = np.array([t.at[place] - (t.at[one.follows] if one.follows >= 0 else 0.0) for t in whole])
        known = gaps[~np.isnan(gaps)]
        if len(known) < LEAST:
            continue
        p = min(1.0, chance(known) * tests)
        third = max(2, len(known) // 3)
        first, last = float(np.median(known[:third])), float(np.median(known[-third:]))
        if p >= CHANCE or abs(last - first) < max(2.0 * floor, NOTICED * abs(first)):
            continue
        limit, timer = _limit(tracer, found, whole, place)
        rate = (last - first) / max(1, len(known) - third)
        left = math.ceil((limit - last) / rate) if limit > last and rate > 0 else 0 if 0 <= limit <= last else -1
        drifting.append(Drift(place, one.follows, round(first), round(last), p, limit, timer, left))
    return sorted(drifting, key=lambda d: (d.p, -abs(d.last - d.first)))


def chance(values: Floats) -> float:
    """The chance that values without any drift rise or fall as evenly as these: Mann and Kendall's rank test, two-sided, ties allowed for."""
    n = len(values)
    signs = np.sign(values[None, :] - values[:, None])
    score = float(np.triu(signs, 1).sum())
    _, ties = np.unique(values, return_counts=True)
    variance = (n * (n - 1) * (2 * n + 5) - float((ties * (ties - 1) * (2 * ties + 5)).sum())) / 18
    if variance <= 0 or score == 0:
        return 1.0
    z = (abs(score) - 1) / math.sqrt(variance)
    return math.erfc(z / math.sqrt(2))


def _limit(tracer: Tracer, found: Turns, whole: list[Turn], place: int) -> tuple[int, int]:
    """The preset of an on-delay that runs from the event before to this one in most cycles, and its first pin; -1 where there is none."""
    running, one = tracer.running, found.typical[place]
    near = 3 * tracer.controller.scan_time
    for instance in running.instances():
        if instance.pou is not None or family(instance.type_name) != "TON":
            continue
        pins = {name: ref.tag for name, ref in instance.scope.items() if isinstance(ref, Leaf)}
        path = course(tracer.journal, pins["in"])
        begun = np.array([tracer.time(s) for s in path.scans[path.values != 0].tolist()], np.float64)
        ended = np.array([tracer.time(s) for s in path.scans[path.values == 0].tolist()], np.float64)
        measured = 0
        for turn in whole:
            begin = turn.start + (turn.at[one.follows] if one.follows >= 0 else 0.0)
            end = turn.start + turn.at[place]
            if np.isnan(begin) or np.isnan(end) or not len(begun) or not len(ended):
                continue
            measured += bool(np.abs(begun - begin).min() <= near and np.abs(ended - end).min() <= near)
        if measured >= OFTEN * len(whole):
            return tracer.journal.settled(pins["pt"], tracer.journal.clock.last), pins["in"]
    return -1, -1


