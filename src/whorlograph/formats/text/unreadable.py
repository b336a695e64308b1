"""A text that the grammar does not take."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.model.place import Notice, Place

MOST = 20  # errors of one text that are told behind the first

class Unreadable(Exception):
    """Where it is (line, column; 0: not known), and what was expected; ``behind``: further errors of the same text.

    ``ends``: the text ends there, or in a comment that does not: nothing behind it can be read.
    """

    def __init__(self, line: int, column: int, what: str, ends: bool = False) -> None:
        super().__init__(what)
        self.line, self.column, self.what, self.ends = line, column, what, ends
        self.behind: list[Unreadable] = []

    def notices(self, file: str, pou: str, effect: str, columns: Callable[[Unreadable], bool] = lambda one: True) -> list[Notice]:
        """What is said of it, and of those behind it. Args: effect: what comes of it; columns: whether an error's column is that of the file."""
        found = []
        for one in (self, *self.behind):
            column = f"column {one.column}: " if one.column and columns(one) else ""
            found.append(Notice(Place(file, one.line, pou), f"{column}{one.what}", effect if one is self else "another error of the same text"))
        return found


def together(errors: list[Unreadable]) -> Unreadable:
    """The first of a text's errors, with the others and those behind them."""
    first, *others = sorted((e for one in errors for e in (one, *one.behind)), key=lambda e: (e.line, e.column))
    first.behind = others[:MOST]
    return first
