"""Pages of answers beside the one question: what was unusual, disagreements, what a tag needs, findings, explanations, what can be asked."""

from __future__ import annotations

import textwrap

from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.inquiry.attempts import tried_text
from whorlograph.inquiry.odd import OddEvent, event_text, left_text, looked_text
from whorlograph.inquiry.symptoms import course
from whorlograph.inquiry.usual import ENOUGH, USUAL, Drop, has_earlier, root_name
from whorlograph.inquiry.ways import MOST, looked, ways
from whorlograph.model.literals import duration_text
from whorlograph.model.question import Question, Symptom
from whorlograph.model.times import clock_text

from .asking import inquiry
from .checking import WEIGHTS, check, takes_long
from .disagreeing import AGREE, disagree_text, stretches, values_text
from .explain import HEADINGS, look_up, page_lines, pages
from .listings import Line, Listing, cells_row
from .needing import need_words
from .session import Session


def _text(text: str, ink: Ink = Ink.TEXT) -> Line:
    return Line(((f" {text}", ink),))


def _wrapped(text: str, width: int, ink: Ink = Ink.TEXT, indent: int = 1) -> list[Line]:
    return [Line(((" " * indent + part, ink),)) for part in textwrap.wrap(text, max(20, width - indent - 1))]


def odd_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """What was unusual in this log, the oddest first."""
    found, tracer = session.odd, inquiry(session).tracer
    if found is None:
        waiting = _text("the drop-outs of this log are being compared ...", Ink.QUIET)
        return Listing("what was unusual", (), (waiting,), (), "Backspace shows the question")
    lines: list[Line] = []
    for event in found.events:
        lines += _event_lines(session, event, width)
    if not found.events:
        lines.append(_text("no drop-out was unlike the others of its tag" if found.looked else "no output dropped out in this log", Ink.QUIET))
    if found.stuck:
        lines += [_text("", Ink.QUIET), _text("do not pull in at the end of this log", Ink.QUIET)]
        for one in found.stuck:
            row = cells_row([(f"   {tracer.name(one.tag)}", 28, Ink.STRONG), (tried_text(one.attempts, tracer.at(one.last)), 0, Ink.TEXT)])
            lines.append(Line(row, one.tag, question=Question(one.tag, None, Symptom.WILL_NOT_PULL_IN)))
    if found.singles:
        lines += [_text("", Ink.QUIET), _text("dropped out only once in this log", Ink.QUIET)]
        for single in found.singles:
            lines.append(Line(cells_row([(f"   {tracer.at(single.time)}", 16, Ink.TEXT), (tracer.name(single.tag), 24, Ink.STRONG),
                                         (f"because of {root_name(tracer, single.root)}", 0, Ink.TEXT)]), single.tag,
                              question=Question(single.tag, single.time, Symptom.DROPPED_OUT)))
    left = left_text(found)
    if left:
        lines += [_text("", Ink.QUIET), *_wrapped(f"compared were {left}", width, Ink.QUIET)]
    more = "" if session.odd_known else ", so far"
    title = f"what was unusual: {looked_text(found)}{more}"
    return Listing(title, (), tuple(lines), (), "Enter asks why · Backspace shows the question")


def _event_lines(session: Session, event: OddEvent, width: int) -> list[Line]:
    tracer = inquiry(session).tracer
    first = event.oddest
    question = Question(first.tag, first.time, Symptom.DROPPED_OUT)
    parts = textwrap.wrap(event_text(tracer, event), max(20, width - 4))
    lines = [Line(((f" {'! ' if i == 0 else '  '}{part}", Ink.STRONG if i == 0 else Ink.TEXT),), first.tag if i == 0 else None,
                  question=question if i == 0 else None) for i, part in enumerate(parts)]
    return lines + _wrapped(event.root.text, width, Ink.QUIET, 5)


