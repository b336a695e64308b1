"""Which tags share bits, and how a write to one changes the others (CONTROLLER.md, Memory)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.tags import Tag
from whorlograph.model.types import Elementary, Family


class Shared(Struct, frozen=True):
    """Bits ``[mine, mine + width)`` of a tag are bits ``[theirs, theirs + width)`` of the tag ``other``."""

    other: int
    mine: int
    theirs: int
    width: int


def shared_bits(tags: list[Tag], addressing: str) -> dict[int, list[Shared]]:
    """For each tag at an address: the tags it shares bits with."""
    spans: dict[str, list[tuple[int, int, int]]] = {}
    for tag in tags:
        if tag.address is not None and tag.type.family is not Family.STRING:
            area, first, width = tag.address.span(addressing)
            spans.setdefault(area, []).append((first, min(width, max(tag.type.bits, 1)), tag.index))
    found: dict[int, list[Shared]] = {}
    for group in spans.values():
        group.sort()
        for i, (first, width, tag_index) in enumerate(group):
            for other_first, other_width, other in group[i + 1:]:
                if other_first >= first + width:
                    break
                low, high = max(first, other_first), min(first + width, other_first + other_width)
                if high > low:
                    found.setdefault(tag_index, []).append(Shared(other, low - first, low - other_first, high - low))
                    found.setdefault(other, []).append(Shared(tag_index, low - other_first, low - first, high - low))
    return found


def held(bits: int, type_: Elementary) -> int:
    """Bits cut to a type's width, with its sign, as memory keeps them (a signed 64-bit number)."""
    if type_.family is Family.REAL:
        return bits & 0xFFFFFFFF if type_.bits == 32 else bits
    width = max(1, type_.bits)
    value = bits & ((1 << width) - 1)
    if (type_.low < 0 or width == 64) and value >> (width - 1) & 1:
        value -= 1 << width
    return value


def changed(mine: int, theirs: int, share: Shared, type_: Elementary) -> int:
    """The other tag's raw value after this one took the raw value ``mine``."""
    mask = (1 << share.width) - 1
    bits = (theirs & ~(mask << share.theirs)) | ((mine >> share.mine & mask) << share.theirs)
    return held(bits, type_)
