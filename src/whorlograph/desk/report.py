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
from whorlograph.inquiry.trials.verdict import Proof
from whorlograph.model.errors import Stopped, UsageError
from whorlograph.model.shown import fenced, markdown
from whorlograph.model.times import clock_text, date_text

from .asking import prove_root
from .command_line import why_command
from .cycles import cycles_told, find_cycles
from .cycles_paper import add_whorl
from .job import Kept
from .scene import Scene, plain_scene
from .session import Session
from .timeline import window
from .words import answer_text, root_lines, whole_text

MOST_RUNGS, MOST_LANES = 14, 22
PARTS = frozenset(("root", "trail", "lanes", "rungs", "notes", "rests"))
MORE = frozenset(("cycles",))  # parts that are there where they are asked for
WIDEST = 1e6  # points: wider than any rung
SCALES = (1.25, 1.12, 1.0)  # of rungs
PAPER = 120  # characters of a line of text on paper


def titled_rung(scene: Scene, step: int, scan: int, width: float, flow: bool = True, scale: float = 1.0, least: float = 1.0) -> Picture:
    """One rung under its heading, with power flow at a scan or without.

    Args: scale: how much larger than a letter of 7.5 points; least: down to which it is made smaller before it is broken into lines.
    """
    one = scene.session.controller.steps.all[step]
    power = scene.tracer.shown(step, scan) if flow else None
    blockers = scene.blockers(step, scan) if flow else frozenset()
    if one.rung.statement is not None:
        picture = statement_picture(draw_statement(one.source, one.rung.statement, power, blockers, PAPER), width)
    else:
        natural = rung_picture(lay_out(one, power, blockers), WIDEST, values=flow, flow=flow)
        scale = max(least, min(scale, width / natural.width))
        picture = natural.scaled(scale) if natural.width * scale <= width + 0.01 else rung_picture(lay_out(one, power, blockers), width, flow, flow)
    said = scene.skip_words(step, scan) if flow else ""
    titled = Picture(width, picture.height + 17)
    titled.add(picture, 0, 17)
    words = (f"{one.pou} {one.rung.number}", *(f"label {n}" for n in one.rung.labels), one.rung.comment, said)
    titled.items.append(Words(0, 9, " · ".join(p for p in words if p), 8.5, True))
    return titled


def report_pages(session: Session, answer: Answer, kept: Kept | None = None, parts: frozenset[str] = PARTS) -> list[Picture]:
    """The answer as sheets of A4: in larger letters where that takes no further sheet. Args: parts: which of PARTS and MORE."""
    proved = next((r for r in answer.roots if r.proved and r.trial is not None), None) if "lanes" in parts and session.now is None else None
    proof = prove_root(session, answer, proved) if proved is not None else None
    written_large = [_report_pages(session, answer, kept, parts, proof, scale) for scale in SCALES]
    fewest = min(len(pages) for pages in written_large)
    return next(pages for pages in written_large if len(pages) == fewest)


