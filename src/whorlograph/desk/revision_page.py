"""What differs between two revisions, as a page: changes, what they make of the log, comments."""

from __future__ import annotations

from textwrap import wrap

from whorlograph.drawing.shapes import Ink, Run
from whorlograph.inquiry.revisions.change import Change, What
from whorlograph.model.cells import padded
from whorlograph.model.times import clock_text

from .listings import Line, Listing
from .revisions import Compared, by_reason, change_words, effect_words, sentence, step_of, tally_words, younger
from .scene import RungBlock, Scene
from .session import Session

Runs = tuple[Run, ...]


class ChangeLine(Line):
    """A line that stands for a change."""

    __slots__ = ("change",)

    def __init__(self, runs: Runs, change: Change, tag: int | None, step: int) -> None:
        super().__init__(runs, tag, step, word="revision")
        self.change = change


def revisions_page(found: Compared, here: Session, width: int) -> Listing:
    """The comparison; ``here`` is the one of the two sessions that is open."""
    head = [Line(((f" {part}", Ink.STRONG if i == 0 else Ink.TEXT),)) for i, part in enumerate(_folded(sentence(found), width - 2))]
    for said in found.said:
        ink = Ink.PROVED if "complaint is gone" in said else Ink.TEXT
        head += [Line(((f" {part}", ink),)) for part in _folded(said, width - 2)]
    if younger(found):
        head.append(Line(((f" {younger(found)}", Ink.BLOCK),)))
    lines: list[Line] = []
    for pou, changes in found.revision.by_pou():
        lines += [Line((("", Ink.TEXT),)), Line(((f" {pou or 'outside of all POUs'}", Ink.STRONG),))]
        lines += [_change(found, here, change, width) for change in changes]
    if found.new.paths.logs and found.revision.acting:
        lines += [Line((("", Ink.TEXT),)), Line(((f" on the same log {tally_words(found)}", Ink.STRONG),))]
        for fault, which in zip(found.faults, ("old", "new"), strict=True):
            lines += [Line(((f"   the controller halts with the {which} program: {fault}", Ink.BLOCK),))] if fault else []
    for why, group in by_reason(found):
        lines.append(Line(((f"   nearest change: {why}"[:width - 1] if why else "   no change upstream was found", Ink.QUIET),)))
        names = max(len(e.difference.tag) for e in group)
        for effect in group:
            one = effect.difference
            number = here.running.by_name.get(one.tag.lower())
            ink = Ink.STRONG if effect.output else Ink.TEXT
            runs = ((f"   {clock_text(here.log, one.first)}", Ink.TEXT), (f"  {padded(one.tag, names)}", ink),
                    (f"  {effect_words(found, effect)}", Ink.LIVE))
            lines.append(Line(runs, number, time=one.first))
    comments = found.revision.comments
    if comments:
        lines += [Line((("", Ink.TEXT),)), Line(((" comments, which do nothing", Ink.STRONG),))]
        lines += [_change(found, here, c, width, c.pou) for c in comments]
    if found.revision.redrawn:
        names_ = ", ".join(f"{r.pou} {r.new}" for r in found.revision.redrawn)
        lines += [Line((("", Ink.TEXT),)), Line(((f" drawn otherwise, and the same: {names_}"[:width - 1], Ink.QUIET),))]
    title = "the program, changed" if found.is_change else "another revision"
    return Listing(title, tuple(head), tuple(lines), hint="Enter goes there · e puts it on paper · Backspace comes back")


def _folded(text: str, width: int) -> list[str]:
    return wrap(text, max(20, width)) or [""]


def _change(found: Compared, here: Session, change: Change, width: int, pou: str = "") -> Line:
    place = change.steps[1 if here is found.new else 0]
    step = step_of(here, change.pou, place) if place >= 0 else None
    number = here.running.by_name.get(change.name.lower()) if change.name and change.what is not What.TYPE else None
    said = f"   {f'{pou} ' if pou else ''}{change_words(found, change)}"
    ink = Ink.QUIET if change.what is What.COMMENT else Ink.TEXT
    return ChangeLine(((said if len(said) < width else f"{said[:width - 2]}…", ink),), change, number, step if step is not None else -1)


def both_rungs(found: Compared, scenes: tuple[Scene, Scene], change: Change, time: int, width: int) -> list[tuple[str, RungBlock | None]]:
    """The old rung and the new one, each with power flow at a time (ns) in its own replay; None where there is none."""
    parts: list[tuple[str, RungBlock | None]] = []
    for word, scene, place in zip(("old", "new"), scenes, change.steps, strict=True):
        step = step_of(scene.session, change.pou, place) if place >= 0 else None
        scan = max(1, scene.journal.clock.scan_at(max(0, time)))
        parts.append((word, scene.rung(step, scan, width) if step is not None else None))
    return parts
