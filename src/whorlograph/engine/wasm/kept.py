"""Compiled modules kept between runs, so that the same program opens faster the second time."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

import wasmtime
from msgspec.structs import replace

from .machine import assemble, shared_engine

if TYPE_CHECKING:
    from .module import Module

_MOST = 40


def kept_folder() -> Path:
    """Where compiled modules are kept."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("whorlograph")) / "modules"


def _take(name: str) -> wasmtime.Module | None:
    path = kept_folder() / f"{name}.cwasm"
    if path.exists():
        with suppress(wasmtime.WasmtimeError, OSError):
            return wasmtime.Module.deserialize(shared_engine(), path.read_bytes())
    return None


def _put(name: str, suffix: str, data: bytes) -> None:
    """Keep a file. Written anew and renamed, never overwritten: a mapped file that changes kills the process."""
    path = kept_folder() / f"{name}{suffix}"
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        fresh = path.with_suffix(f".{os.getpid()}")
        fresh.write_bytes(data)
        fresh.replace(path)
        for old in sorted(path.parent.glob(f"*{suffix}"), key=lambda p: p.stat().st_mtime)[:-_MOST]:
            old.unlink()


def machine_code(module: Module) -> wasmtime.Module:
    """The machine code of a module: from an earlier run where it is the same text, else compiled and kept."""
    name = hashlib.sha256(f"{version('wasmtime')}\n{module.text}".encode()).hexdigest()
    code = _take(name)
    if code is None:
        code = assemble(module)
        _put(name, ".cwasm", bytes(code.serialize()))
    return code


def _made_by() -> str:
    """What made a kept module: versions, and the content of every source file that may have a say in it."""
    import whorlograph

    root = Path(whorlograph.__file__).parent
    digest = hashlib.sha256(f"{version('wasmtime')} {whorlograph.__version__}".encode())
    for part in ("engine", "model", "formats"):
        for path in sorted((root / part).rglob("*.py")):
            digest.update(path.relative_to(root).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def kept_module(source: str, make: Callable[[], Module]) -> tuple[Module, Callable[[], wasmtime.Module]]:
    """The module of a program file, and what waits for its machine code; nothing is lowered again where an earlier run has.

    The machine code is made in a thread, without the interpreter's lock: logs can be read meanwhile.
    Args: source: names everything the module depends on besides our own code; make: lowers the program.
    """
    import msgspec

    from .module import Module

    name = hashlib.sha256(f"{_made_by()}\n{source}".encode()).hexdigest()
    path = kept_folder() / f"{name}.front"
    with suppress(OSError, msgspec.MsgspecError):
        module = msgspec.msgpack.decode(path.read_bytes(), type=Module)
        code = _take(name)
        if code is not None:
            kept = code
            return module, lambda: kept
    module = make()
    made: list[wasmtime.Module | Exception] = []

    def compile_it() -> None:
        try:
            code = assemble(module)
        except Exception as error:
            made.append(error)
            return
        _put(name, ".cwasm", bytes(code.serialize()))
        _put(name, ".front", msgspec.msgpack.encode(replace(module, text="")))
        made.append(code)

    thread = Thread(target=compile_it)
    thread.start()

    def wait() -> wasmtime.Module:
        thread.join()
        if isinstance(made[0], Exception):
            raise made[0]
        return made[0]

    return module, wait
