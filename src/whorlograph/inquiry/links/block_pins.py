"""An input pin of a block: what is wired to it there, or what is written to it elsewhere (``T.IN := X;`` before ``T();``)."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import BlockCall, Kind
from .gates import elements_of, explain_gate
from .pins import explain_value
from .rung_false import first_out, opened_words, unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def is_fed(tracer: Tracer, call: BlockCall, pin: str) -> bool:
    """Whether anything decides a pin, besides the block that takes it in."""
    return pin in call.pins or (pin in call.tags and any(w.kind is not Kind.BLOCK for w in tracer.writers.get(call.tags[pin], ())))


def pin_on(tracer: Tracer, call: BlockCall, pin: str, label: str, scan: int, depth: int, change: bool, each: bool = False,
           what: str = "") -> Link | None:
    """Why a pin is on in a scan. Args: change: what switched it on then; each: any of its conditions could have ended what came of it."""
    what = what or f"{pin} of {label}"
    if tracer.now is not None and pin in call.pins and _stands(tracer, call, pin):
        scan, change = tracer.journal.clock.last, False  # while all came to rest nothing happened that could be told
    if pin in call.pins:
        return powered(tracer, None, call.step, call.element, call.pins[pin], scan, depth, LinkKind.RUNG_TRUE, change, what, each)
    return tracer.explain(call.tags[pin], tracer.view_of(call.step, scan), change, depth)


def _stands(tracer: Tracer, call: BlockCall, pin: str) -> bool:
    """Whether a pin is on at the end."""
    return tracer.circuit(call.step).on(call.pins[pin], tracer.seen(call.step, tracer.journal.clock.last).result)


def pin_off(tracer: Tracer, call: BlockCall, pin: str, label: str, scan: int, depth: int, kind: LinkKind = LinkKind.RUNG_FALSE,
            what: str = "") -> Link | None:
    """Why a pin is off in a scan."""
    what = what or f"{pin} of {label}"
    if pin in call.pins:
        return unpowered(tracer, None, call.step, call.element, call.pins[pin], scan, depth, kind, what)
    child = tracer.explain(call.tags[pin], tracer.view_of(call.step, scan), False, depth + 1)
    text = f"{what} is off in {tracer.place(call.step)}"
    return Link(kind, None, False, None, call.step, scan, text, call.element, children=[child] if child is not None else [])


def pin_fell(tracer: Tracer, call: BlockCall, pin: str, label: str, scan: int, depth: int, tail: str = "", said: str = "") -> Link:
    """What switched a pin off in a scan. Args: tail: what is said besides; said: instead of that it fell."""
    now, since, power = tracer.seen(call.step, scan), tracer.time(scan), call.pins.get(pin)
    gates = first_out(tracer, power, now, tracer.seen(call.step, scan - 1)) if power is not None else []
    why = f": {opened_words(tracer, gates, now)}" if gates else ""
    text = f"{said or f'{pin} of {label} fell in {tracer.place(call.step)} at {tracer.at(since)}'}{why}{tail}"
    found = Link(LinkKind.RUNG_FALSE, call.tags[pin], False, since, call.step, scan, text, call.element, elements_of(tracer, gates, call.step))
    for gate in gates[:2]:
        explain_gate(tracer, found, gate, now, depth, change=True)
    if not gates:
        child = pin_off(tracer, call, pin, label, scan, depth) if power is not None else \
            tracer.explain(call.tags[pin], tracer.view_of(call.step, scan), True, depth + 1)
        if child is not None:
            found.children.append(child)
    return found


def add_preset(tracer: Tracer, found: Link, call: BlockCall, pin: str, scan: int, depth: int, word: Callable[[int], str]) -> bool:
    """Add where a preset comes from that is no literal: below what starts or counts the block, for it stood; where it changed in the scan, alone.

    Args: word: the preset in words. Returns: whether it has changed.
    """
    seen, number = tracer.seen(call.step, scan), call.tags[pin]
    former = tracer.before(seen)
    before, now = (tracer.journal.value_at(number, one.after) if one is not None else None for one in (former, seen))
    changed = before is not None and now is not None and before != now and former is not None and former.scan > 1
    value = call.pins.get(pin)
    literal = tracer.circuit(call.step).literal(value) if value is not None else None
    if literal is not None or not is_fed(tracer, call, pin):
        return False
    known = {id(root) for root in found.all_roots()}
    if changed and before is not None and now is not None:
        found.text += f"; that was {word(before)} until {tracer.at(tracer.time(scan))}"
    if value is not None:
        explain_value(tracer, found, value, seen, depth, before=former if changed else None, change=changed)
    else:
        child = tracer.explain(number, tracer.view_of(call.step, scan), changed, depth + 1)
        found.children += [child] if child is not None else []
    for root in found.all_roots():
        if id(root) not in known and not changed:
            root.changed = False
    return changed
