"""The search line: what is typed, and how many places it has, while it is typed."""

from __future__ import annotations

from collections.abc import Callable

from textual.widgets import Input

from .overlay import Prompt


class SearchPrompt(Prompt):
    """Asks for a search text; Esc leaves everything as it was."""

    def __init__(self, counted: Callable[[str], str], before: str = "", placeholder: str = "words that must all occur") -> None:
        super().__init__("search", placeholder)
        self.counted, self.before = counted, before

    def on_mount(self) -> None:
        """Begin with the former text (the base class's own handler runs as well)."""
        if self.before:
            field = self.query_one(Input)
            field.value = self.before
            field.select_all()

    def reading(self, text: str) -> tuple[str, bool]:
        """The number of places."""
        return self.counted(text), True
