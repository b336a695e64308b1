"""A text that the grammar does not take."""

from __future__ import annotations


class Unreadable(Exception):
    """Where it is (line, column; 0: not known), and what was expected."""

    def __init__(self, line: int, column: int, what: str) -> None:
        super().__init__(what)
        self.line, self.column, self.what = line, column, what
