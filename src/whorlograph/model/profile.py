"""The profile: what the program file does not say about its controller (CONTROLLER.md, Profile)."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct, field


class Overflow(StrEnum):
    """What happens when a result does not fit its type."""

    HALT = "halt"
    WRAP = "wrap"
    SATURATE = "saturate"


class Start(StrEnum):
    """Where tags get their first values from."""

    COLD = "cold"
    WARM = "warm"
    LOG = "log"


class Addressing(StrEnum):
    """How sized addresses overlap."""

    BYTE = "byte"
    ELEMENT = "element"


class Profile(Struct, frozen=True):
    """Every duration in ns; ``scan_time`` and ``mismatch_after`` None where the default depends on others."""

    scan_time: int | None = None
    rung_time: int = 0
    watchdog: int = 200_000_000
    on_overflow: Overflow = Overflow.HALT
    start: Start = Start.COLD
    external: tuple[str, ...] = ()
    addressing: Addressing = Addressing.BYTE
    first_scan: str = ""
    scan_duration: str = ""
    longest_scan: str = ""
    blink: tuple[tuple[str, int], ...] = ()
    falling_tasks: tuple[str, ...] = ()
    mismatch_after: int | None = None
    log_time: str = ""
    log_tag: str = ""
    log_value: str = ""
    log_skip: int = 0
    log_true: tuple[str, ...] = ()
    log_false: tuple[str, ...] = ()
    iolist_columns: dict[str, str] = field(default_factory=dict)
    iolist_no: tuple[str, ...] = ()
    iolist_nc: tuple[str, ...] = ()
    settings: dict[str, str] = field(default_factory=dict)
