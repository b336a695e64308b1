"""How many columns of a terminal text takes: letters of East Asia two, combining marks none."""

from __future__ import annotations

import re
from unicodedata import combining, east_asian_width

# Only text with one of these has to be measured letter by letter.
WIDE = re.compile("[\u0300-\u036f\u0483-\u0489\u0591-\u05bd\u0610-\u061a\u064b-\u065f\u0900-\u0903\u093a-\u094f\u0e31\u0e34-\u0e3a\u0e47-\u0e4e"
                  "\u1100-\u115f\u20d0-\u20ff\u231a-\u231b\u23e9-\u23f3\u25fd-\u25fe\u2614-\u2615\u2648-\u2653\u2e80-\ua4cf\ua960-\ua97f\uac00-\ud7a3"
                  "\uf900-\ufaff\ufe20-\ufe2f\ufe30-\ufe6f\uff00-\uff60\uffe0-\uffe6\U0001f000-\U0001faff\U00020000-\U0003fffd]")


def letter_cells(letter: str) -> int:
    """The columns of one character."""
    if combining(letter) or "\ufe20" <= letter <= "\ufe2f":
        return 0
    return 2 if east_asian_width(letter) in "WF" else 1


def cells(text: str) -> int:
    """The columns of a text."""
    return len(text) if text.isascii() or not WIDE.search(text) else sum(map(letter_cells, text))


def cut(text: str, width: int) -> str:
    """As much of a text from its start as a width holds."""
    if text.isascii() or not WIDE.search(text):
        return text[:width]
    used = 0
    for i, letter in enumerate(text):
        used += letter_cells(letter)
        if used > width:
            return text[:i]
    return text


def padded(text: str, width: int) -> str:
    """A text with blanks behind it up to a width."""
    return text + " " * (width - cells(text))
