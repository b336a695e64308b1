"""What names and expressions of Structured Text are, in an instance: tags, types, the types that operations are computed in.

Shared by the front and the reference interpreter, like ``rung_types``: tests hold it against literal expectations.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from msgspec import Struct

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.literals import Literal
from whorlograph.model.paths import Bit, Member
from whorlograph.model.program import PouKind, VariableKind
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, Running, Tag, member
from whorlograph.model.text import (
    Apply,
    Argument,
    Assign,
    Binary,
    Case,
    Choose,
    Constant,
    Do,
    Expression,
    For,
    Go,
    Keep,
    Kept,
    Leave,
    Statement,
    Sub,
    Together,
    Unary,
    Until,
    Var,
    While,
)
from whorlograph.model.types import BOOL, ELEMENTARY, Elementary, Family

from .constants import constant_of
from .widening import (
    ARITHMETIC,
    BITWISE,
    COMPARISONS,
    DATE_SUMS,
    NUMBER_PINS,
    REALS,
    SELECTIONS,
    SHIFTS,
    TEXTS,
    common,
    conversion,
    dated,
    widen,
)

ORDERS = {"TASK_HOLD": "hold", "TASK_RELEASE": "release", "WATCHDOG_RESTART": "restart"}
PINS = {"LEFT": ("IN", "L"), "RIGHT": ("IN", "L"), "MID": ("IN", "L", "P"), "INSERT": ("IN1", "IN2", "P"), "DELETE": ("IN", "L", "P"),
        "REPLACE": ("IN1", "IN2", "L", "P"), "FIND": ("IN1", "IN2"), "SEL": ("G", "IN0", "IN1"), "LIMIT": ("MN", "IN", "MX"),
        "EXPT": ("IN1", "IN2"), **dict.fromkeys(SHIFTS, ("IN", "N"))}
TIMES = {"MULTIME", "DIVTIME", "ADD_TIME", "SUB_TIME", "MUL_TIME", "DIV_TIME"}
_STANDARD = ARITHMETIC | REALS | COMPARISONS | BITWISE | SHIFTS | SELECTIONS | TIMES | TEXTS | DATE_SUMS.keys() | {"TRUNC", "DAY_OF_WEEK"}
_TRUNCATES = re.compile(r"(?:(\w+)_)?TRUNC_(\w+)", re.IGNORECASE)


class Cut(Struct, frozen=True):
    """A conversion that cuts the fraction off: REAL_TRUNC_INT, TRUNC_INT; ``target`` None: that of what takes it (TRUNC)."""

    target: Elementary | None


def cut_of(name: str) -> Cut | None:
    """The conversion that a name like TRUNC means; None where it is none."""
    if name.upper() == "TRUNC":
        return Cut(None)
    found = _TRUNCATES.fullmatch(name)
    target = ELEMENTARY.get(found.group(2).upper()) if found is not None else None
    return Cut(target) if target is not None else None


def pins_of(name: str, count: int) -> tuple[str, ...]:
    """The names of a standard function's inputs, in order."""
    upper = name.upper()
    if upper in PINS:
        return PINS[upper]
    if upper == "MUX":
        return ("K", *(f"IN{i}" for i in range(count)))
    return tuple(f"IN{i + 1}" for i in range(count)) if count > 1 else ("IN",)


def given_pins(call: Apply) -> list[tuple[str, Expression]]:
    """What goes into a standard function, by pin in the order of the pins."""
    given = [a for a in call.arguments if a.value is not None]
    order = pins_of(call.called.base, len(given))
    found: dict[str, Expression] = {}
    for i, one in enumerate(given):
        name = one.name.upper() or (order[i] if i < len(order) else f"IN{i + 1}")
        if one.value is not None and name not in ("EN",):
            found[name] = one.value
    if len(order) == 1 and len(found) == 1:
        return list(found.items())
    return sorted(found.items(), key=lambda p: order.index(p[0]) if p[0] in order else len(order) + int("0" + re.sub(r"\D", "", p[0])))


class Place(Struct, frozen=True):
    """What a name stands for but for its subscripts: the tag where they are lowest.

    ``tags``: where a VAR_IN_OUT's leaves are counted from 0 in a shape of its own; ``bit``: of a number, -1 the whole.
    """

    ref: Ref
    tags: tuple[Tag, ...] | None
    bit: int = -1


