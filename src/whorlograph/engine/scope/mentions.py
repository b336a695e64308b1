"""What a rung names, whether or not it can be executed: for the plain interpreter, and for rungs that have no code."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

from msgspec import Struct

from whorlograph.engine.scope.constants import constant_of
from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.model.ladder import Block, Coil, Contact, InOutVariable, InVariable, OutVariable
from whorlograph.model.paths import Member, parse_path
from whorlograph.model.steps import Step, Steps
from whorlograph.model.tags import Aggregate, BitOf, Chosen, Element, Instance, Leaf, Ref, Running, member, resolve_path
from whorlograph.model.text import Apply, Assign, Constant, For, Statement, Sub, Var

from .pin_values import calls_at, element_at, expression_at
from .text_parts import parts
from .text_types import Scope
from .unreadable import unreadable


class Mention(Struct, frozen=True):
    """A tag that an element names. ``subscript``: between brackets."""

    tag: int
    element: int
    writes: bool
    subscript: bool = False


def leaves(text: str, instance: Instance, running: Running) -> list[int]:
    """The tags that a name in a body may stand for: one, or an array's where a subscript varies."""
    path = parse_path(text)
    target = resolve_path(path, instance, running.scope) if path is not None else None
    if isinstance(target, Leaf):
        return [target.tag]
    if isinstance(target, BitOf):
        return [target.tag]
    if isinstance(target, (Element, Chosen)):
        firsts = [target.first] if isinstance(target, Element) else list(_all(target.ref))
        spans = [range(0, (high - low + 1) * step, step) for _, low, high, step in target.terms]
        return [first + sum(offsets) for offsets in product(*spans) for first in firsts]
    if isinstance(target, Aggregate):
        return list(_all(target))
    return []


def _all(part: Aggregate) -> Iterator[int]:
    for ref in (*part.items, *part.fields.values()):
        if isinstance(ref, Leaf):
            yield ref.tag
        elif isinstance(ref, Aggregate):
            yield from _all(ref)


def _subscripts(text: str, instance: Instance, running: Running) -> list[int]:
    path = parse_path(text)
    target = resolve_path(path, instance, running.scope) if path is not None else None
    found = []
    if isinstance(target, (Element, Chosen)):
        for term in target.terms:
            inner = resolve_path(term[0], instance, running.scope)
            if isinstance(inner, Leaf):
                found.append(inner.tag)
    return found


def mentions(step: Step, running: Running) -> Iterator[Mention]:
    """What one rung of one instance names."""
    one = step.instance
    if step.rung.statement is not None:
        yield from _in_text(step.rung.statement, one, running)
    for element in step.rung.elements:
        text = getattr(element, "variable", "") or getattr(element, "expression", "")
        if isinstance(element, (Contact, Coil, InVariable, OutVariable, InOutVariable)):
            if isinstance(element, InVariable) and constant_of(text, one, running) is not None:
                continue
            computed = expression_at(text, element.id) if isinstance(element, InVariable) else element_at(text, element.id)
            for part in parts(computed) if computed is not None else ():
                for tag in _tags_named(part, one, running) if isinstance(part, Var) else ():
                    yield Mention(tag, element.id, part is computed and isinstance(element, (Coil, OutVariable, InOutVariable)))
            for tag in leaves(text, one, running):
                if not isinstance(element, (Coil, OutVariable)):
                    yield Mention(tag, element.id, False)
                if isinstance(element, (Coil, OutVariable, InOutVariable)):
                    yield Mention(tag, element.id, True)
        elif isinstance(element, Block) and element.instance:
            yield from _pins(element, step, running)
        for tag in _subscripts(text, one, running) if "[" in text else ():
            yield Mention(tag, element.id, False, True)


