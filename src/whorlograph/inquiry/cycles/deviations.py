"""What a cycle does otherwise than the others, the first of it first: what follows is consequence."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from msgspec import Struct, field

from .turns import OFTEN, Turn, Turns

THIN = 5  # cycles below which nothing is usual
BEYOND = 5.0  # spreads from which on a time is not as usual
BEYOND_FEW = 7.0  # the same of fewer than ten cycles
MOST = 25.0  # what one event counts at the most
RARE = 0.2  # share of the cycles in which something additional may come and still be one
LIKE = 0.6  # as long as another one, about
MANY = 15  # cycles whose spread is known well
TOGETHER = 0.95  # of the cycles have two events in one order


class Kind(StrEnum):
    """How an event of a cycle deviates."""

    MISSING = "missing"
    ADDITIONAL = "additional"
    EARLY = "early"
    LATE = "late"
    ORDER = "order"


class Deviation(Struct, frozen=True):
    """An event that is not as usual: the tag and the value it comes to, when (ns; of a missing one when it was to come), by how much (ns), and
    how much it counts; ``lasting``: of an additional one, how long until the tag came back (ns, -1 not); ``others``: in how many other
    whole cycles the tag does something additional for about as long; ``usual``: of a missing one, how long after the start it comes (ns)."""

    tag: int
    value: int
    time: int
    kind: Kind
    by: int
    weight: float
    lasting: int = -1
    others: int = 0
    usual: int = 0


class Judged(Struct):
    """A cycle with its deviations in order of time, and its distance from the typical one."""

    turn: Turn
    deviations: list[Deviation] = field(default_factory=list)
    distance: float = 0.0

    @property
    def first(self) -> Deviation | None:
        """The first deviation in time."""
        return self.deviations[0] if self.deviations else None


def judge(found: Turns, inputs: frozenset[int], floor: int) -> list[Judged]:
    """Each cycle against the typical one, in order of time. Of cycles cut off or aborted only what they have.

    Args: inputs: tags from outside: of what deviates at one instant (``floor`` ns, twice) they come first.
    """
    whole = [t for t in found.turns if t.kind == "whole"]
    if len(whole) < THIN:
        return [Judged(t) for t in found.turns]
    limit = BEYOND if len(whole) >= 10 else BEYOND_FEW
    extra: dict[int, dict[int, int]] = {}
    for turn in whole:
        for time, tag, _, lasting in _additional(turn):
            mine = extra.setdefault(tag, {})
            mine[turn.number] = max(mine.get(turn.number, 0), lasting if lasting >= 0 else turn.end - time)
    ordered = _ordered(found, whole)
    all_judged = [_judged(found, turn, limit, extra, len(whole), ordered) for turn in found.turns]
    for judged in all_judged:
        if judged.deviations:
            first = judged.deviations[0].time
            judged.deviations.sort(key=lambda d: (d.time > first + 2 * floor, d.tag not in inputs if d.time <= first + 2 * floor else False, d.time))
    return all_judged


def _apart(found: Turns, place: int, turn: Turn, when: float, known: float) -> bool:
    """Whether an event's time lies beyond those of the other cycles: of few by as much again as those lie apart, for a spread of few is not
    known well; of many beyond all but the utmost."""
    one = found.typical[place]
    from_start = np.isnan(known) or one.follows < 0
    mine = when if from_start else when - known
    others = np.array([t.at[place] - (0.0 if from_start else t.at[one.follows]) for t in found.turns if t.kind == "whole" and t is not turn])
    others = others[~np.isnan(others)]
    if not len(others):
        return True
    few = len(others) < MANY
    low, high = (float(v) for v in np.quantile(others, (0.0, 1.0) if few else (0.05, 0.95)))
    return max(low - mine, mine - high) > (high - low if few else 0.0)


def _additional(turn: Turn) -> list[tuple[int, int, int, int]]:
    """Changes that are no usual event: time, tag, value, and how long until the tag came back (ns, -1: not), which is not told by itself."""
    found, back = list[tuple[int, int, int, int]](), set[int]()
    for n, (time, tag, value) in enumerate(turn.more):
        if n in back:
            continue
        other = next((i for i in range(n + 1, len(turn.more)) if turn.more[i][1] == tag), None)
        if other is not None:
            back.add(other)
        found.append((time, tag, value, turn.more[other][0] - time if other is not None else -1))
    return found


def _judged(found: Turns, turn: Turn, limit: float, extra: dict[int, dict[int, int]], whole: int, ordered: list[Pair]) -> Judged:
    judged = Judged(turn)
    for place, one in enumerate(found.typical):
        when = turn.at[place]
        known = turn.at[one.follows] if one.follows >= 0 else 0.0
        if np.isnan(when):
            if one.share >= OFTEN and turn.kind == "whole":
                expected = known + one.gap if not np.isnan(known) else one.after
                judged.deviations.append(Deviation(one.tag, one.value, turn.start + round(expected), Kind.MISSING, 0, MOST, usual=one.after))
            continue
        by, spread = (when - known - one.gap, one.gap_spread) if not np.isnan(known) else (when - one.after, one.spread)
        beyond = abs(by) / max(1, spread)
        judged.distance += max(0.0, min(MOST, beyond) - 3.0) / 10 if beyond <= limit else 0.0
        if beyond > limit and _apart(found, place, turn, when, known):
            kind = Kind.LATE if by > 0 else Kind.EARLY
            judged.deviations.append(Deviation(one.tag, one.value, turn.start + round(when), kind, round(by), min(MOST, beyond)))
    _swapped(found, judged, ordered, limit)
    for time, tag, value, lasting in _additional(turn) if turn.kind != "cut" else ():
        alike = LIKE * (lasting if lasting >= 0 else turn.end - time)
        others = sum(n != turn.number and long >= alike for n, long in extra.get(tag, {}).items())
        if others <= max(1, RARE * whole) - 1:
            judged.deviations.append(Deviation(tag, value, time, Kind.ADDITIONAL, 0, MOST, lasting, others))
    judged.deviations.sort(key=lambda d: (d.time, -d.weight))
    judged.distance += sum(d.weight for d in judged.deviations)
    return judged


class Pair(Struct, frozen=True):
    """Two events of the typical cycle (their places) that come in one order nearly always: ``apart`` ns, give or take ``spread``."""

    one: int
    other: int
    apart: float
    spread: float


def _ordered(found: Turns, whole: list[Turn]) -> list[Pair]:
    """Neighbours of the typical cycle that come in one order nearly always."""
    pairs = []
    for one in range(len(found.typical) - 1):
        for other in range(one + 1, min(one + 4, len(found.typical))):
            apart = np.array([t.at[other] - t.at[one] for t in whole])
            apart = apart[~np.isnan(apart)]
            if len(apart) >= THIN and int((apart > 0).sum()) >= max(TOGETHER * len(apart), len(apart) - 1.0 if len(apart) < 20 else 0.0):
                middle = float(np.median(apart))
                spread = max(1.4826 * float(np.median(np.abs(apart - middle))), float(found.typical[one].gap_spread) / 2)
                pairs.append(Pair(one, other, middle, spread))
    return pairs


def _swapped(found: Turns, judged: Judged, ordered: list[Pair], limit: float) -> None:
    """Two events that came in the other order than ever: the one that came first is told as that."""
    at = judged.turn.at
    for pair in ordered:
        apart = at[pair.other] - at[pair.one]
        if np.isnan(apart) or apart >= 0 or pair.apart - apart <= limit * pair.spread:
            continue
        first = found.typical[pair.other]
        time = judged.turn.start + round(at[pair.other])
        judged.deviations = [d for d in judged.deviations if (d.tag, d.value, d.time) != (first.tag, first.value, time)]
        judged.deviations.append(Deviation(first.tag, first.value, time, Kind.ORDER, round(-apart), MOST))


def ranked(all_judged: list[Judged]) -> list[Judged]:
    """Whole cycles first, the oddest first of them; aborted and cut ones behind, in order of time."""
    return sorted(all_judged, key=lambda j: (j.turn.kind != "whole", -round(j.distance, 3) if j.turn.kind == "whole" else 0, j.turn.number))
