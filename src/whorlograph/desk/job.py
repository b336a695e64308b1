"""The job: what a person has added to one complaint, kept as plain versioned text after every change."""

from __future__ import annotations

import os
import time
from contextlib import suppress
from hashlib import sha256
from pathlib import Path
from typing import Any

import msgspec

from .session import Paths

VERSION = 1
LONGEST_WALK = 400


class Mark(msgspec.Struct, frozen=True):
    """A named moment: its letter, the time in ns since the log's start, and what was looked at."""

    letter: str
    time: int
    text: str = ""


class Note(msgspec.Struct, frozen=True):
    """A sentence written down at a moment (ns)."""

    time: int
    text: str


class WalkStep(msgspec.Struct, frozen=True):
    """One step of the walk: when (seconds since 1970), what was done ("asked", "proved", "marked"...), in words, the command for it."""

    at: float
    what: str
    text: str
    command: str = ""


class Kept(msgspec.Struct, frozen=True):
    """What undo and redo go over: marks, notes, and lanes by tag name."""

    marks: tuple[Mark, ...] = ()
    notes: tuple[Note, ...] = ()
    lanes: tuple[str, ...] = ()


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
    """All of it. ``program`` is a digest of the program file: a job fits one revision."""

    version: int = VERSION
    program: str = ""
    files: tuple[str, ...] = ()
    saved: float = 0.0
    kept: Kept = Kept()
    walk: list[WalkStep] = []
    history: dict[str, list[str]] = {}
    place: Spot | None = None


def jobs_folder() -> Path:
    """Where unnamed jobs are kept."""
    import platformdirs

    return Path(platformdirs.user_state_dir("whorlograph")) / "jobs"


def job_path(folder: Path, paths: Paths) -> Path:
    """The file of the job on these files."""
    names = "\n".join(str(p.resolve()) for p in (paths.program, *paths.logs))
    return folder / f"{paths.program.stem}-{sha256(names.encode()).hexdigest()[:12]}.json"


def load_job(path: Path, digest: str) -> Job | None:
    """The job kept in a file; None where there is none, or it cannot be read, or it was for another revision of the program.

    A file that cannot be read is put aside under another name, never overwritten.
    """
    try:
        job = msgspec.json.decode(path.read_bytes(), type=Job)
    except FileNotFoundError:
        return None
    except (OSError, msgspec.MsgspecError):
        with suppress(OSError):
            path.replace(path.with_suffix(".unreadable"))
        return None
    return job if job.version == VERSION and job.program == digest else None


class Desk:
    """A job at work: changes it, undoes them, saves it."""

    def __init__(self, path: Path | None, job: Job) -> None:
        self.path, self.job = path, job
        self.undone: list[tuple[str, Kept]] = []
        self.done: list[tuple[str, Kept]] = []
        self.dirty = False

    @property
    def kept(self) -> Kept:
        """Marks, notes, lanes."""
        return self.job.kept

    def change(self, what: str, **fields: Any) -> None:
        """Change what is kept; ``what`` names the change for undo."""
        self.done.append((what, self.kept))
        self.undone.clear()
        self.job.kept = msgspec.structs.replace(self.kept, **fields)
        self.dirty = True

    def undo(self) -> str:
        """Take the last change back; its name, "" where there is none."""
        return self._shift(self.done, self.undone)

    def redo(self) -> str:
        """Do again what was undone; its name, "" where there is nothing."""
        return self._shift(self.undone, self.done)

    def _shift(self, taken: list[tuple[str, Kept]], given: list[tuple[str, Kept]]) -> str:
        if not taken:
            return ""
        what, before = taken.pop()
        given.append((what, self.kept))
        self.job.kept = before
        self.dirty = True
        return what

    def mark(self, letter: str, at: int, text: str) -> None:
        """Set a mark; one of the same letter is moved."""
        others = tuple(m for m in self.kept.marks if m.letter != letter)
        self.change(f"mark {letter}", marks=tuple(sorted((*others, Mark(letter, at, text)), key=lambda m: m.time)))

    def marked(self, letter: str) -> Mark | None:
        """The mark of a letter."""
        return next((m for m in self.kept.marks if m.letter == letter), None)

    def note(self, at: int, text: str) -> None:
        """Write a note at a moment."""
        self.change("note", notes=tuple(sorted((*self.kept.notes, Note(at, text)), key=lambda n: n.time)))

    def step(self, what: str, text: str, command: str = "") -> None:
        """Add a step to the walk."""
        self.job.walk.append(WalkStep(round(time.time(), 1), what, text, command))
        del self.job.walk[:-LONGEST_WALK]
        self.dirty = True

    def history(self, what: str) -> list[str]:
        """What was typed before into a prompt, the newest last."""
        return self.job.history.get(what, [])

    def typed(self, what: str, text: str) -> None:
        """Remember what was typed into a prompt."""
        if text:
            self.job.history[what] = [*(t for t in self.history(what) if t != text), text][-100:]
            self.dirty = True

    def stand(self, place: Spot) -> None:
        """Note where the screen stands."""
        if place != self.job.place:
            self.job.place = place
            self.dirty = True

    def save(self) -> bool:
        """Write the job if it changed: a new file, then renamed, so that a kill leaves the old one or the new one whole."""
        if not self.dirty or self.path is None:
            return False
        self.job.saved = time.time()
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            fresh = self.path.with_suffix(f".{os.getpid()}")
            fresh.write_bytes(msgspec.json.format(msgspec.json.encode(self.job), indent=1))
            fresh.replace(self.path)
        except OSError:
            return False
        self.dirty = False
        return True


def open_desk(paths: Paths, digest: str, folder: Path | None, fresh: bool = False) -> tuple[Desk, bool]:
    """The desk for a session's files, and whether a kept job was taken up again.

    Args: folder: where jobs are kept; None: nothing is kept.
    """
    path = job_path(folder, paths) if folder is not None else None
    found = load_job(path, digest) if path is not None and not fresh else None
    if found is not None:
        return Desk(path, found), True
    return Desk(path, Job(program=digest, files=tuple(p.name for p in (paths.program, *paths.logs)))), False


def age_text(seconds: float) -> str:
    """How long ago, in words."""
    for size, unit in ((86_400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            count = int(seconds // size)
            return f"{count} {unit}{'s' * (count > 1)} ago"
    return "a moment ago"
