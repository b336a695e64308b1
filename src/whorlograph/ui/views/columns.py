"""Which column is which: asked over the first frame where a log does not say."""

from __future__ import annotations

from textual import events
from textual.app import ComposeResult

from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.model.cells import cells, padded
from whorlograph.model.errors import ColumnsError

from ..early import Overlaid
from ..strands import Lines

_WIDEST = 26


class ColumnsScreen(Overlaid):
    """Asks for the columns of time, tag and value, one after the other; what was chosen comes back by key, None where Esc leaves."""

    DEFAULT_CSS = """
    ColumnsScreen { layout: vertical; background: transparent; }
    ColumnsScreen #columns { height: 1fr; }
    ColumnsScreen #columnshint { height: 1; }
    """

    def __init__(self, error: ColumnsError) -> None:
        super().__init__()
        self.error = error
        self.names = error.names
        self.chosen: dict[str, str] = {}
        self.asking = "time" if not error.time else "tag"
        if error.time:
            self.chosen["time"] = error.time
        self.at = 0
        self.box = Lines("columns", error.place.rpartition("/")[2])
        self.hint = Lines("columnshint")

    def compose(self) -> ComposeResult:
        """The table, and what to do."""
        yield self.box
        yield self.hint

    def on_mount(self) -> None:
        """Keys are taken at once."""
        self.open_up()
        self.paint()

    def on_lines_resized(self, event: Lines.Resized) -> None:
        """Another size, another picture."""
        event.stop()
        self.paint()

    @property
    def options(self) -> list[int]:
        """The columns that can be chosen now; -1: each column is a tag of its own."""
        free = [i for i, name in enumerate(self.names) if name not in self.chosen.values()]
        return [*free, -1] if self.asking == "tag" else free

    def paint(self) -> None:
        """The question, the columns with their first cells, the chosen one marked."""
        options = self.options
        self.at = min(self.at, len(options) - 1)
        now = options[self.at]
        question = {"time": "Which column is the time?", "tag": "Which column names the tag?", "value": "Which column holds the value?"}[self.asking]
        lines: list[list[Run]] = [[(f" {self.error.what}", Ink.TEXT)], [], [(f" {question}", Ink.STRONG)], []]
        width = max(20, self.box.room.width - 2)
        widths = [min(_WIDEST, max([cells(name), *(cells(r[i]) for r in self.error.rows if i < len(r))]) + 2) for i, name in enumerate(self.names)]
        first = 0
        while now > first and sum(widths[first:now + 1]) > width:
            first += 1
        for n, row in enumerate((self.names, *self.error.rows)):
            runs: list[Run] = [(" ", Ink.TEXT)]
            for i in range(first, len(self.names)):
                if sum(widths[first:i + 1]) > width:
                    break
                text = padded(fitted(row[i] if i < len(row) else "", widths[i] - 2), widths[i])
                key = next((k for k, v in self.chosen.items() if v == self.names[i]), "")
                runs.append((text, Ink.MOMENT if i == now and n == 0 else Ink.STRONG if i == now else Ink.QUIET if key else Ink.TEXT))
            lines.append(runs)
            if n == 0:
                lines.append([(" ", Ink.TEXT), *((padded(self._mark(i, now), widths[i]), Ink.MOMENT if i == now else Ink.QUIET)
                                                 for i in range(first, len(self.names)))])
        if self.asking == "tag":
            ink = Ink.STRONG if now == -1 else Ink.TEXT
            lines += [[], [(" ▸ " if now == -1 else "   ", Ink.MOMENT), ("none: each of the other columns is a tag of its own", ink)]]
        self.box.show(lines, active=True)
        self.hint.show([[(" Left and Right choose · Enter takes it · Backspace one back · Esc leaves", Ink.TEXT)]])

    def _mark(self, column: int, now: int) -> str:
        if column == now:
            return "▲"
        return next((k for k, v in self.chosen.items() if v == self.names[column]), "")

    def on_key(self, event: events.Key) -> None:
        """Left, Right, Enter, Backspace, Esc."""
        if self.misplaced(event):
            return
        event.stop()
        event.prevent_default()
        if event.key in ("escape", "ctrl+c", "q"):
            self.dismiss(None)
        elif event.key in ("right", "down", "tab", "l", "j"):
            self.at = (self.at + 1) % len(self.options)
        elif event.key in ("left", "up", "shift+tab", "h", "k"):
            self.at = (self.at - 1) % len(self.options)
        elif event.key == "enter":
            self._take()
        elif event.key == "backspace" and len(self.chosen) > bool(self.error.time):
            self.asking = list(self.chosen)[-1]
            del self.chosen[self.asking]
            self.at = 0
        if self.is_current and not self.leaving:
            self.paint()

    def _take(self) -> None:
        now = self.options[self.at]
        if now == -1:
            self.dismiss(self.chosen)
            return
        self.chosen[self.asking] = self.names[now]
        following = {"time": "tag", "tag": "value", "value": ""}[self.asking]
        self.at = 0
        if not following or not self.options:
            self.dismiss(self.chosen)
            return
        self.asking = following
