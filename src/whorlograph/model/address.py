"""Directly represented variables: %IX0.3 and its kin (IEC 61131-3:2013, 6.5.5.2), and which share bits."""

from __future__ import annotations

import re

from msgspec import Struct

from .limits import MOST_NUMBER

_FORM = re.compile(r"%([IQM])([XBWDL]?)(\d+(?:\.\d+)*)$", re.IGNORECASE)
WIDTHS = {"X": 1, "B": 8, "W": 16, "D": 32, "L": 64}
TYPES = {"X": "BOOL", "B": "BYTE", "W": "WORD", "D": "DWORD", "L": "LWORD"}


class Address(Struct, frozen=True):
    """An address: ``area`` I, Q or M; ``size`` X, B, W, D or L; its numbers."""

    area: str
    size: str
    numbers: tuple[int, ...]

    def __str__(self) -> str:
        return f"%{self.area}{self.size}{'.'.join(map(str, self.numbers))}"

    def span(self, addressing: str) -> tuple[str, int, int]:
        """(area with all but the last levels, first bit, number of bits).

        Args: addressing: "byte" (%MW2 is bytes 2 and 3) or "element" (%MW2 is the third word).
        Source: CONTROLLER.md, Profile.
        """
        width = WIDTHS[self.size]
        if self.size == "X":
            above = self.numbers[:-2]
            byte, bit = self.numbers[-2:] if len(self.numbers) > 1 else (self.numbers[0] // 8, self.numbers[0] % 8)
            return f"{self.area}{above}", byte * 8 + bit, 1
        first = self.numbers[-1] * (8 if addressing == "byte" else width)
        return f"{self.area}{self.numbers[:-1]}", first, width


def address_behind(address: Address, cells: int, bits: int, addressing: str) -> Address | None:
    """Where the element of an array lies that comes so many places behind the first: one directly behind the other.

    Args: bits: an element's width, 0 of a BOOL; addressing: as in ``Address.span``. Returns: None where address and width do not fit.
    """
    if WIDTHS[address.size] != max(1, bits):
        return None
    if address.size == "X":
        *above, byte, bit = (0, *address.numbers) if len(address.numbers) == 1 else address.numbers
        place = byte * 8 + bit + cells
        numbers = (*above, place // 8, place % 8) if len(address.numbers) > 1 else (place,)
    else:
        numbers = (*address.numbers[:-1], address.numbers[-1] + cells * (bits // 8 if addressing == "byte" else 1))
    return Address(address.area, address.size, numbers)


def parse_address(text: str) -> Address | None:
    """Read an address; None where it is none (also the open form %I*)."""
    match = _FORM.match(text.strip())
    if not match or len(text) > MOST_NUMBER:
        return None
    numbers = tuple(int(n) for n in match.group(3).split("."))
    if any(n > 1_000_000 for n in numbers):
        return None
    return Address(match.group(1).upper(), (match.group(2) or "X").upper(), numbers)
