"""Seconds to load a program: nothing kept of it, and opened again."""

from __future__ import annotations

from itertools import count
from pathlib import Path
from unittest import mock

from benchmarks.timing import call_seconds
from whorlograph.desk.session import Paths, load
from whorlograph.engine import kept


def _seconds(path: Path) -> float:
    return call_seconds(lambda: load(Paths(path)).controller.code, 3)


def first_seconds(path: Path, place: Path) -> float:
    """Loaded with tags, steps and code made, in a folder where nothing is kept. Args: place: a folder for what is kept."""
    number = count()
    with mock.patch.object(kept, "kept_folder", lambda: place / f"{path.stem}-{next(number)}"):
        return _seconds(path)


def again_seconds(path: Path, place: Path) -> float:
    """Opened again once it is kept. Args: place: as above."""
    with mock.patch.object(kept, "kept_folder", lambda: place / "again"):
        load(Paths(path)).controller.code  # noqa: B018  keeps it
        return _seconds(path)
