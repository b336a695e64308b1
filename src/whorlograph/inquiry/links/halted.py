"""``halted``: a fault stopped the controller and switched its outputs off."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Action, Expr, Store
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.journal import Fault, Pass
from whorlograph.engine.loops import loop_remedy, worst_loop
from whorlograph.model.question import LinkKind, RootKind
from whorlograph.model.steps import FlagKind

from ..languages import words_of
from ..tracer import Vantage
from ..trail import Link, Root
from ..writers import every_of
from .grown import grown
from .pins import explain_value
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 2  # conditions that are followed


def link(tracer: Tracer, tag: int, scan: int, depth: int = 0) -> Link | None:
    """The fault, with its place; below it the devices that brought the step to it."""
    fault = tracer.journal.fault
    if fault is None:
        return None
    since = tracer.time(fault.scan)
    place = tracer.place(fault.step) if 0 <= fault.step < len(tracer.steps.all) else ""
    where = f" in {place}" if place else ""
    text = f"the controller halted at {tracer.at(since)}{where}: {fault.text}"
    step, element, loop = fault.step, fault.element, worst_loop(fault.loops, fault.number)
    if loop is not None:
        step, element = loop.step, 0
        text += _condition(tracer, loop, fault.scan)
    before, mends = grown(tracer, fault)
    text += before
    value = tracer.value(tag, tracer.journal.settled(tag, max(scan, fault.scan)))
    check = f"correct {place}{f', {mends}' if mends else ', or find out what brought it there'}; restarting does not cure it" if place else ""
    remedy = loop_remedy(fault, tracer.steps)
    root = Root(RootKind.FAULT, fault.tag, None, since, text, remedy or check, changed=True, step=step)
    stands = tracer.since(tag, Vantage(max(scan, fault.scan)))
    found = Link(LinkKind.HALTED, tag, value, stands, step, fault.scan, text, element, (element,) if element else (), roots=[root])
    if step >= 0:
        _add_brought(tracer, found, fault, step, loop is not None, depth)
    return found


def _add_brought(tracer: Tracer, found: Link, fault: Fault, step: int, back: bool, depth: int) -> None:
    """Add what let the step come to where it failed, as far as that leads to devices: the conditions around it, the numbers it looked at.

    Args: back: it jumped back until the scan took too long.
    """
    seen, told = tracer.seen(step, fault.scan), Link(LinkKind.RUNG_TRUE, None, True, None, step, fault.scan, "")
    if back:
        jumps = [flag.element for flag in tracer.steps.flags.values() if flag.step == step and flag.kind is FlagKind.JUMP]
        conditions = [power for e in jumps if (power := tracer.written.flag_power(step, e)) is not None]
    else:
        failed = _failed(tracer, fault, step, seen)
        conditions = [power for _, guards in failed if (power := every_of(guards)) is not None]
        for store in (action for action, _ in failed if isinstance(action, Store)):
            for value in (store.value, *(term.index for term in store.target.terms)):
                explain_value(tracer, told, value, seen, depth, fault.tag)
    for power in conditions[:MOST]:
        if tracer.circuit(step).on(power, seen.result):
            place = tracer.steps.all[step]
            words = words_of(place)
            what = "the jump" if back else words.enabled(words.source(place, found.element) or words.block(place, found.element))
            child = powered(tracer, None, step, found.element, power, fault.scan, depth + 1, LinkKind.RUNG_TRUE, False, what)
            if child is not None:
                told.children.append(child)
    for child in told.children:
        roots = list(child.all_roots())
        if any(r.kind is RootKind.FIELD_INPUT for r in roots):
            for _, part in child.walk():
                part.roots = [r for r in part.roots if r.kind is RootKind.FIELD_INPUT]
            found.children.append(child)
    found.roots += [r for r in told.roots if r.kind is RootKind.FIELD_INPUT]
    for root in found.all_roots():
        root.changed = root.kind is RootKind.FAULT


def _failed(tracer: Tracer, fault: Fault, step: int, seen: Seen) -> list[tuple[Action, tuple[Expr, ...]]]:
    """The writes of a step at the element that failed, else the first that was to come, each with the conditions around it."""
    nodes, circuit = tracer.written.nodes(step), tracer.circuit(step)
    at_it = [one for at, one in nodes.items() if tracer.origin(step, at).element == fault.element]
    to_come = [nodes[at] for at in sorted(nodes) if at not in seen.result.stored and all(circuit.on(g, seen.result) for g in nodes[at][1])]
    return at_it or to_come[:1]


def _condition(tracer: Tracer, loop: Pass, scan: int) -> str:
    """What the jump of a loop looks at, and the rungs of the loop that write it, with the values that stood there at the end."""
    access = tracer.controller.access

    def seen(step: int) -> list[int]:
        return list(dict.fromkeys(u.tag for u in access.of_step(step) if not u.writes))

    def words(tags: list[int]) -> str:
        return ", ".join(f"{tracer.name(t)} is {tracer.state_word(tracer.value(t, tracer.journal.settled(t, scan)), t)}" for t in tags)

    looked = seen(loop.step)
    if not looked:
        return "; it has no condition"
    inside = dict.fromkeys(u.step for tag in looked for u in access.of_tag(tag) if u.writes and loop.target <= u.step < loop.step)
    behind = "".join(f" ({tracer.place(s)}: {words(seen(s))})" for s in inside if seen(s))
    return f"; its condition: {words(looked)}{behind}"
