"""Cycles and the typical one: each cycle's events laid to those that most have, with their usual time and spread."""

from __future__ import annotations

import itertools
from collections import Counter

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.model.log import Ints

from .changes import Changes

ROBUST = 1.4826  # a standard deviation's worth of the median of deviations
SHARE = 0.5  # of the whole cycles that have an event, for it to be typical
NEIGHBOURS = 8  # events before one, of which the nearest in time is what it follows
MOST_OF_TAG = 40  # changes of one tag in a cycle; more are a rhythm of its own
NEARER = 0.1
FLICKER = 1_000_000_000  # ns: what is shorter, and much shorter than what stands before and behind it, comes and goes at once
BESIDE = 0.1
REST = 0.5  # of the time from the beginning to the last event, which a rest takes before what leads up to the next beginning
LEAD = 0.6  # of the events, which may lead up to it
OFTEN = 0.8  # share of the cycles that have an event, for its lack to be told
FAR = 0.08  # of a cycle: twice that apart, two events are not the same one

Floats = NDArray[np.float64]


class Typical(Struct, frozen=True):
    """An event that most cycles have: the tag comes to a value, ``after`` the beginning (ns, in the middle), with a ``spread``; ``share`` of the
    whole cycles have it; ``follows``: the event before (its place, -1 the beginning) after which it comes most steadily, ``gap`` ns later,
    give or take ``gap_spread``."""

    tag: int
    value: int
    after: int
    spread: int
    share: float
    follows: int
    gap: int
    gap_spread: int


class Turn(Struct):
    """One cycle: its ``number`` from 1, ``start``, the last change in it (``end``) and the next cycle's start (ns); what kind; ``at``: by typical
    event when it came after the start (ns, NaN: not); ``more``: changes that are none of them (time, tag, value)."""

    number: int
    start: int
    end: int
    until: int
    kind: str = "whole"
    at: Floats = field(default_factory=lambda: np.zeros(0))
    more: list[tuple[int, int, int]] = field(default_factory=list)

    @property
    def length(self) -> int:
        """From the beginning to the last thing that happened (ns): a pause after it is not of the cycle."""
        return self.end - self.start


class Turns(Struct):
    """All cycles and the typical one, in the order of its events."""

    turns: list[Turn]
    typical: list[Typical]


def lay_out(starts: Ints, all_changes: list[Changes], end: int, floor: int) -> Turns:
    """Cut the log into cycles and find the typical one. Args: floor: ns below which no spread is believed."""
    bounds = np.append(starts, end + 1)
    parts: dict[int, list[tuple[Ints, Ints]]] = {}
    flickers: dict[int, Changes] = {}
    usual: dict[int, int] = {}
    for one in all_changes:
        cut = _cut(one, bounds)
        most, share = _most(cut)
        steady, flicker = _without_flicker(one)
        if len(flicker.times):
            other = _cut(steady, bounds)
            count, better = _most(other)
            if better > share:
                cut, most, share, flickers[one.tag] = other, count, better, flicker
        parts[one.tag] = cut
        if 0 < most <= MOST_OF_TAG and share >= SHARE:
            usual[one.tag] = most
    turns = [Turn(n + 1, int(start), int(start), int(bounds[n + 1]) - (n + 1 == len(starts))) for n, start in enumerate(starts.tolist())]
    span = _span(usual, parts, starts)
    far = max(FAR * span, 4.0 * floor)
    columns: list[tuple[int, int, Floats]] = []  # tag, value, when in each cycle
    for tag, count in usual.items():
        model, values = _model(parts[tag], count, starts)
        if model is None:
            continue
        times = np.full((len(turns), count), np.nan)
        for n, turn in enumerate(turns):
            came, had = parts[tag][n]
            kept, brief = _without_brief(came, had, model, len(values))
            turn.more += [(int(came[i]), tag, int(had[i])) for i in brief]
            came, had = came[kept], had[kept]
            for place, there in enumerate(_matched((came - turn.start).astype(np.float64), had, model, values, far, span)):
                if there >= 0:
                    times[n, there] = came[place] - turn.start
                else:
                    turn.more.append((int(came[place]), tag, int(had[place])))
        columns += [(tag, int(values[i]), times[:, i]) for i in range(count)]
    for tag, cut in parts.items():
        if tag not in usual:
            for n, turn in enumerate(turns):
                turn.more += [(int(t), tag, int(v)) for t, v in zip(*cut[n], strict=True)][:MOST_OF_TAG]
    for tag, flicker in flickers.items():
        for n, (came, had) in enumerate(_cut(flicker, bounds)):
            turns[n].more += [(int(t), tag, int(v)) for t, v in zip(came, had, strict=True)][:MOST_OF_TAG]
    columns.sort(key=lambda c: float(np.nanmedian(c[2])) if not np.isnan(c[2]).all() else np.inf)
    # The few events behind a long rest lead up to the next cycle, where that was said to begin somewhat late.
    known = [float(np.nanmedian(when)) for _, _, when in columns if not np.isnan(when).all()]
    columns = columns[:_rest(known, starts)] if len(known) == len(columns) else columns
    _ends(turns, columns, span)
    _kinds(turns, columns, end, span)
    whole = np.array([t.kind == "whole" for t in turns])
    for n, turn in enumerate(turns):
        turn.at = np.array([c[2][n] for c in columns])
        turn.more.sort()
    return Turns(turns, _typical(columns, whole if whole.any() else np.ones(len(turns), bool), floor))


