"""Tags that one rung alone decides, what such a rung asks for, and which tags a tag so helps to bring on."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr

from .circuit import Path
from .links.gates import gate_tag
from .writers import Kind, Writer

if TYPE_CHECKING:
    from .tracer import Tracer

DEEPEST = 3  # rungs one behind another
MOST_HELPED = 300  # tags
MOST_PATHS = 100  # of a rung that is part of it
_FOLLOWS = ("TON", "TOF")  # their output follows the input


def power_of(tracer: Tracer, tag: int, writer: Writer) -> Expr | None:
    """What a tag follows that a rung writes: of a plain coil its power, of an on- or off-delay's output what starts it."""
    if writer.kind is Kind.COIL and not writer.inverted and not writer.guards and writer.bit < 0:
        return writer.power
    call = tracer.written.block(writer.step, writer.at) if writer.kind is Kind.BLOCK else None
    return call.pins.get("IN") if call is not None and call.kind in _FOLLOWS and call.tags["Q"] == tag else None


def decides(tracer: Tracer, tag: int) -> tuple[int, Expr] | None:
    """The step and value that alone decide a BOOL, which follows it; None where there is no such one."""
    writers = tracer.writers.get(tag, [])
    power = power_of(tracer, tag, writers[0]) if len(writers) == 1 and tracer.boolean(tag) else None
    return (writers[0].step, power) if power is not None else None


def ways_of(tracer: Tracer, step: int, power: Expr) -> list[Path]:
    """The ways to bring a value on; none where there are many."""
    found = tracer.circuit(step).paths(power)
    return found if len(found) <= MOST_PATHS else []


def asked_on(tracer: Tracer, step: int, path: Path) -> Iterator[int]:
    """The tags that a path of a step asks to be on."""
    seen = tracer.seen(step, 1)
    return (number for gate in path if not gate.negated and (number := gate_tag(tracer, gate, seen)) is not None)


def each_way_asks(tracer: Tracer, writer: Writer, one: Callable[[int], bool], on: bool = True) -> bool:
    """Whether each way to power a rung asks one of some tags to be on, or off. Args: one: whether a tag is one of them."""
    power = writer.power if writer.power is not None else writer.value
    paths = tracer.circuit(writer.step).paths(power, not writer.inverted) if power is not None else []
    seen = tracer.seen(writer.step, 1)
    return bool(paths) and all(
        any(gate.negated != on and (number := gate_tag(tracer, gate, seen)) is not None and one(number) for gate in path) for path in paths)


def helped(tracer: Tracer, tags: Iterable[int]) -> frozenset[int]:
    """The tags that some tags help to bring on, through a few rungs."""
    found, last = set[int](), set(tags)
    begun = frozenset(last)
    for _ in range(DEEPEST):
        last = {one for number in last for one in _next(tracer, number)} - found - begun
        found |= last
        if len(found) > MOST_HELPED:
            break
    return frozenset(found)


def _next(tracer: Tracer, tag: int) -> frozenset[int]:
    """The tags that one rung each decides on one of whose ways a tag has to be on."""
    known = tracer.helps.get(tag)
    if known is None:
        known = tracer.helps[tag] = frozenset(_found_next(tracer, tag))
    return known


def _found_next(tracer: Tracer, tag: int) -> Iterator[int]:
    access = tracer.controller.access
    by_itself = (w.step for w in tracer.writers.get(tag, ()) if w.kind is Kind.BLOCK)  # what a block gives, its own step looks at
    steps = dict.fromkeys((*(use.step for use in access.of_tag(tag) if not use.writes), *by_itself))
    for step in steps if len(steps) <= MOST_HELPED else ():
        for number in dict.fromkeys(one for use in access.of_step(step) if use.writes for one in use.tags()):
            by, asks = _asks(tracer, number)
            if by == step and tag in asks:
                yield number


def _asks(tracer: Tracer, number: int) -> tuple[int, frozenset[int]]:
    """The step that alone decides a tag, and the tags that one of its ways or another asks to be on; -1 and none where there is no such step."""
    known = tracer.asks.get(number)
    if known is None:
        by = decides(tracer, number)
        asked = frozenset(one for path in ways_of(tracer, *by) for one in asked_on(tracer, by[0], path)) if by is not None else frozenset[int]()
        known = tracer.asks[number] = (by[0] if by is not None else -1), asked
    return known
