"""``rung-true``: a complete path brings power."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from .. import auxiliary
from ..circuit import Gate
from ..generators import runs_at
from ..languages import words_of
from ..trail import Link
from ..writers import Writer
from . import passes, takes_over
from .gates import MOST_GATES, distinct, elements_of, explain_gate, gate_bit, gate_key, gate_tag, gate_time, several_words

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
            kind: LinkKind, change: bool, what: str = "", each: bool = False, in_pass: Seen | None = None) -> Link | None:
    """Power arrives at an element: through which gates, the one that changed last first.

    Args: each: any of them could have ended what came of it; in_pass: the step in the pass of its loop that counts.
    """
    seen = in_pass or tracer.seen(step, scan)
    gates = completing(tracer, power, seen, tracer.seen(step, scan - 1) if change and scan > 1 and in_pass is None else None)
    gates = _telling(tracer, gates, seen)
    whole = each or (not change and depth == 0)
    followed = gates if whole else [g for i, g in enumerate(gates) if i == 0 or _is_input(tracer, gate_tag(tracer, g, seen))]
    others = [] if change or in_pass is not None else _telling(tracer, _other_ways(tracer, power, seen, followed, whole), seen)
    time = tracer.time(scan) if change else None
    # What another step takes away again and again comes anew behind this one without a change of its own at a scan's end.
    since = tracer.since_done(tag, seen) if tag is not None else time
    name = what or tracer.name(tag)
    words = several_words(tracer, gates, seen)
    when = f" at {tracer.at(time)}" if time is not None else ""
    has = f"{words_of(tracer.steps.all[step]).powered(True)} in"
    text = f"{name} {_VERBS.get(kind, has)} {tracer.place(step)}{when}" + (f": {words}" if words else "")
    text += f"; by another path too: {several_words(tracer, others, seen)}" if others else ""
    link = Link(kind, tag, kind is not LinkKind.RESET_BY, since, step, scan, text, element, elements_of(tracer, [*gates, *others], step))
    flashes = True
    for gate in [*distinct(tracer, gates, seen)[:MOST_GATES], *distinct(tracer, others, seen)[:MOST_GATES]]:
        number = gate_tag(tracer, gate, seen)
        # Of what is asked for, each gate could end it; deeper down the one that changed last stands for its path, unless it only flashes.
        first, flashes = flashes, flashes and number is not None and tracer.boolean(number) and runs_at(tracer, number, scan)
        if first or gate in followed or gate in others:
            if change:
                explain_gate(tracer, link, gate, seen, depth, change=True)
            else:
                explain_beside(tracer, link, gate, seen, depth, _completed(tracer, tag, gate, seen))
    if change and tag is not None and power is not None and kind is LinkKind.RUNG_TRUE:
        takes_over.add_stuck(tracer, link, tag, tracer.circuit(step).complete(power, seen.result), seen)
    return link


def _telling(tracer: Tracer, gates: list[Gate], seen: Seen) -> list[Gate]:
    """Gates without those that say nothing: that a loop goes on; that a number is not another where it is said which one it is."""
    circuit = tracer.circuit(seen.step)
    asked: dict[Gate, int] = {}
    for gate in gates:
        made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
        cells = [tracer.cell(one, seen) for one in circuit.loads(made) if isinstance(one, Load)] if isinstance(made, Op) and made.code == "EQ" else []
        if len(cells) == 1 and cells[0] is not None:
            asked[gate] = cells[0].number
    known = {tag for gate, tag in asked.items() if not gate.negated}
    return [g for g in gates if not passes.is_end(tracer, seen.step, g.at) and not (g.negated and asked.get(g) in known)]


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
    if not completed:
        for child in link.children[children:]:
            for root in child.all_roots():
                root.changed = False


def _is_input(tracer: Tracer, tag: int | None) -> bool:
    return tag is not None and not tracer.writers.get(tag)


def _other_ways(tracer: Tracer, power: Expr | None, seen: Seen, followed: list[Gate], whole: bool) -> list[Gate]:
    """The gates of complete paths that keep the power as well as those that are followed.

    Args: whole: all of them; else the inputs, and of each path that none stands for yet the gate that changed last.
    """
    circuit, own = tracer.circuit(seen.step), _holding(tracer)
    paths = circuit.complete(power, seen.result) if power is not None else []
    there = {gate_key(tracer, g, seen) for g in followed}
    found: list[Gate] = []
    for path in paths:
        gates = [g for g in path if not _holds(tracer, g, seen, own)]
        fresh = [g for g in gates if gate_key(tracer, g, seen) not in there]
        if fresh and not whole:
            alone = [max(fresh, key=lambda g: gate_time(tracer, g, seen))] if len(fresh) == len(gates) else []
            fresh = [g for g in fresh if g in alone or _is_input(tracer, gate_tag(tracer, g, seen))]
        found += fresh
        there |= {gate_key(tracer, g, seen) for g in fresh}
    return found


def _holding(tracer: Tracer) -> set[int]:
    """The coils on the trail and the sure auxiliaries of their contactors."""
    return {*tracer.coils, *(a.tag for tag in tracer.coils for a in auxiliary.of_tag(tracer, tag) if a.sure)}


def _holds(tracer: Tracer, gate: Gate, seen: Seen, own: set[int]) -> bool:
    """Whether a gate is a coil on the trail that holds itself; a tag that serves several rungs one after another may be another one's here."""
    tag = gate_tag(tracer, gate, seen)
    if gate.negated or tag is None or tag not in own:
        return False
    load = tracer.circuit(seen.step).load(gate)
    if load is not None and tracer.given(tag, load.at, seen) is not None:
        return False  # the step itself gave it before
    if len({w.step for w in tracer.writers.get(tag, ())}) < 2 or tag not in tracer.coils:
        return True
    row = tracer.last_row(tag, seen.position, gate_bit(tracer, gate, seen))
    return tracer.known_as(tag, row, tracer.view_of(seen.step, seen.scan)) in tracer.open


def completing(tracer: Tracer, power: Expr | None, now: Seen, before: Seen | None) -> list[Gate]:
    """The gates of a complete path: those that closed in this evaluation, else all, latest change first; no seal-ins.

    Of equally late paths one that is complete without the coil's own contacts.
    """
    circuit, own = tracer.circuit(now.step), _holding(tracer)
    best: list[Gate] = []
    paths = circuit.complete(power, now.result) if power is not None else []
    for path in sorted(paths, key=lambda p: any(_holds(tracer, g, now, own) for g in p)):
        gates = [g for g in path if not _holds(tracer, g, now, own)]
        fresh = [g for g in gates if before is not None and not circuit.passes(g, before.result)]
        chosen = fresh or gates
        chosen.sort(key=lambda g: gate_time(tracer, g, now), reverse=True)
        latest = gate_time(tracer, chosen[0], now) if chosen else (0, -1)
        if not best or latest > gate_time(tracer, best[0], now):
            best = chosen or best
    return best
