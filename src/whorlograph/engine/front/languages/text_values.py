"""Values of Structured Text: expressions, calls of functions and blocks, as code (IEC 61131-3:2013, 7.3.2)."""

from __future__ import annotations

from whorlograph.engine.code import (
    Base,
    Call,
    Const,
    Convert,
    Expr,
    If,
    Invoke,
    Let,
    Load,
    Op,
    Slot,
    Spot,
    Target,
)
from whorlograph.engine.front.builder import OFF, ON, Builder, constant, held, untyped, widened
from whorlograph.engine.front.functions import Functions
from whorlograph.engine.front.names import Block as BlockMeaning
from whorlograph.engine.front.names import Variable, Whole, leaves_of
from whorlograph.engine.scope.text_types import Scope, cut_of, given_pins, parameters, standard_parameters
from whorlograph.engine.scope.widening import BITWISE, SELECTIONS
from whorlograph.model.blocks import STANDARD_BLOCKS, family
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf
from whorlograph.model.text import (
    Apply,
    Argument,
    Binary,
    Constant,
    Expression,
    Keep,
    Kept,
    Unary,
    Var,
)
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, ELEMENTARY, LINT, Elementary, Family

from .laid_out import as_number, folded
from .text_names import Meaning, Names

_OF_ANY_TYPE = BITWISE | SELECTIONS


