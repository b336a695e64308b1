"""``halted``: a fault stopped the controller and switched its outputs off."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.journal import Pass
from whorlograph.engine.loops import loop_remedy, worst_loop
from whorlograph.model.question import LinkKind, RootKind

from ..tracer import Vantage
from ..trail import Link, Root
from .grown import grown

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, scan: int) -> Link | None:
    """The fault, with its place."""
    fault = tracer.journal.fault
    if fault is None:
        return None
    since = tracer.time(fault.scan)
    place = tracer.place(fault.step) if 0 <= fault.step < len(tracer.steps.all) else ""
    where = f" in {place}" if place else ""
    text = f"the controller halted at {tracer.at(since)}{where}: {fault.text}"
    step, element, loop = fault.step, fault.element, worst_loop(fault.loops, fault.number)
    if loop is not None:
        step, element = loop.step, 0
        text += _condition(tracer, loop, fault.scan)
    before, mends = grown(tracer, fault)
    text += before
    value = tracer.value(tag, tracer.journal.settled(tag, max(scan, fault.scan)))
    check = f"correct {place}{f', {mends}' if mends else ', or find out what brought it there'}; restarting does not cure it" if place else ""
    remedy = loop_remedy(fault, tracer.steps)
    root = Root(RootKind.FAULT, fault.tag, None, since, text, remedy or check, changed=True, step=step)
    stands = tracer.since(tag, Vantage(max(scan, fault.scan)))
    return Link(LinkKind.HALTED, tag, value, stands, step, fault.scan, text, element, (element,) if element else (), roots=[root])


def _condition(tracer: Tracer, loop: Pass, scan: int) -> str:
    """What the jump of a loop looks at, and the rungs of the loop that write it, with the values that stood there at the end."""
    access = tracer.controller.access

    def seen(step: int) -> list[int]:
        return list(dict.fromkeys(u.tag for u in access.of_step(step) if not u.writes))

    def words(tags: list[int]) -> str:
        return ", ".join(f"{tracer.name(t)} is {tracer.state_word(tracer.value(t, tracer.journal.settled(t, scan)), t)}" for t in tags)

    looked = seen(loop.step)
    if not looked:
        return "; it has no condition"
    inside = dict.fromkeys(u.step for tag in looked for u in access.of_tag(tag) if u.writes and loop.target <= u.step < loop.step)
    behind = "".join(f" ({tracer.place(s)}: {words(seen(s))})" for s in inside if seen(s))
    return f"; its condition: {words(looked)}{behind}"
