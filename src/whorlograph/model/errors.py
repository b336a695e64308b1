"""Errors that a person can act on: what is wrong, where, and what to do about it."""

from __future__ import annotations


class WhorlographError(Exception):
    """One clear line: place, what, remedy.

    Args:
        place: file, and where in it (``kiln.csv:1``); empty where there is none.
        what: what is wrong, a phrase.
        remedy: what to do, a phrase.
    """

    exit_status = 2

    def __init__(self, place: str, what: str, remedy: str = "") -> None:
        self.place = place
        self.what = what
        self.remedy = remedy
        super().__init__(self.line())

    def line(self) -> str:
        """The error as one line of text, without line breaks."""
        text = f"{self.place}: {self.what}" if self.place else self.what
        if self.remedy:
            text += f": {self.remedy}"
        return " ".join(text.split())


class UsageError(WhorlographError):
    """A wrong option or a wrong word on the command line or in a field of the screen."""


class InputError(WhorlographError):
    """A file that cannot be read."""


class ProgramError(InputError):
    """A controller program that cannot be read at all."""


class LogError(InputError):
    """A log that cannot be read at all."""


class ColumnsError(LogError):
    """A log of which it is not known which column is which: their names and first rows, and the column of time where that is known."""

    def __init__(self, place: str, what: str, remedy: str, names: tuple[str, ...], rows: tuple[tuple[str, ...], ...], time: str = "") -> None:
        super().__init__(place, what, remedy)
        self.names, self.rows, self.time = names, rows, time


class ProfileError(InputError):
    """A profile with an unknown key or a value that is none."""


class IoListError(InputError):
    """An I/O list that cannot be read at all."""


class Stopped(Exception):
    """Work was stopped by whoever asked for it: there is no result, and nothing is wrong."""
