"""Names of parts: ``Table[3]``, ``Axis.Pos``, ``Word.3``, ``%QX0.1`` (IEC 61131-3:2013, 6.5.2)."""

from __future__ import annotations

import re
from functools import lru_cache

from msgspec import Struct

from .limits import MOST_NAME


class Member(Struct, frozen=True, tag=True):
    """``.Name``."""

    name: str


class Bit(Struct, frozen=True, tag=True):
    """``.3`` or ``.%X3``."""

    number: int


class Index(Struct, frozen=True, tag=True):
    """``[3, i]``: each subscript a number or a path."""

    subscripts: tuple[int | Path, ...]


class Path(Struct, frozen=True):
    """A name with what follows it."""

    base: str
    steps: tuple[Member | Bit | Index, ...] = ()


_NAME = re.compile(r"[^\W\d]\w*")
_DIRECT = re.compile(r"%[IQM][XBWDL]?\d+(?:\.\d+)*", re.IGNORECASE)
_BIT = re.compile(r"\.(?:%X)?(\d+)", re.IGNORECASE)
_NUMBER = re.compile(r"-?\d+$")


@lru_cache(maxsize=20_000)
def parse_path(text: str) -> Path | None:
    """Read a variable's name; None where the text is none."""
    text = text.strip()
    if len(text) > MOST_NAME:
        return None
    direct = _DIRECT.fullmatch(text)
    if direct:
        return Path(text)
    match = _NAME.match(text)
    if not match:
        return None
    at = match.end()
    steps: list[Member | Bit | Index] = []
    while at < len(text):
        bit = _BIT.match(text, at)
        if bit:
            steps.append(Bit(int(bit.group(1))))
            at = bit.end()
        elif text[at] == ".":
            name = _NAME.match(text, at + 1)
            if not name:
                return None
            steps.append(Member(name.group()))
            at = name.end()
        elif text[at] == "[":
            close = _closing(text, at)
            subscripts = _subscripts(text[at + 1:close]) if close else None
            if subscripts is None:
                return None
            steps.append(Index(subscripts))
            at = close + 1
        else:
            return None
    return Path(match.group(), tuple(steps))


def _closing(text: str, at: int) -> int:
    depth = 0
    for i in range(at, len(text)):
        depth += (text[i] == "[") - (text[i] == "]")
        if depth == 0:
            return i
    return 0


def _subscripts(text: str) -> tuple[int | Path, ...] | None:
    found: list[int | Path] = []
    depth, start = 0, 0
    parts = []
    for i, char in enumerate(text):
        depth += (char == "[") - (char == "]")
        if char == "," and depth == 0:
            parts.append(text[start:i])
            start = i + 1
    parts.append(text[start:])
    for part in parts:
        part = part.strip()
        if _NUMBER.match(part):
            found.append(int(part))
            continue
        inner = parse_path(part)
        if inner is None:
            return None
        found.append(inner)
    return tuple(found)
