"""What a name in a body stands for, counted from the bases of the instance at work."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.code import Base, Const, Convert, Expr, Load, Spot, Target, Term
from whorlograph.model.paths import Path, parse_path
from whorlograph.model.program import PouKind
from whorlograph.model.tags import Aggregate, BitOf, ByReference, Element, Instance, Leaf, Ref, Running, Tag, resolve_path
from whorlograph.model.types import BOOL, Elementary

from .layout import Regions


class Variable(Struct, frozen=True):
    """A cell by name: its target, the type of what stands there, and the tag it is (of an array: its first)."""

    target: Target
    type: Elementary
    tag: Tag


class Block(Struct, frozen=True):
    """An instance by name: where it lies."""

    where: Spot
    instance: Instance


class Whole(Struct, frozen=True):
    """An array or structure by name: its first cell and how many there are."""

    target: Target
    cells: int


Meaning = Variable | Block | Whole


class Names:
    """Resolves the names of one POU, looked at in one of its instances: they all lie alike."""

    def __init__(self, running: Running, instance: Instance, regions: Regions) -> None:
        self.running, self.instance, self.regions = running, instance, regions
        function = instance.pou is not None and instance.pou.kind is PouKind.FUNCTION
        self.own = Base.FRAME if function else Base.OWN
        self.params = [name for name, ref in instance.scope.items() if isinstance(ref, ByReference)]

    def find(self, text: str, at: int) -> Meaning | None:
        """What a name stands for; None where it stands for nothing. ``at``: the node that a subscript's fault names."""
        path = parse_path(text)
        return self.of(path, at) if path is not None else None

    def of(self, path: Path, at: int) -> Meaning | None:
        """The same for a path that has been read."""
        ref = self.instance.scope.get(path.base.lower())
        if isinstance(ref, ByReference):
            return self._param(path, ref, at)
        found = resolve_path(path, self.instance, self.running.scope)
        if isinstance(found, Instance):
            return Block(self.regions.spot(found, self.instance, self.own), found)
        if isinstance(found, Aggregate):
            base, cell = self._placed(found.first)
            return Whole(Target(base, cell, ""), found.cells)
        if not isinstance(found, (Leaf, BitOf, Element)):
            return None
        first = found.first if isinstance(found, Element) else found.tag
        base, cell = self._placed(first)
        return self._variable(found, base, cell, self.running.tags[first], at, -1)

    def _placed(self, tag: int) -> tuple[int, int]:
        first = self.instance.first
        if first <= tag < first + self.instance.count:
            return self.own, tag - first
        return Base.GLOBAL, tag

    def _variable(self, found: Leaf | BitOf | Element, base: int, cell: int, tag: Tag, at: int, param: int) -> Variable:
        terms: tuple[Term, ...] = ()
        if isinstance(found, Element):
            terms = tuple(Term(self._subscript(path, at), low, high, stride, at) for path, low, high, stride in found.terms)
        if isinstance(found, BitOf):
            return Variable(Target(base, cell, tag.type.name, terms, found.bit, 1, param), BOOL, tag)
        return Variable(Target(base, cell, tag.type.name, terms, 0, 0, param), tag.type, tag)

    def _param(self, path: Path, ref: ByReference, at: int) -> Meaning | None:
        param = self.params.index(path.base.lower())
        if ref.shape is None:
            return None
        holder = Instance("", "", None, {path.base.lower(): ref.shape})
        found = resolve_path(path, holder, holder)
        if isinstance(found, Instance):
            spot = self.regions.spot(found, ref.shape, Base.PARAM) if isinstance(ref.shape, Instance) else None
            return Block(Spot(Base.PARAM, spot.own, spot.hidden, spot.step, param), found) if spot is not None else None
        if isinstance(found, Aggregate):
            return Whole(Target(Base.PARAM, found.first, "", (), 0, 0, param), found.cells)
        if not isinstance(found, (Leaf, BitOf, Element)):
            return None
        first = found.first if isinstance(found, Element) else found.tag
        return self._variable(found, Base.PARAM, first, ref.tags[first], at, param)

    def _subscript(self, path: Path, at: int) -> Expr:
        found = self.of(path, at)
        if not isinstance(found, Variable):
            return Const(0, "LINT")
        value: Expr = Load(found.target, found.type.name, at)
        return value if found.type.name == "LINT" else Convert("WIDEN", "LINT", value, at)


def kind_of(ref: Ref | None) -> str:
    """Which kind of thing a VAR_IN_OUT stands for."""
    if isinstance(ref, Instance):
        return "instance"
    return "cell"
