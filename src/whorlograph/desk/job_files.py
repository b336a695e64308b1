"""Jobs as files: found, read leniently, written so that the old one stays until the new one is whole."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from hashlib import sha256
from math import isfinite
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from whorlograph.formats.beside import beside
from whorlograph.formats.decoding import converted
from whorlograph.model.shown import visible

from .job_data import VERSION, Edit, Job, Kept, Mark, Note, Spot, Version, WalkStep, Watch
from .session import Paths

LONGEST_NAME = 60  # characters of the program's name in the file's: systems allow 255 bytes, four to a character
FURTHEST = 1 << 62
PATIENCE = 4.0  # seconds that a window waits for another one to save; 0.3 was too short on a busy machine: a note was lost
STRANDS = ("trail", "rungs", "timeline")
T = TypeVar("T")


class Found(msgspec.Struct):
    """A job that is there for a session's files: ``job`` on the same state of the program, ``other`` on another or of a newer version.

    ``path``: where this session's job is kept; ``said``: what was wrong with a file.
    """

    path: Path
    job: Job | None = None
    other: Job | None = None
    said: str = ""


def job_path(folder: Path, paths: Paths, digest: str) -> Path:
    """The file of the job on these files and this state of the program."""
    names = "\n".join(str(p.resolve()) for p in (paths.program, *paths.logs)).encode("utf-8", "surrogateescape")
    stem = visible(paths.program.stem).replace("/", "_")[:LONGEST_NAME]
    return folder / f"{stem}-{sha256(names).hexdigest()[:12]}-{digest[:8] or 'unknown'}.json"


def find_job(path: Path, digest: str) -> Found:
    """What is kept for a job's file. One that is damaged is put aside with a number, never written over.

    Raises: OSError where a file is there and cannot be read.
    """
    found = Found(path)
    job, said = _read(path)
    found.said = said
    if job is not None and job.version <= VERSION and job.program == digest:
        found.job = job
        return found
    if job is not None:
        # Of a newer version, or by chance of another state: it stays; this one goes beside it.
        found.path = path.with_suffix(f".v{VERSION}{path.suffix}")
        own, more = _read(found.path)
        found.said = found.said or more
        if own is not None and own.version <= VERSION and own.program == digest:
            found.job = own
            return found
        found.other = job
    for one in _siblings(path):
        other, _ = _read(one, keep=True)
        if other is None:
            continue
        if other.program == digest and other.version <= VERSION and found.job is None:
            found.job = other  # kept under the name of an earlier version: taken up, saved under the new one
        elif found.other is None or other.saved > found.other.saved:
            found.other = other
    return found


def _siblings(path: Path) -> Iterable[Path]:
    stem = path.name.rsplit("-", 1)[0]
    with suppress(OSError):
        return sorted(p for p in path.parent.iterdir()
                      if p != path and p.suffix == ".json" and (p.stem == stem or p.name.startswith(f"{stem}-")))
    return ()


def _read(path: Path, keep: bool = False) -> tuple[Job | None, str]:
    """A job's file, and what was wrong with it. Args: keep: leave a damaged one where it is."""
    try:
        data = path.read_bytes()
    except (FileNotFoundError, NotADirectoryError):
        return None, ""
    try:
        raw = msgspec.json.decode(data)
        if not isinstance(raw, dict):
            raise msgspec.ValidationError("no object")
    except (msgspec.MsgspecError, RecursionError, UnicodeDecodeError):
        if keep:
            return None, ""
        aside = next(p for n in range(1, 10_000) if not (p := path.with_suffix(f".damaged-{n}")).exists())
        with suppress(OSError):
            path.replace(aside)
        return None, f"the kept job could not be read; it is put aside as {aside.name}"
    return job_of(raw), ""


