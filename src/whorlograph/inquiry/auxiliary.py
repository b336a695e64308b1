"""Inputs that report a coil back: the auxiliary contact of its own contactor (ANSWERS.md, Dropped out)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cache
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Expr
from whorlograph.engine.evaluate.steps import Seen

from .alone import DEEPEST, asked_on, decides, helped, power_of, ways_of
from .circuit import Gate, Path
from .links.gates import gate_tag
from .noted import Auxiliary
from .symptoms import course

if TYPE_CHECKING:
    from .tracer import Tracer

FOLLOWS = 100_000_000  # ns within which an auxiliary follows its coil
OFTEN = 0.6  # of the times that the coil comes on, at least two
MOST_OUTPUTS = 200  # that are looked through for the one that an input reports
MOST_HELPED = 8  # outputs that a memory brings on, whose contactors may report back
PRESSED = 10_000_000_000  # ns that a button is held, at the most


def reports(tracer: Tracer, tag: int, candidate: int) -> bool:
    """Whether an input reports a tag back: the same device, or it follows the tag's changes in the log."""
    if _one_device(tracer, tag, candidate):
        return True
    path = course(tracer.journal, tag)
    found = tracer.stretches(candidate)
    if len(path.scans) < 2 or len(found) < 2:
        return False
    turned = tracer.journal.clock.start_all(path.scans[-400:])
    values = path.values[-400:] != 0
    lasted = np.append(turned[1:] - turned[:-1], FOLLOWS + 1) > FOLLOWS
    came = turned[lasted & values]
    rises = len(came)
    followed = int((found.on_at(came + FOLLOWS) & ~found.on_at(came)).sum())  # what comes with the coil, or before it, does not follow it
    own = int((found.values != 0).sum())
    return rises >= 2 and followed >= max(2, OFTEN * rises) and own <= rises + 1


def _one_device(tracer: Tracer, tag: int, candidate: int) -> bool:
    mine, theirs = tracer.iolist.get(tag), tracer.iolist.get(candidate)
    return mine is not None and theirs is not None and bool(mine.device) and mine.device.strip().lower() == theirs.device.strip().lower()


def _gates_beside(tracer: Tracer, coils: Callable[[], list[int]], paths: list[Path], seen: Seen, own: frozenset[int]) -> list[Auxiliary]:
    """The inputs in a rung's paths that stand, or should stand, in the place of a seal-in of one of some coils.

    Args: coils: worked out where there is such an input; own: the tags by which the rung would hold itself.
    """
    if any(not g.negated and gate_tag(tracer, g, seen) in own for p in paths for g in p):
        return []  # it holds itself
    found: dict[int, Auxiliary] = {}
    for path in paths:
        for gate in path:
            number = gate_tag(tracer, gate, seen)
            if gate.negated or number is None or tracer.writers.get(number) or not tracer.boolean(number) or number in found:
                continue
            others = _replaced(path, gate, paths)
            if not others:
                continue
            beside = tuple(t for t in (gate_tag(tracer, g, seen) for g in others) if t is not None)
            reported = next((one for one in coils() if reports(tracer, one, number)), None)
            coil = reported if reported is not None else next((one for one in coils() if _in_the_place(tracer, one, number, beside)), None)
            if coil is not None:
                found[number] = Auxiliary(number, beside, reported is not None, coil)
    return list(found.values())


def _replaced(path: Path, gate: Gate, paths: list[Path]) -> list[Gate]:
    """The gates that stand in another path where this one stands in its own."""
    rest = set(path) - {gate}
    for other in paths:
        if other != path and rest <= set(other) and gate not in other:
            return [g for g in other if g not in rest]
    return []


