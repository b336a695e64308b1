"""Places in a file where something else is to stand."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct


class Cut(Struct, frozen=True):
    """Bytes from one place to before another, and what stands there instead."""

    start: int
    end: int
    text: bytes


def cut(data: bytes, cuts: Iterable[Cut]) -> bytes:
    """A file with all cuts made; what is put in at one place stands in the order of the cuts, last first."""
    parts, behind = [], len(data)
    for one in sorted(cuts, key=lambda c: (c.start, c.end), reverse=True):
        parts += [data[one.end:behind], one.text]
        behind = one.start
    parts.append(data[:behind])
    return b"".join(reversed(parts))
