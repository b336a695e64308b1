"""Standard functions in a drawn rung that cannot be computed of what is wired to them, and texts that go where none are taken."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.ladder import Block, OutVariable, Rung, Wire
from whorlograph.model.pins import output_pin
from whorlograph.model.program import VariableKind
from whorlograph.model.tags import Instance, Running
from whorlograph.model.typed_functions import typed
from whorlograph.model.types import ELEMENTARY, Elementary

from .operands import NEEDS_ALL, Operand, taken, unfit, unlike, wrong_number
from .rung_types import RungTypes, TypeOf, called_instance
from .text_types import STANDARD, is_function_name
from .wholes import Wires
from .widening import NUMBER_PINS


def has_operands(rung: Rung) -> bool:
    """Whether anything is wired to a block of a rung but what it is enabled by."""
    return any(p.wires for e in rung.elements if isinstance(e, Block) for p in e.inputs if p.name.upper() != "EN")


def odd_operands(rung: Rung, instance: Instance, running: Running, types: RungTypes, wholes: bool, type_of: TypeOf) -> str:
    """Why a block of a rung cannot be computed; "" where all can. Args: types: in the rung; wholes: whether arrays or structures are on its wires;
    type_of: gives the type of a variable.
    """
    found = _Rung(rung, instance, running, types, wholes, type_of)
    return next((why for e in rung.elements if isinstance(e, Block) for why in found.of_block(e)), "") or next((why for why in found.outputs()), "")


@lru_cache(4096)
def _is_fit(name: str, kinds: tuple[tuple[str, str, bool], ...]) -> bool:
    """Whether a function can be computed of operands, told by pin, type ("" for none) and whether they are literals with a fraction."""
    return not _unfit(name, [(pin, Operand("", ELEMENTARY.get(kind), fraction)) for pin, kind, fraction in kinds])


def _unfit(name: str, operands: list[tuple[str, Operand]]) -> str:
    """Why a function cannot be computed of operands, told by pin; "" where it can."""
    data = [one for pin, one in operands if pin not in NUMBER_PINS]
    plain, own = typed(name)
    few = wrong_number(plain, len(operands)) if plain in NEEDS_ALL and operands else ""
    return few or unfit(plain, data, [one for pin, one in operands if pin in NUMBER_PINS], plain in STANDARD) or unlike(name, own, data)


class _Rung:
    """What each wire of a rung carries, as an operand."""

    def __init__(self, rung: Rung, instance: Instance, running: Running, types: RungTypes, wholes: bool, type_of: TypeOf) -> None:
        self.rung, self.instance, self.running, self.types, self.wholes, self.type_of = rung, instance, running, types, wholes, type_of
        self.wires = Wires(rung, instance, running)

    def is_whole(self, wire: Wire) -> bool:
        """Whether a wire carries an array or structure."""
        return self.wholes and self.wires.carried(wire) is not None

    def kind(self, wire: Wire) -> Elementary | None:
        """The type that a wire carries; None for an untyped literal, an array or a structure."""
        source = self.wires.ids.get(wire.source)
        named = Wire(wire.source, output_pin(wire, source)) if isinstance(source, Block) else wire
        return None if self.is_whole(wire) else self.types.of(named)

    def operand(self, wire: Wire) -> Operand:
        """What a wire carries."""
        return Operand(self.wires.name(wire), self.kind(wire), wire.source in self.types.real_literals)

    def of_block(self, block: Block) -> Iterator[str]:
        """Why a block cannot be computed."""
        pins = [(p.name.upper(), p.wires[0]) for p in block.inputs if p.wires and p.name.upper() != "EN"]
        called = called_instance(block, self.instance, self.running)
        name = block.type_name.upper()
        if called is None and not block.instance and is_function_name(name):
            kinds = tuple([(pin, kind.name if (kind := self.kind(wire)) else "", wire.source in self.types.real_literals) for pin, wire in pins])
            if not _is_fit(name, kinds):
                yield _unfit(name, [(pin, self.operand(wire)) for pin, wire in pins])
        for pin, wire in pins if called is not None else ():
            yield from self.into(self.of_pin(called, pin), wire, f"{block.instance or block.type_name}.{pin}")

    def of_pin(self, called: Instance | None, pin: str) -> Elementary | None:
        """The type of an input of what a block calls."""
        if called is None:
            return None
        if called.pou is None:
            return dict(STANDARD_BLOCKS[called.type_name.upper()][0]).get(pin)
        known = any(v.name.upper() == pin and v.kind is VariableKind.INPUT for v in called.pou.variables)
        return self.type_of(pin, called) if known else None

    def outputs(self) -> Iterator[str]:
        """Texts that go to a variable that is none, and the other way round."""
        for element in self.rung.elements:
            if isinstance(element, OutVariable):
                type_ = self.type_of(element.expression, self.instance)
                for wire in element.wires:
                    yield from self.into(type_, wire, element.expression.strip())

    def into(self, type_: Elementary | None, wire: Wire, name: str) -> Iterator[str]:
        """Why a wire does not bring what is taken."""
        why = "" if self.is_whole(wire) else taken(type_, self.operand(wire), name)
        if why:
            yield why
