"""Why a run of the machine came back: known without the machine, which only loads where wasmtime does."""

from __future__ import annotations

from enum import IntEnum


class Status(IntEnum):
    """Why a run came back."""

    DONE = 0
    STOPPED = 2
    OUTPUT_CHANGED = 3
