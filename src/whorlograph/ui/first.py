"""The first frame: what is being opened, before it is read."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec import Struct
from textual import events
from textual.app import ComposeResult
from textual.screen import Screen

from whorlograph.drawing.shapes import Ink

from .early import elsewhere
from .strands import Lines

if TYPE_CHECKING:
    from whorlograph.desk.session import Session
    from whorlograph.model.question import Question


class Opening(Struct, frozen=True):
    """What is opened: a title, the files' names, and the work of loading them.

    ``load`` gives the session and the question asked first; it raises WhorlographError for a file that cannot be read. ``again``: the same
    where it was said which column of the log is which (by ``time``, ``tag``, ``value``); None where that is not asked.
    """

    title: str
    files: str
    load: Callable[[], tuple[Session, Question | None]]
    again: Callable[[dict[str, str]], tuple[Session, Question | None]] | None = None


class FirstScreen(Screen[None]):
    """Title and files, until they are read."""

    DEFAULT_CSS = """
    FirstScreen { layout: vertical; }
    FirstScreen #firsthead { height: 2; }
    FirstScreen #firstbody { height: 1fr; }
    FirstScreen #firsthint { height: 1; }
    """

    def __init__(self, opening: Opening) -> None:
        super().__init__()
        self.opening = opening
        self.waiting: list[events.Key] = []
        self.hint = Lines("firsthint")

    def compose(self) -> ComposeResult:
        """Head, nothing yet, one line."""
        yield Lines("firsthead")
        yield Lines("firstbody")
        yield self.hint

    def on_mount(self) -> None:
        """Say what is read."""
        self.query_one("#firsthead", Lines).show([[(f" {self.opening.title}", Ink.STRONG)], [(f" {self.opening.files}", Ink.QUIET)]])
        self.hint.show([[(" reading; q leaves", Ink.TEXT)]])

    def on_key(self, event: events.Key) -> None:
        """q leaves; everything else waits for the main view, and it says so."""
        if elsewhere(self, event):
            return
        event.stop()
        event.prevent_default()
        if event.key in ("q", "ctrl+q"):
            self.app.exit()
        else:
            self.waiting.append(event)
            self.hint.show([[(" still reading: the answer comes in a moment; q leaves", Ink.TEXT)]])
