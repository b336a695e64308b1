"""Two windows on one job: what each has added and taken away since they last met comes together."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, TypeVar

import msgspec

from .job_data import Job, Kept, Mark, Note, WalkStep, count

Entry = TypeVar("Entry", Mark, Note, WalkStep)
LETTERS = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"


class Base(msgspec.Struct, frozen=True):
    """What a job held when it was last the same here and in its file: ids of its entries, its lanes, and names of those watched together and
    of versions of the program."""

    ids: frozenset[str] = frozenset()
    lanes: tuple[str, ...] = ()
    watches: frozenset[str] = frozenset()
    versions: frozenset[str] = frozenset()


def base_of(job: Job) -> Base:
    """What a job holds now."""
    return Base(_ids(job) | frozenset(w.id for w in job.walk), job.kept.lanes, frozenset(w.name.lower() for w in job.kept.watches),
                frozenset(v.name.lower() for v in job.versions))


def _ids(job: Job) -> frozenset[str]:
    return frozenset(m.id for m in job.kept.marks) | frozenset(n.id for n in job.kept.notes)


def merged(mine: Job, theirs: Job, base: Base, stacks: Iterable[list[tuple[str, Kept]]]) -> str:
    """Take what another window has done since ``base`` into a job; what that was, in words.

    What came is added to the states that undo goes back to as well: undo takes back this window's work alone.
    """
    marks, new_marks = _both(mine.kept.marks, theirs.kept.marks, base)
    notes, new_notes = _both(mine.kept.notes, theirs.kept.notes, base)
    walk, _ = _both(mine.walk, theirs.walk, base)
    gone = base.ids - _ids(theirs)
    marks = _lettered(marks)
    lanes = theirs.kept.lanes if mine.kept.lanes == base.lanes else mine.kept.lanes
    if mine.kept.lanes != base.lanes and theirs.kept.lanes != base.lanes:
        lanes = (*mine.kept.lanes, *(n for n in theirs.kept.lanes if n not in mine.kept.lanes and n not in base.lanes))
    known = base.watches | {w.name.lower() for w in mine.kept.watches}
    watches = (*mine.kept.watches, *(w for w in theirs.kept.watches if w.name.lower() not in known))
    mine.kept = Kept(tuple(sorted(marks, key=lambda m: m.time)), tuple(sorted(notes, key=lambda n: n.time)), lanes,
                     tuple(sorted(watches, key=lambda w: w.name.lower())))
    mine.columns = mine.columns or theirs.columns
    named = {v.name.lower() for v in mine.versions} | base.versions
    mine.versions = (*mine.versions, *(v for v in theirs.versions if v.name.lower() not in named))
    mine.walk = sorted(walk, key=lambda w: w.at)
    for what, typed in theirs.history.items():
        own = mine.history.get(what, [])
        mine.history[what] = [*(t for t in typed if t not in own), *own][-100:]
    for stack in stacks:
        stack[:] = [(what, _with(kept, new_marks, new_notes, gone)) for what, kept in stack]
    parts = [count(n, what) for n, what in ((len(new_marks), "mark"), (len(new_notes), "note")) if n]
    return f"from another window: {' and '.join(parts)}" if parts else ""


def _both(mine: Iterable[Entry], theirs: Iterable[Entry], base: Base) -> tuple[list[Entry], list[Entry]]:
    """What stands in both or was added by either, and what the other one added."""
    here = {e.id: e for e in mine}
    there = {e.id: e for e in theirs}
    new = [e for i, e in there.items() if i not in here and i not in base.ids]
    return [e for i, e in here.items() if i in there or i not in base.ids] + new, new


def _lettered(marks: list[Mark]) -> list[Mark]:
    """Of two marks with one letter the newer keeps it, the other takes a free one."""
    found: dict[str, Mark] = {}
    for mark in sorted(marks, key=lambda m: -m.at):
        letter = mark.letter if mark.letter not in found else next((c for c in LETTERS if c not in found and all(c != m.letter for m in marks)), "")
        if letter:
            found[letter] = mark if letter == mark.letter else msgspec.structs.replace(mark, letter=letter)
    return list(found.values())


def _with(kept: Kept, marks: list[Mark], notes: list[Note], gone: frozenset[str]) -> Kept:
    def all_of(own: tuple[Any, ...], new: list[Any]) -> tuple[Any, ...]:
        return tuple(sorted((*(e for e in own if e.id not in gone), *new), key=lambda e: e.time))

    return Kept(tuple(sorted(_lettered(list(all_of(kept.marks, marks))), key=lambda m: m.time)), all_of(kept.notes, notes), kept.lanes,
                kept.watches)
