"""Every place of a ladder that reads or writes a tag, and how: read off the program, not off a run."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

from msgspec import Struct

from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.ladder import Block, Coil, Contact, InOutVariable, InVariable, OutVariable, Rung
from whorlograph.model.paths import parse_path
from whorlograph.model.steps import Step, Steps
from whorlograph.model.tags import Aggregate, BitOf, Element, Instance, Leaf, Running, resolve_path


class Use(Struct, frozen=True):
    """One use of a tag: in which step, by which element, how (``role``), whether it writes."""

    tag: int
    step: int
    element: int
    role: str
    writes: bool


def leaves(text: str, instance: Instance, running: Running) -> list[int]:
    """The tags that a name in a body may stand for: one, or an array's where a subscript varies."""
    path = parse_path(text)
    target = resolve_path(path, instance, running.scope) if path is not None else None
    if isinstance(target, Leaf):
        return [target.tag]
    if isinstance(target, BitOf):
        return [target.tag]
    if isinstance(target, Element):
        spans = [range(0, (high - low + 1) * step, step) for _, low, high, step in target.terms]
        return [target.first + sum(offsets) for offsets in product(*spans)]
    if isinstance(target, Aggregate):
        return list(_all(target))
    return []


def _all(part: Aggregate) -> Iterator[int]:
    for ref in (*part.items, *part.fields.values()):
        if isinstance(ref, Leaf):
            yield ref.tag
        elif isinstance(ref, Aggregate):
            yield from _all(ref)


def _fed_pins(rung: Rung) -> dict[int, str]:
    """For each element that feeds a block's pin directly: "TYPE.PIN"."""
    found = {}
    for element in rung.elements:
        if isinstance(element, Block):
            for pin in (*element.inputs, *element.in_outs):
                for wire in pin.wires:
                    found[wire.source] = f"{element.instance or element.type_name}.{pin.name}"
    return found


def _subscripts(text: str, instance: Instance, running: Running) -> list[int]:
    path = parse_path(text)
    target = resolve_path(path, instance, running.scope) if path is not None else None
    found = []
    if isinstance(target, Element):
        for term in target.terms:
            inner = resolve_path(term[0], instance, running.scope)
            if isinstance(inner, Leaf):
                found.append(inner.tag)
    return found


def uses_of_step(step: Step, running: Running) -> Iterator[Use]:
    """The uses in one rung of one instance."""
    one = step.instance
    fed = _fed_pins(step.rung)
    for element in step.rung.elements:
        if isinstance(element, Contact):
            for tag in leaves(element.variable, one, running):
                yield Use(tag, step.index, element.id, str(element.kind), False)
        elif isinstance(element, Coil):
            for tag in leaves(element.variable, one, running):
                yield Use(tag, step.index, element.id, str(element.kind), True)
        elif isinstance(element, InVariable):
            if constant_of(element.expression, one, running) is None:
                for tag in leaves(element.expression, one, running):
                    yield Use(tag, step.index, element.id, f"block input {fed.get(element.id, '')}".strip(), False)
        elif isinstance(element, OutVariable):
            for tag in leaves(element.expression, one, running):
                yield Use(tag, step.index, element.id, "block output", True)
        elif isinstance(element, InOutVariable):
            for tag in leaves(element.expression, one, running):
                yield Use(tag, step.index, element.id, f"in-out {fed.get(element.id, '')}".strip(), False)
                yield Use(tag, step.index, element.id, f"in-out {fed.get(element.id, '')}".strip(), True)
        elif isinstance(element, Block) and element.instance:
            yield from _pins(element, step, running)
        text = getattr(element, "variable", "") or getattr(element, "expression", "")
        for tag in _subscripts(text, one, running) if "[" in text else ():
            yield Use(tag, step.index, element.id, "subscript", False)


def _pins(element: Block, step: Step, running: Running) -> Iterator[Use]:
    path = parse_path(element.instance)
    called = resolve_path(path, step.instance, running.scope) if path is not None else None
    if not isinstance(called, Instance):
        return
    if called.pou is None and called.type_name in STANDARD_BLOCKS:
        for part in called.scope.values():
            if isinstance(part, Leaf):
                yield Use(part.tag, step.index, element.id, "block", True)
        return
    for pin in element.inputs:
        ref = called.scope.get(pin.name.lower())
        if isinstance(ref, Leaf):
            yield Use(ref.tag, step.index, element.id, "block input", True)


def all_uses(steps: Steps, running: Running) -> list[Use]:
    """All uses, in order of steps."""
    return [use for step in steps.all for use in uses_of_step(step, running)]


def written_tags(uses: list[Use]) -> set[int]:
    """The tags that some step writes."""
    return {u.tag for u in uses if u.writes}


def tags_looked_at(instance: Instance, steps: Steps, running: Running) -> set[int]:
    """The tags that a body and those that it calls read."""
    found: set[int] = set()
    todo, seen = [instance], set()
    while todo:
        one = todo.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        for step in steps.of(one):
            found |= {use.tag for use in uses_of_step(step, running) if not use.writes}
            called = [called_instance(e, one, running) for e in step.rung.elements if isinstance(e, Block)]
            todo += [c for c in called if c is not None and c.pou is not None]
    return found
