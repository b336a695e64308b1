"""Parts named by text and imported when first used, because imports cost time at the start."""

from __future__ import annotations

from importlib import import_module
from typing import Any


def resolve(entry: str) -> Any:
    """What ``package.module:name`` below whorlograph stands for.

    Raises: ImportError or AttributeError where a table names a part that is not there (our own bug).
    """
    module, _, name = entry.partition(":")
    return getattr(import_module(f"whorlograph.{module}"), name)
