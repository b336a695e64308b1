"""A tag that takes a value: moved, computed or handed to a pin; whether that was executed, and what went in."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import replace

from whorlograph.engine.code import Const
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind, RootKind

from ..languages import words_of
from ..trail import Link
from ..writers import Kind, Writer
from . import (
    handed_on,
    moved_bit,
    not_given,
    passes,
    rung_false,
    shifted,
    tallied,
)
from .block import enabled, fed, output
from .pins import explain_value
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, change: bool, bit: int = -1) -> Link | None:
    """A tag that a block writes: one of its pins, an output, or a variable that takes its value; of a number one bit, or -1 the whole."""
    if writer.kind is Kind.BLOCK:
        call = tracer.written.block(writer.step, writer.at)
        return output(tracer, call, tag, scan, depth, change) if call is not None else None
    return fed(tracer, tag, writer, scan, depth) if writer.kind is Kind.PIN else _moved(tracer, tag, writer, scan, depth, change, bit)


def _moved(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, change: bool, bit: int) -> Link | None:
    """A value that was moved or computed: did its block execute, and what went in."""
    step, guard, seen = writer.step, writer.guard, tracer.seen(writer.step, scan)
    source = words_of(tracer.steps.all[step]).source(tracer.steps.all[step], writer.element, tracer.passing(step, writer.at))
    value = tracer.value(tag, tracer.journal.value_at(tag, seen.after))
    if guard is not None and writer.at not in seen.result.stored:
        found = passes.left_out(tracer, writer, seen, source, depth) if passes.in_loop(tracer, writer) else \
            unpowered(tracer, tag, step, writer.element, guard, scan, depth, LinkKind.NEVER_SET,
                      words_of(tracer.steps.all[step]).writing(source, tracer.name(tag)))
        if found is not None:
            found.tag, found.value = tag, value
            not_given.add(tracer, found, tag, writer, seen, depth)
        return found
    way = handed_on.hops(tracer, tag, writer, scan) if bit < 0 else []
    if way:
        return handed_on.link(tracer, way, depth)
    by = f" by {source}" if source else ""
    text = f"{tracer.name(tag)} was written{by} in {tracer.place(step, writer.element)} at {tracer.at(tracer.time(scan))}"
    since = tracer.since_done(tag, seen)
    loop, own = passes.in_loop(tracer, writer), None
    if tracer.boolean(tag) and guard is not None and bit < 0 and writer.bit < 0 and not loop:
        own = _switched(tracer, tag, writer, seen, depth, change)
    found = own or Link(LinkKind.SET_BY, tag, value, since, step, scan, text, writer.element)
    found.value, found.since = value, since
    if bit >= 0 and moved_bit.add(tracer, found, writer, seen, depth, bit):
        written_in = not found.children and all(r.kind is RootKind.CONSTANT and r.tag is None for r in found.roots)
        if guard is not None and (written_in or (change and shifted.shift_of(tracer, writer) is not None)):
            when = powered(tracer, None, step, writer.element, guard, scan, depth + 1, LinkKind.RUNG_TRUE, change, enabled(tracer, step, source))
            found.children += [when] if when is not None else []
            found.roots = [] if written_in and when is not None else found.roots  # a mask is no reason where something decided that it is applied
        return found
    stood = change and guard is not None and tallied.executed(tracer, writer, scan - 1)  # that it is executed has not changed
    before = tracer.before(seen) if change and tracer.number is None else None
    values_first = own is None and not loop and (stood or tracer.number is not None)
    if values_first:
        explain_value(tracer, found, writer.value, seen, depth, tracer.number, before)
    known = bool(found.children) or any(r.kind is not RootKind.CONSTANT for r in found.roots)
    said = stood and (known if own is None else bool(own.children or own.roots))
    # What alone gives a tag its value scan after scan would leave it as it is if it did not.
    alone = own is not None and not change and len(tracer.writers[tag]) == 1 and tallied.executed(tracer, writer, tracer.former(step, scan))
    if guard is not None and not alone and (not said or tracer.number is not None):
        came = change and not stood
        child = powered(tracer, None, step, writer.element, guard, scan, depth + 1, LinkKind.RUNG_TRUE, came, enabled(tracer, step, source),
                        counts=tag)
        if child is not None and (child.children or child.roots):
            found.children.insert(0, child) if values_first else found.children.append(child)
            for root in child.all_roots():
                root.changed = root.changed and not stood
                root.lets = own is not None and not value
    if own is not None:
        return own
    if loop:
        found.text += ", in a loop"
        there = passes.gave(tracer, tag, writer, seen)
        if there is None:
            passes.add(tracer, found, writer, seen, depth)
        elif guard is not None:
            child = powered(tracer, None, step, writer.element, guard, scan, depth + 1, LinkKind.RUNG_TRUE, False, enabled(tracer, step, source),
                            in_pass=there)
            found.children += [child] if child is not None and (child.children or child.roots) else []
        seen = there or seen
    if not values_first and not (loop and passes.only_counted(tracer, writer, seen)):
        passed_over = passes.counters(tracer, writer, seen) if loop else frozenset[int]()
        explain_value(tracer, found, writer.value, seen, depth, tracer.number, before, passed_over=passed_over)
    if not tracer.boolean(tag) and bit < 0 and (not source or tracer.circuit(step).literal(writer.value) is None):
        found.text += f" ({tracer.state_word(value, tag)})"
    if not tracer.boolean(tag) and bit < 0:
        tallied.add(tracer, found, tag, writer, seen, depth, change)
    reasons = [r for r in found.roots if r.kind is not RootKind.CONSTANT or r.tag is not None]
    if found.children or reasons:
        found.roots = reasons  # a number that is added or written is no reason where something decided that it was
    return found


def _switched(tracer: Tracer, tag: int, writer: Writer, seen: Seen, depth: int, change: bool) -> Link | None:
    """Of a BOOL that is given a value under a condition: what makes that value what it is; None of a literal."""
    if writer.value is None or isinstance(writer.value, Const) or tracer.circuit(writer.step).literal(writer.value) is not None:
        return None
    one, scan = replace(writer, power=writer.value), seen.scan
    if tracer.circuit(writer.step).on(writer.value, seen.result):
        return powered(tracer, tag, one.step, one.element, one.power, scan, depth, LinkKind.SET_BY, change)
    again = change and tallied.executed(tracer, writer, scan - 1)
    found = rung_false.changed(tracer, tag, one, scan, depth) if again else rung_false.stands(tracer, tag, one, scan, depth)
    if found is not None:
        found.kind = LinkKind.RESET_BY
    return found
