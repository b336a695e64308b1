"""What the views beside the question show: tags, one tag's uses, points, the survey; as lines, without a screen."""

from __future__ import annotations

import datetime as dt
import textwrap
from collections.abc import Callable
from functools import partial

from msgspec import Struct

from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.engine.journal import Journal
from whorlograph.inquiry.xref import Entry, Usage
from whorlograph.model.cells import padded
from whorlograph.model.literals import cooked, counted, duration_text, said_value
from whorlograph.model.question import Question
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .cycles import cycles_told
from .job import Kept, WalkStep
from .lanes import lane_of_scans, lane_of_task
from .session import Session
from .survey import size_text, survey
from .tables import names, pou_time_lines, source_text, spot, wiring_text, xref_of

Runs = tuple[Run, ...]


class Line:
    """One line: what it shows, and what it stands for: a tag, a place in a rung, the first rung of a POU, a time in ns, a question, a word
    that is explained. ``runs`` may be handed over as what makes them: of thousands of lines those out of sight are never made."""

    __slots__ = ("_runs", "element", "question", "step", "tag", "time", "word")

    def __init__(self, runs: Runs | Callable[[], Runs], tag: int | None = None, step: int = -1, element: int = -1, time: int | None = None,
                 question: Question | None = None, word: str = "") -> None:
        self._runs = runs
        self.tag, self.step, self.element, self.time, self.question, self.word = tag, step, element, time, question, word

    @property
    def runs(self) -> Runs:
        """What it shows."""
        if not isinstance(self._runs, tuple):
            self._runs = self._runs()
        return self._runs

    @property
    def stands(self) -> bool:
        """Whether it can be chosen."""
        return self.tag is not None or self.step >= 0 or self.time is not None or self.question is not None or bool(self.word)

    @property
    def text(self) -> str:
        """Its characters."""
        return "".join(t for t, _ in self.runs)


class Listing(Struct, frozen=True):
    """A page of lines. ``head`` stays in sight; ``order`` says how the lines are sorted, of ``orders``."""

    title: str
    head: tuple[Line, ...]
    lines: tuple[Line, ...]
    orders: tuple[str, ...] = ()
    hint: str = ""


def shown_value(session: Session, journal: Journal | None, tag: int, scan: int) -> tuple[str, Ink]:
    """A tag's value at a scan's end in words, and its ink."""
    if journal is None:
        return "·", Ink.QUIET
    one = session.running.tags[tag]
    value = cooked(journal.settled(tag, scan), one.type)
    if one.type.family is Family.BOOL:
        return ("on", Ink.LIVE) if value else ("off", Ink.TEXT)
    if one.type.family in (Family.TIME, Family.DATE, Family.STRING):
        return said_value(value, one.type), Ink.TEXT
    if isinstance(value, float):
        return f"{value:.6g}", Ink.TEXT
    return str(value), Ink.TEXT


def _now(session: Session) -> Journal | None:
    return session.journal if session.replayed else None


def cells_row(cells: list[tuple[str, int, Ink]]) -> tuple[Run, ...]:
    """Cells padded to their widths; a width of 0 takes the text as it is."""
    runs: list[Run] = []
    for text, width, ink in cells:
        runs.append(((padded(fitted(text, width), width) if width else text) + " ", ink))
    return tuple(runs)


TAG_ORDERS = ("name", "address", "most used", "odd first")


