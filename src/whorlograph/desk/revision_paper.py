"""Two revisions on paper: what differs in words, changed rungs side by side, and what differs on the log; the same as Markdown."""

from __future__ import annotations

from pathlib import Path

from whorlograph.drawing.paper import Sheets, write_picture
from whorlograph.drawing.picture import Picture, Words
from whorlograph.formats.beside import written
from whorlograph.inquiry.revisions.change import Change, What
from whorlograph.model.cells import padded
from whorlograph.model.shown import fenced, markdown
from whorlograph.model.times import clock_text

from .report import titled_rung
from .revisions import Compared, by_reason, change_words, effect_words, log_names, sentence, step_of, tally_words, text, younger
from .scene import Scene, plain_scene

MOST_EFFECTS = 60
LEAST = 0.72  # of a rung: smaller ones are hard to read
GAP = 14.0  # points between old and new


def revision_pages(found: Compared) -> list[Picture]:
    """The comparison as sheets of A4."""
    one, other = found.names
    sheets = Sheets(f"Whorlograph · old: {one} · new: {other}")
    sheets.words("What differs between two revisions", 16, True, after=2)
    sheets.words(sentence(found), 10, after=4)
    if younger(found):
        sheets.words(younger(found), 9, True)
    scenes = (plain_scene(found.old), plain_scene(found.new))
    for pou, changes in found.revision.by_pou():
        sheets.heading(pou or "Outside of all POUs")
        for change in changes:
            sheets.words(change_words(found, change), 9.5, after=2)
            if change.what is What.RUNG:
                sheets.picture(_beside(found, scenes, change, sheets.room))
    comments = found.revision.comments
    if comments:
        sheets.heading("Comments, which do nothing")
        for change in comments:
            sheets.words(f"{f'{change.pou} ' if change.pou else ''}{change_words(found, change)}", 9, after=1)
    if found.effects:
        sheets.heading(f"On {log_names(found)}: {tally_words(found)}")
        left = MOST_EFFECTS
        for why, group in by_reason(found):
            sheets.words(f"nearest change: {why}" if why else "no change upstream was found", 9, True, after=1)
            for effect in group[:left]:
                at = clock_text(found.new.log, effect.difference.first)
                sheets.words(f"{at}  {padded(effect.difference.tag, 28)} {effect_words(found, effect)}", 9, indent=10, after=1)
            left = max(0, left - len(group))
    return sheets.numbered()


def _beside(found: Compared, scenes: tuple[Scene, Scene], change: Change, room: float) -> Picture:
    """The old rung at the left, the new one at the right; a word where there is none."""
    width = (room - GAP) / 2
    parts: list[Picture] = []
    for scene, place, word in zip(scenes, change.steps, ("old", "new"), strict=True):
        step = step_of(scene.session, change.pou, place) if place >= 0 else None
        if step is None:
            none = Picture(width, 24)
            none.items.append(Words(0, 9, f"{word}: {'not there' if place < 0 else 'not executed'}", 8.5))
            parts.append(none)
            continue
        rung = titled_rung(scene, step, 0, width, flow=False, least=LEAST)
        headed = Picture(width, rung.height + 11)
        headed.items.append(Words(0, 7, word, 7.5))
        headed.add(rung, 0, 11)
        parts.append(headed)
    both = Picture(room, max(p.height for p in parts) + 4)
    both.add(parts[0], 0, 0)
    both.add(parts[1], width + GAP, 0)
    return both


def write_revisions(found: Compared, path: Path) -> None:
    """Write the comparison to a file: .pdf, .svg or .md.

    Raises: UsageError for another ending, or a file that cannot be written.
    """
    inputs = (*found.old.paths.inputs, *found.new.paths.inputs)
    if path.suffix.lower() != ".md":
        write_picture(revision_pages(found), path, sentence(found), inputs)
        return
    with written(path, inputs) as fresh:
        fresh.write_text(f"# {markdown(sentence(found))}\n\n{fenced(text(found, 1000))}\n", encoding="utf-8")
