"""Steps numbered as the code lays them out, with what the journal says about their jumps, calls and memories."""

from __future__ import annotations

from whorlograph.engine.code import Code, Kind
from whorlograph.model.steps import FlagKind, PathFlag, Step, Steps, units
from whorlograph.model.tags import Running


def number_steps(running: Running, code: Code) -> Steps:
    """The steps of all instances: those of programs in order of declaration, then those of blocks and functions."""
    found: dict[int, Step] = {}
    steps = Steps([], {}, 0, {})
    cyclic = 0
    for declared, one in zip(running.instances(), code.instances, strict=True):
        if one.body < 0 or declared.pou is None:
            continue
        steps.first[id(declared)] = one.first
        rungs = units(declared.pou.body)
        for i, rung in enumerate(rungs):
            found[one.first + i] = Step(one.first + i, declared, rung)
        if one.runs:
            cyclic = max(cyclic, one.first + len(rungs))
        body = code.bodies[one.body]
        for n, cell in enumerate(body.hidden):
            number, step = one.hidden + body.inner + n, one.first + cell.step
            if cell.kind == Kind.FLAG:
                steps.flags[step, cell.element] = PathFlag(number, FlagKind(cell.what), step, cell.element)
            elif cell.kind == Kind.PRIVATE:
                steps.private[step, cell.element, cell.what] = number
    return Steps([found[i] for i in sorted(found)], steps.first, cyclic, steps.flags, steps.private)
