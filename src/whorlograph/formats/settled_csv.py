"""Settled values as CSV: ``time,scan,tag,value`` (DESIGN section 7)."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TextIO

from whorlograph.model.errors import UsageError
from whorlograph.model.literals import value_text
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family


def seconds_text(ns: int) -> str:
    """Seconds with six decimals, cut off."""
    micro = ns // 1000
    return f"{micro // 1_000_000}.{micro % 1_000_000:06d}"


def shown_value(bits: int, tag: Tag) -> str:
    """A raw value as the file shows it; enumerations by name."""
    if tag.enumeration is not None:
        return next((name for name, number in tag.enumeration.values if number == bits), str(bits))
    return value_text(bits, tag.type)


def write_csv(path: Path, tags: list[Tag], first: Sequence[tuple[int, int]], scans: Sequence[int], numbers: Sequence[int],
              values: Sequence[int], starts: Sequence[int]) -> None:
    """Write settled values.

    Args: first: (tag number, raw value) before the first scan, in order of name; the rest one entry a row.
    Raises: UsageError where the file cannot be written.
    """
    try:
        with path.open("w", encoding="utf-8", newline="") as file:
            _write(file, tags, first, scans, numbers, values, starts)
    except OSError as error:
        raise UsageError(str(path), f"cannot be written ({error.strerror or error})", "give another --out") from error


def _write(file: TextIO, tags: list[Tag], first: Sequence[tuple[int, int]], scans: Sequence[int], numbers: Sequence[int],
           values: Sequence[int], starts: Sequence[int]) -> None:
    file.write("time,scan,tag,value\n")
    names = {t.index: _quoted(t.name) for t in tags}
    file.writelines(f"0.000000,0,{names[n]},{shown_value(v, tags[n])}\n" for n, v in first)
    boolean = [t.type.family is Family.BOOL for t in tags]
    ends = {t.index: (f",{names[t.index]},0\n", f",{names[t.index]},1\n") for t in tags if boolean[t.index]}
    lines: list[str] = []
    last_scan, head = -1, ""
    for scan, number, value, start in zip(scans, numbers, values, starts, strict=True):
        if scan != last_scan:
            last_scan, head = scan, f"{seconds_text(start)},{scan}"
        if boolean[number]:
            lines.append(head + ends[number][value & 1])
        else:
            lines.append(f"{head},{names[number]},{shown_value(value, tags[number])}\n")
        if len(lines) >= 50_000:
            file.write("".join(lines))
            lines.clear()
    file.write("".join(lines))


def _quoted(name: str) -> str:
    return f'"{name}"' if "," in name else name
