"""Rungs with an input that cannot be read: they are not executed, what they write comes from the log (DESIGN section 6)."""

from __future__ import annotations

import math
from collections.abc import Callable

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.ladder import Block, Coil, Contact, InOutVariable, InVariable, OutVariable, Rung
from whorlograph.model.paths import Index, Path, parse_path
from whorlograph.model.pins import unknown_pins
from whorlograph.model.place import Notice, Place
from whorlograph.model.steps import Step, units
from whorlograph.model.tags import BitOf, Instance, Running, Target, resolve_path
from whorlograph.model.text import Expression, Statement

from .constants import constant_of
from .open_arrays import NO_LENGTH
from .pin_values import element_at, expression_at, why_not
from .rung_operands import has_operands, odd_operands
from .rung_types import RungTypes, called_instance, handed_instance, rung_types
from .text_checks import Checks
from .text_types import Scope, is_function_name
from .wholes import brings_wholes, misfit

_LOW, _HIGH = -(1 << 63), (1 << 64) - 1


class Reading:
    """What of a program cannot be executed: found out once, and the names of an instance looked up once."""

    def __init__(self, running: Running) -> None:
        self.running = running
        self._scopes: dict[int, Scope] = {}
        self._checks: dict[int, Checks] = {}
        self._known: dict[tuple[int, int], str] = {}
        self._types: dict[tuple[int, int], RungTypes] = {}

    def types(self, rung: Rung, instance: Instance) -> RungTypes:
        """The types in a rung of an instance."""
        found = self._types.get((id(rung), id(instance)))
        if found is None:
            found = self._types[id(rung), id(instance)] = rung_types(Step(0, instance, rung), self.running)
        return found

    def statement(self, statement: Statement, instance: Instance) -> str:
        """Why a statement cannot be executed in an instance; "" where it can."""
        key = id(statement), id(instance)
        if key not in self._known:
            checks = self._checks.get(id(instance)) or self._checks.setdefault(id(instance), Checks(self.scope(instance)))
            self._known[key] = checks.why(statement)
        return self._known[key]

    def scope(self, instance: Instance) -> Scope:
        """The names of an instance."""
        return self._scopes.get(id(instance)) or self._scopes.setdefault(id(instance), Scope(instance, self.running))

    def rung(self, rung: Rung, instance: Instance) -> str:
        """Why a rung cannot be executed in an instance; "" where it can."""
        if rung.fault:
            return rung.fault
        if rung.statement is not None:
            return self.statement(rung.statement, instance)
        key = id(rung), id(instance)
        if key not in self._known:
            self._known[key] = unreadable(rung, instance, self.running, self.types)
        return self._known[key]

    def notices(self) -> list[Notice]:
        """A notice for each rung of each POU that is not executed because of an input."""
        found: list[Notice] = []
        done: set[str] = set()
        for one in self.running.instances():
            if one.pou is None or one.type_name.lower() in done:
                continue
            done.add(one.type_name.lower())
            for rung in units(one.pou.body):
                why = "" if rung.fault else self.rung(rung, one)
                if why:
                    place = Place(one.pou.place.file, 0, one.pou.name, rung.number)
                    unit = "statement" if rung.statement is not None else "rung"
                    found.append(Notice(place, why, f"the {unit} is not executed: what it alone writes comes from the log"))
        return found


def unreadable(rung: Rung, instance: Instance, running: Running, types: Callable[[Rung, Instance], RungTypes] | None = None) -> str:
    """Why a rung cannot be executed in an instance; "" where it can. Args: types: gives the types in it, where they are known."""
    if rung.fault:
        return rung.fault
    if rung.statement is not None:
        return Checks(Scope(instance, running)).why(rung.statement)
    for element in rung.elements:
        if isinstance(element, InVariable) and element.expression.strip():
            why = _not_read(element.expression, instance, running)
            if why:
                return f"input {element.expression.strip()[:60]!r} {why}"
        if isinstance(element, (Contact, Coil, OutVariable, InOutVariable)):
            text = element.variable if isinstance(element, (Contact, Coil)) else element.expression
            why = _not_named(text, instance, running)
            if why:
                return f"{text.strip()[:60]!r} {why}"
        if isinstance(element, Block):
            why = _not_called(element, instance, running)
            if why:
                return why
    wholes = brings_wholes(rung, instance, running)
    why = misfit(rung, instance, running) if wholes else ""
    if why or not has_operands(rung):
        return why
    return odd_operands(rung, instance, running, types(rung, instance) if types is not None else rung_types(Step(0, instance, rung), running), wholes)


def _not_called(block: Block, instance: Instance, running: Running) -> str:
    """Why a block element cannot be executed: what it names is no instance, and no function."""
    unknown = unknown_pins(block)
    if unknown and (block.instance or block.type_name.lower() not in running.functions):
        return f"{block.instance or block.type_name} has no {unknown[0]}"
    if not block.instance:
        if block.type_name.lower() in running.any_length:
            return f"{block.type_name} {NO_LENGTH}"
        known = block.type_name.lower() in running.functions or is_function_name(block.type_name)
        return "" if known else f"{block.type_name or 'a block without a name'} is no function" + (
            ": the block has no instance" if block.type_name.upper() in STANDARD_BLOCKS else "")
    if called_instance(block, instance, running) is not None or handed_instance(block, instance) is not None:
        return ""
    path = parse_path(block.instance)
    if path is not None and any(isinstance(step, Index) and any(isinstance(s, Path) for s in step.subscripts) for step in path.steps):
        return f"{block.instance} is chosen by a subscript: in a drawing a block is named"
    return f"{block.instance} names no block of type {block.type_name} that is declared"


def _not_named(text: str, instance: Instance, running: Running) -> str:
    """Why what stands at a contact, a coil or an output names nothing; "" where it does or stands empty."""
    if not text.strip():
        return ""
    path = parse_path(text)
    if path is not None:
        return _no_bit(resolve_path(path, instance, running.scope), running)
    element = element_at(text, 0)
    if element is None:
        return "is no name"
    scope = Scope(instance, running)
    return why_not(element, scope) or _not_computed(element, scope)


def _not_computed(one: Expression, scope: Scope) -> str:
    why = Checks(scope).value(one)
    return f"cannot be computed: {why}" if why else ""


def _not_read(text: str, instance: Instance, running: Running) -> str:
    read = constant_of(text, instance, running)
    if read is not None:
        type_, value = read
        if isinstance(value, float) and not math.isfinite(value):
            return "is too large a number"
        if type_ is not None and type_.whole and isinstance(value, int) and not type_.low <= value <= type_.high:
            return f"does not fit {type_.name}"
        return "is too large a number" if isinstance(value, int) and not _LOW <= value <= _HIGH else ""
    path = parse_path(text)
    computed = expression_at(text, 0) if path is None else None
    if computed is not None:
        scope = Scope(instance, running)
        return why_not(computed, scope) or _not_computed(computed, scope)
    if path is None:
        return "is no name and no literal"
    target = resolve_path(path, instance, running.scope)
    return _no_bit(target, running) if target is not None else "names nothing that is declared"


def _no_bit(target: Target | None, running: Running) -> str:
    named = isinstance(target, BitOf) and not running.tags[target.tag].type.has_bit(target.bit)
    return "names a bit that it does not have" if named else ""

