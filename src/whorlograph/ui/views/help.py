"""Help: what stands here first, then every key, made from the table of keys."""

from __future__ import annotations

import textwrap

from whorlograph.drawing.shapes import Ink, Run

from ..about import HERE
from ..keys import ACTIONS, Action, keys_text
from .overlay import ListOverlay


def _rows(action: Action, width: int) -> list[list[Run]]:
    """An action's keys and sentence, on as many lines as it takes."""
    parts = textwrap.wrap(action.sentence, max(20, width - 24))
    rows: list[list[Run]] = [[(f"  {keys_text(action):<21}", Ink.STRONG), (parts[0], Ink.TEXT)]]
    return rows + [[(" " * 23 + part, Ink.TEXT)] for part in parts[1:]]


def help_overlay(strand: str, width: int) -> ListOverlay:
    """The help page for a strand, for a screen of a width."""
    width = min(width, 124)
    lines: list[list[Run]] = [[("", Ink.TEXT)]]
    sentence, keys = HERE.get(strand, ("", ()))
    lines += [[(f"  {part}", Ink.STRONG)] for part in textwrap.wrap(sentence, width - 4)]
    lines.append([("", Ink.TEXT)])
    for shown, words in keys:
        lines.append([(f"  {shown:<12}", Ink.STRONG), (words, Ink.TEXT)])
    lines.append([("", Ink.TEXT)])
    lines.append([("  A number before a key that moves makes its steps bigger: 5j, 20., 3].", Ink.TEXT)])
    lines.append([("", Ink.TEXT)])
    for action in ACTIONS:
        lines += _rows(action, width)
    return ListOverlay("help", lines, hint="arrows scroll · / searches · Esc closes")
