"""The cycles of a log: found, judged, in words and as JSON."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from whorlograph.inquiry.cycles.begin import LEAST, Beginning, beginnings
from whorlograph.inquiry.cycles.changes import Changes, changes
from whorlograph.inquiry.cycles.deviations import THIN, Deviation, Judged, Kind, judge
from whorlograph.inquiry.cycles.drift import Drift, drifts
from whorlograph.inquiry.cycles.found import Cycles
from whorlograph.inquiry.cycles.turns import lay_out
from whorlograph.inquiry.raster import raster
from whorlograph.inquiry.why import Inquiry
from whorlograph.model.errors import UsageError
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.log import Ints
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .asking import inquiry
from .finding import find
from .session import Session

MOST_LINES = 12


def find_cycles(session: Session, start: str = "", beside: Inquiry | None = None) -> Cycles:
    """The cycles of a session's log. Args: start: a condition; by default one is proposed; beside: asked instead of the session's own, in a thread.

    Raises: UsageError for a condition that cannot be read, that never rises, or where nothing recurs.
    """
    tracer = (beside or inquiry(session)).tracer
    found = changes(tracer)
    if start:
        times, words, others = _given(session, start, found), start, list[str]()
    else:
        proposed = beginnings(found)
        if not proposed:
            raise UsageError("", f"nothing in this log comes {LEAST} times or more, too little to propose a cycle",
                             "give what one begins with: --start TAG")
        times, words = proposed[0].times, _beginning(session, proposed[0])
        others = [_beginning(session, b) for b in proposed[1:4]]
    floor = max(session.controller.scan_time, raster(session.log) // 2)
    turns = lay_out(times, found, session.log.end, floor)
    inputs = frozenset(c.tag for c in found if not tracer.writers.get(c.tag))
    return Cycles(words, not start, turns, judge(turns, inputs, floor), drifts(tracer, turns, floor), found, others)


def _given(session: Session, start: str, known: list[Changes]) -> Ints:
    """When a condition comes; of a tag its changes as cycles have them, without the bounce of contacts."""
    tag = session.running.find(start)
    mine = next((c for c in known if c.tag == tag and session.running.tags[c.tag].type.family is Family.BOOL), None)
    if mine is not None and int((mine.values != 0).sum()) > 1:
        times: Ints = mine.times[mine.values != 0]
        return times
    condition = f"{start} rises" if session.running.find(start) is not None and session.running.tags[session.tag(start)].type.family is Family.BOOL \
        else start
    hits = find(session, condition)
    if hits.wrong or not hits.times:
        raise UsageError("", f"{start} is no condition: {hits.wrong or 'no tag is called so'}", "give a tag or a condition, as in: Step = 10")
    times = np.array(sorted(hits.starts), np.int64)
    if len(times) < 2:
        often = "once" if len(times) else "never"
        raise UsageError("", f"{start} comes {often} in this log: that makes no cycle", "give what comes once in each cycle")
    return times


def _beginning(session: Session, one: Beginning) -> str:
    tag = session.running.tags[one.tag]
    return tag.name if tag.type.family is Family.BOOL else f"{tag.name} = {one.value}"


# words

def event_words(session: Session, tag: int, value: int) -> str:
    """An event: what comes to which value."""
    one = session.running.tags[tag]
    name = inquiry(session).tracer.name(tag)
    return f"{name} {'on' if value else 'off'}" if one.type.family is Family.BOOL else f"{name} = {value}"


def deviation_words(session: Session, judged: Judged, one: Deviation) -> str:
    """A deviation in a sentence's end: what came otherwise, when after the cycle's start."""
    words, after = event_words(session, one.tag, one.value), duration_text(one.time - judged.turn.start)
    if one.kind is Kind.MISSING:
        return f"{words} is missing, usually {duration_text(one.usual)} after the start"
    if one.kind is Kind.ADDITIONAL:
        lasting, stays = (f" for {duration_text(one.lasting)}", "") if one.lasting >= 0 else ("", " and stays so")
        # Only what comes beside the usual events is compared: in its turn the tag may well be so for longer, in all of them.
        where = "in no other out of turn so long" if not one.others else f"out of turn in {counted(one.others, 'other')} too"
        return f"{words}{lasting} at {after}{stays}, {where}"
    if one.kind is Kind.ORDER:
        return f"{words} at {after}, before what it always follows"
    by = duration_text(abs(one.by))
    return f"{words} at {after}, {by} {'later' if one.by > 0 else 'earlier'} than usual"


def drift_words(session: Session, found: Cycles, one: Drift) -> str:
    """A drift in a sentence."""
    typical = found.turns.typical
    event = event_words(session, typical[one.event].tag, typical[one.event].value)
    since = event_words(session, typical[one.follows].tag, typical[one.follows].value) if one.follows >= 0 else "the start"
    text = f"from {since} to {event}: {duration_text(one.last)}, was {duration_text(one.first)} in the first third of the cycles"
    if one.limit >= 0:
        timer = inquiry(session).tracer.name(one.timer).rpartition(".")[0]
        rate = f", met in about {counted(one.cycles_left, 'cycle')} at this rate" if one.cycles_left > 0 else ""
        left = ", met by now" if one.cycles_left == 0 else rate
        text += f"; the limit is {duration_text(one.limit)} ({timer}){left}"
    return text


def summary(found: Cycles) -> str:
    """How many cycles, and how they are told apart."""
    kinds = [j.turn.kind for j in found.judged]
    parts = [counted(found.whole, "whole cycle"), *(f"{kinds.count(k)} {word}" for k, word in (("aborted", "begun anew before their end"),
                                                                                              ("cut", "cut off by the log's end")) if kinds.count(k))]
    lengths = [j.turn.length for j in found.judged if j.turn.kind == "whole"]
    usual = f", {duration_text(int(np.median(lengths)))} long in the middle" if lengths else ""
    how = f"each begins where {found.start} comes" + (" (proposed)" if found.proposed else "")
    return f"{', '.join(parts)}{usual}; {how}"


def cycle_words(session: Session, one: Judged) -> str:
    """A cycle in a line: when, how long, what is first of what it does otherwise."""
    begin = f"cycle {one.turn.number}, {clock_text(session.log, one.turn.start)}, {duration_text(one.turn.length)}"
    if one.turn.kind != "whole":
        begin += {"aborted": ", begun anew before its end", "cut": ", cut off"}[one.turn.kind]
    return f"{begin}: {deviation_words(session, one, one.first)}" if one.first is not None else f"{begin}: as usual"


def cycles_lines(session: Session, found: Cycles) -> list[str]:
    """The cycles in words."""
    lines = [summary(found)]
    if found.others:
        lines.append(f"would do too: {', '.join(found.others)} (--start)")
    if found.whole < THIN:
        lines.append(f"fewer than {THIN} whole cycles: nothing can be said to be usual")
    odd = [j for j in found.ranked if j.first is not None]
    lines += ["", "otherwise than the others, oddest first:"] if odd else ["", "no cycle does otherwise than the others"]
    for one in odd[:MOST_LINES]:
        lines.append(f"  {cycle_words(session, one)}")
        lines += [f"      then {deviation_words(session, one, d)}" for d in one.deviations[1:4]]
    if len(odd) > MOST_LINES:
        lines.append(f"  and {len(odd) - MOST_LINES} more")
    if len(odd) > 1 and abs(odd[0].distance - odd[1].distance) < 0.01 * max(1.0, odd[0].distance):
        lines.append("  the first two are equally odd")
    if found.drift:
        lines += ["", "growing or shrinking:", *(f"  {drift_words(session, found, d)}" for d in found.drift[:MOST_LINES])]
    return lines


def cycles_told(session: Session, found: Cycles) -> list[str]:
    """The cycles in few sentences, for a survey: how many, the oddest, what drifts."""
    odd = [j for j in found.ranked if j.first is not None and j.turn.kind == "whole"]
    return [summary(found), *(cycle_words(session, j) for j in odd[:1]), *(drift_words(session, found, d) for d in found.drift[:3])]


def cycles_json(session: Session, found: Cycles) -> dict[str, Any]:
    """The cycles as JSON (DESIGN section 7); times in seconds from the log's start, those of typical events from the cycle's."""
    name: Callable[[int], str] = inquiry(session).tracer.name

    def value(tag: int, bits: int) -> bool | int:
        return bool(bits) if session.running.tags[tag].type.family is Family.BOOL else bits

    def first(one: Judged) -> dict[str, Any] | None:
        d = one.first
        return {"tag": name(d.tag), "value": value(d.tag, d.value), "t": d.time / 1e9, "kind": d.kind.value} if d is not None else None

    def event(place: int) -> dict[str, Any] | None:
        if place < 0:
            return None
        one = found.turns.typical[place]
        return {"tag": name(one.tag), "value": value(one.tag, one.value)}

    return {"start": found.start,
            "cycles": [{"number": j.turn.number, "t": j.turn.start / 1e9, "length": j.turn.length / 1e9, "kind": j.turn.kind,
                        "distance": round(float(j.distance), 3), "first": first(j)} for j in found.ranked],
            "typical": [{"tag": name(t.tag), "value": value(t.tag, t.value), "after": t.after / 1e9, "spread": t.spread / 1e9,
                         "share": round(float(t.share), 3)} for t in found.turns.typical],
            "drift": [{"from": event(d.follows), "to": event(d.event), "first": d.first / 1e9, "last": d.last / 1e9,
                       "limit": d.limit / 1e9 if d.limit >= 0 else None, "p": float(d.p)} for d in found.drift]}
