"""What was worked out once and is kept between runs, so that the same program opens faster the second time.

Compiled programs are native code, so only what we wrote ourselves is read again: the folder and each file belong to this user and nobody
else may write there, each file ends in a code over its name and content that only a key of the user's own can make, and its name holds a
digest of what it was made of and of the code that made it.
"""

from __future__ import annotations

import hashlib
import hmac
import os
import stat
from collections.abc import Callable
from contextlib import suppress
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from threading import Thread

from whorlograph import __version__
from whorlograph.model.address_space import limited

_MOST = 40
_writing: list[Thread] = []
_waiting: list[tuple[str, str, Callable[[], bytes], int]] = []
_DIGEST = 32


def kept_folder() -> Path:
    """Where it is kept."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("whorlograph")) / "modules"


@lru_cache(maxsize=1)
def made_by() -> str:
    """What makes these things: versions, and the state of every source file that may have a say in it.

    Their content would say the same, and takes a tenth of a second to look through at every start.
    """
    root = Path(__file__).resolve().parents[1]
    said = [f"{root} {_version('wasmtime')} {_version('msgspec')} {__version__} {limited()}"]
    for part in ("engine", "model", "formats"):
        for folder, _, names in os.walk(root / part):
            said += [f"{folder}/{name} {_state(os.path.join(folder, name))}" for name in names if name.endswith(".py")]
    return hashlib.sha256("\n".join(sorted(said)).encode("utf-8", "surrogateescape")).hexdigest()


def _state(path: str) -> str:
    """What changes whenever a file is written, whatever it is made to look like: its size and both its times."""
    found = os.stat(path)
    return f"{found.st_size} {found.st_mtime_ns} {found.st_ctime_ns}"


def _version(package: str) -> str:
    """What a package's metadata is called: with its version, without loading what reads metadata."""
    found = find_spec(package)
    folder = Path(found.origin).parent if found is not None and found.origin else Path()
    return " ".join(sorted(p.name for p in folder.parent.glob(f"{package}-*-info"))) if folder.name == package else ""


def name_of(*sources: str) -> str:
    """The name under which something made of these is kept."""
    return hashlib.sha256("\n".join((made_by(), *sources)).encode("utf-8", "surrogatepass")).hexdigest()


def take(name: str, suffix: str) -> bytes | None:
    """What is kept under a name; None where there is nothing, or it is not surely ours and whole."""
    path = kept_folder() / f"{name}{suffix}"
    with suppress(OSError):
        if not _ours(path.parent) or not _ours(path):
            return None
        data = path.read_bytes()
        content, code = memoryview(data)[:-_DIGEST], data[-_DIGEST:]
        key = _key()
        if key is not None and hmac.compare_digest(_code(key, path.name, content), code):
            return bytes(content)
    return None


def put(name: str, suffix: str, data: bytes, most: int = _MOST) -> None:
    """Keep something, and of its kind the latest ``most``. Written anew and renamed, never overwritten: a mapped file that changes kills."""
    path = kept_folder() / f"{name}{suffix}"
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        key = _key()
        if key is None or not _ours(path.parent):
            return
        fresh = path.with_suffix(f".{os.getpid()}")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(data + _code(key, path.name, data))
        fresh.replace(path)
        for old in sorted(path.parent.glob(f"*{suffix}"), key=lambda p: p.stat().st_mtime)[:-most]:
            old.unlink()


def put_later(name: str, suffix: str, make: Callable[[], bytes], most: int = _MOST) -> None:
    """Keep something when ``write_waiting`` is called: made and written while other work, like a replay, needs no interpreter."""
    _waiting.append((name, suffix, make, most))


def write_waiting() -> None:
    """Begin to write what waits to be kept."""
    if not _waiting:
        return
    mine = _waiting[:]
    _waiting.clear()

    def write() -> None:
        for name, suffix, make, most in mine:
            with suppress(MemoryError, RecursionError):  # then it is made anew the next time
                put(name, suffix, make(), most)

    thread = Thread(target=write)
    _writing.append(thread)
    thread.start()


def finish_writing() -> None:
    """Wait until all is written that was begun: before a process ends at once."""
    while _writing:
        _writing.pop().join()


def _code(key: bytes, name: str, content: bytes | memoryview) -> bytes:
    """A code over name and content that only the holder of the key can make (BLAKE2 with a key, RFC 7693)."""
    made = hashlib.blake2b(name.encode() + b"\0", key=key, digest_size=_DIGEST)
    made.update(content)
    return made.digest()


@lru_cache(maxsize=4)
def _key_in(folder: str) -> bytes | None:
    """The user's own key, made at first use; None where it cannot be kept, or others may read or write it."""
    path = Path(folder) / "key"
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not path.exists():
            fresh = path.with_name(f"key.{os.getpid()}")
            with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
                file.write(os.urandom(_DIGEST))
            try:
                os.link(fresh, path)  # of two processes the first one's stands
            except FileExistsError:
                pass
            except OSError:  # a file system without links
                fresh.replace(path)
            fresh.unlink(missing_ok=True)
        if _ours(path.parent) and _ours(path) and not path.lstat().st_mode & 0o077:
            key = path.read_bytes()
            return key if len(key) == _DIGEST else None
    return None


def _key() -> bytes | None:
    import platformdirs

    return _key_in(platformdirs.user_state_dir("whorlograph"))


def _ours(path: Path) -> bool:
    """Whether a file or folder is this user's and only this user may write it."""
    found = path.lstat()
    if not hasattr(os, "geteuid"):
        return True
    return found.st_uid == os.geteuid() and not found.st_mode & 0o022 and not stat.S_ISLNK(found.st_mode)
