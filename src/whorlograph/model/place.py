"""Where something stands, and what was set aside there."""

from __future__ import annotations

from typing import Generic, TypeVar

from msgspec import Struct, field

T = TypeVar("T")


class Place(Struct, frozen=True):
    """A place in a file: file name, line (from 1, 0 unknown), POU and rung (from 1, 0 none)."""

    file: str = ""
    line: int = 0
    pou: str = ""
    rung: int = 0

    def __str__(self) -> str:
        text = f"{self.file}:{self.line}" if self.line else self.file
        if self.pou:
            text += f" {self.pou}" if text else self.pou
            if self.rung:
                text += f" {self.rung}"
        return text


class Notice(Struct, frozen=True):
    """Something that was not read as it stands; the rest was.

    ``what`` says what and ``effect`` what that means for the answers; ``count`` how many such.
    """

    place: Place
    what: str
    effect: str = ""
    count: int = 1

    def __str__(self) -> str:
        text = f"{self.place}: {self.what}" if str(self.place) else self.what
        if self.count > 1:
            text += f" ({self.count} times)"
        return f"{text}; {self.effect}" if self.effect else text


class Loaded(Struct, Generic[T], frozen=True):
    """A value read from a file with what was set aside while reading."""

    value: T
    notices: list[Notice] = field(default_factory=list)