class Values:
    """What a statement computes and calls; what has to come before is put into the step.

    ``flags``: by node of a call, the slot that says whether it was executed.
    """

    def __init__(self, build: Builder, scope: Scope) -> None:
        self.b, self.scope, self.running = build, scope, build.running
        self.names, self.functions = Names(build, self._index), Functions(build)
        self.flags: dict[int, int] = {}
        self.results: dict[int, Expr] = {}  # of an instruction list, by the node that keeps it

    def begin(self) -> None:
        """The next step begins."""
        self.flags, self.results = {}, {}

    def keep(self, one: Keep) -> None:
        """An instruction list's result, for what reads it later."""
        type_, at = self.scope.kept(one.value), self.b.at(one.at)
        self.results[one.at] = self.b.let(self.as_type(one.value, type_, at), at)

    def find(self, var: Expression) -> Meaning | None:
        """What a variable's name stands for, its subscripts computed now."""
        return self.names.find(var)

    def _index(self, one: Expression, at: int) -> Expr:
        return self.b.keep(self.as_type(one, LINT, at), at)

    # calls

    def invoke(self, call: Apply) -> None:
        """A block: its inputs written, then it is executed, then its outputs go where they are wanted."""
        meaning = self.names.find(call.called)
        if not isinstance(meaning, BlockMeaning):
            self._astray(call)
            return
        at = self.b.at(call.at)
        enable = next((a.value for a in call.arguments if a.name.upper() == "EN" and a.value is not None), None)
        if enable is None:
            self._execute(call, meaning, at)
            return
        test = self.b.keep(self.boolean(enable), at)
        with self.b.apart() as found:
            self._execute(call, meaning, at)
        with self.b.apart() as otherwise:
            for one in call.arguments:
                if one.name.upper() == "ENO" and one.output is not None:
                    self.give(one, OFF, at)
        self.b.put(If(test, tuple(found), tuple(otherwise), at))

    def _astray(self, call: Apply) -> None:
        """A block chosen by a subscript that is none of those there are: looking for it halts."""
        enable = next((a.value for a in call.arguments if a.name.upper() == "EN" and a.value is not None), None)
        test = self.b.keep(self.boolean(enable), self.b.at(call.at)) if enable is not None else ON
        with self.b.apart() as found:
            looked = self.names.looked_for(call.called)
            if looked is not None:
                self.b.put(Let(self.b.slot(), Load(looked[0], looked[0].type, self.b.at(call.called.at)), self.b.at(call.called.at), looked[1]))
        self.b.put(If(test, tuple(found), (), self.b.at(call.at)))

    def _execute(self, call: Apply, meaning: BlockMeaning, at: int) -> None:
        called = meaning.instance
        given = standard_parameters(called, call) if called.pou is None else parameters(called, call)
        if called.pou is not None and self.b.names.own is not Base.FRAME:
            if call.at not in self.flags:
                self.flags[call.at] = self.b.slot()
            self.b.put(Let(self.flags[call.at], ON, at))
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                node = self.b.at(one.value.at, name.upper())
                variable = self.b.names.pin_of(meaning, ref.tag)
                receiver, self.b.receiver = self.b.receiver, variable.target
                value = self.b.keep(self.assigned(one.value, variable.type, node), node)
                self.b.receiver = receiver
                self.b.store(variable, value, node)
            elif isinstance(ref, Aggregate) and one.value is not None:
                self._fill(self.b.names.whole_pin(meaning, ref), self.whole(one.value), one.value.at)
        if called.pou is None:
            inputs, outputs = STANDARD_BLOCKS[called.type_name]
            self.b.put(Invoke(family(called.type_name), meaning.where, (*inputs, *outputs)[-1][1].name, at))
        else:
            self.call(call, called, meaning.where, (), ())
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.output is not None:
                node = self.b.at(one.output.at, name.upper())
                variable = self.b.names.pin_of(meaning, ref.tag)
                self.give(one, self.b.load(variable, node), node)
            elif isinstance(ref, Aggregate) and one.output is not None:
                self.give_whole(one.output, self.b.names.whole_pin(meaning, ref), one.output.at)
            elif name == "eno" and one.output is not None:
                self.give(one, ON, at)

    # arrays and structures

    def whole(self, one: Expression) -> Whole | list[Expr] | None:
        """An array or structure as it stands, or as a function gives it; None of anything else."""
        if isinstance(one, Var):
            found = self.names.find(one)
            return found if isinstance(found, Whole) else None
        called = self.scope.function(one) if isinstance(one, Apply) else None
        return self._results(one, called) if called is not None and isinstance(one, Apply) else None

    def give_whole(self, into: Var, source: Whole | list[Expr] | None, node: int) -> None:
        """An array or structure goes into a variable."""
        found = self.names.find(into)
        if isinstance(found, Whole):
            self._fill(found, source, node)

    def _fill(self, into: Whole, source: Whole | list[Expr] | None, node: int) -> None:
        """Fill an array or structure with another of its shape."""
        if source is not None:
            self.b.fill(into, source, node, node, "gate")

    def give(self, one: Argument, value: Expr, at: int) -> None:
        """What comes out goes into a variable."""
        into = self.names.find(one.output) if one.output is not None else None
        if isinstance(into, Variable):
            if one.negated:
                value = Op("NOT", value.type, (value,), at)
            self.b.store(into, self.b.keep(self._held(value, into.type, at), at, into.target), at)

    def call(self, call: Apply, called: Instance, spot: Spot, inputs: tuple[tuple[int, Expr], ...],
             results: tuple[tuple[int, int, str], ...]) -> None:
        """Execute a body of the file's own inside this step."""
        body = self.b.bodies.get(called.type_name.lower())
        if body is None:
            return
        handed: dict[str, tuple[Target | Spot | None, int]] = {}
        for name, one in parameters(called, call):
            if isinstance(called.scope.get(name), ByReference) and isinstance(one.value, Var):
                found = self.names.find(one.value)
                target = found.where if isinstance(found, BlockMeaning) else found.target if found is not None else None
                handed[name] = target, self.b.at(one.value.at, "handed")
        at = self.b.at(call.at)
        refs = [handed.get(name, (None, at)) for name, ref in called.scope.items() if isinstance(ref, ByReference)]
        self.b.put(Call(body, spot, inputs, tuple(r for r, _ in refs), results, at, tuple(n for _, n in refs)))

    def function(self, call: Apply, called: Instance) -> Expr:
        """A function of the file's own: operands left of it are taken before, its variables begin anew."""
        results = self._results(call, called)
        return results[0] if results else OFF

    def _results(self, call: Apply, called: Instance) -> list[Expr]:
        """What a function of the file's own gives, leaf by leaf."""
        inputs: list[tuple[int, Expr]] = []
        given = parameters(called, call)
        for name, one in given:
            ref = called.scope.get(name)
            if isinstance(ref, Leaf) and one.value is not None:
                node, tag = self.b.at(one.value.at, name.upper()), self.running.tags[ref.tag]
                variable = Variable(Target(Base.GLOBAL, ref.tag, tag.type.name), tag.type, tag)
                value = self.b.ranged(variable, self.assigned(one.value, tag.type, node), node)
                inputs.append((ref.tag - called.first, self.b.keep(value, node)))
            elif isinstance(ref, Aggregate) and one.value is not None:
                for tag_number, value in zip(leaves_of(ref), self.b.leaves(self.whole(one.value) or [], one.value.at, "gate"), strict=False):
                    inputs.append((tag_number - called.first, self.b.keep(value, self.b.at(one.value.at, name.upper()))))
        outputs = [(one, ref) for name, one in given if one.output is not None and isinstance(ref := called.scope.get(name), (Leaf, Aggregate))]
        result = called.scope.get(called.type_name.lower())
        wanted = [tag for _, ref in outputs for tag in leaves_of(ref)] + (list(leaves_of(result)) if result is not None else [])
        slots = {tag: self.b.slot() for tag in wanted}
        results = tuple((tag - called.first, slot, self.running.tags[tag].type.name) for tag, slot in slots.items())
        self.call(call, called, Spot(Base.GLOBAL, self.b.regions.number[id(called)]), tuple(inputs), results)
        made: dict[int, Expr] = {tag: Slot(slot, self.running.tags[tag].type.name) for tag, slot in slots.items()}
        for one, ref in outputs:
            if isinstance(ref, Leaf):
                self.give(one, made[ref.tag], self.b.at(call.at, one.name.upper()))
            elif one.output is not None:
                self.give_whole(one.output, [made[tag] for tag in leaves_of(ref)], call.at)
        given_back = list(leaves_of(result)) if result is not None else []
        if self.b.bodies.get(called.type_name.lower()) is None:
            types = [self.running.tags[tag].type for tag in given_back]
            return [Const(0, type_.name) if type_.family is not Family.BOOL else OFF for type_ in types]
        return [made[tag] for tag in given_back]

    # values

    def boolean(self, one: Expression) -> Expr:
        """A value as a condition."""
        value = self.value(one, BOOL)
        return value if value.type == "BOOL" else Convert("WIDEN", "BOOL", value, self.b.at(one.at))

    def as_type(self, one: Expression, type_: Elementary, at: int) -> Expr:
        """A value widened to the type in which it is computed."""
        value = self.value(one, type_)
        return as_number(value, type_, at) if self.b.passing else widened(value, type_, at)

    def assigned(self, one: Expression, type_: Elementary, at: int) -> Expr:
        """A value on its way into a variable of a type."""
        if type_.family is Family.BOOL:
            return self.boolean(one)
        return self._held(self.value(one, type_), type_, at)

    def _held(self, value: Expr, type_: Elementary, at: int) -> Expr:
        if type_.family is Family.BOOL:
            return value if value.type == "BOOL" else Convert("WIDEN", "BOOL", value, at)
        return held(value, type_, at)

    def value(self, one: Expression, want: Elementary | None) -> Expr:
        """A value in its own type; one without takes the type that is wanted."""
        if isinstance(one, Constant):
            return self.constant(one, want)
        if isinstance(one, Var):
            read = self.scope.constant(one)
            if read is not None:
                made = constant(read[1], read[0] or ELEMENTARY["INT"])
                return Const(made.value, made.type, self.b.at(one.at))
            found = self.names.find(one)
            if not isinstance(found, Variable):
                return OFF
            at = self.b.at(one.at, "gate")
            number = None if one.steps else found.tag.initial if found.target in self.b.fixed else self.b.known(one.base)
            if number is not None:
                self.b.let(self.b.load(found, at), at)  # read all the same: for the cross-reference, and the value beside the line
                return Const(number, found.type.name, at)
            return self.b.load(found, at)
        if isinstance(one, Unary):
            return self.operation(one.code, [("IN", one.value)], want, one.at)
        if isinstance(one, Binary):
            return self.operation(one.code, [("IN1", one.left), ("IN2", one.right)], want, one.at)
        if isinstance(one, Kept):
            return self.results[one.made]
        called = self.scope.function(one)
        if called is not None:
            return self.function(one, called)
        cut = cut_of(one.called.base)
        if cut is not None:
            source = given_pins(one)
            kind = self.scope.operation("TRUNC", source, None)[0]
            target = cut.target or (want if want is not None and want.whole else ELEMENTARY["DINT"])
            at = self.b.at(one.at)
            return Convert("TRUNC", target.name, self.b.keep(self.as_type(source[0][1], kind, at), at), at)
        return self.operation(one.called.base.upper(), given_pins(one), want, one.at)

    def constant(self, one: Constant, want: Elementary | None) -> Expr:
        """A literal in its own type, or the one that is wanted."""
        if one.named:
            return constant(one.value, ELEMENTARY[one.named])
        assert not isinstance(one.value, str)
        type_ = want
        if type_ is None or type_.bits == 0 or (type_.family is Family.BOOL and not isinstance(one.value, bool) and one.value not in (0, 1)):
            type_ = ELEMENTARY["REAL" if isinstance(one.value, float) else "DINT"]
        return untyped(one.value, type_, self.b.at(one.at))

    def operation(self, name: str, given: list[tuple[str, Expression]], want: Elementary | None, node: int) -> Expr:
        """A function of the standard."""
        plain = typed(name)[0]
        if want is not None and want.family is Family.BOOL and plain not in _OF_ANY_TYPE:
            want = None
        kind, result = self.scope.operation(name, given, want)
        at = self.b.at(node)
        operands = [_Operand(self, pin, value, kind, at) for pin, value in given]
        found = self.functions.value(plain, operands, kind, result or want, at)
        if found is None:
            return OFF
        return folded(found) if self.b.passing and isinstance(found, Op) else found


class _Operand:
    """One operand of a standard function: read in the type that it is asked for."""

    __slots__ = ("at", "kind", "name", "one", "values")

    def __init__(self, values: Values, pin: str, one: Expression, kind: Elementary, at: int) -> None:
        self.values, self.name, self.one, self.kind, self.at = values, pin, one, kind, at

    @property
    def real(self) -> bool:
        """Whether it is a real number."""
        kind = self.values.scope.kind(self.one)
        return kind.family is Family.REAL if kind is not None else self.values.scope.fraction(self.one)

    @property
    def time(self) -> bool:
        """Whether it is a TIME."""
        kind = self.values.scope.kind(self.one)
        return kind is not None and kind.family is Family.TIME

    def value(self) -> Expr:
        """In the operation's type."""
        return self.as_type(self.kind.name)

    def as_type(self, name: str) -> Expr:
        """In a type of its own."""
        if name == "BOOL":
            return self.values.boolean(self.one)
        return self.values.as_type(self.one, ELEMENTARY[name], self.at)