def disagreement_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """Where the log recorded tags otherwise than they were computed."""
    tracer, found = inquiry(session).tracer, stretches(session)
    lines = []
    for one in found:
        row = cells_row([(f" {tracer.at(one.start)}", 14, Ink.TEXT), (duration_text(one.end - one.start), 10, Ink.QUIET),
                         (tracer.name(one.tag), 26, Ink.STRONG), (values_text(session, one), 0, Ink.TEXT)])
        lines.append(Line(row, one.tag, time=one.start))
    if not lines:
        lines = [_text(AGREE, Ink.QUIET)]
    hint = "Enter goes to the moment · is this the program that ran?" if found else "Backspace comes back"
    return Listing(disagree_text(found) or "log and program", (), tuple(lines), (), hint)


def ways_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """What a tag needs to pull in, and what of it is missing at the moment."""
    assert tag is not None
    tracer = inquiry(session).tracer
    down = order % 2 == 1
    found = looked(tracer, ways(tracer, tag, down), scan)
    lines: list[Line] = []
    for number, one in enumerate(found[:MOST], 1):
        missing = one.missing
        short = f"only {missing[0].words()} is missing" if len(missing) == 1 else f"{len(missing)} of {len(one.way.needs)} are missing"
        state = "always" if not one.way.needs else short if missing else "all is there"
        kind = " (keeps it on)" if one.way.holds else " (sets it)" if one.way.writer.kind.value == "set" else ""
        never = "; this log never had it" if one.tried is False else ""
        lines += [_text("")] if number > 1 else []
        lines.append(Line(((f" {number}. {tracer.place(one.way.writer.step)}{kind}: {state}{never}", Ink.STRONG if missing else Ink.LIVE),), None,
                          one.way.writer.step, one.way.writer.element))
        pairs = list(zip(one.way.needs, one.met, strict=True))
        for need, is_met in sorted(pairs, key=lambda p: p[1] is not False) if down else pairs:
            point = session.iolist.get(need.tag) if need.tag is not None else None
            said = (point.description if point is not None else "") or (session.running.tags[need.tag].documentation if need.tag is not None else "")
            ink = Ink.BLOCK if is_met is False else Ink.TEXT
            lines.append(Line(((f"    {need_words(session, need, is_met)}", ink), (f"  {said}", Ink.QUIET)), need.tag))
    if not lines:
        lines = [_text("no rung brings it on", Ink.QUIET)]
    coming = sum(not one.way.holds for one in found)
    count = f"more than {MOST} ways" if coming > MOST else f"{coming} way{'' if coming == 1 else 's'}"
    return Listing(f"what {tracer.name(tag)} needs: {count}", (), tuple(lines), ("by its own rungs", "down to the inputs"),
                   "s goes down to the inputs · Enter opens the rung or tag")


def finding_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """What looks suspicious in the program."""
    if takes_long(session):
        return Listing("findings", (), (_text("the program is being looked through ...", Ink.QUIET),), (), "Backspace shows the question")
    lines: list[Line] = []
    found = check(session)
    for weight, heading in WEIGHTS.items():
        mine = [f for f in found if f.weight == weight]
        if mine:
            lines += [_text("")] * bool(lines) + [_text(heading, Ink.QUIET)]
        for one in mine:
            parts = textwrap.wrap(one.text, max(20, width - 5))
            lines.append(Line(((f"   {parts[0]}", Ink.STRONG),), one.tag, one.step, one.element, word=one.key))
            lines += [Line(((f"   {p}", Ink.STRONG),)) for p in parts[1:]]
            lines += _wrapped(one.effect, width, Ink.TEXT, 6)
    if not lines:
        lines = [_text("nothing looks suspicious", Ink.QUIET)]
    return Listing(f"findings: {len(found)}", (), tuple(lines), (), "Enter opens the rung · E explains · w asks why")


