"""The answer on paper: complaint, root card, trail, rungs, timeline, proof, notes, what it rests on; the same as Markdown."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from whorlograph.drawing.paper import Sheets, write_picture
from whorlograph.drawing.picture import Picture, Words
from whorlograph.drawing.rung_layout import lay_out
from whorlograph.drawing.rung_picture import rung_picture
from whorlograph.drawing.statement import draw_statement, statement_picture
from whorlograph.drawing.timeline_picture import NAMES, VALUE, timeline_picture
from whorlograph.formats.beside import written
from whorlograph.inquiry.trail import Answer
from whorlograph.model.errors import Stopped
from whorlograph.model.shown import fenced, markdown
from whorlograph.model.times import clock_text, date_text

from .command_line import why_command
from .job import Kept
from .scene import Scene, plain_scene
from .session import Session
from .timeline import window
from .words import answer_text, root_lines

MOST_RUNGS, MOST_LANES = 14, 22
PAPER = 120  # characters of a line of text on paper


def titled_rung(scene: Scene, step: int, scan: int, width: float, flow: bool = True) -> Picture:
    """One rung under its heading, with power flow at a scan or without."""
    one = scene.session.controller.steps.all[step]
    power = scene.tracer.shown(step, scan) if flow else None
    blockers = scene.blockers(step, scan) if flow else frozenset()
    if one.rung.statement is not None:
        picture = statement_picture(draw_statement(one.source, one.rung.statement, power, blockers, PAPER), width)
    else:
        picture = rung_picture(lay_out(one, power, blockers), width, values=flow, flow=flow)
    said = scene.skip_words(step, scan) if flow else ""
    titled = Picture(width, picture.height + 20)
    titled.add(picture, 0, 20)
    words = (f"{one.pou} {one.rung.number}", *(f"label {n}" for n in one.rung.labels), one.rung.comment, said)
    titled.items.append(Words(0, 9, " · ".join(p for p in words if p), 8, True))
    return titled


def report_pages(session: Session, answer: Answer, kept: Kept | None = None) -> list[Picture]:
    """The answer as sheets of A4."""
    scene = Scene(session, answer)
    program, log = session.program, session.log
    day = date_text(log, answer.time)
    sheets = Sheets(f"Whorlograph · {session.paths.program.name} of {program.date.replace('T', ' ')[:16]}"
                    + (f" · log {', '.join(p.name for p in session.paths.logs)}" if session.paths.logs else ""))
    sheets.words(session.paths.title or program.name, 16, True, after=2)
    sheets.words(" · ".join(p for p in (day, answer.text) if p), 10, after=6)
    for number, root in enumerate(answer.roots, 1):
        sheets.heading(f"Root {number}: {scene.name(root.tag) or root.kind.value}" if len(answer.roots) > 1 else
                       f"Root: {scene.name(root.tag) or root.kind.value}")
        for line in root_lines(session, root):
            sheets.words(line, 9, line == root.what_to_check)
    if answer.links():
        sheets.heading("The trail, from the complaint to the root")
    for depth, link in answer.links():
        if link.step >= 0 or not link.roots:
            sheets.words(f"{link.text}", 8.5, indent=10.0 * min(depth, 12), after=1)
    start, end = window(session, answer)
    sheets.heading(f"What these tags did, {scene.clock(start)} to {scene.clock(end)}")
    cells = int(sheets.room - NAMES - VALUE)
    tags = scene.lanes()[:MOST_LANES]
    layout = scene.timeline.layout(tags, start, end, cells, scene.journal.clock.start(answer.scan), answer.scan)
    sheets.picture(timeline_picture(layout, sheets.room, scene.name, lambda t: scene.clock(t, 3 if end - start < 20_000_000_000 else 0)))
    steps = scene.steps()[:MOST_RUNGS]
    if steps:
        sheets.heading(f"The rungs, with power flow at {scene.clock(scene.journal.clock.start(answer.scan))}, scan {answer.scan}")
        sheets.words("Heavy lines carry power, thin broken ones do not; a contact in heavy strokes would let it pass; "
                     "a cross stands where a path stops.", 7.5, grey=0.3)
    for step in steps:
        sheets.picture(titled_rung(scene, step, answer.scan, sheets.room))
    if kept is not None and (kept.marks or kept.notes):
        sheets.heading("Marks and notes")
        rows = [(m.time, f"mark {m.letter}: {m.text}") for m in kept.marks] + [(n.time, n.text) for n in kept.notes]
        for time, text in sorted(rows):
            sheets.words(f"{clock_text(log, time)}  {text}", 8.5, after=1)
    sheets.heading("What this rests on")
    limits = [*answer.rests_on, *(str(n) for n in session.notices[:12])]
    for sentence in limits or ["The program and the log as given; nothing was set aside."]:
        sheets.words(sentence, 8.5, after=1)
    sheets.words("The same again: " + why_command(session, answer, None, any(r.proved is not None for r in answer.roots)), 7, grey=0.3)
    return sheets.numbered()


def report_markdown(session: Session, answer: Answer, kept: Kept | None = None) -> str:
    """The answer as Markdown."""
    lines = [f"# {markdown(session.paths.title or session.program.name)}", "", fenced(answer_text(session, answer))]
    if kept is not None and (kept.marks or kept.notes):
        lines += ["", "## Marks and notes", ""]
        lines += [f"- {clock_text(session.log, m.time)} mark {m.letter}: {markdown(m.text)}" for m in kept.marks]
        lines += [f"- {clock_text(session.log, n.time)} {markdown(n.text)}" for n in kept.notes]
    command = why_command(session, answer, None, any(r.proved is not None for r in answer.roots))
    return "\n".join([*lines, "", "The same again:", "", fenced(command), ""])


def write_report(session: Session, answer: Answer, path: Path, kept: Kept | None = None, stop: Callable[[], bool] = lambda: False) -> None:
    """Write the answer to a file: .pdf, .svg or .md.

    Raises: UsageError for another ending, or a file that cannot be written; Stopped where ``stop`` says so before anything is written.
    """
    if path.suffix.lower() != ".md":
        pages = report_pages(session, answer, kept)
        if stop():
            raise Stopped
        write_picture(pages, path, f"{session.program.name}: {answer.text}", session.paths.inputs)
        return
    with written(path, session.paths.inputs) as fresh:
        fresh.write_text(report_markdown(session, answer, kept), encoding="utf-8")


def drawing_pages(session: Session, steps: list[int], time: int | None) -> list[Picture]:
    """Rungs as sheets of A4, with power flow at a time (ns) or without (None)."""
    scene = plain_scene(session)
    scan = max(1, session.journal.clock.scan_at(time)) if time is not None else 0
    when = f" · power flow at {clock_text(session.log, time)}, scan {scan}" if time is not None else ""
    sheets = Sheets(f"Whorlograph · {session.paths.program.name} of {session.program.date.replace('T', ' ')[:16]}{when}")
    last = ""
    for step in steps:
        one = session.controller.steps.all[step]
        if one.pou != last:
            last = one.pou
            sheets.heading(last)
        sheets.picture(titled_rung(scene, step, scan, sheets.room, time is not None))
    return sheets.numbered()

