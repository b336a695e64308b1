"""What an input's state means at the device, given how it is wired (ANSWERS.md, Roots)."""

from __future__ import annotations

from whorlograph.model.iolist import Point, Wiring

_MEANING = {
    (Wiring.NORMALLY_OPEN, True): "actuated, or a short circuit",
    (Wiring.NORMALLY_OPEN, False): "not actuated, unplugged, wire broken or no supply",
    (Wiring.NORMALLY_CLOSED, True): "not actuated, or a short circuit",
    (Wiring.NORMALLY_CLOSED, False): "actuated, unplugged, wire broken or no supply",
}
_WORDS = {Wiring.NORMALLY_OPEN: "wired normally open", Wiring.NORMALLY_CLOSED: "wired normally closed"}


def meaning(point: Point | None, on: bool) -> str:
    """What on or off means at the device, in words."""
    state = "on" if on else "off"
    if point is None or point.wiring is Wiring.UNKNOWN:
        first = _MEANING[Wiring.NORMALLY_OPEN, on]
        second = _MEANING[Wiring.NORMALLY_CLOSED, on]
        why = "the I/O list does not say how it is wired" if point is not None else "no I/O list says how it is wired"
        return f"{state} means {first} if wired normally open, {second} if normally closed; {why}"
    return f"{_WORDS[point.wiring]}: {state} means {_MEANING[point.wiring, on]}"