def _in_text(statement: Statement, one: Instance, running: Running) -> Iterator[Mention]:
    """What a statement names: variables read and written, and the pins that calls write."""
    scope = Scope(one, running)
    written = {id(p.target) for p in parts(statement) if isinstance(p, Assign)} | {id(p.variable) for p in parts(statement) if isinstance(p, For)}
    handed = {id(a.output) for p in parts(statement) if isinstance(p, Apply) for a in p.arguments if a.output is not None}
    for part in parts(statement):
        if isinstance(part, Var) and scope.constant(part) is None:
            place = scope.place(part)
            writes = id(part) in written or id(part) in handed
            for tag in _tags_named(part, one, running) if place is not None and place.tags is None else ():
                yield Mention(tag, part.at, writes)
                if isinstance(part, Var) and id(part) in written and place is not None and place.bit >= 0:
                    yield Mention(tag, part.at, False)
        elif isinstance(part, Apply):
            called = scope.block(part)
            if called is not None and scope.function(part) is None:
                given = {a.name.lower() for a in part.arguments}
                for name, ref in called.scope.items():
                    if isinstance(ref, Leaf) and (called.pou is None or name in given):
                        yield Mention(ref.tag, part.at, True)


def _tags_named(var: Var, one: Instance, running: Running) -> list[int]:
    """The tags that a name in a text may stand for: of an array the element that is written down, all where its subscript is computed."""
    key = var.base.lower()
    found = [ref for ref in (one.scope.get(key) or running.scope.scope.get(key),) if ref is not None]
    for step in var.steps:
        if isinstance(step, Member):
            found = [part for ref in found if (part := member(ref, step.name)) is not None]
        elif isinstance(step, Sub):
            found = [item for ref in found if isinstance(ref, Aggregate) for item in _items(ref, step)]
    return [tag for ref in found for tag in _tags_of(ref)]


def _items(ref: Aggregate, step: Sub) -> list[Ref]:
    """The elements of an array that subscripts may choose; the last one varies fastest."""
    spans = [range(value.value, value.value + 1) if isinstance(value, Constant) and type(value.value) is int and low <= value.value <= high
             else range(low, high + 1) for value, (low, high) in zip(step.values, ref.bounds, strict=False)]
    found = []
    for chosen in product(*spans):
        place = 0
        for n, (low, high) in zip(chosen, ref.bounds, strict=False):
            place = place * (high - low + 1) + n - low
        found += [ref.items[place]] if place < len(ref.items) else []
    return found


def _tags_of(ref: Ref) -> list[int]:
    return [ref.tag] if isinstance(ref, Leaf) else list(_all(ref)) if isinstance(ref, Aggregate) else []


def _pins(element: Block, step: Step, running: Running) -> Iterator[Mention]:
    called = called_instance(element, step.instance, running)
    if called is None:
        return
    pins = {p.name.lower() for p in element.inputs} if called.pou is not None else set(called.scope)
    for name, ref in called.scope.items():
        if isinstance(ref, Leaf) and name in pins:
            yield Mention(ref.tag, element.id, True)


def _called_in_text(statement: Statement, one: Instance, running: Running) -> list[Instance | None]:
    scope = Scope(one, running)
    return [scope.function(p) or scope.block(p) for p in parts(statement) if isinstance(p, Apply)]


def tags_looked_at(instance: Instance, steps: Steps, running: Running) -> set[int]:
    """The tags that a body and those that it calls read; what is not executed reads nothing."""
    found: set[int] = set()
    todo, seen = [instance], set()
    while todo:
        one = todo.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        for step in steps.of(one):
            if unreadable(step.rung, one, running):
                continue
            found |= {m.tag for m in mentions(step, running) if not m.writes}
            called = [called_instance(e, one, running) for e in step.rung.elements if isinstance(e, Block)]
            called += _called_in_text(step.rung.statement, one, running) if step.rung.statement is not None else \
                [Scope(one, running).function(p) for p in calls_at(step.rung.elements)]
            todo += [c for c in called if c is not None and c.pou is not None]
    return found