def _span(usual: dict[int, int], parts: dict[int, list[tuple[Ints, Ints]]], starts: Ints) -> float:
    """How long a cycle usually goes on (ns): to the last change before the rest, of tags that have as many as usual, in the middle."""
    middles: list[float] = []
    for tag, count in usual.items():
        fitting = [t - start for (t, _), start in zip(parts[tag], starts.tolist(), strict=True) if len(t) == count]
        middles += np.median(np.array(fitting, np.float64), axis=0).tolist()
    middles.sort()
    return middles[_rest(middles, starts) - 1] if middles else 0.0


def _rest(middles: list[float], starts: Ints) -> int:
    """How many of the events, by when they usually come, stand before the rest: all, where that comes before the next beginning."""
    if len(middles) < 4 or len(starts) < 2:
        return len(middles)
    gaps = np.diff(np.array([0.0, *middles]))
    at, behind = int(gaps.argmax()), float(np.median(np.diff(starts))) - middles[-1]
    return at if gaps[at] > max(REST * middles[-1], behind) and at >= (1 - LEAD) * len(middles) else len(middles)


def _ends(turns: list[Turn], columns: list[tuple[int, int, Floats]], span: float) -> None:
    """Each cycle ends with the last of its usual events; what happens in the pause behind is no part of it."""
    for n, turn in enumerate(turns):
        came = [float(when[n]) for _, _, when in columns if not np.isnan(when[n])]
        turn.end = turn.start + round(max(came, default=0.0))
        until = turn.start + max(turn.length, span) * 1.02
        turn.more = [m for m in turn.more if m[0] <= until]


def _cut(one: Changes, bounds: Ints) -> list[tuple[Ints, Ints]]:
    places = np.searchsorted(one.times, bounds)
    return [(one.times[a:b], one.values[a:b]) for a, b in zip(places[:-1].tolist(), places[1:].tolist(), strict=True)]


def _model(cut: list[tuple[Ints, Ints]], count: int, starts: Ints) -> tuple[Floats | None, Ints]:
    """The usual times after the start and values of a tag's changes, of the cycles that have as many as most."""
    fitting = [(t - start, v) for (t, v), start in zip(cut, starts.tolist(), strict=True) if len(t) == count]
    orders = Counter(tuple(v.tolist()) for _, v in fitting)
    values = orders.most_common(1)[0][0]
    same = np.array([t for t, v in fitting if tuple(v.tolist()) == values], np.float64)
    return (np.median(same, axis=0), np.array(values, np.int64)) if len(same) else (None, np.array(values, np.int64))


def _most(cut: list[tuple[Ints, Ints]]) -> tuple[int, float]:
    """How many changes of a tag most cycles have, and which share of them does."""
    counts = Counter(len(one[0]) for one in cut)
    most = max(counts, key=lambda n: (counts[n], -n))
    return most, counts[most] / len(cut)


def _without_flicker(one: Changes) -> tuple[Changes, Changes]:
    """A tag's changes without those that come and go at once, beside how long it stands before and after; and those."""
    lengths = np.diff(one.times)
    brief = np.zeros(len(one.times), bool)
    if len(lengths) > 2:
        short = lengths[1:-1] < np.minimum(FLICKER, BESIDE * np.minimum(lengths[:-2], lengths[2:]))
        same = one.values[:-3] == one.values[2:-1] if len(one.values) > 3 else np.zeros(0, bool)
        for i in (np.nonzero(short & same)[0] + 1).tolist():
            if not brief[i]:
                brief[i:i + 2] = True
    return Changes(one.tag, one.times[~brief], one.values[~brief]), Changes(one.tag, one.times[brief], one.values[brief])


def _without_brief(came: Ints, had: Ints, model: Floats, usual: int) -> tuple[list[int], list[int]]:
    """Which changes of a cycle that has more than usual stay, without pairs that come and go faster than the tag ever does; and those."""
    kept, brief = list(range(len(came))), list[int]()
    least = 0.5 * float(np.diff(model).min()) if len(model) > 1 else np.inf
    while len(kept) >= usual + 2:
        lengths = [came[b] - came[a] for a, b in itertools.pairwise(kept)]
        at = int(np.argmin(lengths))
        before = had[kept[at - 1]] if at else None
        if lengths[at] >= least or (before is not None and before != had[kept[at + 1]]):
            break
        brief += kept[at:at + 2]
        del kept[at:at + 2]
    return kept, sorted(brief)