def job_of(raw: dict[str, Any]) -> Job:
    """A job from what a file holds; what is out of range is left out by itself."""
    kept = raw.get("kept")
    kept = kept if isinstance(kept, dict) else {}
    marks = {m.letter: m for m in _each(kept.get("marks"), Mark, lambda m: len(m.letter) == 1 and m.letter.isprintable() and _near(m.time))}
    notes = _each(kept.get("notes"), Note, lambda n: _near(n.time))
    walk = _each(raw.get("walk"), WalkStep, lambda w: isfinite(w.at) and abs(w.at) < 1e11)
    lanes = tuple(visible(n) for n in _each(kept.get("lanes"), str, lambda n: True))
    sets = {w.name.lower(): Watch(visible(w.name), tuple(visible(n) for n in w.lanes))
            for w in _each(kept.get("watches"), Watch, lambda w: bool(w.name))}
    history = raw.get("history")
    typed = {k: [visible(t) for t in _each(v, str, lambda t: True)] for k, v in history.items()} if isinstance(history, dict) else {}
    place = _one(raw.get("place"), Spot, _sound)
    saved = _one(raw.get("saved"), float, lambda s: isfinite(s) and 0 <= s < 1e11)
    return Job(_one(raw.get("version"), int, lambda v: v >= 0) or VERSION, str(raw.get("program", "")), (),
               saved or 0.0, Kept(tuple(sorted(marks.values(), key=lambda m: m.time)), tuple(sorted(notes, key=lambda n: n.time)), lanes,
                                  tuple(sets.values())), walk, typed, place, _columns(raw.get("columns")), _versions(raw.get("versions")))


def _columns(raw: object) -> dict[str, str]:
    return {k: visible(v) for k, v in raw.items() if isinstance(k, str) and isinstance(v, str)} if isinstance(raw, dict) else {}


def _versions(raw: object) -> tuple[Version, ...]:
    found = {v.name.lower(): v for v in _each(raw, Version, lambda v: all(e.step >= 0 for e in v.edits))}
    return tuple(Version(visible(v.name), tuple(Edit(e.step, e.element, visible(e.name), visible(e.label), visible(e.text)) for e in v.edits))
                 for v in found.values())


def _near(time: int) -> bool:
    return -FURTHEST < time < FURTHEST


def _sound(spot: Spot) -> bool:
    return (spot.strand in STRANDS and spot.line >= 0 and all(_near(t) for t in (spot.time, spot.start, spot.end))
            and (spot.at is None or _near(spot.at)))


def _one(value: object, kind: type[T], good: Callable[[T], bool]) -> T | None:
    try:
        found = converted(value, kind)
    except (msgspec.MsgspecError, OverflowError):
        return None
    return found if good(found) else None


def _each(values: object, kind: type[T], good: Callable[[T], bool]) -> list[T]:
    found = []
    for value in values if isinstance(values, list) else ():
        one = _one(value, kind, good)
        if one is None:
            continue
        if isinstance(one, msgspec.Struct):
            changes: dict[str, Any] = {f: visible(v) for f in one.__struct_fields__ if isinstance(v := getattr(one, f), str)}
            if not changes.get("id", "-"):
                # An entry of the first version: the same name at every reading, so that it is not taken for another window's.
                changes["id"] = sha256(repr(one).encode()).hexdigest()[:12]
            one = msgspec.structs.replace(one, **changes)
        found.append(one)
    return found


@contextmanager
def alone(path: Path) -> Iterator[None]:
    """Keep other windows from reading a job until it is merged and written; none waits longer than a moment, and a lock ends with its process."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with suppress(ImportError):  # not on Windows
        import fcntl

        lock = os.open(path.parent, os.O_RDONLY)  # the folder itself: no file stays behind
        try:
            until = time.monotonic() + PATIENCE
            while time.monotonic() < until:
                try:
                    fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    break
                except OSError:
                    time.sleep(0.005)
            yield
        finally:
            os.close(lock)
        return
    yield


def write_job(path: Path, job: Job) -> None:
    """Write a job beside its place and rename it.

    Raises: OSError where that fails; nothing half written stays.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    with beside(path) as fresh:
        fresh.write_bytes(msgspec.json.format(msgspec.json.encode(msgspec.structs.replace(job, version=VERSION)), indent=1))