def _report_pages(session: Session, answer: Answer, kept: Kept | None, parts: frozenset[str], proof: Proof | None,
                  scale: float) -> list[Picture]:
    scene = Scene(session, answer)
    program, log = session.program, session.log
    day = date_text(log, answer.time)
    sheets = Sheets(f"Whorlograph · {session.paths.program.name} of {program.date.replace('T', ' ')[:16]}"
                    + (f" · log {', '.join(p.name for p in session.paths.logs)}" if session.paths.logs else ""))
    sheets.words(session.paths.title or program.name, 16, True, after=2)
    sheets.words(" · ".join(p for p in (day, whole_text(answer)) if p), 10, after=6)
    for number, root in enumerate(answer.roots if "root" in parts else (), 1):
        sheets.heading(f"Root {number}: {scene.name(root.tag) or root.kind.value}" if len(answer.roots) > 1 else
                       f"Root: {scene.name(root.tag) or root.kind.value}")
        for line in root_lines(session, root, answer.roots[:number - 1]):
            sheets.words(line, 9.5, line == root.what_to_check)
    if answer.links() and "trail" in parts:
        sheets.heading("The trail, from the complaint to the root")
        for depth, link in answer.links():
            if link.step >= 0 or not link.roots:
                sheets.words(f"{link.text}", 9, indent=10.0 * min(depth, 12), after=1)
    if "lanes" in parts:
        _lanes(sheets, scene, answer, proof)
    steps = scene.steps()[:MOST_RUNGS] if "rungs" in parts else []
    if steps:
        sheets.heading(f"The rungs, with power flow at {scene.clock(scene.journal.clock.start(answer.scan))}, scan {answer.scan}")
        sheets.words("Heavy lines carry power, thin broken ones do not; a contact in heavy strokes would let it pass; "
                     "a cross stands where a path stops.", 7.5, grey=0.3)
    for step in steps:
        sheets.picture(titled_rung(scene, step, answer.scan, sheets.room, scale=scale))
    if kept is not None and (kept.marks or kept.notes) and "notes" in parts:
        sheets.heading("Marks and notes")
        rows = [(m.time, f"mark {m.letter}: {m.text}") for m in kept.marks] + [(n.time, n.text) for n in kept.notes]
        for time, text in sorted(rows):
            sheets.words(f"{clock_text(log, time)}  {text}", 9, after=1)
    if "cycles" in parts:
        _cycles(session, sheets)
    if "rests" in parts:
        sheets.heading("What this rests on")
        limits = [*answer.rests_on, *(str(n) for n in session.notices[:12])]
        for sentence in limits or ["The program and the log as given; nothing was set aside."]:
            sheets.words(sentence, 9, after=1)
        sheets.words("The same again: " + why_command(session, answer, None, any(r.proved is not None for r in answer.roots)), 7, grey=0.3)
    return sheets.numbered()


def _lanes(sheets: Sheets, scene: Scene, answer: Answer, proof: Proof | None) -> None:
    """What the tags did, and thin below it what they do in the trial that proved the first root."""
    session = scene.session
    start, end = window(session, answer)
    sheets.heading(f"What these tags did, {scene.clock(start)} to {scene.clock(end)}")
    cells = int(sheets.room - NAMES - VALUE)
    tags = scene.lanes()[:MOST_LANES]
    layout = scene.timeline.layout(tags, start, end, cells, scene.journal.clock.start(answer.scan), answer.scan)
    if proof is not None and proof.journal is not None:
        scene.timeline.with_trial(proof.journal, proof.fits_until)
    second = scene.timeline.trial is not None
    sheets.picture(timeline_picture(layout, sheets.room, scene.name, lambda t: scene.clock(t, 3 if end - start < 20_000_000_000 else 0),
                                    (lambda t: scene.timeline.second_cells(t, start, end, cells)) if second else None, "without the fault"))


def _cycles(session: Session, sheets: Sheets) -> None:
    """The whorl, and what it shows."""
    try:
        found = session.cycles or find_cycles(session)
    except UsageError as error:
        sheets.heading("Cycles")
        sheets.words(f"{error.what}.", 9)
        return
    sheets.heading("Cycle beside cycle")
    add_whorl(session, found, sheets)
    for line in cycles_told(session, found):
        sheets.words(line, 9, after=1)


def report_markdown(session: Session, answer: Answer, kept: Kept | None = None) -> str:
    """The answer as Markdown."""
    lines = [f"# {markdown(session.paths.title or session.program.name)}", "", fenced(answer_text(session, answer))]
    if kept is not None and (kept.marks or kept.notes):
        lines += ["", "## Marks and notes", ""]
        lines += [f"- {clock_text(session.log, m.time)} mark {m.letter}: {markdown(m.text)}" for m in kept.marks]
        lines += [f"- {clock_text(session.log, n.time)} {markdown(n.text)}" for n in kept.notes]
    command = why_command(session, answer, None, any(r.proved is not None for r in answer.roots))
    return "\n".join([*lines, "", "The same again:", "", fenced(command), ""])


def write_report(session: Session, answer: Answer, path: Path, kept: Kept | None = None, stop: Callable[[], bool] = lambda: False,
                 parts: frozenset[str] = PARTS) -> None:
    """Write the answer to a file: .pdf, .svg or .md. Args: parts: of PARTS, on paper.

    Raises: UsageError for another ending, or a file that cannot be written; Stopped where ``stop`` says so before anything is written.
    """
    if path.suffix.lower() != ".md":
        pages = report_pages(session, answer, kept, parts)
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
        sheets.picture(titled_rung(scene, step, scan, sheets.room, time is not None, SCALES[1]))
    return sheets.numbered()

