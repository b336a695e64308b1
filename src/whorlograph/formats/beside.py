"""Files written beside the place they are meant for and then renamed: a full disk or a stop leaves what was there."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from whorlograph.model.errors import UsageError

_unfinished: set[str] = set()


@contextmanager
def beside(path: Path) -> Iterator[Path]:
    """A fresh file in the same folder, to be filled; renamed to ``path`` where nothing goes wrong, else gone.

    What is no regular file (a device, a pipe) is written itself. Through a link the file it leads to is replaced.
    Raises: OSError where the folder or the file cannot be written.
    """
    target = Path(os.path.realpath(path))
    if target.exists() and not target.is_file():
        yield target
        return
    if target.exists() and not os.access(target, os.W_OK):
        raise PermissionError(13, "Permission denied", str(path))
    handle, name = tempfile.mkstemp(prefix=f".{target.name[:40]}.", suffix=".part", dir=target.parent)
    _unfinished.add(name)
    try:
        os.close(handle)
        yield Path(name)
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask()
        os.chmod(name, mode)
        os.replace(name, target)
    finally:
        with suppress(OSError):
            os.unlink(name)
        _unfinished.discard(name)


def remove_unfinished() -> None:
    """Take away what is half written: the process ends."""
    for name in list(_unfinished):
        with suppress(OSError):
            os.unlink(name)


def _umask() -> int:
    found = os.umask(0o077)
    os.umask(found)
    return found


def refuse_inputs(path: Path, inputs: Iterable[Path]) -> None:
    """Refuse to write over what is read, under whatever name or link.

    Raises: UsageError where the file to be written is one of the inputs.
    """
    for one in inputs:
        with suppress(OSError):
            if os.path.samefile(path, one):
                raise UsageError(str(path), f"is read here, as {one.name}" if one.name != path.name else "is read here", "give another name")


@contextmanager
def written(path: Path, inputs: Iterable[Path] = ()) -> Iterator[Path]:
    """``beside`` for a file that a person asked for.

    Raises: UsageError where it is one of the inputs or cannot be written.
    """
    refuse_inputs(path, inputs)
    try:
        with beside(path) as fresh:
            yield fresh
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise UsageError(str(path), f"cannot be written ({why})", "give another name or place") from error
