"""What was worked out once and is kept between runs, so that the same program opens faster the second time.

Only what we wrote ourselves is read again: the folder and each file belong to this user and nobody else may write there, each file
ends in a digest of its content, and its name holds a digest of what it was made of and of the code that made it.
"""

from __future__ import annotations

import hashlib
import os
import stat
from contextlib import suppress
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path

from whorlograph import __version__
from whorlograph.model.address_space import limited

_MOST = 40
_DIGEST = 32


def kept_folder() -> Path:
    """Where it is kept."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("whorlograph")) / "modules"


@lru_cache(maxsize=1)
def made_by() -> str:
    """What makes these things: versions, and the content of every source file that may have a say in it."""
    root = Path(__file__).resolve().parents[1]
    digest = hashlib.sha256(f"{_version('wasmtime')} {_version('msgspec')} {__version__} {limited()}".encode())
    for part in ("engine", "model", "formats"):
        for path in sorted((root / part).rglob("*.py")):
            digest.update(path.relative_to(root).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def _version(package: str) -> str:
    """What a package's metadata is called: with its version, without loading what reads metadata."""
    found = find_spec(package)
    folder = Path(found.origin).parent if found is not None and found.origin else Path()
    return " ".join(sorted(p.name for p in folder.parent.glob(f"{package}-*-info"))) if folder.name == package else ""


def name_of(*sources: str) -> str:
    """The name under which something made of these is kept."""
    return hashlib.sha256("\n".join((made_by(), *sources)).encode()).hexdigest()


def take(name: str, suffix: str) -> bytes | None:
    """What is kept under a name; None where there is nothing, or it is not surely ours and whole."""
    path = kept_folder() / f"{name}{suffix}"
    with suppress(OSError):
        if not _ours(path.parent) or not _ours(path):
            return None
        data = path.read_bytes()
        content, digest = data[:-_DIGEST], data[-_DIGEST:]
        if hashlib.sha256(content).digest() == digest:
            return content
    return None


def put(name: str, suffix: str, data: bytes) -> None:
    """Keep something. Written anew and renamed, never overwritten: a mapped file that changes kills the process."""
    path = kept_folder() / f"{name}{suffix}"
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not _ours(path.parent):
            return
        fresh = path.with_suffix(f".{os.getpid()}")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(data + hashlib.sha256(data).digest())
        fresh.replace(path)
        for old in sorted(path.parent.glob(f"*{suffix}"), key=lambda p: p.stat().st_mtime)[:-_MOST]:
            old.unlink()


def _ours(path: Path) -> bool:
    """Whether a file or folder is this user's and only this user may write it."""
    found = path.lstat()
    if not hasattr(os, "geteuid"):
        return True
    return found.st_uid == os.geteuid() and not found.st_mode & 0o022 and not stat.S_ISLNK(found.st_mode)
