"""The job: what a person has added to one complaint, kept as plain versioned text after every change."""

from __future__ import annotations

import time
from collections import Counter
from pathlib import Path
from typing import Any

import msgspec

from whorlograph.model.shown import visible

from .job_data import Edit, Job, Kept, Mark, Note, Spot, Version, WalkStep, Watch, count, fresh_id
from .job_files import Found, alone, find_job, job_path, write_job
from .job_merge import Base, base_of, merged
from .session import Paths, Session

__all__ = ["Desk", "Edit", "Job", "Kept", "Mark", "Note", "Spot", "Version", "WalkStep", "Watch", "age_text", "job_path", "jobs_folder", "open_desk"]

LONGEST_WALK = 400


def jobs_folder() -> Path:
    """Where unnamed jobs are kept."""
    import platformdirs

    return Path(platformdirs.user_state_dir("whorlograph")) / "jobs"


class Desk:
    """A job at work: changes it, undoes them, saves it.

    ``other``: a job of the same files on another state of the program, or of a newer version; ``problem``: why the last attempt to save
    failed; ``news``: what came from another window with the last save. All are told on the screen.
    """

    def __init__(self, path: Path | None, job: Job, other: Job | None = None, said: str = "") -> None:
        self.path, self.job, self.other, self.said = path, job, other, said
        self.undone: list[tuple[str, Kept]] = []
        self.done: list[tuple[str, Kept]] = []
        self.dirty = False
        self.problem = self.news = ""
        self._base: Base = base_of(job)

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
        mark = Mark(letter, at, visible(text), fresh_id(), round(time.time(), 3))
        self.change(f"mark {letter}", marks=tuple(sorted((*others, mark), key=lambda m: m.time)))

    def marked(self, letter: str) -> Mark | None:
        """The mark of a letter."""
        return next((m for m in self.kept.marks if m.letter == letter), None)

    def note(self, at: int, text: str) -> None:
        """Write a note at a moment."""
        note = Note(at, visible(text), fresh_id(), round(time.time(), 3))
        self.change("note", notes=tuple(sorted((*self.kept.notes, note), key=lambda n: n.time)))

    def step(self, what: str, text: str, command: str = "") -> None:
        """Add a step to the walk."""
        self.job.walk.append(WalkStep(round(time.time(), 1), what, visible(text), visible(command), fresh_id()))
        del self.job.walk[:-LONGEST_WALK]
        self.dirty = True

    def history(self, what: str) -> list[str]:
        """What was typed before into a prompt, the newest last."""
        return self.job.history.get(what, [])

    def typed(self, what: str, text: str) -> None:
        """Remember what was typed into a prompt."""
        text = visible(text)
        if text:
            self.job.history[what] = [*(t for t in self.history(what) if t != text), text][-100:]
            self.dirty = True

    def did(self, what: str, name: str) -> None:
        """Remember an action, or a view that was opened: each time counts."""
        self.job.history[what] = [*self.history(what), name][-100:]
        self.dirty = True

    def by_use(self, what: str) -> list[str]:
        """What was done, the last of it first, then by how often."""
        done = self.history(what)
        often = Counter(done)
        return sorted(often, key=lambda n: (n != done[-1], -often[n], n))

    def say_columns(self, columns: dict[str, str]) -> None:
        """Keep which column of the log is which."""
        if columns != self.job.columns:
            self.job.columns = columns
            self.dirty = True

    def keep_version(self, version: Version) -> None:
        """Keep changes of the program under their name; without any the name goes."""
        others = tuple(v for v in self.job.versions if v.name.lower() != version.name.lower())
        versions = (*others, version) if version.edits else others
        if versions != self.job.versions:
            self.job.versions = versions
            self.dirty = True

    def set_aside_version(self) -> None:
        """Give the changes that nobody has named a name, before others take their place."""
        old = next((v for v in self.job.versions if not v.name), None)
        if old is not None:
            names = {v.name.lower() for v in self.job.versions}
            name = next(f"earlier {n}" for n in range(1, len(names) + 2) if f"earlier {n}" not in names)
            self.job.versions = tuple(Version(name, v.edits) if v is old else v for v in self.job.versions)
            self.dirty = True

    def stand(self, place: Spot) -> None:
        """Note where the screen stands."""
        if place != self.job.place:
            self.job.place = place
            self.dirty = True

    def adopt(self, session: Session) -> str:
        """Take over marks, notes and lanes of the job on another state of the program; what was taken, in words.

        What does not fit this log or program is marked as such.
        """
        if self.other is None:
            return ""
        old, self.other = self.other.kept, None
        known = session.running.by_name
        marks = [self._fitting(m, session) for m in old.marks if self.marked(m.letter) is None]
        notes = [self._fitting(n, session) for n in old.notes]
        lanes = tuple(n for n in old.lanes if n.lower() in known and n not in self.kept.lanes)
        self.change("taking over", marks=tuple(sorted((*self.kept.marks, *marks), key=lambda m: m.time)),
                    notes=tuple(sorted((*self.kept.notes, *notes), key=lambda n: n.time)), lanes=(*self.kept.lanes, *lanes))
        missing = len(old.lanes) - len(lanes)
        text = f"{count(len(marks), 'mark')} and {count(len(notes), 'note')} taken over"
        return text + (f"; {count(missing, 'lane')} of tags that are gone left out" if missing else "")

    @staticmethod
    def _fitting(entry: Mark | Note, session: Session) -> Any:
        fits = 0 <= entry.time <= session.log.end
        return entry if fits else msgspec.structs.replace(entry, time=min(max(entry.time, 0), session.log.end),
                                                          text=f"(not within this log) {entry.text}".strip())

    def save(self) -> bool:
        """Write the job if it changed, together with what another window has added; whether it was written.

        ``problem`` says why not; it is tried again at the next save.
        """
        if not self.dirty or self.path is None:
            return False
        return self.save_to(self.path)

    def save_to(self, path: Path) -> bool:
        """Write the job to a file, there from now on."""
        self.job.saved = time.time()
        try:
            with alone(path):
                found = find_job(path, self.job.program)
                path = found.path  # another one where a newer version has taken the file meanwhile
                if found.job is not None:
                    self.news = merged(self.job, found.job, self._base, (self.done, self.undone))
                write_job(path, self.job)
        except OSError as error:
            self.problem = error.strerror or str(error)
            return False
        self.path, self.problem, self.dirty = path, "", False
        self._base = base_of(self.job)
        return True


def open_desk(paths: Paths, digest: str, folder: Path | None, job: Path | None = None) -> tuple[Desk, bool]:
    """The desk for a session's files, and whether a kept job was taken up again.

    Args: folder: where jobs are kept; None: nothing is kept; job: a file to keep this one in instead.
    """
    empty = Job(program=digest, files=tuple(visible(p.name) for p in (paths.program, *paths.logs)))
    if folder is None and job is None:
        return Desk(None, empty), False
    path = job if job is not None or folder is None else job_path(folder, paths, digest)
    assert path is not None
    found: Found = find_job(path, digest)
    if found.job is not None:
        return Desk(found.path, found.job, None, found.said), True
    return Desk(found.path, empty, found.other, found.said), False


def age_text(seconds: float) -> str:
    """How long ago, in words."""
    for size, unit in ((86_400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            return f"{count(int(seconds // size), unit)} ago"
    return "a moment ago"