def _in_the_place(tracer: Tracer, tag: int, candidate: int, beside: tuple[int, ...]) -> bool:
    """Whether an input that never came on stands beside a button that is pressed and let go: where a seal-in would."""
    if not tracer.tag(tag).at_output or (candidate not in tracer.logged and not _at_input(tracer, candidate)):
        return False
    if any(v for v in tracer.stretches(candidate).values.tolist()):
        return False
    buttons = [t for t in beside if not tracer.writers.get(t)]
    for button in buttons:
        pressed = tracer.stretches(button)
        lengths = pressed.lengths[(pressed.values != 0) & pressed.ended]
        if len(lengths) and int(lengths.max()) <= PRESSED:
            return True
    return False


def reported(tracer: Tracer, tag: int, on: bool, since: int | None, scan: int, asked: int) -> int | None:
    """The output, other than the asked one, that an input reports, that is on (or off) as it is, and turned so before it did; None where there
    is none.

    Args: on: whether the input is on; since: when it turned so, ns; None where it never was otherwise.
    """
    outputs = [t.index for t in tracer.running.tags[:tracer.running.public] if t.at_output and t.index != asked
               and tracer.boolean(t.index) and tracer.writers.get(t.index)]
    best: tuple[float, int] | None = None
    for output in outputs if len(outputs) <= MOST_OUTPUTS else ():
        if bool(tracer.journal.settled(output, scan)) != on or not reports(tracer, output, tag):
            continue
        turned = course(tracer.journal, output).last_change(scan, on)
        # An input that turned first, or did not come with its output, does not only report it: it may be why that turned.
        if (turned is None and not on) or (turned is not None and since is not None and tracer.time(turned) < since):
            share = 1.0 if _one_device(tracer, output, tag) else _falls_with(tracer, output, tag)
            if (best is None or share > best[0]) and (share >= OFTEN or not on):
                best = share, output
    return best[1] if best is not None else None


def _falls_with(tracer: Tracer, output: int, tag: int) -> float:
    """The share of an output's drop-outs at which an input is on, and off within the time in which it follows."""
    path, found = course(tracer.journal, output), tracer.stretches(tag)
    fell = tracer.journal.clock.start_all(path.scans[path.values == 0][-400:])
    return float((found.on_at(fell) & found.off_at(fell + FOLLOWS)).mean()) if len(fell) else 0.0


def _at_input(tracer: Tracer, tag: int) -> bool:
    address = tracer.tag(tag).address
    return address is not None and address.area == "I"


def of_tag(tracer: Tracer, tag: int) -> list[Auxiliary]:
    """The auxiliaries of a tag, or of the outputs that it helps to bring on: in its own rungs, and of an output in those before them."""
    known = tracer.auxiliaries.get(tag)
    if known is None:
        found: dict[int, Auxiliary] = {}
        coils = cache(lambda: [tag, *_helped_outputs(tracer, tag)])
        for writer in tracer.writers.get(tag, ()):
            power = power_of(tracer, tag, writer)
            for one in _through(tracer, coils, (writer.step, power), frozenset((tag,)), tracer.tag(tag).at_output) if power is not None else ():
                found.setdefault(one.tag, one)
        known = tracer.auxiliaries[tag] = list(found.values())
    return known


def _helped_outputs(tracer: Tracer, tag: int) -> list[int]:
    """The outputs that a memory helps to bring on, eight at most; none of an output."""
    return [] if tracer.tag(tag).at_output else sorted(one for one in helped(tracer, (tag,)) if tracer.tag(one).at_output)[:MOST_HELPED]


def _through(tracer: Tracer, coils: Callable[[], list[int]], by: tuple[int, Expr], passed: frozenset[int], deeper: bool) -> Iterator[Auxiliary]:
    """The auxiliaries in a rung, and where ``deeper`` in those that decide what it asks to be on."""
    paths = ways_of(tracer, *by)
    yield from _gates_beside(tracer, coils, paths, tracer.seen(by[0], 1), passed)
    asked = {number for path in paths for number in asked_on(tracer, by[0], path)} - passed if deeper and len(passed) <= DEEPEST else set[int]()
    for number in sorted(asked):
        inner = decides(tracer, number)
        if inner is not None:
            yield from _through(tracer, coils, inner, passed | {number}, deeper)
