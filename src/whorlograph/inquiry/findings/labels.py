"""Several labels of one name, a jump to none, two jumps to one label, a label amid the area that it should lead to."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.model.chart import ChartBody

from ..languages import language_of
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """What is odd about labels and the jumps to them."""
    for pou in facts.tracer.controller.program.pous.values():
        words = language_of(pou.body)
        if words is None or isinstance(pou.body, ChartBody):
            continue  # a chart has no labels of its own
        labels, jumps = words.labels(pou.body), words.jumps(pou.body)
        names = [name.lower() for name, _ in labels]
        for name, rung in labels:
            if names.count(name.lower()) > 1 and names.index(name.lower()) == labels.index((name, rung)):
                yield Finding("label-twice", pou.name, rung, -1, 0, None, f"label {name} stands {names.count(name.lower())} times in {pou.name}",
                              "jumps go to the upper one", 1)
        for name, rung in jumps:
            if name.lower() not in names:
                yield Finding("label-missing", pou.name, rung, -1, 0, None, f"{pou.name} {rung} jumps to {name}, which is no label there",
                              "the jump goes nowhere: see what the controller makes of it", 1)
        for name in dict.fromkeys(n.lower() for n, _ in jumps):
            rungs = [rung for n, rung in jumps if n.lower() == name]
            at = next((rung for n, rung in labels if n.lower() == name), 0)
            forward = [rung for rung in rungs if rung < at]
            if len(forward) > 1:
                text = f"{pou.name} {forward[0]} and {forward[-1]} jump to the same label"
                effect = "while the upper one is taken the lower one is not looked at: curing one does not cure the other"
                yield Finding("shadowed-jump", pou.name, forward[-1], -1, 0, None, text, effect, 3)
            yield from _amid(pou.name, words.areas(pou.body), name, at, rungs)


def _amid(pou: str, areas: list[tuple[str, int, int]], label: str, at: int, jumps: list[int]) -> Iterator[Finding]:
    """A label below the first rung of a titled area, to which a jump comes from outside the area."""
    for title, first, last in areas:
        outside = [rung for rung in jumps if not first <= rung <= last]
        if first < at <= last and outside:
            text = f"{pou} {outside[0]} jumps into the area \"{title}\", to its rung {at}: it begins at {first}"
            left_out = f"{first} to {at - 1}" if at - 1 > first else str(first)
            yield Finding("label-amid-area", pou, at, -1, 0, None, text, f"the area then runs without {left_out}; {label} may belong higher", 2)
