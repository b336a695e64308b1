"""A mistake of ours that ends the screen: it is filed by the command line instead of being printed over the terminal."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from textual.app import App


class ScreenError(Exception):
    """What ended the screen, as it was found: ``str()`` the whole, ``repr()`` what stands below the picture of the calls."""

    def __repr__(self) -> str:
        """The error itself, in one line."""
        return " ".join(str(self).rpartition("\u256f")[2].split()) or "no word"


def collected(app: App[None]) -> io.StringIO:
    """Let what the application would print of its end be written here."""
    from rich.console import Console

    found = io.StringIO()
    app.error_console = Console(file=found, markup=False, highlight=False, width=160, color_system=None)
    return found
