"""The palette: every action with its key and a sentence, every tag and rung, in one box."""

from __future__ import annotations

from whorlograph.desk.scene import Scene
from whorlograph.drawing.shapes import Ink, Run

from ..keys import ACTIONS, keys_text
from .overlay import ListOverlay


def palette_overlay(scene: Scene | None) -> ListOverlay:
    """A list to type in; a line stands for ("do", action), ("why", tag) or ("rung", step)."""
    lines: list[list[Run]] = []
    values: list[object] = []
    for action in ACTIONS:
        lines.append([(f" {action.label:<26}", Ink.STRONG), (f"{keys_text(action):<18}", Ink.MOMENT), (action.sentence, Ink.TEXT)])
        values.append(("do", action.name))
    if scene is not None:
        plant = scene.session.plant
        for tag in plant.tags[:plant.public]:
            if tag.computed:
                continue
            point = scene.session.iolist.get(tag.index)
            text = (point.description if point is not None else "") or tag.documentation
            where = point.whereabouts if point is not None else ""
            lines.append([(f" {tag.name:<26}", Ink.STRONG), (f"{'ask why':<18}", Ink.QUIET), (text, Ink.TEXT),
                          (f"  {where}" if where else "", Ink.QUIET)])
            values.append(("why", tag.index))
        for step in scene.session.controller.steps.all:
            lines.append([(f" {step.pou} {step.rung.number}".ljust(27), Ink.STRONG), (f"{'show rung':<18}", Ink.QUIET),
                          (step.rung.comment, Ink.TEXT)])
            values.append(("rung", step.index))
    return ListOverlay("find anything", lines, values, "type a few letters: an action, a tag, a word", "Enter takes it · Esc closes")
