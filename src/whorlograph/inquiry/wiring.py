"""What an input's state means at the device, given how it is wired, and where to look (ANSWERS.md, Roots)."""

from __future__ import annotations

from whorlograph.model.iolist import Point, Wiring
from whorlograph.model.tags import Tag

_MEANING = {
    (Wiring.NORMALLY_OPEN, True): "actuated, or a short circuit",
    (Wiring.NORMALLY_OPEN, False): "not actuated, unplugged, wire broken or no supply",
    (Wiring.NORMALLY_CLOSED, True): "not actuated, or a short circuit",
    (Wiring.NORMALLY_CLOSED, False): "actuated, unplugged, wire broken or no supply",
}
_WORDS = {Wiring.NORMALLY_OPEN: "wired normally open", Wiring.NORMALLY_CLOSED: "wired normally closed"}


def meaning(point: Point | None, on: bool) -> str:
    """What on or off means at the device, in words; "" where it is not known how that is wired."""
    if point is None or point.wiring is Wiring.UNKNOWN:
        return ""
    return f"{_WORDS[point.wiring]}: {'on' if on else 'off'} means {_MEANING[point.wiring, on]}"


def readings(point: Point | None, on: bool) -> str:
    """Both meanings of on or off, of a device of which it is not known how it is wired; "" of others."""
    if point is not None and point.wiring is not Wiring.UNKNOWN:
        return ""
    first, second = (_MEANING[wiring, on] for wiring in (Wiring.NORMALLY_OPEN, Wiring.NORMALLY_CLOSED))
    return f"{'on' if on else 'off'} means {first} if wired normally open, {second} if normally closed"


def unsaid(point: Point | None) -> str:
    """Why that is not known."""
    return "the I/O list does not say how it is wired" if point is not None else "no I/O list says how it is wired"


def where(point: Point | None, one: Tag) -> str:
    """Where to look, as far as the I/O list says, and at which address; of a tag that has none, on the panel or wherever it is written from."""
    other = point.elsewhere(one.address) if point is not None else None
    address = f" ({one.address}{f' in the program, {other} in the list' if other is not None else ''})" if one.address is not None else ""
    if point is not None and point.whereabouts:
        drawing = f", drawing {point.drawing}" if point.drawing else ""
        return f"check {point.whereabouts}{drawing}{address}"
    if one.address is None or one.address.area != "I":
        return f"check who gives {one.name}{address}: an operator's panel, or another controller"
    return f"check what is wired to {one.name}{address}"
