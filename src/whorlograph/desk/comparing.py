"""Two moments beside one another: when it was last right, and what differs between any two (DESIGN section 8)."""

from __future__ import annotations

import textwrap
from typing import Any

from whorlograph.drawing.shapes import Ink
from whorlograph.inquiry.last_right import Differs, LastRight, last_right, sources, upstream
from whorlograph.inquiry.symptoms import course
from whorlograph.inquiry.trail import Answer
from whorlograph.model.literals import cooked, counted, duration_text, said_value
from whorlograph.model.question import Symptom
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .listings import Line, Listing, cells_row
from .session import Session
from .tables import xref_of
from .timeline import Timeline, names_width

MOST_LANES = 8
BEFORE = 10_000_000_000  # what is shown before two moments, ns
_WITHOUT = {Symptom.CHATTERS: "a tag that flickers has no time at which it was right", Symptom.VALUE: "a number has no time at which it was right"}


def right_of(session: Session, answer: Answer) -> LastRight | None:
    """The time at which what is asked about was right, beside the one asked for."""
    above = upstream(answer.tag, xref_of(session).decided_by)
    return last_right(session.journal, answer, session.running.tags, above)


def shift(session: Session, found: LastRight) -> int:
    """From this time to the other one, ns."""
    clock = session.journal.clock
    return clock.start(found.then) - clock.start(found.now)


def right_sentences(session: Session, answer: Answer, found: LastRight | None) -> list[str]:
    """What is found, in sentences: the other time, and the first that differs."""
    name = session.running.tags[answer.tag].name
    if found is None:
        rose = course(session.journal, answer.tag).last_change(answer.scan, True) is not None
        return [_WITHOUT.get(answer.symptom) or {
            Symptom.DROPPED_OUT: f"{name} went on only once in this log" if rose else f"{name} was on when the log began: no run to lay it beside",
            Symptom.WILL_NOT_PULL_IN: f"{name} was on at no scan's end in this log",
            Symptom.WILL_NOT_DROP_OUT: f"{name} was off at no scan's end in this log"}[answer.symptom]]
    clock = session.journal.clock
    then, now = (clock_text(session.log, clock.start(s)) for s in (found.then, found.now))
    order = "last" if found.then < found.now else "only later"
    if answer.symptom is Symptom.DROPPED_OUT:
        lasted = duration_text(clock.start(found.until) - clock.start(found.now))
        if found.whole:
            how = "longer than" if found.longer else "as long as"
            said = [f"{name} {order} stayed on {how} this time, {lasted}, from {then}. Both runs lie side by side from where it went on."]
        else:
            said = [f"{name} was on for {lasted} this time; no other run in this log lasted as long. The longest of them, from {then}, "
                    "lies beside it."]
    else:
        did = "pulled in" if answer.symptom is Symptom.WILL_NOT_PULL_IN else "dropped out"
        said = [f"{name} {order} {did} at {then}: how things stood in that scan, and how they stand at {now}."]
    if not found.differs:
        within = f", give or take {duration_text(found.late)}" if answer.symptom is Symptom.DROPPED_OUT else ""
        return [*said, f"Nothing that it hangs on went otherwise{within}."]
    if answer.symptom is Symptom.DROPPED_OUT:
        return [*said, f"The first that went otherwise: {difference_text(session, found, found.differs[0])}."]
    apart = [d for d in sources(found, xref_of(session).decided_by) if session.running.tags[d.tag].type.family is Family.BOOL]
    first = apart[:3] or found.differs[:1]
    return [*said, f"What differs and hangs on nothing else that differs: {'; '.join(difference_text(session, found, d) for d in first)}."]


def difference_text(session: Session, found: LastRight, one: Differs) -> str:
    """How a tag went otherwise, in words."""
    name, at = session.running.tags[one.tag].name, clock_text(session.log, one.at)
    then, now = _value(session, one.tag, one.then), _value(session, one.tag, one.now)
    went = "went" if session.running.tags[one.tag].type.family is Family.BOOL else "became"
    behind = duration_text(one.at - session.journal.clock.start(found.now))
    if one.how == "more":
        return f"{name} {went} {now} at {at}, {behind} after; then it stayed {then}"
    if one.how == "less":
        return f"{name} stayed {now}; then it {went} {then} {behind} after"
    if one.how == "other":
        return f"{name} {went} {now} at {at}; then it {went} {then}"
    if one.how == "start":
        return f"{name} was {now} to begin with; then it was {then}"
    return f"{name} is {now} since {at}; then it was {then}"


def right_page(session: Session, answer: Answer, width: int, timeline: Timeline) -> Listing:
    """When it was last right, and all that differs. Args: timeline: draws both courses of the first of them."""
    found = right_of(session, answer)
    lines = [Line(((f" {part}", Ink.STRONG if i else Ink.TEXT),)) for i, said in enumerate(right_sentences(session, answer, found))
             for part in textwrap.wrap(said, max(20, width - 2))]
    if found is None:
        return Listing("last right", (), tuple(lines), (), "Backspace shows the question")
    lines.append(Line((("", Ink.TEXT),)))
    wide = width >= 110
    named = max([8, *(len(session.running.tags[d.tag].name) for d in found.differs)]) + 4
    named = min(named, 30 if wide else 22)
    for one in found.differs:
        point = session.iolist.get(one.tag)
        tag = session.running.tags[one.tag]
        text = difference_text(session, found, one).removeprefix(f"{tag.name} ")
        cells = [(f"   {tag.name}", named, Ink.STRONG), (text, 66 if wide else 0, Ink.TEXT)]
        if wide:
            cells.append(((point.description if point is not None else "") or tag.documentation, 0, Ink.QUIET))
        lines.append(Line(cells_row(cells), one.tag, time=one.at))
    then = clock_text(session.log, session.journal.clock.start(found.then))
    lines += _lanes(session, found, then, width, timeline)
    title = f"last right: {then} beside this time, {counted(len(found.differs), 'tag')} went otherwise"
    return Listing(title, (), tuple(lines), (), "Enter goes there: the thin lanes below are the time it was right · w asks why")


