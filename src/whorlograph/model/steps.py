"""The steps of a program: one rung of one instance each, numbered (CONTROLLER.md, Scan and tasks)."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from .ladder import Block, Jump, LadderBody, Return, Rung
from .tags import Instance, Running


class Step(Struct, frozen=True):
    """One rung of one instance. ``index`` numbers all steps; those of programs come first, in scan order."""

    index: int
    instance: Instance
    rung: Rung

    @property
    def pou(self) -> str:
        """Name of the POU that the rung stands in."""
        return self.instance.type_name


class FlagKind(StrEnum):
    """What decides which steps run."""

    JUMP = "jump"
    RETURN = "return"
    CALL = "call"


class PathFlag(Struct, frozen=True):
    """A jump, return or call: journalled like a BOOL tag that is on while it is taken.

    ``number`` continues the tags' numbering.
    """

    number: int
    kind: FlagKind
    step: int
    element: int


class Steps(Struct, frozen=True):
    """All steps; ``first`` maps an instance (by id) to its first step's index.

    The first ``cyclic`` steps are those of programs; ``flags`` maps (step, element) to its path flag.
    """

    all: list[Step]
    first: dict[int, int]
    cyclic: int
    flags: dict[tuple[int, int], PathFlag]

    def of(self, instance: Instance) -> list[Step]:
        """The steps of one instance, in order."""
        start = self.first.get(id(instance))
        if start is None or instance.pou is None or not isinstance(instance.pou.body, LadderBody):
            return []
        return self.all[start:start + len(instance.pou.body.rungs)]


def number_steps(running: Running) -> Steps:
    """Number the steps: programs in order of declaration, then instances of blocks, then functions."""
    steps = Steps([], {}, 0, {})
    cyclic = 0
    programs = {id(p) for p in running.programs}
    rest = [i for i in running.instances() if id(i) not in programs]
    for one in (*running.programs, *rest, *running.functions.values()):
        if one.pou is None or not isinstance(one.pou.body, LadderBody):
            continue
        steps.first[id(one)] = len(steps.all)
        for rung in one.pou.body.rungs:
            steps.all.append(Step(len(steps.all), one, rung))
        if id(one) in programs:
            cyclic = len(steps.all)
    number = len(running.tags)
    for step in steps.all:
        for element in step.rung.elements:
            kind = _flag_kind(element)
            if kind is not None and step.instance.name.lower() not in running.functions:
                steps.flags[step.index, element.id] = PathFlag(number, kind, step.index, element.id)
                number += 1
    return Steps(steps.all, steps.first, cyclic, steps.flags)


def _flag_kind(element: object) -> FlagKind | None:
    if isinstance(element, Jump):
        return FlagKind.JUMP
    if isinstance(element, Return):
        return FlagKind.RETURN
    if isinstance(element, Block) and (element.instance or any(p.name.upper() == "EN" for p in element.inputs)):
        return FlagKind.CALL
    return None
