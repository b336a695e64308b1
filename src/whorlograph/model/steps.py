"""The steps of a program: one rung of one instance each, numbered (CONTROLLER.md, Scan and tasks)."""

from __future__ import annotations

from enum import StrEnum
from functools import lru_cache
from itertools import zip_longest

from msgspec import Struct, field

from .chart import ChartBody
from .ladder import LadderBody, LeftRail, Rung
from .program import Body, written_name
from .tags import Instance
from .text import Statement, TextBody


class Step(Struct, frozen=True):
    """One rung of one instance. ``index`` numbers all steps; those of programs come first, in scan order."""

    index: int
    instance: Instance
    rung: Rung

    @property
    def pou(self) -> str:
        """Name of the POU that the rung stands in."""
        return written_name(self.instance.type_name)

    @property
    def source(self) -> tuple[str, ...]:
        """The lines of a statement, as they are written; none of a rung."""
        body = self.instance.pou.body if self.instance.pou is not None else None
        for part in segments(body) if body is not None else ():
            if isinstance(part, TextBody) and self.rung.statement is not None:
                found = next((i for i, one in enumerate(part.statements) if one.at == self.rung.statement.at and one == self.rung.statement), None)
                if found is not None:
                    return part.lines(found)
        return ()


class FlagKind(StrEnum):
    """What decides which steps run."""

    JUMP = "jump"
    RETURN = "return"
    CALL = "call"


class PathFlag(Struct, frozen=True):
    """A jump, return or call: journalled like a BOOL tag that is on while it is taken.

    ``number``: a hidden cell's, behind those of the tags.
    """

    number: int
    kind: FlagKind
    step: int
    element: int


class Steps(Struct, frozen=True):
    """All steps; ``first`` maps an instance (by id) to its first step's index.

    The first ``cyclic`` steps are those of programs; ``flags`` maps (step, element) to its path flag, ``private`` (step, element,
    what) to the number of what is remembered there: both have rows in the journal.
    """

    all: list[Step]
    first: dict[int, int]
    cyclic: int
    flags: dict[tuple[int, int], PathFlag]
    private: dict[tuple[int, int, str], int] = field(default_factory=dict)

    def of(self, instance: Instance) -> list[Step]:
        """The steps of one instance, in order."""
        start = self.first.get(id(instance))
        if start is None or instance.pou is None:
            return []
        return self.all[start:start + count_of(instance.pou.body)]


def segments(body: Body) -> tuple[LadderBody | TextBody, ...]:
    """What a body is executed as, one after the other: itself; of a chart many; none of what is not executed."""
    return body.segments if isinstance(body, ChartBody) else (body,) if isinstance(body, (LadderBody, TextBody)) else ()


def count_of(body: Body) -> int:
    """How many steps a body is executed in."""
    return sum(part.count for part in segments(body))


def units(body: Body) -> tuple[Rung, ...]:
    """The steps of a body: its rungs; its statements as rungs, numbered by their lines; none of what is not executed."""
    return tuple(rung for part in segments(body) for rung in _units(part))


def _units(body: LadderBody | TextBody) -> tuple[Rung, ...]:
    if isinstance(body, LadderBody):
        return body.rungs
    return tuple(_statement_rung(one, said) for one, said in zip_longest(body.statements, body.comments, fillvalue=""))


def rails_of(part: LadderBody | TextBody) -> frozenset[int]:
    """The ids of a diagram's left rails."""
    return frozenset(e.id for e in part.elements if isinstance(e, LeftRail)) if isinstance(part, LadderBody) else frozenset()


def segment_at(body: Body, index: int) -> tuple[LadderBody | TextBody, int]:
    """The part of a body that its step number ``index`` (from 0) stands in, and the number of that part's first step."""
    first = 0
    for part in segments(body):
        if index < first + part.count:
            return part, first
        first += part.count
    raise IndexError(index)


@lru_cache(maxsize=200_000)
def _statement_rung(statement: Statement, comment: str) -> Rung:
    return Rung(statement.line, (), comment=comment, statement=statement)
