"""``resumed``: the step that wrote was evaluated again after a time without."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.path import Skip, SkipKind
from whorlograph.model.question import LinkKind

from ..tracer import LAST
from ..trail import Link
from ..writers import Kind, Writer
from . import step_inactive
from .gates import elements_of, explain_gate
from .rung_false import first_out, unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, value: bool, skip: Skip, depth: int) -> Link | None:
    """The step ran again in a scan: since when it had not, and what lets it run."""
    place, time = tracer.place(writer.step), tracer.time(scan)
    since = tracer.since_done(tag, tracer.seen(writer.step, scan))
    stopped = tracer.paths.skipped_since(tracer.journal, writer.step, scan - 1)
    ran = tracer.paths.last_run(tracer.journal, writer.step, scan - 1) > 0
    how = f"runs again; it had not run since {tracer.at(stopped)}" if ran else "runs for the first time"
    # What another step takes away in every scan comes anew here, without a change of its own at a scan's end.
    state, when = tracer.state_word(value, tag), tracer.at(time)
    went = f"went {state} at {when}" if since == time else f"is {state} from {when} on"
    action = step_inactive.action_of(tracer, skip.flag) if skip.flag is not None else None
    place = f"action {action[1].name} ({place})" if action is not None else place
    text = f"{tracer.name(tag)} {went}: {place} {how}"
    found = Link(LinkKind.RESUMED, tag, value, since, writer.step, scan, text, writer.element)
    power = tracer.written.flag_power(skip.flag.step, skip.flag.element) if skip.flag is not None else None
    if skip.flag is not None and power is not None:
        _let_run(tracer, found, skip, scan, depth)
    if not value and writer.kind is Kind.COIL and not writer.inverted:
        blocked = unpowered(tracer, tag, writer.step, writer.element, writer.power, scan, depth + 1)
        if blocked is not None:
            found.children.append(blocked)
    return found


def _let_run(tracer: Tracer, found: Link, skip: Skip, scan: int, depth: int) -> None:
    """Add what took the jump or return away, or called the body."""
    flag = skip.flag
    assert flag is not None
    power = tracer.written.flag_power(flag.step, flag.element)
    where = tracer.place(flag.step)
    if skip.kind is SkipKind.NOT_CALLED:
        child: Link | None = powered(tracer, None, flag.step, flag.element, power, scan, depth + 1, LinkKind.RUNG_TRUE, True,
                                     f"the call of {tracer.steps.all[found.step].pou}")
    elif (action := step_inactive.action_of(tracer, flag)) is not None:
        child = tracer.explain(action[0], tracer.view_at(action[0], LAST, tracer.seen(flag.step, scan)), True, depth + 1)
    else:
        what = f"the {skip.kind} in {where}"
        now = tracer.seen(flag.step, scan)
        lost = first_out(tracer, power, now, tracer.seen(flag.step, scan - 1)) if power is not None else []
        if lost:
            child = Link(LinkKind.RUNG_FALSE, None, False, tracer.time(scan), flag.step, scan,
                         f"{what} is no longer taken at {tracer.at(tracer.time(scan))}", flag.element, elements_of(tracer, lost, flag.step))
            for gate in lost[:3]:
                explain_gate(tracer, child, gate, now, depth + 1, change=True)
        else:
            child = unpowered(tracer, None, flag.step, flag.element, power, scan, depth + 1, what=what)
    if child is not None:
        found.children.append(child)
