"""Logs as an earlier run has read them: the same files, read for the same program and profile, are not read again."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from hashlib import blake2b
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from whorlograph.engine.controller import Controller
from whorlograph.engine.kept import name_of, put_later, take
from whorlograph.formats.decoding import unpacked
from whorlograph.formats.logs import read_logs
from whorlograph.model.log import Log
from whorlograph.model.place import Loaded

WORTH, MOST = 100_000, 64 << 20  # bytes of log files, all together, that are worth keeping, and of what is read of them
MOST_LOGS = 8


def read_or_take(paths: list[Path], controller: Controller, watch: Callable[[int, int], bool] = lambda done, size: False) -> Loaded[Log]:
    """Logs as ``read_logs`` gives them, with its arguments and errors, from what is kept of them where it can be."""
    name, before = _name(paths, controller), _states(paths)
    found = _taken(name)
    if found is not None:
        return found
    loaded = read_logs(paths, controller.running, controller.profile, watch)
    # A log that was written to meanwhile has another content than the one that was named.
    if name and loaded.value.complete and before == _states(paths):
        log = loaded.value
        if log.times.nbytes + log.tags.nbytes + log.values.nbytes <= MOST:
            put_later(name, ".log", lambda: msgspec.msgpack.encode(loaded, enc_hook=_bytes_of), MOST_LOGS)
    return loaded


def _name(paths: list[Path], controller: Controller) -> str:
    """What reading depends on: the files' names and content, the program, the profile. "" where it is too little or too much, or a file is a
    pipe that gives its content once."""
    with suppress(OSError):
        if controller.source and all(path.is_file() for path in paths) and WORTH <= sum(path.stat().st_size for path in paths) <= MOST:
            contents = [f"{path} {blake2b(path.read_bytes()).hexdigest()}" for path in paths]
            return name_of("log", controller.source, controller.resource, repr(controller.profile), *contents)
    return ""


def _states(paths: list[Path]) -> list[tuple[int, int]]:
    with suppress(OSError):
        return [(found.st_size, found.st_mtime_ns) for found in (path.stat() for path in paths)]
    return []


def _taken(name: str) -> Loaded[Log] | None:
    data = take(name, ".log") if name else None
    if data is not None:
        with suppress(msgspec.MsgspecError, ValueError):
            return unpacked(data, Loaded[Log], _column)
    return None


def _bytes_of(column: NDArray[Any]) -> tuple[str, memoryview]:
    return column.dtype.str, np.ascontiguousarray(column).data


def _column(kind: Any, stored: tuple[str, bytes]) -> NDArray[Any]:
    return np.frombuffer(stored[1], np.dtype(stored[0]))
