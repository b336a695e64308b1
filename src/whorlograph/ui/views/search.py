"""The search line: what is typed, and how many places it has, while it is typed."""

from __future__ import annotations

from collections.abc import Callable

from .prompt import Prompt


class SearchPrompt(Prompt):
    """Asks for a search text; Esc leaves everything as it was."""

    def __init__(self, counted: Callable[[str], str], before: str = "", placeholder: str = "words that must all occur",
                 history: list[str] | None = None) -> None:
        super().__init__("search", placeholder, before, history)
        self.counted = counted

    def reading(self, text: str) -> tuple[str, bool]:
        """The number of places."""
        return self.counted(text), True