def explain_page(session: Session, word: str, width: int) -> Listing:
    """One page of explanation, or all of them."""
    found = look_up(word)
    if not found:
        lines: list[Line] = []
        for kind, heading in HEADINGS.items():
            lines += [_text("")] * bool(lines) + [_text(heading, Ink.QUIET)]
            mine = [p for p in pages().values() if p.kind == kind]
            lines += [Line(cells_row([(f"   {p.name}", 26, Ink.STRONG), (p.title, 0, Ink.TEXT)]), word=p.name) for p in mine]
        return Listing("explanations", (), tuple(lines), (), "Enter opens a page · / filters")
    runs: list[list[Run]] = page_lines(found[0], width - 4)
    lines = [Line(((" ", Ink.TEXT), *line)) for line in runs]
    if len(found) > 1:
        lines += [_text(""), _text("see also", Ink.QUIET)]
        lines += [Line(((f"   {p.title}", Ink.STRONG),), word=p.name) for p in found[1:6]]
    return Listing(f"explained: {found[0].name}", (), tuple(lines), (), "Backspace comes back · whorlograph explain prints it")


DROP_ORDERS = ("unlike the others first", "latest first")


def asking_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """What can be asked of a tag at the moment, and each of its drop-outs with its reason."""
    assert tag is not None
    tracer, journal = inquiry(session).tracer, session.journal
    path, now = course(journal, tag), journal.clock.start(max(1, scan))
    on, name = bool(path.at(scan)), tracer.name(tag)
    dropped = path.last_change(scan, False) is not None
    lines = [_text(f"{name} is {'on' if on else 'off'} at {clock_text(session.log, now)}; ask", Ink.QUIET)]
    choices = ((Symptom.WILL_NOT_PULL_IN, not on, "why does it not pull in?"), (Symptom.WILL_NOT_DROP_OUT, on, "why does it not drop out?"),
               (Symptom.DROPPED_OUT, dropped, "why did it drop out, last?"), (Symptom.CHATTERS, len(path.scans) > 4, "why does it chatter?"))
    for symptom, there, what in choices:
        if there:
            lines.append(Line(cells_row([(f"   {what}", 34, Ink.STRONG), (symptom.words, 0, Ink.QUIET)]), question=Question(tag, now, symptom)))
    drops = session.drops.get(tag)
    lines += [_text(""), _text("its drop-outs" if drops is None else f"its drop-outs: {len(drops)}", Ink.QUIET)]
    if drops is None:
        lines.append(_text("  are being compared ..." if dropped or len(path.scans) else "  none in this log", Ink.QUIET))
    else:
        lines += _drop_lines(session, tag, drops, width, order % len(DROP_ORDERS))
    return Listing(f"asking of {name}", (), tuple(lines), DROP_ORDERS, "Enter asks · s sorts · Backspace comes back")


def _drop_lines(session: Session, tag: int, drops: list[Drop], width: int, order: int) -> list[Line]:
    tracer, lines = inquiry(session).tracer, []
    counts: dict[object, int] = {}
    for one in drops:
        counts[one.signature] = counts.get(one.signature, 0) + 1
    latest, cut = drops[::-1], has_earlier(tracer, tag, drops)
    for one in latest if order else sorted(latest, key=lambda d: counts[d.signature]):
        time, count = tracer.time(one.scan), counts[one.signature]
        single = count == 1 and len(drops) > 1
        alone = f"once in {len(drops):,}" if cut else "only this time"
        share = "as usual" if count >= USUAL * len(drops) and len(drops) >= ENOUGH else alone if single else f"{count} of {len(drops)}"
        row = cells_row([(f"   {tracer.at(time)}", 16, Ink.TEXT), (share, 15, Ink.STRONG if single else Ink.QUIET),
                         (fitted(one.root.text, max(20, width - 36)), 0, Ink.TEXT)])
        lines.append(Line(row, question=Question(tag, time, Symptom.DROPPED_OUT)))
    return lines
