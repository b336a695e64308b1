"""``halted``: a fault stopped the controller and switched its outputs off."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link, Root

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
    value = tracer.value(tag, tracer.journal.settled(tag, fault.scan))
    check = f"correct {place}, or find out what brought it there; restarting does not cure it" if place else ""
    root = Root(RootKind.FAULT, fault.tag, None, since, text, check, changed=True, step=fault.step)
    return Link(LinkKind.HALTED, tag, value, since, fault.step, fault.scan, text, fault.element,
                (fault.element,) if fault.element else (), roots=[root])
