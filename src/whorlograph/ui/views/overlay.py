"""What every overlay shares: a box of lines over the main view, closed with q, Esc or Backspace."""

from __future__ import annotations

from collections.abc import Callable

from textual import events
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.widgets import Input

from whorlograph.drawing.palette import PALETTES
from whorlograph.drawing.shapes import Ink, Run

from ..early import Field, Overlaid
from ..keys import BY_KEY
from ..strands import Lines
from .search import SearchPrompt


class ListOverlay(Overlaid):
    """Lines to read or choose from; each line may stand for a value that is handed back when it is chosen."""

    DEFAULT_CSS = """
    ListOverlay { align: center middle; background: $background; }
    ListOverlay > Vertical { width: 100%; height: 90%; max-width: 124; }
    ListOverlay Lines { height: 1fr; }
    ListOverlay Input, ListOverlay Input:focus { border: none; height: 1; padding: 0 1; }
    """

    def __init__(self, title: str, lines: list[list[Run]], values: list[object] | None = None, field: str | None = None,
                 hint: str = "Esc closes", reads: Callable[[str], tuple[list[Run], object] | None] | None = None,
                 history: list[str] | None = None) -> None:
        super().__init__()
        self.reads, self.history = reads, history or []
        self.extra: tuple[list[Run], object] | None = None
        self.typed = ""
        self.box = Lines("overlay", title)
        self.all_lines, self.all_values = lines, values or []
        self.shown = list(range(len(lines)))
        self.at = 0
        self.placeholder = field
        self.hint = hint

    def compose(self) -> ComposeResult:
        """A field to type in, if the list can be filtered, and the list."""
        with Vertical():
            if self.placeholder is not None:
                yield Field(placeholder=self.placeholder, select_on_focus=False)
            yield self.box

    def on_mount(self) -> None:
        """Show all lines, on a ground of their own: tinting what lies below would cost half of the time to open."""
        ground = PALETTES[getattr(self.app, "palette_name", "dark")].ground
        if ground:
            self.styles.background = ground
        if self.placeholder is None:
            self.open_up()
        self.paint()

    def on_resize(self) -> None:
        """Show them anew at another size."""
        self.paint()

    def paint(self) -> None:
        """Show the lines that pass the filter, the chosen one in sight."""
        lines = [self.all_lines[i] for i in self.shown]
        if self.extra is not None:
            lines.insert(0, self.extra[0])
        lines = lines or [[(" nothing fits", Ink.QUIET)]]
        chosen = frozenset({self.at}) if self.all_values else frozenset()
        top = self.box.reach(self.at, self.at) if self.all_values else self.box.top
        self.box.show(lines, chosen, top, True, self.hint)

    def narrowed(self, text: str) -> list[int]:
        """Which lines to show for what was typed: those in which every word occurs, first those that are called by one, or begin so."""
        words = text.lower().split()
        found: list[tuple[int, int]] = []
        for i, line in enumerate(self.all_lines):
            flat = "".join(t for t, _ in line).lower()
            if all(w in flat for w in words):
                found.append((_far(line[0][0].strip().lower() if line else "", words), i))
        return [i for _, i in sorted(found)]

    def on_input_changed(self, event: Input.Changed) -> None:
        """Filter as it is typed."""
        self.typed = event.value.strip()
        self.shown = self.narrowed(event.value)
        self.extra = self.reads(event.value) if self.reads is not None and event.value else None
        self.at = 0
        self.paint()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        """Enter in the field chooses the line under the cursor."""
        self.choose()

    def ends(self, text: str) -> bool:
        """Enter ends it where there is something to take."""
        return self.extra is not None or bool(self.all_values and self.narrowed(text))

    def choose(self) -> None:
        """Hand back what the chosen line stands for."""
        at = self.at - (self.extra is not None)
        if at < 0 and self.extra is not None:
            self.dismiss(self.extra[1])
        elif self.all_values and 0 <= at < len(self.shown):
            self.dismiss(self.all_values[self.shown[at]])

    def complete(self) -> None:
        """Take the chosen line's name into the field."""
        at = self.at - (self.extra is not None)
        if self.all_values and 0 <= at < len(self.shown):
            field = self.query_one(Input)
            field.value = "".join(t for t, _ in self.all_lines[self.shown[at]][:1]).strip()
            field.cursor_position = len(field.value)

    def former(self) -> None:
        """What was typed last."""
        if self.history:
            field = self.query_one(Input)
            field.value = self.history[-1]
            field.cursor_position = len(field.value)

    def move(self, steps: int) -> None:
        """Move the choice, or scroll."""
        if self.all_values:
            self.at = max(0, min(len(self.shown) - 1 + (self.extra is not None), self.at + steps))
            self.paint()
        else:
            self.box.show(self.box.lines, self.box.chosen, self.box.top + steps, True, self.hint)

    def on_key(self, event: events.Key) -> None:
        """The same keys as everywhere; letters go into the field where there is one."""
        if self.misplaced(event):
            return
        typing = self.placeholder is not None
        name = BY_KEY[event.key].name if event.key in BY_KEY else ""
        moves = {"down": 1, "up": -1, "page_down": max(1, self.box.room.height // 2), "page_up": -max(1, self.box.room.height // 2),
                 "start": -10**6, "end": 10**6}
        if event.key == "escape" or (name in ("close", "back") and not typing):
            self.dismiss(None)
        elif name == "quit":
            self.app.exit()
        elif name == "stop":
            self.dismiss(None)
        elif typing and event.key == "tab":
            self.complete()
        elif typing and event.key == "up" and self.at == 0 and not self.query_one(Input).value:
            self.former()
        elif name in moves and not (typing and len(event.key) == 1):
            self.move(moves[name])
        elif event.key == "enter" and not typing:
            self.choose()
        elif name == "search" and not typing:
            self._search()
        elif event.key == "f1" or (name == "help" and not typing):
            self.app.call_later(getattr(self.app, "show_help", lambda: None))
        else:
            return
        event.stop()
        event.prevent_default()

    def _search(self) -> None:
        """Show only the lines that hold every word that is typed."""
        def take(text: str | None) -> None:
            if text is not None:
                self.shown = self.narrowed(text)
                self.at = 0
                self.paint()

        self.app.push_screen(SearchPrompt(lambda text: f"{len(self.narrowed(text))} lines"), take)

    def on_lines_clicked(self, event: Lines.Clicked) -> None:
        """A click chooses."""
        event.stop()
        if self.all_values and 0 <= event.line < len(self.shown):
            self.at = event.line
            self.choose()

    def on_lines_wheeled(self, event: Lines.Wheeled) -> None:
        """The wheel scrolls."""
        event.stop()
        self.move(3 * event.steps)


def _far(name: str, words: list[str]) -> int:
    """How far a name is from what was typed: 0 it is one of the words, whole or behind its last dot; 1 it begins with one; 2 it only holds it."""
    last = name.rpartition(".")[2]
    return 0 if name in words or last in words else 1 if any(name.startswith(w) or last.startswith(w) for w in words) else 2
