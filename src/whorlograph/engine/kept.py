"""Compiled modules kept between runs, so that the same program opens faster the second time."""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING

import wasmtime

from .machine import assemble, shared_engine

if TYPE_CHECKING:
    from .wat import Module

_MOST = 40


def kept_folder() -> Path:
    """Where compiled modules are kept."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("whorlograph")) / "modules"


def machine_code(module: Module) -> wasmtime.Module:
    """The machine code of a module: from an earlier run where it is the same text, else compiled and kept.

    A kept file is written anew and renamed, never overwritten: a mapped file that changes kills the process.
    """
    name = hashlib.sha256(f"{version('wasmtime')}\n{module.text}".encode()).hexdigest()
    path = kept_folder() / f"{name}.cwasm"
    if path.exists():
        with suppress(wasmtime.WasmtimeError, OSError):
            return wasmtime.Module.deserialize(shared_engine(), path.read_bytes())
    code = assemble(module)
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        fresh = path.with_suffix(f".{os.getpid()}")
        fresh.write_bytes(bytes(code.serialize()))
        fresh.replace(path)
        for old in sorted(path.parent.glob("*.cwasm"), key=lambda p: p.stat().st_mtime)[:-_MOST]:
            old.unlink()
    return code
