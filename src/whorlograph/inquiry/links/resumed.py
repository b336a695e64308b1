"""``resumed``: the step that wrote was evaluated again after a time without."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const
from whorlograph.engine.path import Skip
from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Kind, Writer
from . import step_inactive
from .let_run import add_let_run, ran_again
from .rung_false import unpowered

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, value: bool, skip: Skip, depth: int) -> Link | None:
    """The step ran again in a scan: since when it had not, and what lets it run."""
    time = tracer.time(scan)
    since = tracer.since_done(tag, tracer.seen(writer.step, scan))
    # What another step takes away in every scan comes anew here, without a change of its own at a scan's end.
    state, when = tracer.state_word(value, tag), tracer.at(time)
    went = f"went {state} at {when}" if since == time else f"is {state} from {when} on"
    action = step_inactive.action_of(tracer, skip.flag) if skip.flag is not None else None
    again = ran_again(tracer, writer.step, scan, f"action {action[1].name} ({tracer.place(writer.step)})" if action is not None else "")
    text = f"{tracer.name(tag)} {went}: {again}"
    found = Link(LinkKind.RESUMED, tag, value, since, writer.step, scan, text, writer.element)
    add_let_run(tracer, found, skip, scan, depth)
    gives = writer.power if writer.kind is Kind.COIL and not writer.inverted else writer.value
    if not value and gives is not None and tracer.boolean(tag) and not isinstance(gives, Const):
        blocked = unpowered(tracer, tag, writer.step, writer.element, gives, scan, depth + 1)
        if blocked is not None:
            found.children.append(blocked)
    return found
