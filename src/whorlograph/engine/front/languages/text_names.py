"""What names in Structured Text stand for: cells, whole aggregates, blocks; subscripts computed now (IEC 61131-3:2013, 6.5)."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.engine.code import (
    Base,
    Const,
    Expr,
    Spot,
    Target,
    Term,
)
from whorlograph.engine.front.builder import Builder
from whorlograph.engine.front.names import Block as BlockMeaning
from whorlograph.engine.front.names import Variable, Whole, whole
from whorlograph.model.paths import Bit, Member
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, Tag, member
from whorlograph.model.text import (
    Constant,
    Expression,
    Sub,
    Var,
)
from whorlograph.model.types import BOOL

Meaning = Variable | BlockMeaning | Whole


class Names:
    """Finds them for one body. Args: index: a subscript's value, as code."""

    def __init__(self, build: Builder, index: Callable[[Expression, int], Expr]) -> None:
        self.b, self.running, self.instance, self.index = build, build.running, build.instance, index

    def find(self, var: Expression) -> Meaning | None:
        """What a variable's name stands for, its subscripts computed now."""
        if not isinstance(var, Var):
            return None
        if var.steps:
            return self._find(var)
        try:
            return self.b.meanings[var.base]
        except KeyError:
            found = self.b.meanings[var.base] = self._find(var)
            return found

    def _find(self, var: Var) -> Meaning | None:
        key = var.base.lower()
        ref: Ref | None = self.instance.scope.get(key)
        if ref is None:
            ref = self.running.scope.scope.get(key)
        param, tags = -1, self.running.tags
        shape: Ref | None = None
        if isinstance(ref, ByReference):
            param, tags, ref = self.b.names.params.index(key), list(ref.tags), ref.shape
            shape = ref
        terms: list[Term] = []
        for step in var.steps:
            if isinstance(step, Bit):
                return self._cell(ref, param, tags, terms, step.number) if isinstance(ref, Leaf) else None
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif isinstance(ref, Aggregate):
                ref = self._element(step, ref, terms, var.at)
            else:
                return None
        if isinstance(ref, Leaf):
            return self._cell(ref, param, tags, terms, -1)
        if isinstance(ref, Aggregate):
            base, cell = self._placed(ref.first, param)
            return whole(ref, Target(base, cell, "", tuple(terms), 0, 0, param), tags)
        if isinstance(ref, Instance) and not terms:
            return self._instance(ref, shape, param)
        return None

    def looked_for(self, var: Var) -> tuple[Target, Target] | None:
        """The first cell of a block that computed subscripts choose, and that of the array; None where there is no array."""
        key = var.base.lower()
        ref: Ref | None = self.instance.scope.get(key) or self.running.scope.scope.get(key)
        array: Ref | None = None
        terms: list[Term] = []
        for step in var.steps:
            if isinstance(step, Member):
                ref = member(ref, step.name)
            elif isinstance(step, Sub) and isinstance(ref, Aggregate):
                array = ref
                ref = self._element(step, ref, terms, var.at)
        if not isinstance(ref, Instance) or not isinstance(array, Aggregate):
            return None
        tag = self.running.tags[ref.first]
        base, cell = self._placed(ref.first, -1)
        first = self._placed(array.first, -1)
        return Target(base, cell, tag.type.name, tuple(terms)), Target(*first, self.running.tags[array.first].type.name)

    def _instance(self, ref: Instance, shape: Ref | None, param: int) -> BlockMeaning | None:
        if param < 0:
            return BlockMeaning(self.b.regions.spot(ref, self.instance, self.b.names.own), ref)
        if not isinstance(shape, Instance):
            return None
        spot = self.b.regions.spot(ref, shape, Base.PARAM)
        return BlockMeaning(Spot(Base.PARAM, spot.own, spot.hidden, spot.step, param), ref)

    def _element(self, step: Sub, ref: Aggregate, terms: list[Term], node: int) -> Ref | None:
        """The part that subscripts choose where they are lowest; what they add goes to the terms."""
        weight = 1
        added: list[Term] = []
        offset = 0
        for value, (low, high) in reversed(list(zip(step.values, ref.bounds, strict=True))):
            if isinstance(value, Constant) and isinstance(value.value, int) and not isinstance(value.value, bool) and low <= value.value <= high:
                offset += (value.value - low) * weight
            else:
                at = self.b.at(node, "index")
                index = self.index(value, at)
                if isinstance(index, Const) and isinstance(index.value, int) and low <= index.value <= high:
                    offset += (index.value - low) * weight
                else:
                    added.append(Term(index, low, high, weight * ref.stride, at))
            weight *= high - low + 1
        terms += added[::-1]
        return ref.items[offset]

    def _placed(self, tag: int, param: int) -> tuple[int, int]:
        if param >= 0:
            return Base.PARAM, tag
        first = self.instance.first
        if first <= tag < first + self.instance.count:
            return self.b.names.own, tag - first
        return Base.GLOBAL, tag

    def _cell(self, ref: Leaf, param: int, tags: list[Tag], terms: list[Term], bit: int) -> Variable:
        base, cell = self._placed(ref.tag, param)
        tag = tags[ref.tag]
        if bit >= 0:
            return Variable(Target(base, cell, tag.type.name, tuple(terms), bit, 1, param), BOOL, tag)
        return Variable(Target(base, cell, tag.type.name, tuple(terms), 0, 0, param), tag.type, tag)
