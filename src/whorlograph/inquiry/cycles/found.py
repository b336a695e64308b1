"""All that is found about the cycles of a log."""

from __future__ import annotations

from msgspec import Struct, field

from .changes import Changes
from .deviations import Judged, ranked
from .drift import Drift
from .turns import Turns


class Cycles(Struct):
    """The cycles of a log. ``start``: the condition with which one begins; ``proposed``: it was found in the log, ``others`` would do too;
    ``judged`` in order of time; ``all_changes``: what they are made of."""

    start: str
    proposed: bool
    turns: Turns
    judged: list[Judged]
    drift: list[Drift]
    all_changes: list[Changes]
    others: list[str] = field(default_factory=list)

    @property
    def ranked(self) -> list[Judged]:
        """The oddest first."""
        return ranked(self.judged)

    @property
    def whole(self) -> int:
        """How many whole cycles there are."""
        return sum(j.turn.kind == "whole" for j in self.judged)