def _lanes(session: Session, found: LastRight, then: str, width: int, timeline: Timeline) -> list[Line]:
    """Both courses, one below the other, as far as they are compared."""
    clock = session.journal.clock
    begin, end = clock.start(found.now), clock.start(found.until)
    tags = [found.tag, *(d.tag for d in found.differs if session.running.tags[d.tag].type.family is Family.BOOL)][:MOST_LANES]
    if end <= begin:  # two moments: what led to each
        begin = max(0, end - BEFORE)
    edge = max(20_000_000, (end - begin) // 12)
    names = names_width(width)
    timeline.with_second(session.journal, f"from {then}", shift=shift(session, found))
    first = found.differs[0].at if found.differs else end
    layout = timeline.layout(tags, begin - edge, end + edge, max(10, width - names - 1), first, found.until)
    drawn, _ = timeline.lines(layout, names, None, 1000)
    head = Line(((" this time, and thin below it the time when it was right", Ink.QUIET),))
    return [Line((("", Ink.TEXT),)), head, *(Line(tuple(runs)) for runs in drawn)]


def differing(session: Session, tag: int, one: int, two: int) -> list[tuple[int, int, int]]:
    """The tags that differ between two scans, (tag, value in the first, value in the second): nearest to a tag first, then by name."""
    journal, tags = session.journal, session.running.tags
    near = upstream(tag, xref_of(session).decided_by)
    at = [journal.settled_position(s) for s in (one, two)]
    found = [(t.index, *(journal.value_at(t.index, p) for p in at)) for t in tags[:session.running.public] if t.listed]
    apart = [(t, a, b) for t, a, b in found if a != b]
    apart.sort(key=lambda x: (x[0] != tag, near.get(x[0], len(near) + 1), tags[x[0]].name.lower()))
    return apart


def compared_page(session: Session, tag: int, other: int, scan: int, width: int) -> Listing:
    """What differs between another time (ns) and the moment."""
    clock, tags = session.journal.clock, session.running.tags
    there = max(1, clock.scan_at(other))
    near = upstream(tag, xref_of(session).decided_by)
    times = [clock_text(session.log, clock.start(s)) for s in (there, scan)]
    rows = differing(session, tag, there, scan)
    lines: list[Line] = []
    for one, before, after in rows:
        if lines and not _far(lines[-1].tag, tag, near) and _far(one, tag, near):
            lines.append(Line(((f" what {tags[tag].name} does not hang on", Ink.QUIET),)))
        point = session.iolist.get(one)
        said = (point.description if point is not None else "") or tags[one].documentation
        lines.append(Line(cells_row([(f" {tags[one].name}", 27, Ink.STRONG), (_value(session, one, before), 12, Ink.TEXT),
                                     (_value(session, one, after), 12, Ink.STRONG), (said, 0, Ink.QUIET)]), one))
    if not lines:
        lines = [Line(((" nothing differs", Ink.QUIET),))]
    head = Line(cells_row([(" tag", 27, Ink.QUIET), (times[0], 12, Ink.QUIET), (times[1], 12, Ink.QUIET), ("what it is", 0, Ink.QUIET)]))
    title = f"{times[0]} and {times[1]}: {counted(len(rows), 'tag')} differ{'s' * (len(rows) == 1)}, nearest to {tags[tag].name} first"
    return Listing(title, (head,), tuple(lines), (), "Enter shows where a tag is used · w asks why · . and , move this moment")


def _far(one: int | None, tag: int, near: dict[int, int]) -> bool:
    return one is not None and one != tag and one not in near


def right_json(session: Session, answer: Answer) -> dict[str, Any]:
    """When it was last right, as JSON."""
    found, clock, tags = right_of(session, answer), session.journal.clock, session.running.tags
    said = {"tag": tags[answer.tag].name, "symptom": answer.symptom.value, "text": right_sentences(session, answer, found)}
    if found is None:
        return said | {"then": None, "now": None, "differs": []}
    differs = [{"tag": tags[d.tag].name, "how": d.how, "then": _value(session, d.tag, d.then), "now": _value(session, d.tag, d.now), "at": d.at / 1e9,
                "steps": d.depth} for d in found.differs]
    return said | {"then": clock.start(found.then) / 1e9, "now": clock.start(found.now) / 1e9, "whole": found.whole, "differs": differs}


def right_text(session: Session, answer: Answer) -> str:
    """The same for reading."""
    found = right_of(session, answer)
    lines = [part for said in right_sentences(session, answer, found) for part in textwrap.wrap(said, 100)]
    if found is not None and found.differs:
        lines += ["", *(f"  {difference_text(session, found, d)}" for d in found.differs)]
    return "\n".join(lines)


def _value(session: Session, tag: int, raw: int) -> str:
    """A raw value in words."""
    one = session.running.tags[tag]
    if one.type.family is Family.BOOL:
        return "on" if raw else "off"
    if one.enumeration is not None:
        return next((n for n, v in one.enumeration.values if v == raw), str(raw))
    return said_value(cooked(raw, one.type), one.type)
