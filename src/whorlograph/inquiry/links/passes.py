"""A write inside a loop: each pass has conditions of its own, the last alone can be seen; so all that the loop reads is named."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.calls import every
from whorlograph.engine.code import Loop
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Writer
from .field_input import input_root

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 12


def in_loop(tracer: Tracer, writer: Writer) -> bool:
    """Whether a write stands inside a loop of its own step."""
    loops = [one for one in every(tracer.controller.calls.code_of(writer.step).actions) if isinstance(one, Loop)]
    return any(getattr(one, "at", -1) == writer.at for loop in loops for one in every(loop.actions))


def left_out(tracer: Tracer, writer: Writer, seen: Seen, source: str, depth: int) -> Link:
    """The link of a write that no pass of its loop executed."""
    text = f"{source} was executed in no pass of the loop in {tracer.place(writer.step)}"
    link = Link(LinkKind.NEVER_SET, None, False, None, writer.step, seen.scan, text, writer.element)
    add(tracer, link, writer, seen, depth)
    return link


def add(tracer: Tracer, link: Link, writer: Writer, seen: Seen, depth: int) -> None:
    """Add why what a loop reads is as it is, twelve tags at most; what the loop itself writes apart."""
    uses = tracer.controller.access.of_step(writer.step)
    own = {tag for use in uses if use.writes for tag in use.tags()}
    read = dict.fromkeys(tag for use in uses if not use.writes for tag in use.tags() if tag not in own and tag < tracer.running.public)
    for tag in list(read)[:MOST]:
        if not tracer.writers.get(tag):
            link.roots.append(input_root(tracer, tag, seen.position))
            continue
        child = tracer.explain(tag, tracer.view_of(seen.step, seen.scan), True, depth + 1)
        if child is not None:
            link.children.append(child)
