"""A piece of the screen that shows finished lines: it scrolls and is clicked on, and knows nothing else."""

from __future__ import annotations

from collections.abc import Sequence

from rich.segment import Segment
from textual import events
from textual.geometry import Size
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from whorlograph.drawing.shapes import Ink, Run

from ..theme import segments


class Lines(Widget):
    """Lines of runs under a title; some of them chosen."""

    can_focus = False

    class Clicked(Message):
        """A line was clicked: which piece of the screen, which line of its content, at which column."""

        def __init__(self, piece: Lines, line: int, column: int) -> None:
            super().__init__()
            self.piece, self.line, self.column = piece, line, column

    class Wheeled(Message):
        """The wheel was turned over a piece of the screen: steps down (negative: up), at which column."""

        def __init__(self, piece: Lines, steps: int, column: int) -> None:
            super().__init__()
            self.piece, self.steps, self.column = piece, steps, column

    class Resized(Message):
        """A piece of the screen has another size."""

    def __init__(self, name: str, title: str = "") -> None:
        super().__init__(id=name)
        self.title = title
        self.lines: Sequence[Sequence[Run]] = ()
        self.chosen: frozenset[int] = frozenset()
        self.top = 0
        self.active = False
        self.note = ""
        self.pinned = 0  # so many first lines stay in sight

    @property
    def head(self) -> int:
        """How many lines the title takes."""
        return 1 if self.title else 0

    @property
    def room(self) -> Size:
        """Width and height for content."""
        return Size(max(1, self.size.width), max(0, self.size.height - self.head))

    def show(self, lines: Sequence[Sequence[Run]], chosen: frozenset[int] = frozenset(), top: int | None = None, active: bool = False,
             note: str = "") -> None:
        """Show lines; ``top`` is the first one in sight (None: where it was)."""
        self.take(lines, chosen, top, active, note)
        self.refresh()

    def take(self, lines: Sequence[Sequence[Run]], chosen: frozenset[int], top: int | None, active: bool, note: str) -> None:
        """Take what is shown from the next look on."""
        self.lines, self.chosen, self.active, self.note = lines, chosen, active, note
        wanted = self.top if top is None else top
        self.top = max(0, min(wanted, len(lines) - self.room.height))

    def reach(self, first: int, last: int) -> int:
        """The top line that brings lines into sight with the least movement."""
        height = self.room.height
        top = self.top
        if last >= top + height:
            top = last - height + 1
        return max(0, first - self.pinned) if first < top + self.pinned else top

    def _line_at(self, y: int) -> int:
        """The line of the content that stands in a row."""
        row = y - self.head
        return row if row < self.pinned else self.top + row

    def render_line(self, y: int) -> Strip:
        """One line of the screen."""
        palette, plain = self._look()
        width = self.size.width
        if self.title and y == 0:
            mark, ink = ("▸ ", Ink.STRONG) if self.active else ("  ", Ink.QUIET)
            left = f"{mark}{self.title} "
            right = f" {self.note} " if self.note and len(self.note) + len(left) + 4 < width else ""
            runs: list[Run] = [(left, ink), ("─" * max(0, width - len(left) - len(right)), Ink.DEAD), (right, Ink.QUIET)]
            return Strip(segments(runs, palette, width, plain), width)
        at = self._line_at(y)
        if 0 <= at < len(self.lines):
            return Strip(segments(list(self.lines[at]), palette, width, plain, at in self.chosen), width)
        blank: list[Segment] = segments([], palette, width, plain)
        return Strip(blank, width)

    def _look(self) -> tuple[str, bool]:
        return getattr(self.app, "palette_name", "dark"), bool(getattr(self.app, "ascii", False))

    def on_resize(self) -> None:
        """Ask for the content anew at another size."""
        self.post_message(self.Resized())

    def on_click(self, event: events.Click) -> None:
        """Report a click in terms of the content."""
        event.stop()
        self.post_message(self.Clicked(self, self._line_at(event.y), event.x))

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        """Report the wheel."""
        event.stop()
        self.post_message(self.Wheeled(self, 1, event.x))

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        """Report the wheel."""
        event.stop()
        self.post_message(self.Wheeled(self, -1, event.x))
