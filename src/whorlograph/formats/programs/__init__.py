"""Controller programs from files, by what the file is."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

from msgspec.structs import replace

from whorlograph.formats.foreign import LONGEST, foreign
from whorlograph.formats.text.block_operators import with_block_operators
from whorlograph.model.errors import ProgramError
from whorlograph.model.limits import MOST_PROGRAM
from whorlograph.model.place import Loaded
from whorlograph.model.program import Program
from whorlograph.model.registry import resolve

READERS: dict[str, str] = {".xml": "formats.programs.xml:read", ".st": "formats.programs.st:read"}


def read_program(path: Path) -> Loaded[Program]:
    """Read a controller program.

    Raises: ProgramError where the file is missing, empty, or no program.
    """
    try:
        with path.open("rb") as file:
            data = file.read(MOST_PROGRAM + 1)
    except OSError as error:
        raise ProgramError(str(path), f"cannot be opened ({error.strerror or error})", "check the name and the rights") from error
    if len(data) > MOST_PROGRAM:
        raise ProgramError(str(path), f"is longer than {MOST_PROGRAM >> 20} MB, so no program", "export it alone")
    loaded = read_data(data, path)
    return loaded if loaded.value.date else Loaded(_dated(loaded.value, path), loaded.notices)


def read_data(data: bytes, path: Path) -> Loaded[Program]:
    """Read what a program file holds.

    Args: path: what it is called: its ending tells the form.
    Raises: ProgramError where it is empty or no program.
    """
    if not data.strip():
        raise ProgramError(str(path), "the file is empty", "export the program again")
    other = foreign(data[:LONGEST])
    if other is not None:
        packed = "archive" in other[0] or "packed" in other[0]
        raise ProgramError(str(path), f"is {other[0]}", "unpack it" if packed else "export the program as XML, or as IEC 61131-3 text")
    reader = resolve(READERS.get(path.suffix.lower(), READERS[".xml"]))
    loaded: Loaded[Program] = reader(data, path)
    return Loaded(with_block_operators(loaded.value), loaded.notices)


def _dated(program: Program, path: Path) -> Program:
    """A program that says no date, with its file's."""
    try:
        stamp = dt.datetime.fromtimestamp(path.stat().st_mtime, dt.UTC).strftime("%Y-%m-%dT%H:%M:%S")
    except OSError:
        stamp = ""
    return replace(program, date=stamp)
