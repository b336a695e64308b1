"""The cycles as a page: a row a cycle, its columns the time since the cycle began; the typical one above, the odd one marked."""

from __future__ import annotations

import textwrap

import numpy as np

from whorlograph.drawing.glyphs import BLOCKED, OFF, ON
from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.inquiry.cycles.changes import Changes
from whorlograph.inquiry.cycles.deviations import THIN, Deviation, Judged, Kind
from whorlograph.inquiry.cycles.found import Cycles
from whorlograph.inquiry.cycles.turns import Turn
from whorlograph.model.cells import padded
from whorlograph.model.literals import duration_text
from whorlograph.model.question import Question, Symptom
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .asking import inquiry
from .cycles import cycle_words, deviation_words, drift_words, summary
from .cycles_paper import on_times, ticks, usual_span
from .listings import Line, Listing
from .session import Session

ORDERS = ("oddest first", "by time", "longest first")
ONE, MANY = "╷", "┃"  # changes in a cell


class CycleLine(Line):
    """A line that stands for a cycle."""

    __slots__ = ("judged",)

    def __init__(self, runs: tuple[Run, ...], judged: Judged, tag: int | None) -> None:
        super().__init__(runs, tag, time=judged.turn.start, word="cycle")
        self.judged = judged


def names_width(width: int) -> int:
    """Columns before the strip of a cycle."""
    return 36 if width >= 110 else 24


def cells(width: int) -> int:
    """Columns of a strip."""
    return max(10, width - names_width(width) - 2)


def cycles_page(session: Session, width: int, order: int, lane: int | None, cursor: int) -> Listing:
    """The cycles, as far as they are found. Args: lane: the tag whose on-times are drawn, None: all changes as ticks; cursor: a cell, -1 none."""
    found = session.cycles
    if found is None:
        text = session.cycles_wrong or "the cycles are being looked for ..."
        return Listing("cycles", (), (Line(((f" {text}", Ink.QUIET),)),), (), "t says what a cycle begins with")
    span, wide = usual_span(found), cells(width)
    judged = ranked_by(found, order)
    course = next((c for c in found.all_changes if c.tag == lane), None)
    head = [Line(((f" {part}", Ink.STRONG),)) for part in textwrap.wrap(summary(found), max(20, width - 2))]
    if found.whole < THIN:
        head.append(Line(((f" fewer than {THIN} whole cycles: nothing can be said to be usual", Ink.QUIET),)))
    shown = f"{inquiry(session).tracer.name(lane)} on" if course is not None else "all changes"
    head.append(Line(_with_cursor(_typical_runs(found, course, span, wide, width, shown), width, cursor)))
    head.append(Line(_axis(span, wide, width, cursor)))
    lines: list[Line] = []
    for one in judged:
        runs = _with_cursor(_row(session, one, course, span, wide, width), width, cursor)
        first = asked_of(session, one)
        lines.append(CycleLine(runs, one, first.tag if first is not None else one.first.tag if one.first is not None else None))
        if one.first is not None and wide > 30:
            lines += _said(deviation_words(session, one, one.first), width, 10 if width >= 110 else 4, Ink.QUIET)
    if found.drift:
        lines += [Line((("", Ink.TEXT),)), Line(((" growing or shrinking", Ink.STRONG),))]
        for drift in found.drift:
            lines += _said(drift_words(session, found, drift), width, 3, Ink.TEXT, found.turns.typical[drift.event].tag)
    hint = "Enter asks about the first deviation · Space another lane · Left Right a time in all · s orders · t other beginning · e the whorl"
    return Listing("cycles", tuple(head), tuple(lines), ORDERS, hint)


def _said(sentence: str, width: int, indent: int, ink: Ink, tag: int | None = None) -> list[Line]:
    """A sentence whole, in as many lines as it takes; the first leads to its tag."""
    before = " " * indent
    parts = textwrap.wrap(sentence, width - 1, initial_indent=before, subsequent_indent=before)
    return [Line(((part, ink),), tag if not place else None) for place, part in enumerate(parts)]


def ranked_by(found: Cycles, order: int) -> list[Judged]:
    """The cycles in one of the orders."""
    if order % 3 == 0:
        return found.ranked
    return sorted(found.judged, key=lambda j: j.turn.number if order % 3 == 1 else -j.turn.length)


def lanes_of(session: Session, found: Cycles) -> list[int]:
    """The tags whose on-times can be shown, those first that go otherwise in some cycle."""
    bools = {c.tag for c in found.all_changes if session.running.tags[c.tag].type.family is Family.BOOL}
    odd = [d.tag for j in found.ranked for d in j.deviations[:3]]
    return [t for t in dict.fromkeys((*odd, *(t.tag for t in found.turns.typical))) if t in bools]


def asked_of(session: Session, one: Judged) -> Question | None:
    """The question that a cycle's deviations lead to: of the first tag that the program writes; None where there is none."""
    tracer = inquiry(session).tracer
    for deviation in one.deviations:
        if session.running.tags[deviation.tag].type.family is Family.BOOL and tracer.writers.get(deviation.tag):
            symptom = _symptom(deviation)
            if symptom is not None:
                return Question(deviation.tag, deviation.time + (2 * session.controller.scan_time), symptom)
    return None


