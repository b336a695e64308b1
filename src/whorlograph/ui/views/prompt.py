"""One line to type in, over the main view."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from textual import events
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.widgets import Input

from whorlograph.drawing.shapes import Ink
from whorlograph.model.edit.choice import Choice

from ..early import Field, Overlaid
from ..strands import Lines


class Prompt(Overlaid):
    """One line to type in at the bottom, with its reading shown as it is typed."""

    replaces = True  # what is typed takes the place of the text given
    DEFAULT_CSS = """
    Prompt { align: left bottom; background: transparent; }
    Prompt > Vertical { height: 3; width: 100%; }
    Prompt Input, Prompt Input:focus { border: none; height: 1; padding: 0 1; }
    Prompt Lines { height: 2; }
    """

    def __init__(self, title: str, placeholder: str, before: str = "", history: list[str] | None = None) -> None:
        super().__init__()
        self.box = Lines("prompt", title)
        self.placeholder, self.before = placeholder, before
        self.history, self.back = history or [], 0

    def compose(self) -> ComposeResult:
        """Title, reading, field."""
        with Vertical():
            yield self.box
            yield Field(self.before, placeholder=self.placeholder, select_on_focus=False)

    def on_mount(self) -> None:
        """Say what may be typed; begin with the text given, chosen so that typing replaces it."""
        self.box.show([[(f" {self.placeholder}", Ink.QUIET)]], active=True)
        if self.before and self.replaces:
            self.query_one(Input).select_all()

    def reading(self, text: str) -> tuple[str, bool]:
        """What the text is understood as, and whether it is complete."""
        return text, bool(text)

    def ends(self, text: str) -> bool:
        """Enter ends it where the text can be read."""
        return self.reading(text)[1]

    def on_input_changed(self, event: Input.Changed) -> None:
        """Show the reading."""
        said, good = self.reading(event.value) if event.value else (self.placeholder, True)
        self.box.show([[(f" {said}", Ink.STRONG if good and event.value else Ink.QUIET if good else Ink.TEXT)]], active=True)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        """Take what was typed, if it can be read."""
        if self.reading(event.value)[1]:
            self.dismiss(event.value)

    def on_key(self, event: events.Key) -> None:
        """Esc and Ctrl+C close; Up and Down go through what was typed before."""
        if self.misplaced(event):
            return
        if event.key in ("escape", "ctrl+c"):
            self.dismiss(None)
        elif event.key in ("up", "down") and self.history:
            self.back = max(0, min(len(self.history), self.back + (1 if event.key == "up" else -1)))
            field = self.query_one(Input)
            field.value = self.history[-self.back] if self.back else ""
            field.cursor_position = len(field.value)
        elif event.key == "f1":
            self.app.call_later(getattr(self.app, "show_help", lambda: None))
        else:
            return
        event.stop()
        event.prevent_default()


class ChoicePrompt(Prompt):
    """The text that a change of the program needs; where it can be checked while it is typed, what is wrong stands above it."""

    def __init__(self, choice: Choice[Any]) -> None:
        super().__init__(f"{choice.label} · {choice.asks}" if choice.edits else choice.label, choice.asks, choice.before)
        self.choice, self.replaces = choice, not choice.edits

    def reading(self, text: str) -> tuple[str, bool]:
        """What is wrong with it, where that can be told; an empty line may say that something shall go."""
        if self.choice.check is None or not text:
            return text, True
        try:
            self.choice.check(text)
        except ValueError as error:
            return str(error), False
        return "reads well; Enter tries it on the log", True


def own_path(text: str) -> Path:
    """A file as a person names it; ~ is the home folder, and a name like any other where there is none such."""
    path = Path(text.strip())
    try:
        return path.expanduser()
    except RuntimeError:
        return path
