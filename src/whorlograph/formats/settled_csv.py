"""Settled values as CSV: ``time,scan,tag,value`` (DESIGN section 7)."""

from __future__ import annotations

import os
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path

import numpy as np

from whorlograph.model.errors import UsageError
from whorlograph.model.literals import value_text
from whorlograph.model.log import Ints, Shorts
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

BLOCK = 1_000_000
WORTH_IT = 50_000  # rows from which the fast writer's own start is repaid


def shown_value(bits: int, tag: Tag) -> str:
    """A raw value as the file shows it; enumerations by name."""
    if tag.enumeration is not None:
        return next((name for name, number in tag.enumeration.values if number == bits), str(bits))
    return value_text(bits, tag.type)


def write_csv(path: Path, tags: list[Tag], first: Sequence[tuple[int, int]], scans: Ints, numbers: Shorts, values: Ints, starts: Ints) -> None:
    """Write settled values.

    Args: first: (tag number, raw value) before the first scan, in order of name; the rest one entry a row.
    Raises: UsageError where the file cannot be written.
    """
    try:
        with path.open("w", encoding="utf-8", newline="") as file:
            file.write("time,scan,tag,value\n")
            file.writelines(f"0.000000,0,{_quoted(tags[n].name)},{shown_value(v, tags[n])}\n" for n, v in first)
        _rows(path, tags, scans, numbers, values, starts)
    except OSError as error:
        raise UsageError(str(path), f"cannot be written ({error.strerror or error})", "give another --out") from error


def _rows(path: Path, tags: list[Tag], scans: Ints, numbers: Shorts, values: Ints, starts: Ints) -> None:
    """Append the rows, fast where all values are whole numbers and wasmtime loads."""
    whole = np.array([_is_decimal(t) for t in tags])
    if len(scans) > WORTH_IT and whole[numbers].all():
        try:
            from .plain_rows import lines
            from .sandbox import NoRoom
        except ImportError:
            pass
        else:
            size = path.stat().st_size
            with suppress(NoRoom), path.open("ab") as plain:
                plain.writelines(lines([_quoted(t.name) for t in tags], scans, numbers, values, starts // 1000))
                return
            os.truncate(path, size)
    with path.open("a", encoding="utf-8", newline="") as file:
        for at in range(0, len(scans), BLOCK):
            part = slice(at, at + BLOCK)
            file.write(_block(tags, scans[part], numbers[part], values[part], starts[part]))


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
    tails = np.array([f",{_quoted(tags[n].name)},{shown_value(v, tags[n])}\n" for n, v in each], object)
    return "".join((heads[which] + tails[kind]).tolist())


def _quoted(name: str) -> str:
    return f'"{name}"' if "," in name else name