def _symptom(one: Deviation) -> Symptom | None:
    late = one.kind in (Kind.MISSING, Kind.LATE)
    if late:
        return Symptom.WILL_NOT_PULL_IN if one.value else Symptom.WILL_NOT_DROP_OUT
    return Symptom.DROPPED_OUT if not one.value else Symptom.WILL_NOT_DROP_OUT if one.lasting < 0 or one.lasting > 50_000_000 else None


def time_at(session: Session, turn: Turn, cursor: int, width: int) -> int:
    """The time (ns) of a cell of a cycle's strip."""
    assert session.cycles is not None
    return turn.start + usual_span(session.cycles) * cursor // cells(width)


def _place(after: float, span: int, wide: int) -> int:
    return min(wide - 1, max(0, int(after * wide / span)))


def _row(session: Session, one: Judged, course: Changes | None, span: int, wide: int, width: int) -> tuple[Run, ...]:
    turn, odd = one.turn, one.first is not None
    kind = {"whole": "", "aborted": " anew", "cut": " cut"}[turn.kind]
    clock = f"  {clock_text(session.log, turn.start):<13}" if width >= 110 else ""
    begin = f" {'!' if odd else ' '}{turn.number:>4}{clock}"
    left = padded(f"{begin} {fitted(duration_text(turn.length) + kind, 14)}", names_width(width))
    strip = _strip(turn, course, span, wide)
    bad = {_place(d.time - turn.start, span, wide) for d in one.deviations[:1]}
    return ((left, Ink.STRONG if odd else Ink.TEXT), *_runs(strip, bad, Ink.LIVE if course is not None else Ink.STRONG if odd else Ink.TEXT))


def _strip(turn: Turn, course: Changes | None, span: int, wide: int) -> list[str]:
    """A cycle's cells: on and off of a tag, or its changes as ticks; blank behind its end."""
    upto = _place(max(1, turn.length), span, wide) + 1
    if course is not None:
        found = [OFF] * upto + [" "] * (wide - upto)
        for begin, end in on_times(course, turn.start, max(turn.end, turn.start + 1)):
            for cell in range(_place(begin, span, wide), min(upto, _place(end, span, wide) + 1)):
                found[cell] = ON
        return found
    counts = np.zeros(wide, np.int64)
    for after in (*(float(a) for a in turn.at[~np.isnan(turn.at)]), *(float(m[0] - turn.start) for m in turn.more)) if len(turn.at) else ():
        if after <= span:
            counts[_place(after, span, wide)] += 1
    return [MANY if n > 2 else ONE if n else "·" if i < upto else " " for i, n in enumerate(counts.tolist())]


def _runs(strip: list[str], bad: set[int], ink: Ink) -> list[Run]:
    found: list[Run] = []
    for i, char in enumerate(strip):
        mine = Ink.BLOCK if i in bad else Ink.DEAD if char in (OFF, "·", " ") else ink
        text = BLOCKED if i in bad else char
        if found and found[-1][1] is mine:
            found[-1] = found[-1][0] + text, mine
        else:
            found.append((text, mine))
    return found


def _typical_runs(found: Cycles, course: Changes | None, span: int, wide: int, width: int, shown: str) -> tuple[Run, ...]:
    strip = ["·"] * wide
    for one in found.turns.typical:
        if course is None or one.tag == course.tag:
            strip[_place(one.after, span, wide)] = ONE
    if course is not None:
        on, last = False, 0
        for one in [t for t in found.turns.typical if t.tag == course.tag]:
            cell = _place(one.after, span, wide)
            strip[last:cell] = [ON if on else OFF] * (cell - last)
            on, last = bool(one.value), cell
        strip[last:] = [ON if on else OFF] * (wide - last)
    return ((padded(fitted(f"  typical · {shown}", names_width(width) - 1), names_width(width)), Ink.QUIET),
            *_runs(strip, set(), Ink.LIVE if course is not None else Ink.TEXT))


def _axis(span: int, wide: int, width: int, cursor: int) -> tuple[Run, ...]:
    row = [" "] * wide
    for time, words in ticks(span):
        at = _place(time, span, wide)
        text = f"╷{words}"
        if at + len(text) <= wide and all(c == " " for c in row[at:at + len(text)]):
            row[at:at + len(text)] = text
    label = f"  at {duration_text(span * cursor // wide)}" if cursor >= 0 else "  since the beginning"
    return ((padded(label, names_width(width)), Ink.MOMENT if cursor >= 0 else Ink.QUIET), ("".join(row), Ink.QUIET))


def _with_cursor(runs: tuple[Run, ...], width: int, cursor: int) -> tuple[Run, ...]:
    """A row with the time that is looked at in all of them."""
    if cursor < 0:
        return runs
    found, at, wanted = list[Run](), 0, names_width(width) + cursor
    for text, ink in runs:
        if at <= wanted < at + len(text):
            i = wanted - at
            char = "█" if text[i] == ON else "│" if text[i] in ("·", " ", OFF) else text[i]
            found += [(text[:i], ink), (char, Ink.MOMENT), (text[i + 1:], ink)]
        else:
            found.append((text, ink))
        at += len(text)
    return tuple(r for r in found if r[0])


def chosen_words(session: Session, one: Judged) -> str:
    """The chosen cycle in a line."""
    assert session.cycles is not None
    return cycle_words(session, one)
