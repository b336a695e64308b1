"""How a command is stopped: one line, at once, nothing half written left behind."""

from __future__ import annotations

import os
import signal
import time
from contextlib import suppress
from threading import Lock, Thread
from types import FrameType

from whorlograph.formats.beside import remove_unfinished

_ending = Lock()


def stop_at_once() -> None:
    """Let signals end the process at once: an exception would have to find its way through compiled code.

    A handler waits until the main thread comes back from compiled code, or from another thread; one that does nothing else ends the
    process before that.
    """
    for name in ("SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT"):
        number = getattr(signal, name, None)
        if number is not None and signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, _stopped)
    reading, writing = os.pipe()
    os.set_blocking(writing, False)
    signal.set_wakeup_fd(writing, warn_on_full_buffer=False)
    if hasattr(os, "register_at_fork"):
        os.register_at_fork(after_in_child=_only_here)  # what ends a second process is not meant for this one
    Thread(target=_watch, args=(reading,), daemon=True).start()


def _only_here() -> None:
    signal.set_wakeup_fd(-1)


def _watch(reading: int) -> None:
    """End the process where one of its signals comes that is still handled here."""
    while numbers := os.read(reading, 64):
        for number in numbers:
            if signal.getsignal(number) is _stopped:
                _stopped(number, None)


def _stopped(number: int, frame: FrameType | None) -> None:
    if not _ending.acquire(blocking=False):
        time.sleep(60)  # the other thread ends the process meanwhile
    remove_unfinished()
    with suppress(OSError):
        os.write(2, b"whorlograph: stopped\n")
    os._exit(128 + number)
