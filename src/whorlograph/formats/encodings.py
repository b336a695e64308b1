"""In which encoding a text file is: UTF-8, UTF-16 with a mark or without, else Windows-1252."""

from __future__ import annotations

import codecs

_SAMPLE = 4096
_MARKS = {codecs.BOM_UTF16_LE: "utf-16-le", codecs.BOM_UTF16_BE: "utf-16-be"}
_LEAST = 8  # bytes that tell
_MOSTLY = 0.8  # of the letters of a text in two bytes each one is 0


def wide(head: bytes) -> str:
    """The encoding of a text of two bytes a letter, as its beginning tells it; "" of any other."""
    marked = _MARKS.get(head[:2])
    if marked is not None:
        return marked
    sample = head[:min(len(head) & ~1, _SAMPLE)]
    low, high = (sample[::2].count(0), sample[1::2].count(0)) if len(sample) >= _LEAST else (0, 0)
    return "utf-16-le" if high > _MOSTLY * len(sample) / 2 and not low else "utf-16-be" if low > _MOSTLY * len(sample) / 2 and not high else ""


def decoded(data: bytes) -> tuple[str, str]:
    """A text and its encoding, without the mark that it may begin with."""
    encoding = wide(data)
    if encoding:
        return data.decode(encoding, "replace").removeprefix("\ufeff"), encoding
    try:
        return data.decode("utf-8-sig"), "utf-8"
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace"), "cp1252"
