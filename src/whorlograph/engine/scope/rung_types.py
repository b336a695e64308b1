"""Which type each wire of a rung carries, and in which type each function is computed."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from msgspec import Struct, field

from whorlograph.engine.scope.pin_values import computed_at, element_at
from whorlograph.engine.scope.text_types import Scope
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.ladder import Block, InOutVariable, InVariable, OutVariable, Rung, Wire
from whorlograph.model.paths import parse_path
from whorlograph.model.program import VariableKind
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step
from whorlograph.model.tags import BitOf, ByReference, Element, Instance, Leaf, Running, resolve_path
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import BOOL, ELEMENTARY, Elementary, Family

from .constants import constant_of
from .widening import (
    ARITHMETIC,
    BITWISE,
    CHECKS,
    COMPARISONS,
    NUMBER_PINS,
    OF_TWO,
    ORDERS_OF_BYTES,
    REALS,
    SCALED,
    SHIFTS,
    TEXTS,
    beside_signs,
    common,
    conversion,
    converted_from,
    dated,
    wanted,
    widen,
)

Source = tuple[int, str]
_LOGIC = frozenset({"AND", "OR", "XOR"})
TypeOf = Callable[[str, Instance], Elementary | None]


class RungTypes(Struct):
    """``outputs`` by (element, pin), None for an untyped literal; ``operation`` by function block's element.

    ``real_literals``: elements that are untyped literals with a fraction or exponent; ``logic``: whether all is BOOL, what is not told too.
    """

    outputs: dict[Source, Elementary | None] = field(default_factory=dict)
    operation: dict[int, Elementary] = field(default_factory=dict)
    real_literals: set[int] = field(default_factory=set)
    logic: bool = False

    def of(self, wire: Wire) -> Elementary | None:
        """The type that a wire carries; BOOL for power."""
        return self.outputs.get((wire.source, wire.pin), BOOL)


def variable_type(text: str, instance: Instance, running: Running) -> Elementary | None:
    """The type of a variable as a body names it; None where it stands for no leaf."""
    path = parse_path(text)
    if path is None:
        element = element_at(text, 0)
        return Scope(instance, running).variable(element) if element is not None else None
    target = resolve_path(path, instance, running.scope)
    if isinstance(target, Leaf):
        return running.tags[target.tag].type
    if isinstance(target, BitOf):
        return BOOL
    if isinstance(target, Element):
        return running.tags[target.first].type
    return None


def called_instance(block: Block, instance: Instance, running: Running) -> Instance | None:
    """The instance that a block element calls; a function's own for a function of the file; None else."""
    if block.instance:
        path = parse_path(block.instance)
        target = resolve_path(path, instance, running.scope) if path is not None else None
        return target if isinstance(target, Instance) else None
    return running.functions.get(block.type_name.lower())


def handed_instance(block: Block, instance: Instance) -> tuple[ByReference, Instance] | None:
    """The VAR_IN_OUT through which a block element calls an instance, and that instance in its shape; None where it does not."""
    path = parse_path(block.instance) if block.instance else None
    ref = instance.scope.get(path.base.lower()) if path is not None else None
    if path is None or not isinstance(ref, ByReference) or ref.shape is None:
        return None
    holder = Instance("", "", None, {path.base.lower(): ref.shape})
    found = resolve_path(path, holder, holder)
    return (ref, found) if isinstance(found, Instance) else None


def rung_types(step: Step, running: Running, type_of: TypeOf | None = None) -> RungTypes:
    """Work out the types of one rung, in the order of evaluation. Args: type_of: gives the type of a variable by its text, where that is known."""
    type_of = type_of or (lambda text, instance: variable_type(text, instance, running))
    found = RungTypes()
    rung = step.rung
    targets = {(w.source, w.pin): kind for e in rung.elements if isinstance(e, (OutVariable, InOutVariable)) for w in e.wires
               if (kind := type_of(e.expression, step.instance)) is not None}
    for element in evaluation_order(rung):
        if isinstance(element, (InVariable, InOutVariable)):
            computed = computed_at(element.expression, element.id) if isinstance(element, InVariable) else None
            if computed is not None:
                scope = Scope(step.instance, running)
                found.outputs[element.id, ""] = scope.kind(computed)
                if scope.fraction(computed) and scope.kind(computed) is None:
                    found.real_literals.add(element.id)
                continue
            read = constant_of(element.expression, step.instance, running)
            kind = read[0] if read is not None else type_of(element.expression, step.instance)
            found.outputs[element.id, ""] = kind
            if read is not None and kind is None and isinstance(read[1], float):
                found.real_literals.add(element.id)
        elif isinstance(element, Block):
            _block(element, step, running, found, targets)
    return found


def only_logic(rung: Rung, instance: Instance, running: Running, type_of: TypeOf) -> bool:
    """Whether a rung has no blocks but AND, OR and XOR of several operands, and nothing but BOOL on its wires: nothing in it can be odd."""
    for one in rung.elements:
        if isinstance(one, Block):
            if one.instance or one.type_name not in _LOGIC or sum([bool(p.wires) and p.name.upper() != "EN" for p in one.inputs]) < 2:
                return False
        elif isinstance(one, (InVariable, OutVariable, InOutVariable)):
            if type_of(one.expression, instance) is not BOOL or constant_of(one.expression, instance, running) is not None:
                return False
    return True