class Scope:
    """The names of one instance."""

    def __init__(self, instance: Instance, running: Running) -> None:
        self.instance, self.running = instance, running
        # Of names without anything behind them, which are asked about again and again.
        self._constants: dict[str, Literal | None] = {}
        self._places: dict[str, Place | None] = {}
        self._types: dict[str, Elementary | None] = {}
        self._kinds: dict[int, tuple[Expression, Elementary | None]] = {}
        self._operations: dict[tuple[object, ...], tuple[Elementary, Elementary | None]] = {}

    def constant(self, var: Var) -> Literal | None:
        """The enumerator that a name is; None where it is none."""
        if var.steps:
            return None
        try:
            return self._constants[var.base]
        except KeyError:
            found = self._constants[var.base] = None if var.base.startswith("%") else constant_of(var.base, self.instance, self.running)
            return found

    def place(self, var: Var) -> Place | None:
        """What a variable's name stands for; None where it stands for nothing."""
        if var.steps:
            return self._place(var)
        try:
            return self._places[var.base]
        except KeyError:
            found = self._places[var.base] = self._place(var)
            return found

    def _place(self, var: Var) -> Place | None:
        key = var.base.lower()
        ref: Ref | None = self.instance.scope.get(key)
        if ref is None:
            ref = self.running.scope.scope.get(key)
        tags = None
        if isinstance(ref, ByReference):
            tags, ref = ref.tags, ref.shape
        for n, step in enumerate(var.steps):
            if isinstance(step, Bit):
                return Place(ref, tags, step.number) if isinstance(ref, Leaf) and n == len(var.steps) - 1 else None
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif not isinstance(ref, Aggregate) or len(step.values) != len(ref.bounds) or not ref.items:
                return None
            else:
                ref = ref.items[0]
        return Place(ref, tags) if ref is not None else None

    def tag(self, place: Place) -> Tag | None:
        """The tag of a leaf (of an array's the first); None for what is none."""
        if not isinstance(place.ref, Leaf):
            return None
        return place.tags[place.ref.tag] if place.tags is not None else self.running.tags[place.ref.tag]

    def variable(self, var: Var) -> Elementary | None:
        """The type of a variable; None where it is no leaf."""
        if var.steps:
            return self._variable(var)
        try:
            return self._types[var.base]
        except KeyError:
            found = self._types[var.base] = self._variable(var)
            return found

    def _variable(self, var: Var) -> Elementary | None:
        place = self.place(var)
        tag = self.tag(place) if place is not None else None
        if place is None or tag is None:
            return None
        return BOOL if place.bit >= 0 else tag.type

    def function(self, call: Apply) -> Instance | None:
        """The function of the file's own that a call means."""
        return self.running.functions.get(call.called.base.lower()) if not call.called.steps else None

    def block(self, call: Apply) -> Instance | None:
        """The instance of a block that a call means; of a VAR_IN_OUT its shape."""
        place = self.place(call.called)
        return place.ref if place is not None and isinstance(place.ref, Instance) else None

    # types

    def kind(self, one: Expression) -> Elementary | None:
        """The type of a value; None where it takes that of what stands around it."""
        if isinstance(one, Var):
            read = self.constant(one)
            return read[0] if read is not None else self.variable(one)
        if isinstance(one, Constant):
            return ELEMENTARY[one.named] if one.named else None
        known = self._kinds.get(id(one))
        if known is None:
            known = self._kinds[id(one)] = one, self._computed(one)  # kept with it: a number belongs to one as long as that lives
        return known[1]

    def _computed(self, one: Unary | Binary | Apply | Kept) -> Elementary | None:
        if isinstance(one, Unary):
            return self.operation(one.code, [("IN", one.value)], None)[1]
        if isinstance(one, Binary):
            return self.operation(one.code, [("IN1", one.left), ("IN2", one.right)], None)[1]
        if isinstance(one, Kept):
            return self.kept(one.value)
        called = self.function(one)
        if called is not None:
            return self.result(called)
        cut = cut_of(one.called.base)
        if cut is not None:
            return cut.target or ELEMENTARY["DINT"]
        return self.operation(one.called.base.upper(), given_pins(one), None)[1]

    def kept(self, value: Expression) -> Elementary:
        """The type in which a result is kept."""
        return self.kind(value) or ELEMENTARY["REAL" if self.fraction(value) else "DINT"]

    def result(self, called: Instance) -> Elementary | None:
        """The type of a function's result."""
        ref = called.scope.get(called.type_name.lower())
        return self.running.tags[ref.tag].type if isinstance(ref, Leaf) else None

    def fraction(self, one: Expression) -> bool:
        """Whether a value without a type of its own has a fraction in it."""
        if isinstance(one, Constant):
            return not one.named and isinstance(one.value, float)
        if isinstance(one, Unary):
            return self.fraction(one.value)
        if isinstance(one, Binary):
            return one.code not in COMPARISONS and (self.fraction(one.left) or self.fraction(one.right))
        return isinstance(one, Apply) and self.kind(one) is None and any(self.fraction(v) for n, v in given_pins(one) if n not in NUMBER_PINS)

    def operation(self, name: str, given: list[tuple[str, Expression]], want: Elementary | None) -> tuple[Elementary, Elementary | None]:
        """(the type that a standard function is computed in, that of its result, None where it takes that of what stands around it).

        Args: want: the type that is asked for, which operands without a type take.
        """
        values = [v for n, v in given if n not in NUMBER_PINS]
        kinds = [self.kind(v) for v in values]
        fraction = None in kinds and any(k is None and self.fraction(v) for k, v in zip(kinds, values, strict=True))
        key: tuple[object, ...] = (name, fraction, id(want), *map(id, kinds))  # types stay as long as the program
        found = self._operations.get(key)
        if found is None:
            found = self._operations[key] = self._operation(name, kinds, fraction, want)
        return found

    @staticmethod
    def _operation(name: str, kinds: list[Elementary | None], fraction: bool, want: Elementary | None) -> tuple[Elementary, Elementary | None]:
        change = conversion(name)
        if change is not None:
            source = change[0] or next(iter(kinds), None) or ELEMENTARY["REAL" if fraction else "DINT"]
            return source, change[1]
        of_dates = dated(name, kinds)
        if of_dates is not None:
            return of_dates
        if name in TEXTS:
            return ELEMENTARY["STRING"], ELEMENTARY["INT" if name in ("LEN", "FIND") else "STRING"]
        if name in REALS or name == "EXPT":
            base = common(kinds[:1], want if want is not None and want.family is Family.REAL else ELEMENTARY["REAL"])
            found = base if base.family is Family.REAL else ELEMENTARY["LREAL" if base.bits > 16 else "REAL"]
            return found, found if kinds[0] is not None else None
        if name == "TRUNC":
            found = common(kinds, ELEMENTARY["REAL"])
            return found if found.family is Family.REAL else ELEMENTARY["REAL"], want or ELEMENTARY["DINT"]
        if name in ("MUL", "DIV", *TIMES) and any(k is not None and k.family is Family.TIME for k in kinds):
            return ELEMENTARY["TIME"], ELEMENTARY["TIME"]
        untyped = all(k is None for k in kinds)
        target = None if name in COMPARISONS else want
        found = common(kinds, target)
        if found.family is Family.BOOL and (name in ARITHMETIC or (untyped and name not in BITWISE)):
            found = ELEMENTARY["DINT"]
        if found.family is not Family.REAL and fraction and not (untyped and target is not None and name in SELECTIONS):
            found = widen(found, ELEMENTARY["REAL"]) if not untyped else ELEMENTARY["REAL"]
        if name in COMPARISONS:
            return found, BOOL
        return found, None if untyped and want is None else found

    # whether it can be executed

    def unreadable(self, statement: Statement) -> str:
        """Why a statement cannot be executed; "" where it can."""
        found = [*parts(statement)]
        named = {id(a.value) for p in found if type(p) is Apply and p.called.base.upper() in ORDERS for a in p.arguments}
        for part in found:
            if type(part) is Var and not part.steps and part.base in self._types and self._types[part.base] is not None:
                continue
            why = self._part(part) if id(part) not in named else ""
            if why:
                return why
        return ""

    def _part(self, part: Statement | Expression | Var) -> str:
        if isinstance(part, Var):
            return f"{shown(part)} names nothing that is declared" if self.constant(part) is None and self.place(part) is None else ""
        if isinstance(part, Apply):
            return self._call(part)
        if isinstance(part, (Unary, Binary)):
            values = [part.value] if isinstance(part, Unary) else [part.left, part.right]
            if part.code not in TEXTS and all(k is not None and k.family is not Family.STRING for k in map(self.kind, values)):
                return ""
            wrong = [v for v in values if self._is_whole(v)]
            return f"{shown(wrong[0])} is no single value" if wrong else self._mixed(part.code, values)
        if isinstance(part, Assign):
            return self._assigned(part)
        if isinstance(part, For) and (self.variable(part.variable) is None or not self._number(part.variable)):
            return f"{shown(part.variable)} counts a loop and is no whole number"
        return ""

    def _text(self, one: Expression) -> bool:
        if isinstance(one, (Unary, Binary)):  # no sign makes a text
            return False
        kind = self.kind(one)
        return kind is not None and kind.family is Family.STRING

    def _mixed(self, name: str, values: list[Expression]) -> str:
        """Why a function cannot be computed: texts go with texts only, and not into sums."""
        texts = [self._text(v) for v in values]
        if not any(texts):
            return f"{name} takes texts, {shown(values[0])} is none" if name in TEXTS else ""
        if name not in TEXTS | COMPARISONS | SELECTIONS:
            return f"{shown(values[texts.index(True)])} is a text, and {name} takes none"
        return "" if all(texts) else f"{shown(values[texts.index(False)])} is no text"

    def _taken(self, type_: Elementary | None, value: Expression, name: str) -> str:
        """Why a variable of a type cannot take a value."""
        if type_ is None or (type_.family is Family.STRING) == self._text(value):
            return ""
        return f"{shown(value)} is no text, {name} is one" if type_.family is Family.STRING else f"{shown(value)} is a text, {name} is none"

    def _number(self, var: Var) -> bool:
        type_ = self.variable(var)
        return type_ is not None and type_.whole

    def _is_whole(self, one: Expression) -> bool:
        """Whether a value is an array, a structure or a block, not one value."""
        return isinstance(one, Var) and self.constant(one) is None and self.place(one) is not None and self.variable(one) is None

    def _assigned(self, part: Assign) -> str:
        if self.constant(part.target) is not None:
            return f"{shown(part.target)} is a constant"
        into, source = self.place(part.target), self.place(part.value) if isinstance(part.value, Var) else None
        whole = into is not None and isinstance(into.ref, Aggregate)
        if whole and source is not None and isinstance(source.ref, Aggregate):
            alike = into is not None and isinstance(into.ref, Aggregate) and into.ref.cells == source.ref.cells
            return "" if alike else "its sides have other shapes"
        if whole or self._is_whole(part.value) or (into is not None and isinstance(into.ref, Instance)):
            return f"{shown(part.target)} takes no single value"
        return self._taken(self.variable(part.target), part.value, shown(part.target))

    def _call(self, part: Apply) -> str:
        name = part.called.base
        if part.called.steps or self.function(part) is None:
            block = self.block(part)
            if block is not None:
                unknown = [a.name for a in part.arguments if a.name and a.name.lower() not in block.scope and a.name.upper() not in ("EN", "ENO")]
                return f"{shown(part.called)} has no {unknown[0]}" if unknown else self._given(block, part)
            upper = name.upper()
            if is_function_name(name):
                if upper in ORDERS:
                    return ""
                if not given_pins(part):
                    return f"{name} has no operand"
                data = [v for n, v in given_pins(part) if n not in NUMBER_PINS]
                return self._mixed(upper, data) if upper in _STANDARD and data else self._converted(upper, data)
            return f"{shown(part.called)} is no function and no block"
        called = self.function(part)
        assert called is not None
        unknown = [a.name for a in part.arguments if a.name and a.name.lower() not in called.scope]
        return f"{name} has no {unknown[0]}" if unknown else self._given(called, part)

    def _converted(self, name: str, data: list[Expression]) -> str:
        """Why a conversion cannot be computed: its operand is a text where it should not be, or the other way round."""
        change = conversion(name)
        if not data or change is None or change[0] is None:
            return ""
        return self._taken(change[0], data[0], name)

    def _given(self, called: Instance, part: Apply) -> str:
        """Why what is handed over does not fit: texts go into texts only."""
        for name, one in parameters(called, part) if called.pou is not None else standard_parameters(called, part):
            ref = called.scope.get(name)
            if isinstance(ref, ByReference) and isinstance(ref.shape, Instance) and isinstance(one.value, Var) and is_chosen(one.value):
                return f"{shown(one.value)} is chosen by a subscript: a block cannot be handed over so"
            type_ = self.running.tags[ref.tag].type if isinstance(ref, Leaf) and ref.tag < len(self.running.tags) else None
            why = self._taken(type_, one.value, one.name or name.upper()) if one.value is not None and not self._is_whole(one.value) else ""
            if why:
                return why
        return ""


