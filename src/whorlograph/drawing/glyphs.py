"""The characters of drawings, with a plain twin for terminals that have ASCII only."""

from __future__ import annotations

import re
from unicodedata import normalize

# Corners and joints by the directions they connect: up, down, left, right.
_LIVE = {"lr": "━", "ud": "┃", "dr": "┏", "dl": "┓", "ur": "┗", "ul": "┛", "udr": "┣", "udl": "┫", "dlr": "┳", "ulr": "┻",
         "udlr": "╋", "l": "━", "r": "━", "u": "┃", "d": "┃"}
_DEAD = {"lr": "╌", "ud": "┆", "dr": "┌", "dl": "┐", "ur": "└", "ul": "┘", "udr": "├", "udl": "┤", "dlr": "┬", "ulr": "┴",
         "udlr": "┼", "l": "╌", "r": "╌", "u": "┆", "d": "┆"}


def joint(directions: set[str], live: bool) -> str:
    """The line character that connects these directions (u, d, l, r)."""
    key = "".join(d for d in "udlr" if d in directions)
    return (_LIVE if live else _DEAD).get(key, " ")


ON, OFF, NOTCH, SPIKE, FEW, MANY, FULL = "▄", "▁", "▾", "▴", "░", "▒", "▓"
RISE, FALL = "▗", "▖"
CURVE = "▁▂▃▄▅▆▇█"
BLOCKED = "✕"

_PASSING = re.compile("┫(.)┣")
_ASCII = str.maketrans({"━": "=", "┃": "#", "┏": "#", "┓": "#", "┗": "#", "┛": "#", "┣": "#", "┫": "#", "┳": "#", "┻": "#", "╋": "#",
                        "╌": "-", "┆": ":", "┌": "+", "┐": "+", "└": "+", "┘": "+", "├": "+", "┤": "+", "┬": "+", "┴": "+", "┼": "+",
                        "│": "|", "─": "-", "┥": "]", "┝": "[", "▄": "#", "▁": "_", "▾": "v", "▴": "^", "░": "%", "▒": "%", "▓": "%",
                        "▗": "/", "▖": "\\", "▂": "_", "▃": "-", "▅": "=", "▆": "=", "▇": "#", "█": "#", "✕": "X", "●": "*", "·": ".",
                        "…": "~", "▼": "V", "▲": "^", "→": ">", "←": "<", "»": ">", "«": "<", "✓": "+", "▸": ">", "◆": "*",
                        "↳": "`", "╰": "`", "╭": ",", "▌": "|", "▐": "|", "╱": "/", "✗": "x", "∙": ".", "○": "o",
                        "╮": ".", "╯": "'", "╷": "|", "▽": "v", "µ": "u", "ß": "s", "Ø": "O", "ø": "o", "Æ": "A", "æ": "a", "Ł": "L", "ł": "l",
                        "Đ": "D", "đ": "d", "“": '"', "”": '"', "›": ">", "‹": "<"})


def ascii_only(text: str) -> str:
    """The same text in ASCII, a character for each: letters without their marks. A contact that passes keeps a sign of its own."""
    if text.isascii():
        return text
    plain = _PASSING.sub(r"}\1{", text).translate(_ASCII)
    return "".join(c if c.isascii() else _base(c) for c in plain)


def _base(letter: str) -> str:
    first = normalize("NFKD", letter)[:1]
    return first if first.isascii() else "?"
