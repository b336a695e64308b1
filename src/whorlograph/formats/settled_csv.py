"""Settled values as CSV: ``time,scan,tag,value`` (DESIGN section 7)."""

from __future__ import annotations

import os
from collections.abc import Sequence
from contextlib import suppress
from io import BufferedWriter
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.model.literals import cooked, value_text
from whorlograph.model.log import Ints, Shorts
from whorlograph.model.shown import csv_cell, visible
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

if TYPE_CHECKING:
    from .plain_rows import PlainRows

BLOCK = 1_000_000
WORTH_IT = 50_000  # rows, of a piece or in all, from which the fast writer's own start is repaid


def shown_value(bits: int, tag: Tag) -> str:
    """A raw value as the file shows it; enumerations by name."""
    if tag.enumeration is not None:
        return next((name for name, number in tag.enumeration.values if number == bits), str(bits))
    if tag.type.family is Family.STRING:
        return visible(str(cooked(bits, tag.type)))
    return value_text(bits, tag.type)


class SettledCsv:
    """A file of settled values, written piece by piece: fast where all values are whole numbers and wasmtime loads."""

    def __init__(self, path: Path, tags: list[Tag]) -> None:
        self.path, self.tags = path, tags
        self._whole = np.array([_is_decimal(t) for t in tags])
        self._fast: PlainRows | None = None
        self._slow = False
        self._rows = 0

    def begin(self, first: Sequence[tuple[int, int]]) -> None:
        """Write the head, and (tag number, raw value) of each tag before the first scan, in order of name.

        Raises: OSError where the file cannot be written.
        """
        with self.path.open("w", encoding="utf-8", newline="") as file:
            file.write("time,scan,tag,value\n")
            file.writelines(f"0.000000,0,{_quoted(self.tags[n].name)},{_cell(v, self.tags[n])}\n" for n, v in first)

    def add(self, scans: Ints, numbers: Shorts, values: Ints, starts: Ints) -> None:
        """Append rows.

        Raises: OSError where the file cannot be written.
        """
        self._rows += len(scans)
        if self._rows > WORTH_IT and not self._slow and self._whole[numbers].all() and self._quick(scans, numbers, values, starts):
            return
        with self._on() as file:
            for at in range(0, len(scans), BLOCK):
                part = slice(at, at + BLOCK)
                file.write(_block(self.tags, scans[part], numbers[part], values[part], starts[part]).encode())

    def close(self) -> None:
        """Nothing is left to write."""

    def _on(self) -> BufferedWriter:
        """The file, to be written on at its end; never made anew: where it is gone, the process is being stopped."""
        return os.fdopen(os.open(self.path, os.O_WRONLY | os.O_APPEND), "wb")

    def _quick(self, scans: Ints, numbers: Shorts, values: Ints, starts: Ints) -> bool:
        """Append them fast; whether that was possible."""
        size = self.path.stat().st_size
        try:
            from .plain_rows import PlainRows
            from .sandbox import NoRoom
        except ImportError:
            self._slow = True
            return False
        with suppress(NoRoom):
            if self._fast is None:
                self._fast = PlainRows([_quoted(t.name) for t in self.tags])
            with self._on() as plain:
                for lines in self._fast.lines(scans, numbers, values, starts // 1000):
                    plain.write(lines)
            return True
        self._slow = True
        os.truncate(self.path, size)
        return False


def _is_decimal(tag: Tag) -> bool:
    """Whether a tag's raw value, as a signed number, is what the file shows."""
    return tag.type.bits > 0 and tag.type.family is not Family.REAL and tag.enumeration is None and (tag.type.bits < 64 or tag.type.low < 0)


def _block(tags: list[Tag], scans: Ints, numbers: Shorts, values: Ints, starts: Ints) -> str:
    """The lines of some rows. Texts that repeat (a scan's time, a tag with its value) are made once."""
    _, at, which = np.unique(scans, return_index=True, return_inverse=True)
    micro = starts[at] // 1000
    heads = np.array(["%d.%06d,%d" % row for row in zip((micro // 1_000_000).tolist(), (micro % 1_000_000).tolist(),  # noqa: UP031
                                                        scans[at].tolist(), strict=True)], object)
    order = np.lexsort((values, numbers))
    by_number, by_value = numbers[order], values[order]
    fresh = np.ones(len(order), bool)
    fresh[1:] = (by_number[1:] != by_number[:-1]) | (by_value[1:] != by_value[:-1])
    kind = np.empty(len(order), np.int64)
    kind[order] = np.cumsum(fresh) - 1
    each = zip(by_number[fresh].tolist(), by_value[fresh].tolist(), strict=True)
    tails = np.array([f",{_quoted(tags[n].name)},{_cell(v, tags[n])}\n" for n, v in each], object)
    return "".join((heads[which] + tails[kind]).tolist())


def _cell(bits: int, tag: Tag) -> str:
    text = shown_value(bits, tag)
    return csv_cell(text) if tag.type.family is Family.STRING else text


def _quoted(name: str) -> str:
    return csv_cell(name)
