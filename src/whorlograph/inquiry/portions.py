"""How many drop-outs of each tag are compared where a log has more of them than can be explained in a short while."""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping

from .usual import MOST

CAPS = (MOST, 500, 200, 100, 50, 20, 10, 5)  # of one tag
FAIR = 50  # of each tag, or the outputs come first
FEW = 300  # tags of which it is found out at once which go round by themselves


def portions(counts: Mapping[int, int], outputs: Container[int], most: int, free: Callable[[int], bool]) -> tuple[dict[int, int], list[int]]:
    """By tag how many of its last drop-outs are compared; and the tags for which nothing is left.

    As many of each as go into the whole; where that would be few, as many of each output, and what is left of what feeds them, the nearest first.

    Args: counts: by tag, in the order in which they are looked at, how many there are; most: of all together; free: whether a tag goes round by
        itself, of which nothing is compared.
    """
    def whole(cap: int, tags: Mapping[int, int]) -> int:
        return sum(min(cap, count) for count in tags.values())

    if len(counts) <= FEW:
        counts = {tag: count for tag, count in counts.items() if count and not free(tag)}
    first = {tag: count for tag, count in counts.items() if tag in outputs and not free(tag)}
    fair = [c for c in CAPS if c >= FAIR and whole(c, counts) <= most] or [c for c in CAPS if c <= FAIR and whole(c, first) <= most]
    cap = fair[0] if fair else CAPS[-1]
    found, without, left = dict[int, int](), list[int](), most
    for tag in sorted(counts, key=lambda one: one not in outputs):
        taken = min(cap, counts[tag])
        if taken > left:
            without.append(tag)
        elif taken and not free(tag):
            found[tag], left = taken, left - taken
    return found, without
