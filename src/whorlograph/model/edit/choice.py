"""What can be changed at a place."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from msgspec import Struct

Made = TypeVar("Made")


class Choice(Struct, Generic[Made], frozen=True):
    """One change: ``label`` says what it does; ``asks`` for a text where it needs one (``before``: the present one), ``tags``: whether that is
    a tag's name, ``edits``: it is edited rather than given anew; ``make`` takes the text and gives the changed thing, or raises ValueError with
    why it cannot be; ``check`` raises it too, at once, while it is typed.
    """

    label: str
    make: Callable[[str], Made]
    asks: str = ""
    before: str = ""
    tags: bool = False
    edits: bool = False
    check: Callable[[str], object] | None = None
