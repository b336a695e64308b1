"""``never-set``: the set coil (or, of a latch that stays on, the reset coil) was not powered."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind, RootKind

from ..alone import each_way_asks
from ..languages import words_of
from ..trail import Link, Root
from ..writers import Kind, Writer
from . import missed_pulse, passes, rung_false, skipped
from .gates import gate_tag

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage

NEVER = "was never {}"


def link(tracer: Tracer, tag: int, writers: list[Writer], view: Vantage, depth: int, kind: LinkKind, said: str = NEVER) -> Link | None:
    """Why the coil that would have to write has no power; of several, the one that lacks the fewest contacts.

    Args: said: how it is said that it did not write, with a place for *set* or *reset*.
    """
    return next(iter(links(tracer, tag, writers, view, depth, kind, said)), None)


def links(tracer: Tracer, tag: int, writers: list[Writer], view: Vantage, depth: int, kind: LinkKind, said: str = NEVER) -> list[Link]:
    """The same of each coil, four at most, the one that lacks the fewest contacts first."""
    able = [w for w in writers if not _was_for_once(tracer, w, view)] or writers
    found = [_awaited(tracer, tag, w, view, depth) or _unpowered(tracer, tag, w, view, depth, kind, said) for w in able[:4]]
    return sorted(possible([link for link in found if link is not None]), key=lambda link: len(link.blockers))


def _was_for_once(tracer: Tracer, writer: Writer, view: Vantage) -> bool:
    """Whether a coil asks for something to be off that is on by now and that nothing takes back: what a first scan sets."""
    def stays(number: int) -> bool:
        by = tracer.writers.get(number, [])
        only_set = bool(by) and all(w.kind is Kind.SET for w in by) and tracer.boolean(number)
        return only_set and number not in tracer.again.shares and number not in tracer.logged and bool(tracer.raw(number, view))

    return each_way_asks(tracer, writer, stays, on=False)


def possible(links: list[Link], others: bool = False) -> list[Link]:
    """Links of writes that did not come, but for those that never can, where there are others. Args: others: there are, besides these."""
    able = [one for one in links if not any(root.never for root in one.roots)]
    return able if able or others else links


def had_turn(tracer: Tracer, writers: list[Writer], view: Vantage, scan: int, step: int) -> list[Writer]:
    """Those of writers that had their turn since a step had its own in a scan: amid a later one some have not come to theirs yet, and what stands
    before it in the same one was too early; those of tasks may never come."""
    order = tracer.paths.order
    return [w for w in writers if tracer.paths.task_of(w.step) >= 0 or (tracer.ran(w.step, view), order[w.step]) >= (scan, order[step])]


def _unpowered(tracer: Tracer, tag: int, writer: Writer, view: Vantage, depth: int, kind: LinkKind, said: str) -> Link | None:
    """A coil that has no power, or whose step did not run."""
    scan = tracer.ran(writer.step, view)
    if tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
        left = skipped.link(tracer, tag, writer, scan, depth)
        if left is not None:
            skipped.add_unset(tracer, left, tag, writer, view, depth)
        return left
    verb, step = str(writer.kind), tracer.steps.all[writer.step]
    seen = tracer.seen(writer.step, scan)
    if passes.in_loop(tracer, writer) and writer.at not in seen.result.stored:
        left = passes.left_out(tracer, writer, seen, words_of(step).source(step, writer.element, tracer.passing(writer.step, writer.at)), depth)
        left.kind, left.tag, left.value, left.since = kind, tag, verb == "reset", tracer.since_done(tag, seen)
        return left
    lacks = f"{said.format(verb)}: {words_of(step).lacking()}"
    found = rung_false.stands(tracer, tag, writer, scan, depth, kind, lacks)
    if found is not None:
        found.value = verb == "reset"
        _add_unseen(tracer, found, tag, writer, scan, view)
    return found


def _add_unseen(tracer: Tracer, found: Link, tag: int, writer: Writer, scan: int, view: Vantage) -> None:
    """Of a step that was evaluated before the view: when; of a single contact that blocked then: its pulse that came since and was not seen."""
    number = tracer.paths.task_of(writer.step)
    if number >= 0 and scan < view.scan:
        found.text += f" (as task {tracer.controller.schedule.tasks[number].name} saw it when it ran last, at {tracer.at(tracer.time(scan))})"
    seen = tracer.seen(writer.step, scan)
    gates, _ = rung_false.smallest_set(tracer, writer.power, seen)
    condition = gate_tag(tracer, gates[0], seen) if len(gates) == 1 else None
    if condition is None:
        return
    since = tracer.since(tag, view)
    missed = missed_pulse.unseen(tracer, tag, condition, not gates[0].negated, writer.step, since if since is not None else 0, tracer.time(view.scan))
    if missed is not None:
        found.roots = [r for r in found.roots if r.tag != condition]
        found.children.insert(0, missed_pulse.pulse_link(tracer, missed))


def _awaited(tracer: Tracer, tag: int, writer: Writer, view: Vantage, depth: int) -> Link | None:
    """A coil in a task that does not come, and that would write if it came."""
    if tracer.paths.task_of(writer.step) < 0 or (tracer.ran(writer.step, view) > 0 and not _would_write(tracer, writer, view)):
        return None
    return skipped.link(tracer, tag, writer, view.scan, depth)


def _would_write(tracer: Tracer, writer: Writer, view: Vantage) -> bool:
    """Whether a coil would have power if its task came now."""
    now = tracer.again.now(tracer.journal, writer.step, view.scan)
    return writer.power is None or tracer.circuit(writer.step).on(writer.power, now)


def no_reset(tracer: Tracer, tag: int, link: Link | None, setter: Writer) -> Link | None:
    """Add to a latch's link that no rung resets it: a defect of the program, to be said first."""
    if link is not None:
        text = f"{tracer.name(tag)} is set by {tracer.place(setter.step)}, and no rung resets it"
        link.roots.insert(0, Root(RootKind.PROGRAM, tag, True, link.since, text, f"find out what should reset {tracer.name(tag)}", step=setter.step,
                                  defect=True))
    return link

