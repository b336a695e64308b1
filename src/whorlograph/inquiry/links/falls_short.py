"""A number that is counted, summed or voted, and is not where a comparison wants it: what it lacks."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from whorlograph.engine.code import Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind, RootKind

from .. import amounts
from ..circuit import Circuit
from ..languages import words_of
from ..tracer import Vantage
from ..trail import Link
from ..writers import Kind, Writer
from . import passes, too_seldom
from .block_pins import is_fed, pin_off
from .instance_name import instance_name
from .pins import explain_value

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_NAMED = 12  # of what a vote is made of
_WAYS = {True: "CU", False: "CD"}


def add(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen, depth: int, why_not: Callable[[int, Writer, str], None]) -> None:
    """Add what a number lacks: pulses that were not seen, what set it back on its way, what adds to it, and which way a counter went.

    Args: why_not: adds why a write did not come.
    """
    told = set[int]()
    for tag, writer, verb in amounts.towards(tracer, circuit, compared, seen):
        short = amounts.shortfall(circuit, compared, seen, tag)
        if passes.in_loop(tracer, writer) or _add_too_seldom(tracer, found, tag, writer, short, seen):
            continue
        if tag not in told:
            _add_set_back(tracer, found, tag, writer, short, seen, depth)
        told.add(tag)
        count = len(found.children)
        why_not(tag, writer, f"what {verb} {tracer.name(tag)}")
        if len(found.children) == count:
            _add_nothing_added(tracer, found, tag, writer, seen.scan, depth, verb)
    for tag, up in amounts.wanted(circuit, compared, seen) if not found.children else ():
        _add_other_way(tracer, found, tag, up, seen, depth)


def vote(tracer: Tracer, tag: int, writer: Writer, seen: Seen, depth: int) -> Link:
    """Of a number that says how many of some BOOLs are on: what each of them is."""
    now = tracer.seen(writer.step, tracer.ran(writer.step, Vantage(seen.scan)))
    loads = [one for one in tracer.circuit(writer.step).loads(writer.value) if isinstance(one, Load) and one.at in now.result.raws]
    tags = [(cell.number, now.result.raws[one.at]) for one in loads[:MOST_NAMED] if (cell := tracer.cell(one, now)) is not None]
    parts = ", ".join(f"{tracer.name(number)} {tracer.state_word(state)}" for number, state in tags)
    value = tracer.value(tag, tracer.journal.value_at(tag, now.after))
    text = f"{tracer.name(tag)} is {tracer.state_word(value, tag)}, made in {tracer.place(writer.step, writer.element)} of {parts}"
    child = Link(LinkKind.BLOCK, tag, value, None, writer.step, now.scan, text, writer.element)
    explain_value(tracer, child, writer.value, now, depth + 1, tag, change=False)
    child.roots = [root for root in child.roots if root.kind is not RootKind.CONSTANT]
    for root in child.all_roots():
        root.changed = False
    return child


def _add_other_way(tracer: Tracer, found: Link, tag: int, up: bool, seen: Seen, depth: int) -> None:
    """Of a counter that is counted away from where it is wanted: what kept its last pulse from being counted the way that is wanted."""
    writer = next((w for w in tracer.writers.get(tag, ()) if w.kind is Kind.BLOCK), None)
    call = tracer.written.block(writer.step, writer.at) if writer is not None else None
    row = tracer.journal.last_row(tag, seen.position)
    if call is None or call.kind != "CTUD" or call.tags["CV"] != tag or row is None or not is_fed(tracer, call, _WAYS[up]):
        return
    if (tracer.journal.raw(row) > tracer.journal.value_at(tag, row)) == up:
        return  # it was counted that way last
    scan = tracer.scan_of(row)
    label = instance_name(tracer, call)
    child = pin_off(tracer, call, _WAYS[up], label, scan, depth + 1)
    if child is not None:
        child.text += f"; {label} was counted {'down' if up else 'up'} at {tracer.at(tracer.time(scan))} instead"
        found.children.append(child)


def _add_set_back(tracer: Tracer, found: Link, tag: int, writer: Writer, short: float, seen: Seen, depth: int) -> None:
    """Of a number that is counted on and short: that it was set back on its way, where it would have come there without.

    One that had come there had done its work: that it began anew was nobody's fault.
    """
    row = amounts.set_back_at(tracer, tag, seen.position, amounts.counts_up(tracer, writer))
    if row is None:
        return
    before, after, now = tracer.journal.value_at(tag, row), tracer.journal.raw(row), tracer.journal.value_at(tag, seen.position)
    if not short <= abs(before - after) or short + abs(now - after) <= abs(before - after):
        return
    child = tracer.change(row, depth + 1)
    if child is not None:
        child.text += f": so it was set back on its way, from {tracer.state_word(tracer.value(tag, before), tag)}"
        found.children.append(child)


def _add_nothing_added(tracer: Tracer, found: Link, tag: int, writer: Writer, scan: int, depth: int, verb: str) -> None:
    """Of a write that adds to a sum, or takes from one, and is executed: that it adds nothing now, and where the amount comes from."""
    now = tracer.seen(writer.step, tracer.ran(writer.step, Vantage(scan)))
    gave = now.result.stored.get(writer.at)
    if gave is None or now.skip is not None or gave != tracer.value(tag, tracer.journal.value_at(tag, now.position)):
        return
    place, words = tracer.place(writer.step, writer.element), words_of(tracer.steps.all[writer.step])
    what = words.source(tracer.steps.all[writer.step], writer.element, tracer.passing(writer.step, writer.at))
    text = f"{what or f'what {verb} {tracer.name(tag)}'} is executed in {place} and changes nothing"
    value = tracer.value(tag, tracer.journal.value_at(tag, now.after))
    child = Link(LinkKind.NEVER_SET, tag, value, None, writer.step, now.scan, text, writer.element)
    explain_value(tracer, child, writer.value, now, depth + 1, tag, change=False)
    child.roots = [root for root in child.roots if root.kind is not RootKind.CONSTANT]
    if child.children or child.roots:
        found.children.append(child)


def _add_too_seldom(tracer: Tracer, found: Link, tag: int, writer: Writer, short: float, seen: Seen) -> bool:
    """Of a count that is short: that pulses of what it counts were not seen. Returns: whether it would be there with them."""
    since = too_seldom.counting_since(tracer, tag, seen.position, amounts.counts_up(tracer, writer))
    missed = too_seldom.of_value(tracer, writer.step, writer.guard, since, tracer.time(seen.scan)) if writer.guard is not None else None
    if missed is None:
        return False
    alone = missed.missed * amounts.amount(tracer, writer) >= short
    found.children.append(too_seldom.link(tracer, missed, seen.scan, alone))
    return alone
