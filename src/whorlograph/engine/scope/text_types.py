"""What names and expressions of Structured Text are, in an instance: tags, types, the types that operations are computed in.

Shared by the front and the reference interpreter, like ``rung_types``: tests hold it against literal expectations.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from msgspec import Struct

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.calendar import date_part, dates_made
from whorlograph.model.literals import Literal
from whorlograph.model.paths import Bit, Member
from whorlograph.model.pins import FUNCTION_PINS
from whorlograph.model.program import PouKind, VariableKind
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, Running, Tag, member
from whorlograph.model.text import (
    Apply,
    Argument,
    Binary,
    Constant,
    Expression,
    Kept,
    Sub,
    Unary,
    Var,
)
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, ELEMENTARY, Elementary, Family

from .constants import constant_of
from .widening import (
    ARITHMETIC,
    BITWISE,
    CHECKS,
    COMPARISONS,
    DATE_SUMS,
    NUMBER_PINS,
    OF_TWO,
    ORDERS_OF_BYTES,
    REALS,
    SELECTIONS,
    SHIFTS,
    TEXTS,
    TIMES,
    beside_signs,
    common,
    conversion,
    converted_from,
    dated,
    wanted,
    widen,
)

ORDERS = {"TASK_HOLD": "hold", "TASK_RELEASE": "release", "WATCHDOG_RESTART": "restart"}
STANDARD = (ARITHMETIC | REALS | COMPARISONS | BITWISE | SHIFTS | SELECTIONS | TIMES | TEXTS | DATE_SUMS.keys() | CHECKS | ORDERS_OF_BYTES
            | {"TRUNC", "DAY_OF_WEEK"})
LOGIC = ("true", "false")  # literals, whatever is declared
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
    if upper in FUNCTION_PINS:
        return FUNCTION_PINS[upper]
    made = dates_made(upper)
    if made is not None:
        return made[1]
    if upper == "MUX":
        return ("K", *(f"IN{i}" for i in range(count)))
    return tuple(f"IN{i + 1}" for i in range(count)) if count > 1 else ("IN",)


def given_pins(call: Apply) -> list[tuple[str, Expression]]:
    """What goes into a standard function, by pin in the order of the pins."""
    given = [a for a in call.arguments if a.value is not None]
    order = pins_of(typed(call.called.base)[0], len(given))
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


def leaf_types(ref: Ref, tags: Sequence[Tag]) -> Iterator[str]:
    """The types of what lies in a variable, in order; of blocks their names. Args: tags: in which its leaves are counted."""
    if isinstance(ref, Leaf):
        yield tags[ref.tag].type.name
    elif isinstance(ref, Aggregate):
        for part in (*ref.items, *ref.fields.values()):
            yield from leaf_types(part, tags)
    elif isinstance(ref, Instance):
        yield ref.type_name


class Scope:
    """The names of one instance."""

    def __init__(self, instance: Instance, running: Running) -> None:
        self.instance, self.running = instance, running
        # Of names without anything behind them, which are asked about again and again.
        self._constants: dict[str, Literal | None] = {}
        self._places: dict[str, Place | None] = {}
        self._types: dict[str, Elementary | None] = {}
        self._kinds: dict[int, tuple[Expression, Elementary | None]] = {}
        self._given: dict[int, tuple[Apply, list[tuple[str, Expression]]]] = {}
        self._operations: dict[tuple[object, ...], tuple[Elementary, Elementary | None]] = {}

    def constant(self, var: Var) -> Literal | None:
        """The enumerator that a name is; None where it is none."""
        if var.steps:
            return None
        try:
            return self._constants[var.base]
        except KeyError:
            found = self._constants[var.base] = None if self._declared(var.base) else constant_of(var.base, self.instance, self.running)
            return found

    def _declared(self, base: str) -> bool:
        """Whether a name is surely a variable's: most are, and nothing more has to be looked up."""
        key = base.lower()
        return base[:1] == "%" or (key in self.running.scope.scope and key not in LOGIC) or (key in self.instance.scope and key not in LOGIC)

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
                if not isinstance(ref, Leaf) or n < len(var.steps) - 1:
                    return None
                type_ = tags[ref.tag].type if tags is not None else self.running.tags[ref.tag].type
                return Place(ref, tags, step.number) if type_.has_bit(step.number) else None
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif not isinstance(ref, Aggregate) or len(step.values) != len(ref.bounds) or not ref.items:
                return None
            else:
                ref = ref.items[0]
        return Place(ref, tags) if ref is not None else None

    def receiver(self, var: Var) -> int | None:
        """The tag that a variable is, where that is known before anything is computed; None of bits, of what is handed over, and elsewhere."""
        ref: Ref | None = self.instance.scope.get(var.base.lower()) or self.running.scope.scope.get(var.base.lower())
        for step in var.steps:
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif isinstance(step, Bit) or not isinstance(ref, Aggregate) or len(step.values) != len(ref.bounds) or not ref.items:
                return None
            else:
                offset = 0
                for value, (low, high) in zip(step.values, ref.bounds, strict=True):
                    if not isinstance(value, Constant) or not isinstance(value.value, int) or not low <= value.value <= high:
                        return None
                    offset = offset * (high - low + 1) + value.value - low
                ref = ref.items[offset]
        return ref.tag if isinstance(ref, Leaf) else None

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
        return self.operation(one.called.base.upper(), self.given(one), None)[1]

    def given(self, call: Apply) -> list[tuple[str, Expression]]:
        """What goes into a standard function, by pin in the order of the pins."""
        known = self._given.get(id(call))
        if known is None:
            known = self._given[id(call)] = call, given_pins(call)
        return known[1]

    def kept(self, value: Expression) -> Elementary:
        """The type in which a result is kept."""
        return self.kind(value) or ELEMENTARY["REAL" if self.fraction(value) else "DINT"]

    def result(self, called: Instance) -> Elementary | None:
        """The type of a function's result."""
        ref = called.scope.get(called.type_name.lower())
        return self.running.tags[ref.tag].type if isinstance(ref, Leaf) else None

    def shape(self, one: Expression | Ref) -> tuple[str, ...] | None:
        """The types of the leaves of an array or structure, in order; None of anything else.

        Args: one: a value, or what a parameter of a function or block of the file's own is.
        """
        ref: Ref | None = one if isinstance(one, (Leaf, Aggregate, Instance, ByReference)) else None
        tags: tuple[Tag, ...] | None = None
        if isinstance(one, Var) and self.constant(one) is None:
            place = self.place(one)
            ref, tags = (place.ref, place.tags) if place is not None else (None, None)
        elif isinstance(one, Apply):
            called = self.function(one)
            ref = called.scope.get(called.type_name.lower()) if called is not None else None
        return tuple(leaf_types(ref, tags if tags is not None else self.running.tags)) if isinstance(ref, Aggregate) else None

    def fraction(self, one: Expression) -> bool:
        """Whether a value without a type of its own has a fraction in it."""
        if isinstance(one, Constant):
            return not one.named and isinstance(one.value, float)
        if isinstance(one, Unary):
            return self.fraction(one.value)
        if isinstance(one, Binary):
            return one.code not in COMPARISONS and (self.fraction(one.left) or self.fraction(one.right))
        return isinstance(one, Apply) and self.kind(one) is None and any(self.fraction(v) for n, v in self.given(one) if n not in NUMBER_PINS)

    def operation(self, name: str, given: list[tuple[str, Expression]], want: Elementary | None) -> tuple[Elementary, Elementary | None]:
        """(the type that a standard function is computed in, that of its result, None where it takes that of what stands around it).

        Args: name: in capitals, with the type that it may name; want: the type that is asked for, which operands without a type take.
        """
        name, own = typed(name)
        if own is not None and own.family is not Family.STRING:
            return own, BOOL if name in COMPARISONS else own
        kinds = [self.kind(v) for n, v in given if n not in NUMBER_PINS]
        fraction = None in kinds and any(self.fraction(v) for n, v in given if n not in NUMBER_PINS and self.kind(v) is None)
        key: tuple[object, ...] = (name, fraction, id(want), *map(id, kinds))  # types stay as long as the program
        found = self._operations.get(key)
        if found is None:
            found = self._operations[key] = self._operation(name, kinds, fraction, want)
        return found

    @staticmethod
    def _operation(name: str, kinds: list[Elementary | None], fraction: bool, want: Elementary | None) -> tuple[Elementary, Elementary | None]:
        change = conversion(name)
        if change is not None:
            source = converted_from(change[0], next(iter(kinds), None), change[1]) or ELEMENTARY["REAL" if fraction else "DINT"]
            return source, change[1]
        of_dates = dated(name, kinds)
        if of_dates is not None:
            return of_dates
        if name in TEXTS:
            return ELEMENTARY["STRING"], ELEMENTARY["INT" if name in ("LEN", "FIND") else "STRING"]
        if name in REALS | OF_TWO:
            base = common(kinds[:1] if name != "ATAN2" else kinds, want if want is not None and want.family is Family.REAL else ELEMENTARY["REAL"])
            found = base if base.family is Family.REAL else ELEMENTARY["LREAL" if base.bits > 16 else "REAL"]
            return found, found if kinds[0] is not None else None
        if name == "TRUNC":
            found = common(kinds, ELEMENTARY["REAL" if fraction else "LREAL"])
            return found if found.family is Family.REAL else ELEMENTARY["LREAL" if found.bits > 16 else "REAL"], want or ELEMENTARY["DINT"]
        if name in {"MUL", "DIV"} | TIMES and any(k is not None and k.family is Family.TIME for k in kinds):
            return ELEMENTARY["TIME"], ELEMENTARY["TIME"]
        if name in CHECKS:
            return common(kinds, ELEMENTARY["REAL"] if name == "IS_VALID" else ELEMENTARY["DWORD"]), BOOL
        untyped = all(k is None for k in kinds)
        target = None if name in COMPARISONS else wanted(name, want)
        found = common(beside_signs(name, kinds), target)
        if found.family is Family.BOOL and (name in ARITHMETIC or (untyped and name not in BITWISE)):
            found = ELEMENTARY["DINT"]
        if found.family is not Family.REAL and fraction and not (untyped and target is not None and name in SELECTIONS):
            found = widen(found, ELEMENTARY["REAL"]) if not untyped else ELEMENTARY["REAL"]
        if name in COMPARISONS:
            return found, BOOL
        return found, None if untyped and want is None else found


def is_function_name(name: str) -> bool:
    """Whether a name is a function of the standard, or an order to the controller."""
    upper = name.upper()
    return upper in ORDERS or typed(upper)[1] is not None or (upper in STANDARD or cut_of(name) is not None or conversion(name) is not None
                               or dates_made(upper) is not None or date_part(upper) is not None)


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


def is_function(instance: Instance) -> bool:
    """Whether an instance is a function's variables."""
    return instance.pou is not None and instance.pou.kind is PouKind.FUNCTION