def _block(block: Block, step: Step, running: Running, found: RungTypes, targets: dict[Source, Elementary]) -> None:
    def put(pin: str, type_: Elementary | None) -> None:
        found.outputs[block.id, pin] = type_
        found.outputs[block.id, pin.upper()] = type_
        found.outputs.setdefault((block.id, ""), type_)

    called = called_instance(block, step.instance, running)
    handed = handed_instance(block, step.instance)
    if handed is not None:
        for name, ref in handed[1].scope.items():
            if isinstance(ref, Leaf):
                put(name, handed[0].tags[ref.tag].type)
    elif called is not None and called.pou is not None:
        for variable in called.pou.variables:
            if variable.kind in (VariableKind.OUTPUT, VariableKind.IN_OUT):
                put(variable.name, variable_type(variable.name, called, running))
        if not block.instance:
            put("OUT", variable_type(called.pou.name, called, running))
            put(called.pou.name, variable_type(called.pou.name, called, running))
    elif called is not None:
        for pin, type_ in STANDARD_BLOCKS[called.type_name][1]:
            put(pin, type_)
    else:
        _function(block, found, targets, put)
    found.outputs[block.id, "ENO"] = BOOL


def _function(block: Block, found: RungTypes, targets: dict[Source, Elementary], put: Callable[[str, Elementary | None], None]) -> None:
    name = block.type_name.upper()
    operands, real = [], found.real_literals
    for pin in block.inputs:
        named = pin.name.upper()
        if named != "EN":
            kind = found.of(pin.wires[0]) if pin.wires else None
            operands.append((named, kind.name if kind is not None else "", bool(real) and any(w.source in real for w in pin.wires)))
    target = next((targets[key] for key in ((block.id, "OUT"), (block.id, ""), *[(block.id, p.name) for p in block.outputs])
                   if key in targets), None) if targets else None
    operation, result = _computed_in(name, tuple(operands), target.name if target is not None else "")
    found.operation[block.id] = operation
    put("OUT", result)
    for pin in block.outputs:
        if pin.name.upper() not in ("ENO", "OUT"):
            put(pin.name, result)


@lru_cache(4096)
def _computed_in(name: str, operands: tuple[tuple[str, str, bool], ...], into: str) -> tuple[Elementary, Elementary]:
    """The type in which a function is computed, and that of its result.

    Args: operands: by pin the type ("" for an untyped literal), and whether a literal with a fraction is wired to it; into: the type of what the
        result goes to, "" where it goes on.
    """
    name, own = typed(name)
    if own is not None and own.family is not Family.STRING:
        return own, BOOL if name in COMPARISONS else own
    types = {pin: ELEMENTARY.get(kind) for pin, kind, _ in operands}
    target = ELEMENTARY.get(into)
    if target is not None and target.family is Family.STRING and not any(t is not None and t.family is Family.STRING for t in types.values()):
        target = None  # no number is made a text by where it goes
    change = conversion(name)
    data = [t for n, t in types.items() if n not in NUMBER_PINS]
    if change is not None:
        source = converted_from(change[0], next(iter(types.values()), None), change[1]) or common([], None)
        operation, result = source, change[1]
    elif (of_dates := dated(name, data)) is not None:
        operation, result = of_dates
    elif name in TEXTS:
        operation, result = ELEMENTARY["STRING"], ELEMENTARY["INT" if name in ("LEN", "FIND") else "STRING"]
    elif name in COMPARISONS | CHECKS:
        operation, result = common(beside_signs(name, data), None), BOOL
    elif name == "TRUNC":
        number = common(data, ELEMENTARY["REAL"])
        operation = number if number.family is Family.REAL else ELEMENTARY["LREAL" if number.bits > 16 else "REAL"]
        result = target if target is not None and target.of_bits else ELEMENTARY["DINT"]
    elif name in REALS | OF_TWO:
        first = types.get("IN", types.get("IN1"))
        base = common([first] if name != "ATAN2" else data, target if target is not None and target.family is Family.REAL else ELEMENTARY["REAL"])
        operation = result = base if base.family is Family.REAL else ELEMENTARY["LREAL" if base.bits > 16 else "REAL"]
    elif name in SHIFTS | BITWISE | ORDERS_OF_BYTES:
        operation = result = common(data, wanted(name, target))
        if operation.family is Family.BOOL and name in ORDERS_OF_BYTES:
            operation = result = ELEMENTARY["DINT"]
    elif name in {"MUL", "DIV"} | SCALED and any(t is not None and t.family is Family.TIME for t in data):
        operation = result = ELEMENTARY["TIME"]
    else:
        operation = result = common(beside_signs(name, data), target)
        if operation.family is Family.BOOL and name in ARITHMETIC:
            operation = result = ELEMENTARY["DINT"]  # BOOL is no number: it counts 0 or 1
    if operation.family is not Family.REAL and change is None and any(fraction for pin, _, fraction in operands if pin not in NUMBER_PINS):
        operation = widen(operation, ELEMENTARY["REAL"]) if any(t is not None for t in data) else ELEMENTARY["REAL"]
        result = BOOL if name in COMPARISONS else operation
    return operation, result
