"""Leaving at once when a signal says so: job saved, terminal given back, whatever is being done at that moment."""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Callable
from contextlib import suppress
from types import FrameType
from typing import Any

from whorlograph.formats.beside import remove_unfinished

# Mouse reports, pasted text, focus reports and extended keys off; attributes reset, cursor shown, main screen back.
GIVEN_BACK = b"\x1b[?1000l\x1b[?1002l\x1b[?1003l\x1b[?1006l\x1b[?1015l\x1b[?2004l\x1b[?1004l\x1b[<u\x1b[0m\x1b[?25h\x1b[?1049l"


def leave_on_signals(save: Callable[[], object]) -> None:
    """From now on SIGINT, SIGTERM, SIGHUP and SIGQUIT end the process with its job saved and the terminal as it was.

    Args: save: saves the job; it may fail.
    """
    before = _terminal()

    def left(number: int, frame: FrameType | None) -> None:
        with suppress(Exception):
            save()
        remove_unfinished()
        with suppress(OSError):
            os.write(2, GIVEN_BACK)
        if before is not None:
            import termios

            with suppress(termios.error, OSError):
                termios.tcsetattr(sys.__stdin__.fileno() if sys.__stdin__ is not None else 0, termios.TCSANOW, before)
        os._exit(128 + number)

    for name in ("SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT"):
        number = getattr(signal, name, None)
        if number is not None:
            signal.signal(number, left)


def _terminal() -> list[Any] | None:
    """The terminal's settings; None where there are none to be had."""
    with suppress(Exception):  # no termios here, or no terminal: its own error is no OSError
        import termios

        return termios.tcgetattr(0)
    return None
