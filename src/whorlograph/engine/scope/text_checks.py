"""Statements that cannot be executed: what in them names nothing, or does not fit where it stands."""

from __future__ import annotations

from collections.abc import Sequence

from whorlograph.model.paths import Bit
from whorlograph.model.pins import FUNCTION_PINS
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf
from whorlograph.model.text import (
    Apply,
    Assign,
    Binary,
    Case,
    Choose,
    Constant,
    Expression,
    For,
    Go,
    Statement,
    Together,
    Unary,
    Until,
    Var,
    While,
)
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import ELEMENTARY, Elementary, Family

from .open_arrays import BOUNDS, NO_LENGTH
from .operands import Operand, taken, unfit, unlike, wrong_number
from .text_parts import parts, subscripts
from .text_types import ORDERS, STANDARD, Scope, given_pins, is_chosen, is_function_name, leaf_types, parameters, shown, standard_parameters
from .widening import BITWISE, COMPARISONS, NUMBER_PINS, TEXTS

MOST_HANDED = 4096  # leaves of an array or structure that a function takes or gives


class Checks:
    """Looks at the statements of one instance."""

    def __init__(self, scope: Scope) -> None:
        self.scope = scope

    def why(self, statement: Statement) -> str:
        """Why a statement cannot be executed; "" where it can."""
        return "" if self._plain(statement) else self.looked_through(statement)

    def value(self, one: Expression) -> str:
        """Why a value cannot be computed; "" where it can."""
        if self._plain(one):
            return ""
        return next((why for part in parts(one) if (why := self._part(part))), "")

    def looked_through(self, statement: Statement) -> str:
        """The same, part by part."""
        found = [*parts(statement)]
        named = {id(a.value) for p in found if type(p) is Apply and p.called.base.upper() in ORDERS for a in p.arguments}
        for part in found:
            if type(part) is Var and not part.steps and self.scope.variable(part) is not None:
                continue
            why = self._part(part) if id(part) not in named else ""
            if why:
                return why
        return ""

    def _plain(self, one: Statement | Expression) -> bool:
        """Whether it is made only of what most texts are made of, with nothing wrong: single values that are no texts, signs between them,
        IF and CASE. What is not has to be looked through.
        """
        if isinstance(one, Var):
            return self._plain_variable(one) or self._enumerator(one)
        if isinstance(one, Binary):
            odd = Family.REAL if one.code in BITWISE else Family.TIME if one.code in ("MUL", "DIV") else None
            fits = odd is None or not (self._is_of(odd, one.left) or self._is_of(odd, one.right))
            return fits and one.code not in TEXTS and self._plain(one.left) and self._plain(one.right)
        if isinstance(one, Constant):
            return not isinstance(one.value, str) and (not one.named or ELEMENTARY[one.named].family is not Family.DATE)
        if isinstance(one, Unary):
            return self._plain(one.value) and not (one.code in BITWISE and self._is_of(Family.REAL, one.value))
        if isinstance(one, Assign):
            return self._plain_variable(one.target) and self.scope.constant(one.target) is None and self._plain(one.value)
        if isinstance(one, Choose):
            tests = [b.test for b in one.branches]
            inner = [s for b in one.branches for s in b.statements]
            return all(map(self._plain, tests)) and all(map(self._whole, tests)) and all(map(self._plain, (*inner, *one.other)))
        if isinstance(one, Case):
            values = [v for b in one.branches for label in b.labels for v in (label.low, label.high) if v is not None]
            inner = [s for b in one.branches for s in b.statements]
            return self._plain(one.selector) and self._whole(one.selector) and all(map(self._plain, (*values, *inner, *one.other)))
        return isinstance(one, Together) and all(map(self._plain, one.statements))

    def _whole(self, one: Expression) -> bool:
        """Whether a value is what decides or counts: a BOOL, a whole number, bits."""
        if isinstance(one, (Unary, Binary)) and one.code in BITWISE | COMPARISONS:
            return True  # whether that can be computed is looked at by itself
        kind = self.scope.variable(one) if isinstance(one, Var) and self.scope.constant(one) is None else self.scope.kind(one)
        return kind.decides if kind is not None else self._is_whole(one) or not self.scope.fraction(one)

    def _is_of(self, family: Family, one: Expression) -> bool:
        """Whether a value is a REAL, or a TIME: signs that join bits or compare make neither."""
        if isinstance(one, (Unary, Binary)) and one.code in BITWISE | COMPARISONS:
            return False
        kind = self.scope.variable(one) if isinstance(one, Var) else self.scope.kind(one)
        if kind is not None:
            return kind.family is family
        return family is Family.REAL and not isinstance(one, Var) and self.scope.fraction(one)

    def _plain_variable(self, var: Var) -> bool:
        type_ = self.scope.variable(var)
        if type_ is None or type_.family in (Family.STRING, Family.DATE):
            return False
        return all(self._plain(v) and self._whole(v) for v in subscripts(var)) if var.steps else True

    def _enumerator(self, var: Var) -> bool:
        read = self.scope.constant(var)
        return read is not None and not isinstance(read[1], str)

    def _part(self, part: Statement | Expression | Var) -> str:
        if isinstance(part, Var):
            if self.scope.constant(part) is None and self.scope.place(part) is None:
                last = part.steps[-1] if part.steps else None
                whole = Var(part.at, part.line, part.base, part.steps[:-1])
                if isinstance(last, Bit) and self.scope.variable(whole) is not None:
                    return f"{shown(whole)} has no bit {last.number}"
                return f"{shown(part)} names nothing that is declared"
            return self._none_whole(subscripts(part), "chooses in an array")
        if isinstance(part, (Choose, Case, While, Until, Go, For)):
            undecided = self._none_whole(*_deciding(part))
            if undecided or not isinstance(part, For):
                return undecided
        if isinstance(part, Apply):
            return self._call(part)
        if isinstance(part, (Unary, Binary)):
            values = [part.value] if isinstance(part, Unary) else [part.left, part.right]
            kinds = [self.scope.kind(v) for v in values]
            if part.code not in TEXTS | BITWISE and all(k is not None and (k.decides or k.family is Family.REAL) for k in kinds):
                return ""
            wrong = [v for v in values if self._is_whole(v)]
            return f"{shown(wrong[0])} is no single value" if wrong else self._mixed(part.code, values)
        if isinstance(part, Assign):
            return self._assigned(part)
        if isinstance(part, For) and (self.scope.variable(part.variable) is None or not self._number(part.variable)):
            return f"{shown(part.variable)} counts a loop and is no whole number"
        return ""

    def _operand(self, one: Expression) -> Operand:
        if isinstance(one, (Unary, Binary)):
            kind = self.scope.kind(one)  # no sign makes a text, and whether one can join its bits is looked at by itself
            odd = kind is not None and (kind.family is Family.STRING or (kind.family is Family.REAL and one.code in BITWISE))
            return Operand(shown(one), None if odd else kind, self.scope.fraction(one) and kind is None)
        kind = self.scope.kind(one)
        return Operand(shown(one), kind, kind is None and self.scope.fraction(one))

    def _none_whole(self, values: Sequence[Expression], verb: str) -> str:
        """Why values cannot decide or count; "" where they can. Args: verb: what they do."""
        wrong = next((v for v in values if self._is_whole(v) or not self._whole(v)), None)
        return f"{shown(wrong)} {verb} and is no whole number and no BOOL" if wrong is not None else ""

    def _mixed(self, name: str, values: list[Expression]) -> str:
        """Why a function cannot be computed of its operands."""
        return unfit(name, [self._operand(v) for v in values], [], True)

    def _taken(self, type_: Elementary | None, value: Expression, name: str) -> str:
        """Why a variable of a type cannot take a value."""
        return taken(type_, self._operand(value), name) if type_ is not None else ""

    def _number(self, var: Var) -> bool:
        type_ = self.scope.variable(var)
        return type_ is not None and type_.whole

    def _is_whole(self, one: Expression) -> bool:
        """Whether a value is an array, a structure or a block, not one value."""
        if not isinstance(one, Var):
            return self.scope.shape(one) is not None
        return self.scope.constant(one) is None and self.scope.place(one) is not None and self.scope.variable(one) is None

    def _assigned(self, part: Assign) -> str:
        if self.scope.constant(part.target) is not None:
            return f"{shown(part.target)} is a constant"
        into, shape, source = self.scope.place(part.target), self.scope.shape(part.target), self.scope.shape(part.value)
        if shape is not None and source is not None:
            return "" if shape == source else "its sides have other shapes"
        if shape is not None or self._is_whole(part.value) or (into is not None and isinstance(into.ref, Instance)):
            return f"{shown(part.target)} takes no single value"
        return self._taken(self.scope.variable(part.target), part.value, shown(part.target))

    def _call(self, part: Apply) -> str:
        name = part.called.base
        if part.called.steps or self.scope.function(part) is None:
            block = self.scope.block(part)
            if block is not None:
                unknown = [a.name for a in part.arguments if a.name and a.name.lower() not in block.scope and a.name.upper() not in ("EN", "ENO")]
                return f"{shown(part.called)} has no {unknown[0]}" if unknown else self._given(block, part)
            upper = name.upper()
            if is_function_name(name):
                if upper in ORDERS:
                    return ""
                if any(a.name.upper() in ("EN", "ENO") for a in part.arguments):
                    return f"{name} has no EN and no ENO inside an expression: a call that has stands alone behind :="
                if not given_pins(part):
                    return f"{name} has no operand"
                upper, own = typed(upper)
                unknown = [n for n, _ in given_pins(part) if upper in FUNCTION_PINS and n not in FUNCTION_PINS[upper]]
                if unknown:
                    return f"{name} has no {unknown[0]}"
                data = [v for n, v in given_pins(part) if n not in NUMBER_PINS]
                counts = [self._operand(v) for n, v in given_pins(part) if n in NUMBER_PINS]
                operands = [self._operand(v) for v in data]
                return wrong_number(upper, len(given_pins(part))) or unfit(upper, operands, counts, upper in STANDARD) or unlike(name, own, operands)
            if name.lower() in self.scope.running.any_length:
                return f"{name} {NO_LENGTH}"
            if upper in BOUNDS:
                return f"{name} takes an array by name, and which of its subscripts as a number that is written down"
            return f"{shown(part.called)} is no function and no block"
        called = self.scope.function(part)
        assert called is not None
        unknown = [a.name for a in part.arguments if a.name and a.name.lower() not in called.scope]
        enable, left_out = called.scope.get("en"), all(a.name and a.name.lower() != "en" for a in part.arguments)
        if isinstance(enable, Leaf) and left_out and not self.scope.running.tags[enable.tag].initial:
            return f"{name} declares EN itself, and not as TRUE where it is left out"  # as it is where a call that has one is executed
        return f"{name} has no {unknown[0]}" if unknown else self._given(called, part)

    def _given(self, called: Instance, part: Apply) -> str:
        """Why what is handed over does not fit: texts go into texts only, arrays and structures into others of their shape."""
        for name, one in parameters(called, part) if called.pou is not None else standard_parameters(called, part):
            ref = called.scope.get(name)
            if isinstance(ref, ByReference):
                why = self._by_reference(ref, one.value, one.name or name.upper()) if one.value is not None else ""
                if why:
                    return why
                continue
            type_ = self.scope.running.tags[ref.tag].type if isinstance(ref, Leaf) and ref.tag < len(self.scope.running.tags) else None
            handed = one.value if one.value is not None else one.output
            shape = self.scope.shape(ref) if isinstance(ref, (Leaf, Aggregate)) else None
            if handed is not None and isinstance(ref, (Leaf, Aggregate)) and self.scope.shape(handed) != shape:
                return f"{shown(handed)} has another shape than {one.name or name.upper()}"
            if shape is not None and len(shape) > MOST_HANDED and self.scope.function(part) is not None:
                return f"{shown(part.called)} is handed {len(shape):,} values: {MOST_HANDED:,} are the most; declare {name} as VAR_IN_OUT"
            why = self._taken(type_, one.value, one.name or name.upper()) if one.value is not None and not self._is_whole(one.value) else ""
            if why:
                return why
        return ""

    def _by_reference(self, ref: ByReference, value: Expression, name: str) -> str:
        """Why a VAR_IN_OUT cannot stand for something: only for a variable, of its own type."""
        place = self.scope.place(value) if isinstance(value, Var) and self.scope.constant(value) is None else None
        if not isinstance(value, Var) or place is None:
            return f"{shown(value)} is no variable, and {name} stands for one (VAR_IN_OUT)"
        if isinstance(ref.shape, Instance) and is_chosen(value):
            return f"{shown(value)} is chosen by a subscript: a block cannot be handed over so"
        handed = ("BOOL",) if place.bit >= 0 else tuple(leaf_types(place.ref, place.tags if place.tags is not None else self.scope.running.tags))
        if ref.shape is not None and handed != tuple(leaf_types(ref.shape, ref.tags)):
            return f"{shown(value)} has another {'type' if len(handed) == 1 else 'shape'} than {name}, which stands for it (VAR_IN_OUT)"
        return ""


def _deciding(part: Choose | Case | While | Until | Go | For) -> tuple[list[Expression], str]:
    """What decides how a statement goes on, and how that is said."""
    if isinstance(part, For):
        return [part.first, part.last, *([part.by] if part.by is not None else [])], "counts a loop"
    if isinstance(part, Case):
        return [part.selector], "chooses in CASE"
    tests = [b.test for b in part.branches] if isinstance(part, Choose) else [part.test] if part.test is not None else []
    return tests, "is a condition"
