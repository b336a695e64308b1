"""Sequential charts: steps, transitions, actions (IEC 61131-3:2013, 6.7). Plain data."""

from __future__ import annotations

from collections.abc import Container

from msgspec import Struct

from .ladder import LadderBody
from .text import TextBody

QUALIFIERS = ("N", "R", "S", "L", "D", "P", "P0", "P1", "SD", "DS", "SL")
TIMED = ("L", "D", "SD", "DS", "SL")
PAST = "past"  # the label behind an action, to which its control jumps while it is left out


class ChartStep(Struct, frozen=True):
    """A step; ``initial``: active at the start."""

    name: str
    initial: bool = False
    line: int = 0


class Association(Struct, frozen=True):
    """What a step does to an action: ``qualifier`` one of ``QUALIFIERS``, ``time`` a duration or a tag's name where it takes one."""

    step: str
    action: str
    qualifier: str = "N"
    time: str = ""
    line: int = 0


class Transition(Struct, frozen=True):
    """What leads from some steps to others: ``condition`` as text in ``language`` (ST or IL); ``diagram`` where it is drawn, its coil bears the
    transition's own name."""

    sources: tuple[str, ...]
    targets: tuple[str, ...]
    condition: str
    name: str = ""
    line: int = 0
    diagram: LadderBody | None = None
    language: str = "ST"

    @property
    def plain_name(self) -> str:
        """What it is called where it has no name of its own."""
        return f"{'_and_'.join(self.sources)}_to_{'_and_'.join(self.targets)}"


class Action(Struct, frozen=True):
    """An action with a body of its own."""

    name: str
    body: TextBody | LadderBody
    line: int = 0


class Chart(Struct, frozen=True):
    """A chart, all in order of declaration; actions without a body are Boolean variables."""

    steps: tuple[ChartStep, ...]
    transitions: tuple[Transition, ...]
    associations: tuple[Association, ...]
    actions: tuple[Action, ...] = ()


def control_name(action: str, taken: Container[str]) -> str:
    """The name of an action's control that is none of those taken (in lower case)."""
    name = f"{action}_action"
    while name.lower() in taken:
        name += "_"
    return name


class ChartBody(Struct, frozen=True, tag=True):
    """A chart, and what it does in each evaluation, one after the other: its transitions, their firing, its actions."""

    chart: Chart
    segments: tuple[TextBody | LadderBody, ...]
    language: str = "SFC"

    @property
    def texts(self) -> tuple[TextBody, ...]:
        """What of it is text."""
        return tuple(s for s in self.segments if isinstance(s, TextBody))