def is_function_name(name: str) -> bool:
    """Whether a name is a function of the standard, or an order to the controller."""
    upper = name.upper()
    return upper in ORDERS or cut_of(name) is not None or conversion(name) is not None or upper in _STANDARD


def is_chosen(var: Var) -> bool:
    """Whether a subscript in a name is computed."""
    return any(isinstance(s, Sub) and not all(isinstance(v, Constant) for v in s.values) for s in var.steps)


def parameters(called: Instance, call: Apply) -> list[tuple[str, Argument]]:
    """What is handed to a function or block of the file's own, by name in lower case: by position inputs and in-outs in order."""
    assert called.pou is not None
    order = [v.name.lower() for v in called.pou.variables if v.kind in (VariableKind.INPUT, VariableKind.IN_OUT)]
    found, place = [], 0
    for one in call.arguments:
        name = one.name.lower()
        if not name:
            if place >= len(order):
                continue
            name, place = order[place], place + 1
        found.append((name, one))
    return found


def standard_parameters(called: Instance, call: Apply) -> list[tuple[str, Argument]]:
    """What is handed to a standard block, by pin in lower case."""
    inputs = [name.lower() for name, _ in STANDARD_BLOCKS[called.type_name][0]]
    return [(one.name.lower() or inputs[min(i, len(inputs) - 1)], one) for i, one in enumerate(call.arguments)]


