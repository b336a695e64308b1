"""What a name in a body stands for, counted from the bases of the instance at work."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from whorlograph.engine.code import Base, Const, Convert, Expr, Load, Spot, Target, Term
from whorlograph.model.paths import Path, parse_path
from whorlograph.model.program import PouKind
from whorlograph.model.tags import Aggregate, BitOf, ByReference, Chosen, Element, Instance, Leaf, Ref, Running, Tag, resolve_path
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
    """An array or structure by name: its first cell, how many there are, and what lies in them, where no blocks are among it."""

    target: Target
    cells: int
    tags: tuple[Tag, ...] = ()

    def part(self, n: int) -> Variable:
        """One of its leaves."""
        tag, whole = self.tags[n], self.target
        return Variable(Target(whole.base, whole.cell + n, tag.type.name, whole.terms, 0, 0, whole.param), tag.type, tag)


def whole(ref: Aggregate, target: Target, tags: Sequence[Tag]) -> Whole:
    """An array or structure that lies from a target on. Args: tags: in which its leaves are counted."""
    leaves = [tags[n] for n in leaves_of(ref)]
    return Whole(target, ref.cells, tuple(leaves) if len(leaves) == ref.cells else ())


def leaves_of(ref: Ref) -> Iterator[int]:
    """The tags of a variable, in order; none of an instance's."""
    if isinstance(ref, Leaf):
        yield ref.tag
    elif isinstance(ref, Aggregate):
        for part in (*ref.items, *ref.fields.values()):
            yield from leaves_of(part)


Meaning = Variable | Block | Whole


class Names:
    """Resolves the names of one POU, looked at in one of its instances: they all lie alike."""

    def __init__(self, running: Running, instance: Instance, regions: Regions) -> None:
        self.running, self.instance, self.regions = running, instance, regions
        function = instance.pou is not None and instance.pou.kind is PouKind.FUNCTION
        self.own = Base.FRAME if function else Base.OWN
        self._fixed: dict[str, Variable] = {}
        self.params = [name for name, ref in instance.scope.items() if isinstance(ref, ByReference)]

    def find(self, text: str, at: int) -> Meaning | None:
        """What a name stands for; None where it stands for nothing. ``at``: the node that a subscript's fault names."""
        known = self._fixed.get(text)
        if known is not None:
            return known
        path = parse_path(text)
        found = self.of(path, at) if path is not None else None
        if isinstance(found, Variable) and not found.target.terms:
            self._fixed[text] = found  # no subscript that a node would have to be named for
        return found

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
            return whole(found, Target(base, cell, ""), self.running.tags)
        if isinstance(found, Chosen):
            base, cell = self._placed(found.ref.first)
            return whole(found.ref, Target(base, cell, "", self._terms(found, at)), self.running.tags)
        if not isinstance(found, (Leaf, BitOf, Element)):
            return None
        first = found.first if isinstance(found, Element) else found.tag
        base, cell = self._placed(first)
        return self._variable(found, base, cell, self.running.tags[first], at, -1)

    def pin_of(self, block: Block, tag: int) -> Variable:
        """A pin of an instance as a variable."""
        spot = block.where
        one = self.running.tags[tag] if spot.param < 0 else self._shape(spot.param)[tag]
        if spot.base == Base.GLOBAL:
            return Variable(Target(Base.GLOBAL, tag, one.type.name), one.type, one)
        return Variable(Target(spot.base, spot.own + tag - block.instance.first, one.type.name, (), 0, 0, spot.param), one.type, one)

    def whole_pin(self, block: Block, ref: Aggregate) -> Whole:
        """A pin of an instance that is an array or structure."""
        spot = block.where
        cell = ref.first if spot.base == Base.GLOBAL else spot.own + ref.first - block.instance.first
        return whole(ref, Target(spot.base, cell, "", (), 0, 0, spot.param), self.running.tags if spot.param < 0 else self._shape(spot.param))

    def _shape(self, param: int) -> Sequence[Tag]:
        """The leaves of what is handed over as a VAR_IN_OUT."""
        ref = self.instance.scope[self.params[param]]
        assert isinstance(ref, ByReference)
        return ref.tags

    def _placed(self, tag: int) -> tuple[int, int]:
        first = self.instance.first
        if first <= tag < first + self.instance.count:
            return self.own, tag - first
        return Base.GLOBAL, tag

    def _variable(self, found: Leaf | BitOf | Element, base: int, cell: int, tag: Tag, at: int, param: int) -> Variable:
        terms: tuple[Term, ...] = ()
        if isinstance(found, Element):
            terms = self._terms(found, at)
        if isinstance(found, BitOf):
            return Variable(Target(base, cell, tag.type.name, terms, found.bit, 1, param), BOOL, tag)
        return Variable(Target(base, cell, tag.type.name, terms, 0, 0, param), tag.type, tag)

    def _terms(self, found: Element | Chosen, at: int) -> tuple[Term, ...]:
        return tuple(Term(self._subscript(path, at), low, high, stride, at) for path, low, high, stride in found.terms)

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
            return whole(found, Target(Base.PARAM, found.first, "", (), 0, 0, param), ref.tags)
        if isinstance(found, Chosen):
            return whole(found.ref, Target(Base.PARAM, found.ref.first, "", self._terms(found, at), 0, 0, param), ref.tags)
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