def _matched(came: Floats, had: Ints, model: Floats, values: Ints, far: float, span: float) -> list[int]:
    """For each change of a cycle which of the usual ones it is (-1: none), in order, so that all together they are moved least.

    What is left over on both sides, comes to the same value and stays about as usual is one event after all, however late or early: nothing is
    missing that came.
    """
    if len(came) == len(model) and np.array_equal(had, values) and bool((np.abs(came - model) < 2 * far).all()):
        return list(range(len(model)))
    rows, cols = len(came), len(model)
    cost = np.zeros((rows + 1, cols + 1))
    cost[:, 0], cost[0, :] = np.arange(rows + 1) * far, np.arange(cols + 1) * far
    for i in range(1, rows + 1):
        for j in range(1, cols + 1):
            moved = abs(came[i - 1] - model[j - 1]) if had[i - 1] == values[j - 1] else np.inf
            cost[i, j] = min(cost[i - 1, j - 1] + moved, cost[i - 1, j] + far, cost[i, j - 1] + far)
    found, i, j = [-1] * rows, rows, cols
    while i and j:
        moved = abs(came[i - 1] - model[j - 1]) if had[i - 1] == values[j - 1] else np.inf
        if cost[i, j] == cost[i - 1, j - 1] + moved:
            i, j = i - 1, j - 1
            found[i] = j
        elif cost[i, j] == cost[i - 1, j] + far:
            i -= 1
        else:
            j -= 1
    for i in range(rows):
        if found[i] < 0:
            after = max((j for j in found[:i] if j >= 0), default=-1)
            before = next((j for j in found[i + 1:] if j >= 0), cols)
            stays = came[i + 1] - came[i] if i + 1 < rows else np.inf
            usual = [model[j + 1] - model[j] if j + 1 < cols else span for j in range(cols)]
            found[i] = next((j for j in range(after + 1, before) if values[j] == had[i] and stays > BESIDE * usual[j]), -1)
    return found


def _kinds(turns: list[Turn], columns: list[tuple[int, int, Floats]], end: int, span: float) -> None:
    """Which cycles are whole, begun anew before their end (aborted), or cut off by the log's end."""
    if not columns or not turns:
        return
    late = [n for n, (_, _, when) in enumerate(columns) if not np.isnan(when).all() and float(np.nanmedian(when)) > 0.6 * span]
    for n, turn in enumerate(turns):
        lacking = sum(bool(np.isnan(columns[c][2][n])) for c in late)
        short = bool(late) and lacking > 0.5 * len(late)
        if short and turn.until - turn.start < 0.95 * span:
            turn.kind = "cut" if n + 1 == len(turns) else "aborted"
    last, lasted = turns[-1], end - turns[-1].start
    # What is lacking of the last one may have been to come when the log ended.
    latest = [float(np.nanmax(when)) for _, _, when in columns if np.isnan(when[-1]) and np.isnan(when).mean() <= 1 - OFTEN]
    if last.kind == "whole" and (lasted < 0.95 * span or any(lasted < 1.05 * one for one in latest)):
        last.kind = "cut"


def _typical(columns: list[tuple[int, int, Floats]], whole: NDArray[np.bool_], floor: int) -> list[Typical]:
    """The typical cycle, each event with what it follows most steadily."""
    found: list[Typical] = []
    for place, (tag, value, when) in enumerate(columns):
        mine = when[whole]
        there = ~np.isnan(mine)
        after = float(np.median(mine[there])) if there.any() else 0.0
        # What is nearer counts as tighter: where the interval itself drifts, all are as wide.
        best = (_spread(mine[there], floor), -1, after, (1 + NEARER * min(NEIGHBOURS + 1, place + 1)))
        for before in range(max(0, place - NEIGHBOURS), place):
            gaps = mine - columns[before][2][whole]
            known = gaps[~np.isnan(gaps)]
            if len(known) >= 0.8 * max(1, int(there.sum())) and float(np.median(known)) >= 0:
                best = min(best, (_spread(known, floor), before, float(np.median(known)), 1 + NEARER * (place - before)), key=lambda b: b[0] * b[3])
        found.append(Typical(tag, value, round(after), round(_spread(mine[there], floor)), float(there.mean()) if len(there) else 0.0, best[1],
                             round(best[2]), round(best[0])))
    return found


def _spread(values: Floats, floor: int) -> float:
    """How far values lie from their middle, usually, as a standard deviation; no less than is believed."""
    return max(float(floor), ROBUST * float(np.median(np.abs(values - np.median(values))))) if len(values) else float(floor)
