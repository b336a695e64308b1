"""What the screen shows, as one frozen value: changing it is replacing it, and former values are the way back."""

from __future__ import annotations

from msgspec import Struct, field

from whorlograph.model.question import Question


class PageState(Struct, frozen=True):
    """A page over the strands: which, for which tag; chosen row, order, filter; of the whole program: step and element; the ``word`` that
    is explained."""

    name: str
    tag: int | None = None
    row: int = 0
    order: int = 0
    filter: str = ""
    step: int = -1
    element: int = -1
    word: str = ""


class View(Struct, frozen=True):
    """One state of the screen.

    ``question``; the moment (``scan``, and ``time`` in ns); the ``strand`` with the focus; the chosen line of
    the trail, element of the rungs (step, element) and lane; the stretch of time on the timeline (ns); the
    ``page`` that lies over the strands.
    """

    question: Question
    scan: int = 0
    time: int = 0
    strand: str = "trail"
    line: int = 0
    element: tuple[int, int] = (-1, -1)
    lane: int = -1
    start: int = 0
    end: int = 0
    folded: frozenset[int] = field(default=frozenset())
    values: bool = False
    page: PageState | None = None
    tall: frozenset[int] = field(default=frozenset())  # numbers drawn as curves of several lines
    away: frozenset[int] = field(default=frozenset())  # lanes folded into one line
    watch: str = ""  # the set of lanes that stands on the timeline; "" those of the trail
    card: int = 0  # lines of the chosen root's card that have gone out of sight above


STRANDS = ("trail", "rungs", "timeline")
