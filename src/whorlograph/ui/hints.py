"""The line above the footer: what to do next here, what was said, how far the work beside the screen is."""

from __future__ import annotations

from textual.geometry import Size

from whorlograph.desk.finding import Found
from whorlograph.desk.scene import Scene
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.literals import counted

from .room import is_tiny, is_wide
from .state import View

_THERE = " · ; goes there"


def hint_runs(said: str, usual: str, progress: str, width: int) -> list[Run]:
    """What was said or else what to do, and at its right how far the work is, as much of it as there is room for."""
    text = said or _whole(usual, width - 2)
    if not progress:
        return [(" " + text, Ink.TEXT)]
    parts, room = progress.split(", "), width - 4 - (len(text) if said else 0)
    while len(parts) > 1 and len(", ".join(parts)) + 16 > room:
        del parts[-2 if len(parts) > 2 else -1]
    told = ", ".join(parts) + " · Ctrl+C stops"
    if not said and len(text) + len(told) + 4 > width:
        text = ""
    elif len(text) + len(told) + 4 > width:
        told = parts[0] if len(text) + len(parts[0]) + 4 <= width else ""
    if len(told) + 3 > width:
        told = parts[0]
    gap = max(1, width - len(text) - len(told) - 2)
    return [(" " + text, Ink.TEXT), (" " * gap, Ink.TEXT), (told, Ink.STRONG)]


def _whole(hint: str, width: int) -> str:
    """As many of a hint's parts as there is room for: half a part tells nothing."""
    parts = hint.split(" · ")
    while len(parts) > 1 and len(" · ".join(parts)) > width:
        parts.pop()
    return " · ".join(parts)


def next_step(scene: Scene, view: View, found: Found, size: Size, hidden: bool = False) -> str:
    """The key most likely wanted next on the main view; at the trail's beginning what to check first. Args: hidden: where that is out of sight."""
    answer = scene.answer
    if not is_wide(size) and view.line == 0 and view.strand == "trail" and answer.roots and size.height >= 16:
        return scene.first_root(size.width - 2)
    if hidden and is_wide(size):
        return f"{scene.first_root(size.width - 2 - len(_THERE))}{_THERE}"
    if is_tiny(size):
        return f"the three strands want 60 x 16, this is {size.width} x {size.height}; Tab changes the strand"
    if found.starts and view.strand != "rungs":
        return f"n and N walk through the {counted(len(found.starts), 'place')} of {found.text}"
    if answer.rests_on and view.line == 0 and not any(r.proved for r in answer.roots):
        return f"rests on: {answer.rests_on[0]}"
    if answer.roots and answer.roots[0].proved is None and view.line > 0:
        return "p proves the root: the same log, replayed with it put the other way"
    if view.strand == "trail" and view.line == 0:
        return "Down walks along the trail, from the complaint to its root, ; goes there at once"
    if view.strand == "timeline":
        return "Left and Right move the moment, + and - zoom, ] next change of this tag"
    if view.strand == "rungs":
        return "w asks why the tag under the cursor is as it is"
    return "w asks why of the tag under the cursor, Backspace comes back"
