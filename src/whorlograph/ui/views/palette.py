"""The palette: every action with its key and a sentence, every tag and rung, in one box."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.desk.job import Mark
from whorlograph.desk.scene import Scene
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.cells import padded

from ..keys import by_want, key_text, keys_text
from .overlay import ListOverlay


def palette_overlay(scene: Scene | None, marks: tuple[Mark, ...] = (), time_of: Callable[[str], int | None] = lambda text: None,
                    history: list[str] | None = None, done: list[str] | None = None, width: int = 124) -> ListOverlay:
    """A list to type in; a line stands for ("do", action), ("why", tag), ("rung", step) or ("time", ns).

    Args: time_of: reads what is typed as a time, None where it is none; done: actions, those most likely wanted first; width: of the screen.
    """
    named, keyed = (26, 14) if width >= 100 else (22, 10)
    lines: list[list[Run]] = []
    values: list[object] = []
    for action in by_want(done or []):
        keys = keys_text(action) if width >= 100 else key_text(action.keys[0])
        lines.append([(f" {action.label:<{named}}", Ink.STRONG), (f"{keys:<{keyed}}", Ink.STRONG), (action.sentence, Ink.TEXT)])
        values.append(("do", action.name))
    if scene is not None:
        running = scene.session.running
        for tag in running.tags[:running.public]:
            if not tag.listed:
                continue
            point = scene.session.iolist.get(tag.index)
            text = (point.description if point is not None else "") or tag.documentation
            where = point.whereabouts if point is not None else ""
            lines.append([(" " + padded(tag.name, named), Ink.STRONG), (f"{'ask why':<{keyed}}", Ink.QUIET), (text, Ink.TEXT),
                          (f"  {where}" if where else "", Ink.QUIET)])
            values.append(("why", tag.index))
        for mark in marks:
            lines.append([(f" mark {mark.letter}".ljust(named + 1), Ink.STRONG), (f"{'go there':<{keyed}}", Ink.QUIET), (mark.text, Ink.TEXT)])
            values.append(("time", mark.time))
        for step in scene.session.controller.steps.all:
            lines.append([(padded(f" {step.pou} {step.rung.number}", named + 1), Ink.STRONG), (f"{'show rung':<{keyed}}", Ink.QUIET),
                          (step.rung.comment, Ink.TEXT)])
            values.append(("rung", step.index))

    def reads(text: str) -> tuple[list[Run], object] | None:
        time = time_of(text)
        if time is None or scene is None:
            return None
        return [(f" {scene.clock(time)}".ljust(named + 1), Ink.STRONG), (f"{'go there':<{keyed}}", Ink.QUIET),
                (f"scan {scene.journal.clock.scan_at(time)}", Ink.TEXT)], ("time", time)

    return ListOverlay("find anything", lines, values, "type a few letters: an action, a tag, a word, a time",
                       "Enter takes it · Tab completes · Esc closes", reads, history)
