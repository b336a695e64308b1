"""Rungs with an input that cannot be read: they are not executed, what they write comes from the log (DESIGN section 6)."""

from __future__ import annotations

import math

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.fed_back import LEADS_BACK
from whorlograph.model.ladder import Block, Coil, Contact, InOutVariable, InVariable, OutVariable, Rung
from whorlograph.model.paths import Index, Member, Path, parse_path
from whorlograph.model.pins import unknown_pins
from whorlograph.model.place import Notice, Place
from whorlograph.model.steps import Step, units
from whorlograph.model.tags import BitOf, Instance, Running, Target, resolve_path
from whorlograph.model.text import Expression, Statement
from whorlograph.model.types import Elementary

from .constants import constant_of
from .open_arrays import NO_LENGTH
from .pin_values import element_at, expression_at, why_not
from .rung_operands import has_operands, odd_operands
from .rung_types import RungTypes, called_instance, handed_instance, only_logic, rung_types, variable_type
from .text_checks import Checks
from .text_types import Scope, is_function_name
from .wholes import brings_wholes, misfit, shape_of

_LOW, _HIGH = -(1 << 63), (1 << 64) - 1


class Reading:
    """What of a program cannot be executed: found out once, and the names of an instance looked up once."""

    def __init__(self, running: Running) -> None:
        self.running = running
        self._scopes: dict[int, Scope] = {}
        self._checks: dict[int, Checks] = {}
        self._known: dict[tuple[int, int], str] = {}
        self._types: dict[tuple[int, int], RungTypes] = {}
        self._texts: dict[int, Texts] = {}

    def texts(self, instance: Instance) -> Texts:
        """What stands at the elements of an instance."""
        return self._texts.get(id(instance)) or self._texts.setdefault(id(instance), Texts(instance, self.running))

    def types(self, rung: Rung, instance: Instance) -> RungTypes:
        """The types in a rung of an instance."""
        found = self._types.get((id(rung), id(instance)))
        if found is None:
            type_of = self.texts(instance).type
            logic = only_logic(rung, instance, self.running, type_of)
            found = RungTypes(logic=True) if logic else rung_types(Step(0, instance, rung), self.running, type_of)
            self._types[id(rung), id(instance)] = found
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
            self._known[key] = unreadable(rung, instance, self.running, self)
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
                why = "" if rung.fault and rung.fault != LEADS_BACK else self.rung(rung, one)
                if why:
                    place = Place(one.pou.place.file, 0, one.pou.name, rung.number)
                    unit = "statement" if rung.statement is not None else "rung"
                    found.append(Notice(place, why, f"the {unit} is not executed: what it alone writes comes from the log"))
        return found


class Texts:
    """What the texts at the elements of an instance stand for: a name stands at many, and is looked up once."""

    def __init__(self, instance: Instance, running: Running) -> None:
        self.instance, self.running = instance, running
        self._read: dict[str, str] = {}
        self._named: dict[str, str] = {}
        self._wholes: dict[str, bool] = {}
        self._types: dict[str, Elementary | None] = {}

    def not_read(self, text: str) -> str:
        """Why what stands at an input cannot be read; "" where it can."""
        found = self._read.get(text)
        if found is None:
            found = self._read[text] = _not_read(text, self.instance, self.running)
        return found

    def not_named(self, text: str) -> str:
        """Why what stands at a contact, a coil or an output names nothing; "" where it does or stands empty."""
        found = self._named.get(text)
        if found is None:
            found = self._named[text] = _not_named(text, self.instance, self.running)
        return found

    def is_whole(self, text: str) -> bool:
        """Whether it is an array or structure."""
        found = self._wholes.get(text)
        if found is None:
            found = self._wholes[text] = bool(shape_of(text, self.instance, self.running))
        return found

    def type(self, text: str, instance: Instance) -> Elementary | None:
        """The type of a variable; also of another instance, what is called."""
        if instance is not self.instance:
            return variable_type(text, instance, self.running)
        if text not in self._types:
            self._types[text] = variable_type(text, instance, self.running)
        return self._types[text]


def unreadable(rung: Rung, instance: Instance, running: Running, reading: Reading | None = None) -> str:
    """Why a rung cannot be executed in an instance; "" where it can. Args: reading: what is known of the program already."""
    if rung.fault:
        return rung.fault
    if rung.statement is not None:
        return Checks(Scope(instance, running)).why(rung.statement)
    texts = reading.texts(instance) if reading is not None else Texts(instance, running)
    for element in rung.elements:
        if isinstance(element, InVariable):
            why = texts.not_read(element.expression) if element.expression.strip() else ""
            if why:
                return f"input {element.expression.strip()[:60]!r} {why}"
        elif isinstance(element, (Contact, Coil, OutVariable, InOutVariable)):
            text = element.variable if isinstance(element, (Contact, Coil)) else element.expression
            why = texts.not_named(text)
            if why:
                return f"{text.strip()[:60]!r} {why}"
        elif isinstance(element, Block):
            why = _not_called(element, instance, running)
            if why:
                return why
    wholes = brings_wholes(rung, instance, running, texts.is_whole)
    why = misfit(rung, instance, running) if wholes else ""
    if why or not has_operands(rung):
        return why
    types = reading.types(rung, instance) if reading is not None else rung_types(Step(0, instance, rung), running, texts.type)
    return "" if types.logic else odd_operands(rung, instance, running, types, wholes, texts.type)


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
        target, base = resolve_path(path, instance, running.scope), path.base.lower()
        if target is None and (base in instance.scope or base in running.scope.scope) and any(isinstance(step, Member) for step in path.steps):
            return "names nothing that is declared"
        return _no_bit(target, running)
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