def shown(var: Expression) -> str:
    """A variable as it is written, roughly."""
    if not isinstance(var, Var):
        return var.text if isinstance(var, Constant) else "a value"
    text = var.base
    for step in var.steps:
        text += f".{step.name}" if isinstance(step, Member) else f".{step.number}" if isinstance(step, Bit) else "[]"
    return text


def parts(one: Statement | Expression) -> Iterator[Statement | Expression]:
    """A statement or expression and all that it is made of; names of functions and blocks are no parts."""
    todo = [one]
    while todo:
        part = todo.pop()
        yield part
        make = _INNER.get(type(part))
        if make is not None:
            found = make(part)
            if found:
                todo += reversed(found)


def inner(one: Statement | Expression) -> Sequence[Statement | Expression]:
    """What a statement or expression is made of directly, in the order in which it is evaluated."""
    make = _INNER.get(type(one))
    return make(one) if make is not None else ()


def _of_variable(one: Var) -> Sequence[Expression]:
    return [v for step in one.steps if isinstance(step, Sub) for v in step.values] if one.steps else ()


def _of_call(one: Apply) -> Sequence[Expression]:
    return [v for given in one.arguments for v in (given.value, given.output) if v is not None]


def _of_choice(one: Choose) -> Sequence[Statement | Expression]:
    return [p for branch in one.branches for p in (branch.test, *branch.statements)] + [*one.other]


