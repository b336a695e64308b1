"""Noise on the line: bytes that are no text are keys of no meaning, not the end of the application."""

from __future__ import annotations

import codecs
from collections.abc import Callable
from functools import partial
from typing import Any


def bear_noise() -> None:
    """Let the terminal's reader take bytes that are no UTF-8 as unknown characters; it has no setting for that."""
    try:
        from textual.drivers import linux_driver
    except ImportError:  # on Windows keys do not come as bytes
        return

    def lenient(encoding: str) -> Callable[..., Any]:
        return partial(codecs.getincrementaldecoder(encoding), errors="replace")

    linux_driver.getincrementaldecoder = lenient  # type: ignore[attr-defined]
