"""The characters of drawings, with a plain twin for terminals that have ASCII only."""

from __future__ import annotations

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

_ASCII = str.maketrans({"━": "=", "┃": "#", "┏": "#", "┓": "#", "┗": "#", "┛": "#", "┣": "#", "┫": "#", "┳": "#", "┻": "#", "╋": "#",
                        "╌": "-", "┆": ":", "┌": "+", "┐": "+", "└": "+", "┘": "+", "├": "+", "┤": "+", "┬": "+", "┴": "+", "┼": "+",
                        "│": "|", "─": "-", "┥": "]", "┝": "[", "▄": "#", "▁": "_", "▾": "v", "▴": "^", "░": "%", "▒": "%", "▓": "%",
                        "▗": "/", "▖": "\\", "▂": "_", "▃": "-", "▅": "=", "▆": "=", "▇": "#", "█": "#", "✕": "X", "●": "*", "·": ".",
                        "…": "~", "▼": "V", "▲": "^", "→": ">", "←": "<", "»": ">", "«": "<", "✓": "+", "▸": ">", "◆": "*",
                        "↳": "`", "╰": "`", "╭": ",", "▌": "|", "▐": "|", "╱": "/", "✗": "x", "∙": ".", "○": "o",
                        "“": '"', "”": '"', "›": ">", "‹": "<"})


def ascii_only(text: str) -> str:
    """The same text in ASCII."""
    return text.translate(_ASCII).encode("ascii", "replace").decode("ascii")