def _of_case(one: Case) -> Sequence[Statement | Expression]:
    found: list[Statement | Expression] = [one.selector]
    for labelled in one.branches:
        found += [v for label in labelled.labels for v in (label.low, label.high) if v is not None]
        found += labelled.statements
    return [*found, *one.other]


def _of_count(one: For) -> Sequence[Statement | Expression]:
    return (one.first, one.last, *([one.by] if one.by is not None else []), one.variable, *one.statements)


_INNER: dict[type, Callable[[Any], Sequence[Statement | Expression]]] = {
    Var: _of_variable, Apply: _of_call, Choose: _of_choice, Case: _of_case, For: _of_count,
    Unary: lambda one: (one.value,), Binary: lambda one: (one.left, one.right), Assign: lambda one: (one.value, one.target),
    Do: lambda one: (one.call,), While: lambda one: (one.test, *one.statements), Until: lambda one: (*one.statements, one.test),
    Keep: lambda one: (one.value,), Kept: lambda one: (), Together: lambda one: one.statements,
    Go: lambda one: (one.test,) if one.test is not None else ()}


def leaves_early(statement: Statement) -> bool:
    """Whether a RETURN stands in a statement."""
    return any(isinstance(p, Leave) and p.kind == "RETURN" for p in parts(statement))


def is_function(instance: Instance) -> bool:
    """Whether an instance is a function's variables."""
    return instance.pou is not None and instance.pou.kind is PouKind.FUNCTION


