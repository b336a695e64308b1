"""The engine that runs WebAssembly, set up for the address space that this process may have (docs/decisions/001)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import wasmtime

from whorlograph.model.address_space import limited


def new_engine() -> wasmtime.Engine:
    """An engine that optimises, and takes no more address space than it needs where that is limited."""
    config = wasmtime.Config()
    config.cranelift_opt_level = "speed"
    if limited():
        config.memory_reservation = 0
        config.memory_guard_size = 0
        config.memory_reservation_for_growth = 0
    return wasmtime.Engine(config)


class NoRoom(OSError):
    """There is no room for a memory."""


@contextmanager
def no_room_is_no_wasmtime() -> Iterator[None]:
    """Where there is no room for a memory, that is as if wasmtime did not load: others do the work, slower.

    Raises: NoRoom, an OSError.
    """
    try:
        yield
    except (wasmtime.WasmtimeError, MemoryError) as error:
        raise NoRoom(str(error).splitlines()[0]) from error
