"""The cursor that goes from element to element over drawn rungs."""

from __future__ import annotations

from whorlograph.desk.scene import RungBlock
from whorlograph.drawing.shapes import Ink, Run

Place = tuple[int, int, int, int]  # line, column, step, element


def elements_of(blocks: list[tuple[int, RungBlock]]) -> list[Place]:
    """Everything drawn, in reading order; an element of several lines stands at its lowest."""
    found: dict[tuple[int, int], Place] = {}
    for start, block in blocks:
        for spot in block.spots:
            key = (block.step, spot.element)
            if key not in found or start + spot.line > found[key][0]:
                found[key] = (start + spot.line, spot.left, *key)
    return sorted(found.values())


def beside(elements: list[Place], here: tuple[int, int], steps: int) -> tuple[int, int]:
    """The element so many places further on in reading order, within a step's drawing."""
    keys = [e[2:] for e in elements]
    if here not in keys:
        return keys[0] if keys else here
    return keys[max(0, min(len(keys) - 1, keys.index(here) + steps))]


def first_element(block: RungBlock) -> int:
    """The element where the cursor begins: the first with a tag."""
    places = elements_of([(0, block)])
    return next((e[3] for e in places if e[3] in block.tags), places[0][3] if places else -1)


def with_cursor(runs: list[Run], block: RungBlock, element: int, line: int) -> list[Run]:
    """A line of a drawing (one column of margin before it) with the chosen element on a ground of its own."""
    spot = next((s for s in block.spots if s.element == element and s.line == line), None)
    if spot is None:
        return runs
    found: list[Run] = []
    x = 0
    low, high = spot.left + 1, spot.right + 1
    for text, ink in runs:
        for part, chosen in ((text[:max(0, low - x)], False), (text[max(0, low - x):max(0, high - x)], True), (text[max(0, high - x):], False)):
            if part:
                found.append((part, Ink.CHOSEN if chosen else ink))
        x += len(text)
    return found


def with_letter(runs: list[Run], block: RungBlock, element: int, line: int, letter: str) -> list[Run]:
    """A line of a drawing with a letter before an element, on the lowest of its lines."""
    spots = [s for s in block.spots if s.element == element]
    spot = max(spots, key=lambda s: s.line, default=None)
    if spot is None or spot.line != line:
        return runs
    at, x = spot.left + 1, 0
    found: list[Run] = []
    for text, ink in runs:
        low, high = max(0, min(len(text), at - x)), max(0, min(len(text), at + 3 - x))
        found += [(text[:low], ink)] if low else []
        if x <= at < x + len(text):
            found.append((f"[{letter}]", Ink.STRONG))
        found += [(text[high:], ink)] if high < len(text) else []
        x += len(text)
    return found
