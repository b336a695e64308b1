"""Driving the application without a terminal."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from pathlib import Path

from textual.pilot import Pilot

from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.model.question import Question
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.strands import Lines


def bridge_app(tag: str = "Raise_Pump", session: Session | None = None, palette: str = "dark", ascii_: bool = False,
               jobs: Path | None = None) -> WhorlographApp:
    """The application on the shipped case. Args: jobs: where its job is kept."""
    found = session or bridge_session()
    return WhorlographApp(found, Question(found.tag(tag)), palette, ascii_, jobs)


async def until(pilot: Pilot[None], condition: Callable[[], bool], what: str) -> None:
    """Wait for a condition, at most a minute."""
    end = time.monotonic() + 60
    while time.monotonic() < end:
        if condition():
            return
        await asyncio.sleep(0.01)
        await pilot.pause()
    raise AssertionError(f"never came: {what}")


async def answered(pilot: Pilot[None], app: WhorlographApp, early: bool = False) -> None:
    """Wait for the answer on the whole log; an application that still opens its files has no main view yet. Args: early: the first on any of it."""
    await until(pilot, lambda: hasattr(app, "main") and app.main.scene is not None and bool(app.main.trail.lines)
                and (early or app.main.work.running != "replay"), "the answer")


def screen_text(app: WhorlographApp) -> str:
    """What stands on the screen, line by line."""
    size = app.screen.size
    rows = [[" "] * size.width for _ in range(size.height)]
    for piece in app.screen.query(Lines):
        if not piece.display or not piece.region.width:
            continue
        for y in range(piece.size.height):
            text = "".join(s.text for s in piece.render_line(y))
            for x, char in enumerate(text):
                line, column = piece.region.y + y, piece.region.x + x
                if line < size.height and column < size.width:
                    rows[line][column] = char
    return "\n".join("".join(r) for r in rows)
