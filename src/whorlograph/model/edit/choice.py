"""What can be changed at a place."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from msgspec import Struct

Made = TypeVar("Made")


class Choice(Struct, Generic[Made], frozen=True):
    """One change: ``label`` says what it does; ``asks`` for a text where it needs one (``before``: the present one), ``tags``: whether that is
    a tag's name; ``make`` takes the text and gives the changed thing, or raises ValueError with why it cannot be.
    """

    label: str
    make: Callable[[str], Made]
    asks: str = ""
    before: str = ""
    tags: bool = False
