"""Settled values as a value change dump (IEEE 1364-2005, 18)."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from whorlograph.model.literals import cooked
from whorlograph.model.log import Ints, Shorts
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

MICROSECOND = 1000  # ns


class SettledVcd:
    """A dump of settled values, written piece by piece: microseconds, a scope for each instance; a TIME in ns, an enumeration by its number."""

    def __init__(self, path: Path, tags: list[Tag]) -> None:
        from vcd import VCDWriter

        self.tags = tags
        self._file = path.open("w", encoding="utf-8", newline="\n")
        self._writer = VCDWriter(self._file, timescale="1 us", date="", version="whorlograph")
        self._known: dict[int, Any] = {}

    def begin(self, first: Sequence[tuple[int, int]]) -> None:
        """Declare the tags with (number, raw value) of each before the first scan.

        Raises: OSError where the file cannot be written.
        """
        for number, bits in first:
            type_ = self.tags[number].type
            if type_.family is not Family.STRING:
                scope, _, name = self.tags[number].name.rpartition(".")
                kind = "wire" if type_.family is Family.BOOL else "real" if type_.family is Family.REAL else "reg"
                size = 1 if kind == "wire" else 64 if kind == "real" else type_.bits or 64
                self._known[number] = self._writer.register_var(scope or "program", name, kind, size=size, init=self._value(number, bits))

    def add(self, scans: Ints, numbers: Shorts, values: Ints, starts: Ints) -> None:
        """Append rows.

        Raises: OSError where the file cannot be written.
        """
        for number, bits, start in zip(numbers.tolist(), values.tolist(), starts.tolist(), strict=True):
            known = self._known.get(number)
            if known is not None:
                self._writer.change(known, start // MICROSECOND, self._value(number, bits))

    def close(self) -> None:
        """End the dump."""
        self._writer.close()
        self._file.close()

    def _value(self, number: int, bits: int) -> float | int:
        type_ = self.tags[number].type
        if type_.family is Family.REAL:
            return float(cooked(bits, type_))
        return int(bits != 0) if type_.family is Family.BOOL else bits % (1 << (type_.bits or 64))
