"""How a command is stopped: one line, at once, nothing half written left behind."""

from __future__ import annotations

import os
import signal
from contextlib import suppress
from types import FrameType

from whorlograph.formats.beside import remove_unfinished


def stop_at_once() -> None:
    """Let signals end the process at once: an exception would have to find its way through compiled code."""
    for name in ("SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT"):
        number = getattr(signal, name, None)
        if number is not None and signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, _stopped)


def _stopped(number: int, frame: FrameType | None) -> None:
    remove_unfinished()
    with suppress(OSError):
        os.write(2, b"whorlograph: stopped\n")
    os._exit(128 + number)
