"""``rung-true``: a complete path brings power."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind, RootKind

from ..circuit import Gate
from ..generators import runs_at
from ..languages import words_of
from ..trail import Link, Root
from ..writers import Writer
from . import passes, takes_over
from .as_each_time import come_to_its_count, for_the_first_time, since_the_last_pulse, what_stood_already
from .complete_paths import completing, is_input, other_ways, telling
from .gates import MOST_GATES, distinct, elements_of, explain_gate, gate_tag, several_words
from .handed_as_it_is import is_asked_for

if TYPE_CHECKING:
    from ..tracer import Tracer


def changed(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, kind: LinkKind = LinkKind.RUNG_TRUE) -> Link | None:
    """The coil got its power in this scan: what completed the path."""
    return _inverted(writer, powered(tracer, tag, writer.step, writer.element, writer.power, scan, depth, kind, change=True,
                                     in_pass=passes.executed(tracer, writer, scan)))


def stands(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """The coil has power: the gates on the path that keeps it."""
    return _inverted(writer, powered(tracer, tag, writer.step, writer.element, writer.power, scan, depth, LinkKind.RUNG_TRUE, change=False))


def _inverted(writer: Writer, found: Link | None) -> Link | None:
    """A negated coil with power is off."""
    if found is not None and writer.inverted:
        found.value, found.text = False, f"{found.text}, so its negated coil is off"
    return found


_VERBS = {LinkKind.SET_BY: "was set by", LinkKind.RESET_BY: "was reset by"}


def powered(tracer: Tracer, tag: int | None, step: int, element: int, power: Expr | None, scan: int, depth: int,
            kind: LinkKind, change: bool, what: str = "", each: bool = False, in_pass: Seen | None = None, verb: str = "",
            counts: int | None = None) -> Link | None:
    """Power arrives at an element: through which gates, the one that changed last first.

    Args: each: any of them could have ended what came of it; in_pass: the step in the pass of its loop that counts; verb: how it is said, ""
    as its kind of link says it; counts: the number that is written then.
    """
    seen = in_pass or tracer.seen(step, scan)
    if in_pass is None and power is not None and tracer.circuit(step).never(power, seen.result, on=False):
        return _always(tracer, tag, step, element, scan, depth, kind, what or tracer.name(tag))
    before = tracer.seen(step, scan - 1) if change and scan > 1 and in_pass is None else None
    gates = completing(tracer, power, seen, before)
    met = since_the_last_pulse(tracer, counts, power, gates, seen, before) or come_to_its_count(tracer, power, gates, seen, before)
    pulses = [g for g in gates if g not in met] if met else []
    gates = [*met, *pulses] if met else gates
    if change and in_pass is None and not met:
        stood = what_stood_already(tracer, power, gates, seen, counts, tag)
        gates = [*stood[:1], *gates, *stood[1:]]  # what came last stands right behind what it met
    silent, gates = set(gates), telling(tracer, gates, seen)
    silent -= set(gates)
    whole = each or (not change and is_asked_for(tracer, depth))
    followed = gates if whole or met else [g for i, g in enumerate(gates) if i == 0 or is_input(tracer, gate_tag(tracer, g, seen))]
    ways = [] if change or in_pass is not None else other_ways(tracer, power, seen, followed, whole)
    others = telling(tracer, [g for g in ways if g not in silent], seen)
    time = tracer.time(scan) if change else None
    # What another step takes away again and again comes anew behind this one without a change of its own at a scan's end.
    since = tracer.since_done(tag, seen) if tag is not None else time
    name = what or tracer.name(tag)
    words = several_words(tracer, gates, seen)
    when = f" at {tracer.at(tracer.ran_at(step, scan))}" if time is not None else ""
    has = f"{words_of(tracer.steps.all[step]).powered(True)} in"
    text = f"{name} {verb or _VERBS.get(kind, has)} {tracer.place(step, element)}{when}" + (f": {words}" if words else "")
    text += f"; by another path too: {several_words(tracer, others, seen)}" if others else ""
    plain = counts is None or tracer.boolean(counts)  # a number was brought to where it is by all that came
    new = for_the_first_time(tracer, power, gates, seen) if change and plain and in_pass is None and not met else []
    text += f"; for the first time in this log with {several_words(tracer, new, seen)}" if new else ""
    link = Link(kind, tag, kind is not LinkKind.RESET_BY, since, step, scan, text, element, elements_of(tracer, [*gates, *others], step),
                about=what if tag is None else "")
    all_gates = [*distinct(tracer, gates, seen)[:MOST_GATES], *distinct(tracer, others, seen)[:MOST_GATES]]
    steady = [g for g in all_gates if not _flashes(tracer, g, seen)]
    completed = set() if change else {g for g in all_gates if _completed(tracer, tag, g, seen)}
    if steady and completed and not completed & set(steady):
        completed.add(steady[0])  # what only flashes completes the path again and again; what lets it do so came last of the others
    first = True
    for gate in all_gates:
        # Of what is asked for, each gate could end it; deeper down the one that changed last stands for its path, unless it only flashes.
        if first or gate in followed or gate in others:
            if change and gate in pulses:
                explain_beside(tracer, link, gate, seen, depth, completed=False)  # that it came is as always
            elif change:
                children = len(link.children)
                explain_gate(tracer, link, gate, seen, depth, change=True)
                for child in link.children[children:] if gate in met else ():
                    for root in child.roots:  # a measured value that the pulse met may have come before the last evaluation
                        root.changed = root.changed or (root.kind is RootKind.FIELD_INPUT and root.since is not None)
            else:
                explain_beside(tracer, link, gate, seen, depth, gate in completed)
        first = first and gate not in steady
    for gate in new:
        explain_beside(tracer, link, gate, seen, depth, completed=False)
    if change and tag is not None and power is not None and kind is LinkKind.RUNG_TRUE:
        takes_over.add_stuck(tracer, link, tag, tracer.circuit(step).complete(power, seen.result), seen)
    return link


def _always(tracer: Tracer, tag: int | None, step: int, element: int, scan: int, depth: int, kind: LinkKind, name: str) -> Link:
    """Power that nothing takes away: of what is asked for a defect, deeper down a constant."""
    has = words_of(tracer.steps.all[step]).powered(True)
    text = f"{name} {has} in {tracer.place(step)} at any time: to take that away one tag would have to be on and off at once"
    value, since = kind is not LinkKind.RESET_BY, tracer.since_done(tag, tracer.seen(step, scan)) if tag is not None else None
    what = f"see {tracer.place(step)}: no input changes it"
    root = Root(RootKind.CONSTANT if depth else RootKind.PROGRAM, None if depth else tag, True, None, text, what, step=step, defect=not depth)
    return Link(kind, tag, value, since, step, scan, text, element, roots=[root])


def _flashes(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether a gate looks at what runs freely."""
    number = gate_tag(tracer, gate, seen)
    return number is not None and tracer.boolean(number) and runs_at(tracer, number, seen.scan)


def _completed(tracer: Tracer, tag: int | None, gate: Gate, seen: Seen) -> bool:
    """Whether a gate closed in the scan in which the tag turned last."""
    row = tracer.journal.last_row(tag, seen.after) if tag is not None else None
    if row is None:
        return False
    scan, passes = tracer.scan_of(row), tracer.circuit(seen.step).passes
    return scan > 1 and passes(gate, tracer.seen(seen.step, scan).result) and not passes(gate, tracer.seen(seen.step, scan - 1).result)


def explain_beside(tracer: Tracer, link: Link, gate: Gate, seen: Seen, depth: int, completed: bool) -> None:
    """Explain a gate of a state: only what completed the path last brought it about; the gates that stood already did not."""
    roots, children = len(link.roots), len(link.children)
    explain_gate(tracer, link, gate, seen, depth, change=False)
    for root in link.roots[roots:]:
        root.changed = completed and root.since is not None
    handed = completed and is_input(tracer, gate_tag(tracer, gate, seen))  # by the pin of a block
    for root in (r for child in link.children[children:] for r in child.all_roots()) if handed or not completed else ():
        root.changed = completed and root.since is not None
