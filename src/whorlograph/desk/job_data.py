"""What a job holds."""

from __future__ import annotations

import os

import msgspec

VERSION = 2


class Mark(msgspec.Struct, frozen=True):
    """A named moment: its letter, the time in ns since the log's start, what was looked at; when it was set (seconds since 1970)."""

    letter: str
    time: int
    text: str = ""
    id: str = ""
    at: float = 0.0


class Note(msgspec.Struct, frozen=True):
    """A sentence written down at a moment (ns); when that was (seconds since 1970)."""

    time: int
    text: str
    id: str = ""
    at: float = 0.0


class WalkStep(msgspec.Struct, frozen=True):
    """One step of the walk: when (seconds since 1970), what was done ("asked", "proved", "marked"...), in words, the command for it."""

    at: float
    what: str
    text: str
    command: str = ""
    id: str = ""


class Watch(msgspec.Struct, frozen=True):
    """Lanes under a name, by tag name, in the order in which they stand."""

    name: str
    lanes: tuple[str, ...] = ()


class Edit(msgspec.Struct, frozen=True):
    """One change of the program: the step and element of the program as loaded where the cursor stood, the tag's name there, what was chosen,
    and the text that was typed for it."""

    step: int
    element: int
    name: str
    label: str
    text: str = ""


class Version(msgspec.Struct, frozen=True):
    """Changes of the program under a name, in the order in which they were made; "": those that nobody has named."""

    name: str
    edits: tuple[Edit, ...] = ()


class Kept(msgspec.Struct, frozen=True):
    """What undo and redo go over: marks, notes, lanes by tag name, and lanes that are watched together."""

    marks: tuple[Mark, ...] = ()
    notes: tuple[Note, ...] = ()
    lanes: tuple[str, ...] = ()
    watches: tuple[Watch, ...] = ()


class Spot(msgspec.Struct, frozen=True):
    """Where the screen stood: the question (tag, at in ns or None), the moment, strand, trail line, stretch of time."""

    tag: str
    at: int | None
    time: int
    strand: str
    line: int
    start: int
    end: int


class Job(msgspec.Struct):
    """All of it. ``program`` is a digest of the program file: a job fits one revision; ``columns``: which of the log's is time, tag,
    value, where that was asked; ``versions``: what the program was changed to."""

    version: int = VERSION
    program: str = ""
    files: tuple[str, ...] = ()
    saved: float = 0.0
    kept: Kept = Kept()
    walk: list[WalkStep] = []
    history: dict[str, list[str]] = {}
    place: Spot | None = None
    columns: dict[str, str] = {}
    versions: tuple[Version, ...] = ()


def fresh_id() -> str:
    """A name for an entry that no other window gives."""
    return os.urandom(6).hex()


def count(number: int, what: str) -> str:
    """``1 mark``, ``3 marks``."""
    return f"{number} {what}{'s' * (number != 1)}"