def tag_table(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """All tags: value, how often read and written, what they are, what looks odd."""
    xref, journal, tags = xref_of(session), _now(session), session.running.tags

    def addressed(tag: int) -> tuple[object, ...]:
        address = tags[tag].address
        return (address.area, address.numbers, tags[tag].name.lower()) if address is not None else ("~", (), tags[tag].name.lower())

    # By name, or by address, the list stands at once: what is said of a tag is found out when its line is seen.
    keys: tuple[Callable[[int], object], ...] = (
        lambda t: (tags[t].name.lower(),),
        addressed,
        lambda t: (-len(xref.entry(t).reads) - len(xref.entry(t).writes), tags[t].name.lower()),
        lambda t: (not xref.entry(t).oddities, tags[t].name.lower()),
    )
    shown = sorted(xref.declared, key=keys[order % len(keys)])  # type: ignore[arg-type]
    wide = width >= 110
    said = max(16, min(36, max((len(xref.description(t)) for t in shown), default=0)))
    widest = min(30 if wide else 20, max((len(tags[t].name) for t in shown), default=8))

    def row(number: int) -> Runs:
        entry = xref.entry(number)
        value, ink = shown_value(session, journal, entry.tag.index, scan)
        cells = [(" " + entry.tag.name, widest + 1, Ink.STRONG), (str(entry.tag.address or ""), 9, Ink.TEXT), (value.rjust(6), 6, ink)]
        if wide:
            cells.append((entry.tag.type.name, 6, Ink.QUIET))
        cells += [(str(len(entry.reads)).rjust(4), 4, Ink.TEXT), (str(len(entry.writes)).rjust(5), 5, Ink.TEXT)]
        marks = f"! {', '.join(entry.oddities)}" if entry.oddities else ""
        if wide:
            where = entry.point.whereabouts if entry.point is not None else ""
            cells += [(entry.description, said, Ink.TEXT), (where, 34 if width >= 140 else 0, Ink.QUIET), (marks, 0, Ink.STRONG)]
        else:
            cells += [(marks, 0, Ink.STRONG)] * bool(marks) + [(entry.description, 0, Ink.TEXT)]
        return cells_row(cells)

    lines = [Line(partial(row, number), number) for number in shown]
    head = [(" tag", widest + 1, Ink.QUIET), ("address", 9, Ink.QUIET), ("value".rjust(6), 6, Ink.QUIET)]
    if wide:
        head.append(("type", 6, Ink.QUIET))
    head += [("read", 4, Ink.QUIET), ("writ.", 5, Ink.QUIET), ("what it is", said if wide else 0, Ink.QUIET)]
    head += [("where", 0, Ink.QUIET)] if wide else []
    return Listing("all tags", (Line(cells_row(head)),), tuple(lines), TAG_ORDERS, "Enter shows where a tag is used · / filters · s sorts")


def tag_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """One tag: where it is read and written, how; what decides it, what it decides."""
    assert tag is not None
    xref = xref_of(session)
    entry = xref.entry(tag)
    value, ink = shown_value(session, _now(session), tag, scan)
    one = entry.tag
    head = [Line(((f" {one.name}", Ink.STRONG), (f"  {value}", ink), (f"  {one.address or ''}  {one.type.name}  ", Ink.QUIET),
                  (entry.description, Ink.TEXT)))]
    for text, tone in ((wiring_text(entry), Ink.STRONG), (f"! {', '.join(entry.oddities)}" if entry.oddities else "", Ink.STRONG),
                       (f"shares bits with {', '.join(names(session, entry.shares))}" if entry.shares else "", Ink.TEXT)):
        head += [Line(((f" {part}", tone),)) for part in textwrap.wrap(text, max(20, width - 3))]
    lines: list[Line] = []
    for title, places in (("written", entry.writes), ("read", entry.reads)):
        count = f"in {len(places)} place{'s' * (len(places) != 1)}" if places else source_text(entry) if title == "written" else "nowhere"
        lines.append(Line(((f" {title} {count}", Ink.QUIET),)))
        wide = max((len(p.told) for p in places), default=0)
        where = max((len(spot(p)) for p in places), default=0)
        lines += [_use_line(p, where, wide, width) for p in places]
    for title, tags in (("decided by", xref.decided_by(tag)), ("decides", xref.decides(tag))):
        if tags:
            lines.append(Line(((f" {title}", Ink.QUIET),)))
            for other in tags:
                state, tone = shown_value(session, _now(session), other, scan)
                other_entry = xref.entry(other)
                lines.append(Line(cells_row([("   " + session.running.tags[other].name, 28, Ink.STRONG), (state.rjust(6), 6, tone),
                                        (other_entry.description, 0, Ink.TEXT),
                                        (other_entry.point.whereabouts if other_entry.point is not None else "", 0, Ink.QUIET)]), other))
    for title, tags in (("from the inputs", xref.inputs(tag)), ("up to the outputs", xref.outputs(tag))):
        if tags:
            lines.append(Line(((f" {title}", Ink.QUIET),)))
            lines += [Line(((f"   {part}", Ink.TEXT),)) for part in textwrap.wrap(", ".join(names(session, tags)), max(20, width - 5))]
    return Listing(f"uses of {one.name}", tuple(head), tuple(lines), (), "Enter goes there · Backspace comes back · w asks why")


def _use_line(place: Usage, where: int, wide: int, width: int) -> Line:
    how = min(wide, max(16, width - where - 30))
    runs = cells_row([("   " + spot(place), where + 3, Ink.STRONG), (place.told, how, Ink.TEXT), (place.comment, 0, Ink.QUIET)])
    return Line(runs, None if place.use.step >= 0 else place.use.tag, place.use.step, place.use.element)


POINT_ORDERS = ("by module", "by terminal strip")


def _panel_tags(session: Session) -> list[Entry]:
    """What the program reads and never writes, without an address: what is pressed or set on a panel."""
    xref = xref_of(session)
    left = session.controller.written | xref.driven
    return [e for e in xref.entries() if e.tag.address is None and e.reads and not e.writes and not e.tag.constant and not e.shares
            and e.tag.index not in left and (e.tag.type.family is Family.BOOL or e.tag.index in xref.logged)]


def point_table(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """The points as they stand on the modules or terminal strips, with their values."""
    running, journal, iolist = session.running, _now(session), session.iolist
    tags = [t for t in running.tags[:running.public] if t.address is not None and (t.address.area in "IQ" or t.index in iolist.points)]
    by_strip = order % 2 == 1

    def place(index: int) -> tuple[object, ...]:
        one, point = running.tags[index], iolist.get(index)
        assert one.address is not None
        address = ("IQM".index(one.address.area), one.address.numbers, one.address.size)
        if by_strip:
            terminal = point.terminal if point is not None else ""
            return (point.location if point is not None else "~", len(terminal), terminal, address)
        return address

    def group(index: int) -> str:
        one, point = running.tags[index], iolist.get(index)
        assert one.address is not None
        if by_strip:
            return (point.location if point is not None and point.location else "not in the I/O list")
        kind = {"I": "inputs", "Q": "outputs", "M": "memory"}[one.address.area]
        return f"{kind}, module {one.address.numbers[0]}" if one.address.size == "X" else f"{kind}, words"

    wide = width >= 110
    lines: list[Line] = []
    last = ""
    for index in sorted((t.index for t in tags), key=place):
        one, point = running.tags[index], iolist.get(index)
        if group(index) != last:
            last = group(index)
            lines.append(Line(((f" {last}", Ink.QUIET),)))
        value, ink = shown_value(session, journal, index, scan)
        mark = "●" if value == "on" else "○" if value == "off" else " "
        terminal, wiring = (point.terminal, point.wiring.value) if point is not None else ("", "")
        cells = [(f"  {mark}", 3, ink), (value.rjust(5), 5, ink), (str(one.address), 8, Ink.TEXT), (one.name, 22 if wide else 15, Ink.STRONG),
                 (point.device if point is not None else "", 8 if wide else 6, Ink.STRONG)]
        cells += [(terminal, 5, Ink.TEXT)] if by_strip else [(point.location if point else "", 18 if wide else 14, Ink.TEXT), (terminal, 4, Ink.TEXT)]
        cells += [(wiring, 5, Ink.TEXT), ((point.description if point is not None else "") or one.documentation, 0, Ink.TEXT)]
        lines.append(Line(cells_row(cells), index))
    head = [("", 3, Ink.QUIET), ("value", 5, Ink.QUIET), ("address", 8, Ink.QUIET), ("tag", 22 if wide else 15, Ink.QUIET),
            ("device", 8 if wide else 6, Ink.QUIET)]
    head += [("term.", 5, Ink.QUIET)] if by_strip else [("location", 18 if wide else 14, Ink.QUIET), ("term", 4, Ink.QUIET)]
    head += [("wired", 5, Ink.QUIET), ("what it is", 0, Ink.QUIET)]
    panel = _panel_tags(session)
    if panel:
        lines.append(Line(((" without an address: operator panel, other devices", Ink.QUIET),)))
    for entry in panel:
        value, ink = shown_value(session, journal, entry.tag.index, scan)
        mark = "●" if value == "on" else "○" if value == "off" else " "
        cells = [(f"  {mark}", 3, ink), (value.rjust(5), 5, ink), ("", 8, Ink.TEXT), (entry.tag.name, 22 if wide else 15, Ink.STRONG),
                 (entry.description, 0, Ink.TEXT)]
        lines.append(Line(cells_row(cells), entry.tag.index))
    unbound = [Line(((f"   ! {p.tag or p.address}: in the I/O list, no tag of the program  {p.whereabouts}", Ink.STRONG),)) for p in iolist.unbound]
    return Listing("field points", (Line(cells_row(head)),), (*lines, *unbound), POINT_ORDERS, "w asks why · x shows where it is used · s sorts")


def survey_page(session: Session, scan: int, width: int, order: int, tag: int | None = None) -> Listing:
    """What is in the program, what runs when, what was set aside."""
    found = survey(session)
    steps = session.controller.steps
    order_words = "as declared; a scan" if found.tasks else "in this order,"
    lines: list[Line] = [Line(((f" What runs, {order_words} every {duration_text(found.scan_time)}", Ink.QUIET),))]
    for number, run in enumerate(found.runs, 1):
        one = session.running.programs[number - 1]
        first = steps.of(one)
        pou = next((p for p in found.pous if p.name == run.pou), None)
        wide = 34 if any(r.task for r in found.runs) else 12
        when = f"{run.trigger}, task {run.task}" if run.task else run.trigger
        size = size_text(run.rungs, run.language)
        lines.append(Line(cells_row([(f"   {number}. {run.instance}", 28, Ink.STRONG), (size, 14, Ink.TEXT), (when, wide, Ink.QUIET),
                                (pou.documentation if pou is not None else "", 0, Ink.TEXT)]), None, first[0].index if first else -1))
    if found.tasks:
        lines.append(Line(((" Tasks: priority 0 first, what runs in every scan last · a adds lanes", Ink.QUIET),)))
    for i, task in enumerate(found.tasks):
        when = " and ".join(p for p in (f"every {task.interval}" if task.interval else "", f"when {task.event}" if task.event else "") if p)
        ran = "" if task.runs is None else f"{counted(task.runs, 'run')}"
        missed = f"! {task.missed} missed" if task.missed else "none missed" if task.runs is not None else ""
        wait = f"waited {duration_text(task.longest_wait)} at most" if task.longest_wait else ""
        named, spoken = (28, 34) if width >= 110 else (16, 22)
        cells = [(f"   {task.name}", named, Ink.STRONG), (f"prio {task.priority}", 10, Ink.TEXT), (when or task.kind, spoken, Ink.QUIET),
                 (ran, 12, Ink.TEXT), (missed, 14, Ink.STRONG if task.missed else Ink.TEXT),
                 ("  ".join(w for w in ("held at the end" if task.held else "", "one waits" if task.waiting_since is not None else "", wait) if w),
                  0, Ink.TEXT)]
        lines.append(Line(cells_row(cells), lane_of_task(i)))
    if found.scan_times is not None:
        times = found.scan_times
        span = f"{duration_text(times.least)} to {duration_text(times.greatest)}"
        said = f"   scans took {span} (the longest: scan {times.greatest_scan}), the last {duration_text(times.last)}"
        lines.append(Line(((said, Ink.TEXT),), lane_of_scans()))
        lines += [Line(((f"     {words}", Ink.TEXT),), lane_of_scans()) for words in pou_time_lines(times)]
    if found.loops:
        lines.append(Line(((" Loops: jumps back, and how often in one scan at most · a adds a lane", Ink.QUIET),)))
    for i, loop in enumerate(found.loops):
        cells = [(f"   {loop.name}", 28, Ink.STRONG), (f"{counted(loop.most, 'time')}", 12, Ink.TEXT), (f"in scan {loop.most_scan}", 0, Ink.QUIET)]
        lines.append(Line(cells_row(cells), lane_of_scans(i)))
    others = [p for p in found.pous if p.kind != "program" or not p.instances]
    if others:
        lines.append(Line(((" Called, or not running", Ink.QUIET),)))
    for pou in others:
        instance = next((i for i in session.running.instances() if i.pou is not None and i.pou.name == pou.name), None)
        first = steps.of(instance) if instance is not None else []
        calls = f"called by {', '.join(pou.called_by)}" if pou.called_by else "! never called"
        size = size_text(pou.rungs, pou.language, pou.opaque)
        lines.append(Line(cells_row([(f"   {pou.name}", 28, Ink.STRONG), (size, 14, Ink.TEXT),
                                (f"{pou.kind}, {pou.language}", 20, Ink.QUIET), (calls, 0, Ink.TEXT if pou.called_by else Ink.STRONG)]),
                          None, first[0].index if first else -1))
    kinds = ", ".join(f"{n} {name}" for name, n in found.types.items())
    points = ", ".join(f"{n} at %{area}" for area, n in found.areas.items() if n) or "none has an address"
    named = len(xref_of(session).declared)
    inside = f", and {found.tags - named} inside timers, counters and other blocks" if found.tags > named else ""
    lines += [Line(((" In numbers", Ink.QUIET),)), Line(((f"   {counted(named, 'tag')}{inside}", Ink.TEXT),)),
              Line(((f"   types: {kinds}", Ink.TEXT),)),
              Line(((f"   points: {points}; {found.listed} in the I/O list", Ink.TEXT),))]
    if found.log_files:
        lines.append(Line(((f"   log: {', '.join(found.log_files)}, {counted(found.log_rows, 'row')}, {duration_text(found.log_end)} from "
                            f"{clock_text(session.log, 0)}", Ink.TEXT),)))
        if found.set_aside:
            lines.append(Line(((f"   ! {counted(found.set_aside, 'row')} set aside", Ink.STRONG),)))
    lines.append(Line(((" Set aside or noted" if found.notices else " Nothing was set aside.", Ink.QUIET),)))
    for notice in found.notices:
        lines += [Line(((f"   {part}", Ink.TEXT),)) for part in textwrap.wrap(notice, max(20, width - 5))]
    odd = [e for e in xref_of(session).entries() if e.oddities]
    if odd:
        lines.append(Line(((" Tags that look odd", Ink.QUIET),)))
        for entry in odd:
            cells = [("   " + entry.tag.name, 28, Ink.STRONG), (f"! {', '.join(entry.oddities)}", 26, Ink.STRONG), (entry.description, 0, Ink.TEXT)]
            lines.append(Line(cells_row(cells), entry.tag.index))
    lines += _outputs(session, scan)
    if session.cycles is not None:
        lines.append(Line(((" Cycles (Z)", Ink.QUIET),)))
        told = [part for said in cycles_told(session, session.cycles) for part in textwrap.wrap(said, max(20, width - 5))]
        lines += [Line(((f"   {part}", Ink.TEXT),)) for part in told]
    title = f"{found.program}, {found.file} of {found.date.replace('T', ' ')[:16]}"
    return Listing("survey", (Line(((f" {title}", Ink.STRONG),)),), tuple(lines), (), "Enter opens a POU or a tag")


def _outputs(session: Session, scan: int) -> list[Line]:
    """How the outputs stand at the moment, since when, and how often they changed in the log."""
    journal = _now(session)
    outputs = [t for t in session.running.tags[:session.running.public] if t.at_output and not t.computed]
    if journal is None or not outputs:
        return []
    lines = [Line(((" Outputs at the moment, and how often they changed in the log", Ink.QUIET),))]
    for tag in outputs:
        def row(tag: Tag = tag) -> Runs:
            value, ink = shown_value(session, journal, tag.index, scan)
            last = journal.last_row(tag.index, journal.settled_position(scan))
            since = f"since {clock_text(session.log, journal.time(last))}" if last is not None else "since before the log"
            point = session.iolist.get(tag.index)
            said = (point.description if point is not None else "") or tag.documentation
            return cells_row([(f"   {tag.name}", 28, Ink.STRONG), (value.rjust(6), 7, ink), (since, 22, Ink.QUIET),
                              (counted(len(journal.rows(tag.index)), "change"), 16, Ink.TEXT), (said, 0, Ink.TEXT)])

        lines.append(Line(row, tag.index))
    return lines


def mark_page(session: Session, kept: Kept, walk: list[WalkStep]) -> Listing:
    """Marks and notes in order of time."""
    rows = [(m.time, m.letter, m.text) for m in kept.marks] + [(n.time, "\"", n.text) for n in kept.notes]
    lines = [Line(cells_row([(f" {sign}", 3, Ink.STRONG), (clock_text(session.log, time), 14, Ink.TEXT), (text, 0, Ink.TEXT)]), time=time)
             for time, sign, text in sorted(rows)]
    return Listing("marks and notes", () if lines else (Line(((" none yet: m and a letter marks a moment, c writes a note", Ink.QUIET),)),),
                   tuple(lines), (), "Enter goes to the moment · u takes the last one back")


def walk_page(session: Session, kept: Kept, walk: list[WalkStep]) -> Listing:
    """What was asked, tried, marked, in order."""
    lines = []
    for step in walk:
        at = dt.datetime.fromtimestamp(step.at).strftime("%H:%M:%S")
        lines.append(Line(cells_row([(f" {at}", 10, Ink.QUIET), (step.what, 9, Ink.STRONG), (step.text, 0, Ink.TEXT)])))
        if step.command:
            lines.append(Line(((" " * 21 + step.command, Ink.QUIET),)))
    return Listing("what was asked, tried and marked so far", (), tuple(lines), (), "the commands print what was seen; e exports the answer")


JOB_PAGES: dict[str, Callable[[Session, Kept, list[WalkStep]], Listing]] = {"marks": mark_page, "walk": walk_page}


def tag_line(session: Session, tag: int) -> str:
    """A tag in one line: what it is and where."""
    entry = xref_of(session).entry(tag)
    return " · ".join(p for p in (f"{entry.tag.name}: {entry.description}" if entry.description else entry.tag.name, wiring_text(entry)) if p)


def deciding_step(session: Session, tag: int | None) -> int:
    """The step to look at for a tag: the last that writes it, else the first that reads it; -1 where there is none."""
    uses = xref_of(session).uses(tag) if tag is not None else []
    writes = [u.step for u in uses if u.writes]
    return writes[-1] if writes else uses[0].step if uses else -1

