"""Where the names of a drawn rung are kept: variables, elements chosen by subscripts, arrays and structures (CONTROLLER.md, Ladder)."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct, field

from whorlograph.engine.scope.pin_values import element_at
from whorlograph.model.ladder import Element
from whorlograph.model.paths import Index, Member, Path, parse_path
from whorlograph.model.steps import Step
from whorlograph.model.tags import Aggregate, BitOf, Chosen, Instance, Leaf, Ref, member, resolve_path
from whorlograph.model.tags import Element as ArrayElement
from whorlograph.model.types import BOOL, Elementary

from .functions import Halt, Value
from .memory import Memory, Where
from .text import Text
from .text_values import leaves_of


class Frame(Struct):
    """One evaluation of one rung: its elements by id, what each (element, pin) gives, and which blocks executed."""

    step: Step
    bound: dict[str, Ref | Where]
    elements: dict[int, Element]
    out: dict[tuple[int, str], Value] = field(default_factory=dict)
    executed: set[int] = field(default_factory=set)


class Places:
    """Looks names up as the rungs write them.

    Args: text: evaluates subscripts that are computed; at: the element that is evaluated now.
    """

    def __init__(self, memory: Memory, text: Text, at: Callable[[], int]) -> None:
        self.m, self.running, self.text, self.at = memory, memory.running, text, at
        self._fixed: dict[tuple[int, str], tuple[Where, Elementary] | None] = {}  # of names without subscripts, by instance

    def place(self, text: str, frame: Frame) -> tuple[Where, Elementary] | None:
        """Where a name's value is kept now, and its type. Raises: Halt for a subscript out of range."""
        key = (id(frame.step.instance), text)
        if not frame.bound and key in self._fixed:
            return self._fixed[key]
        path = parse_path(text)
        if path is not None:
            found = self.place_of(path, frame)
            if not frame.bound and not path.steps:
                self._fixed[key] = found
            return found
        element = element_at(text, self.at())
        return self.text.place_at(element, frame.step, frame.bound) if element is not None else None

    def place_of(self, path: Path, frame: Frame) -> tuple[Where, Elementary] | None:
        bound = frame.bound.get(path.base.lower())
        if bound is not None:
            if isinstance(bound, tuple):
                type_ = BOOL if bound[1] >= 0 else self.running.tags[bound[0]].type
                return (bound, type_) if not path.steps else None
            holder = Instance("", "", None, {path.base.lower(): bound})
            target = resolve_path(path, holder, self.running.scope)
        else:
            target = resolve_path(path, frame.step.instance, self.running.scope)
        if isinstance(target, Leaf):
            return (target.tag, -1), self.running.tags[target.tag].type
        if isinstance(target, BitOf):
            return (target.tag, target.bit), BOOL
        if isinstance(target, ArrayElement):
            tag = target.first + self.away(target.first, target.terms, frame)
            return (tag, -1), self.running.tags[tag].type
        return None

    def away(self, first: int, terms: tuple[tuple[Path, int, int, int], ...], frame: Frame) -> int:
        """How many tags behind the lowest element subscripts lead. Raises: Halt for one out of range."""
        found = 0
        for subscript, low, high, step in terms:
            where = self.place_of(subscript, frame)
            index = int(self.m.load(where[0])) if where is not None else low
            if not low <= index <= high:
                self.m.fault_tag = first
                raise Halt("array index", f"index {index} is outside {low} to {high}")
            found += (index - low) * step
        return found

    def part(self, text: str, frame: Frame) -> Aggregate | Chosen | None:
        """The array or structure that a name stands for, its subscripts not computed yet."""
        path = parse_path(text)
        if path is None:
            element = element_at(text, self.at())
            computed = self.text.part_at(element, frame.step, frame.bound) if element is not None else None
            return computed if isinstance(computed, Aggregate) else None
        bound = frame.bound.get(path.base.lower())
        if isinstance(bound, tuple):
            return None
        holder = Instance("", "", None, {path.base.lower(): bound}) if bound is not None else frame.step.instance
        found = resolve_path(path, holder, self.running.scope)
        return found if isinstance(found, (Aggregate, Chosen)) else None

    def lies(self, text: str, frame: Frame) -> list[int]:
        """The tags of an array or structure by name, in order. Raises: Halt for a subscript out of range."""
        found = self.part(text, frame)
        if isinstance(found, Chosen):
            away = self.away(found.ref.first, found.terms, frame)
            return [tag + away for tag, _ in leaves_of(found.ref)]
        return [tag for tag, _ in leaves_of(found)] if found is not None else []

    def item(self, path: Path, frame: Frame) -> Ref:
        """What a name with subscripts in range stands for now."""
        ref: Ref | None = frame.step.instance.scope.get(path.base.lower()) or self.running.scope.scope.get(path.base.lower())
        for step in path.steps:
            if isinstance(step, Index) and isinstance(ref, Aggregate):
                offset = 0
                for subscript, (low, high) in zip(step.subscripts, ref.bounds, strict=True):
                    where = self.place_of(subscript, frame) if isinstance(subscript, Path) else None
                    index = subscript if isinstance(subscript, int) else int(self.m.load(where[0])) if where is not None else low
                    offset = offset * (high - low + 1) + index - low
                ref = ref.items[offset]
            elif isinstance(step, Member):
                ref = member(ref, step.name)
        assert ref is not None
        return ref
