"""Arrays and structures on the wires of a drawn rung: what carries one, and where it does not fit (IEC 61131-3:2013, 6.4.4, 8.1)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from whorlograph.model.ladder import Block, Coil, Element, InOutVariable, InVariable, OutVariable, Pin, Rung, Wire
from whorlograph.model.paths import Path, parse_path
from whorlograph.model.pins import output_pin
from whorlograph.model.tags import Aggregate, BitOf, ByReference, Chosen, Instance, Leaf, Ref, Running, Tag, Target, resolve_path
from whorlograph.model.tags import Element as ArrayElement

from .pin_values import element_at
from .rung_types import called_instance, handed_instance
from .text_checks import MOST_HANDED
from .text_types import Scope, leaf_types

Shape = tuple[str, ...]


def brings_wholes(rung: Rung, instance: Instance, running: Running, is_whole: Callable[[str], bool]) -> bool:
    """Whether an array or structure stands in a rung, or is taken or given by what it calls. Args: is_whole: whether a text names one."""
    return any(isinstance(e, (InVariable, InOutVariable, OutVariable)) and is_whole(e.expression) for e in rung.elements) or \
        any(isinstance(r, (Aggregate, ByReference)) for r in _parameters(rung, instance, running))


def misfit(rung: Rung, instance: Instance, running: Running) -> str:
    """Why an array or structure in a rung cannot be taken where it goes; "" where all fit."""
    found = Wires(rung, instance, running)
    for element in rung.elements:
        why = next(found.wrong(element), "")
        if why:
            return why
    return ""


def _parameters(rung: Rung, instance: Instance, running: Running) -> Iterator[Ref]:
    """The variables of all that a rung calls, where that is of the file's own."""
    return (ref for e in rung.elements if isinstance(e, Block) for ref in scope_of(e, instance, running).values())


def shape_of(text: str, instance: Instance, running: Running) -> Shape | None:
    """The types of the leaves of an array or structure by name; None of anything else."""
    path = parse_path(text)
    if path is None:
        element = element_at(text, 0)
        return Scope(instance, running).shape(element) if element is not None else None
    part, tags = _meant(path, instance, running)
    return tuple(leaf_types(part, tags)) if isinstance(part, Aggregate) else None


def types_of(text: str, instance: Instance, running: Running) -> Shape | None:
    """The types of the leaves of any variable by name, of a block's instance its own; None of what is none."""
    path = parse_path(text)
    if path is None:
        element = element_at(text, 0)
        kind = Scope(instance, running).variable(element) if element is not None else None
        return (kind.name,) if kind is not None else shape_of(text, instance, running)
    part, tags = _meant(path, instance, running)
    if isinstance(part, BitOf):
        return ("BOOL",)
    if isinstance(part, ArrayElement):
        return (tags[part.first].type.name,)
    return tuple(leaf_types(part, tags)) if isinstance(part, (Leaf, Aggregate, Instance)) else None


def _meant(path: Path, instance: Instance, running: Running) -> tuple[Target | None, Sequence[Tag]]:
    """What a name stands for, and in which tags its leaves are counted."""
    ref = instance.scope.get(path.base.lower())
    if isinstance(ref, ByReference):
        holder = Instance("", "", None, {path.base.lower(): ref.shape} if ref.shape is not None else {})
        found, tags = resolve_path(path, holder, holder), list(ref.tags)
    else:
        found, tags = resolve_path(path, instance, running.scope), running.tags
    return (found.ref if isinstance(found, Chosen) else found), tags


def scope_of(block: Block, instance: Instance, running: Running) -> dict[str, Ref]:
    """The variables of what a block element calls, where that is of the file's own."""
    called, handed = called_instance(block, instance, running), handed_instance(block, instance)
    one = called if called is not None else handed[1] if handed is not None else None
    return one.scope if one is not None and one.pou is not None else {}


def moved(block: Block) -> Pin | None:
    """What goes into a MOVE; None of any other block."""
    pins = [p for p in block.inputs if p.name.upper() != "EN"]
    return pins[0] if block.type_name.upper() == "MOVE" and not block.instance and len(pins) == 1 else None


def result_of(block: Block, pin: str, scope: dict[str, Ref]) -> Ref | None:
    """The variable that an output pin of a function or block of the file's own stands for."""
    name = block.type_name.lower() if not block.instance and pin.upper() == "OUT" and "out" not in scope else pin.lower()
    return scope.get(name)


class Wires:
    """What each wire of a rung carries."""

    def __init__(self, rung: Rung, instance: Instance, running: Running) -> None:
        self.instance, self.running = instance, running
        self.ids = {e.id: e for e in rung.elements}

    def carried(self, wire: Wire, depth: int = 0) -> Shape | None:
        """The shape of what a wire carries; None of a single value."""
        source = self.ids.get(wire.source)
        if isinstance(source, (InVariable, InOutVariable)):
            return shape_of(source.expression, self.instance, self.running)
        if not isinstance(source, Block) or depth > len(self.ids):
            return None
        taken, pin = moved(source), output_pin(wire, source)
        if taken is not None:
            return self.carried(taken.wires[0], depth + 1) if pin != "ENO" and taken.wires else None
        return self.shape(source, result_of(source, pin, scope_of(source, self.instance, self.running)))

    def name(self, wire: Wire, depth: int = 0) -> str:
        """What a wire comes from, by name."""
        source = self.ids.get(wire.source)
        if isinstance(source, (InVariable, InOutVariable)):
            return source.expression.strip()
        if not isinstance(source, Block):
            return "what goes into it"
        taken = moved(source)
        if taken is not None and taken.wires and depth < len(self.ids):
            return self.name(taken.wires[0], depth + 1)
        return f"{source.instance or source.type_name}.{output_pin(wire, source)}"

    def shape(self, block: Block, ref: Ref | None) -> Shape | None:
        """The shape of a variable of what a block element calls."""
        part = ref.shape if isinstance(ref, ByReference) else ref
        handed = handed_instance(block, self.instance)
        tags = list(ref.tags) if isinstance(ref, ByReference) else list(handed[0].tags) if handed is not None else self.running.tags
        return tuple(leaf_types(part, tags)) if isinstance(part, Aggregate) else None

    def wrong(self, element: Element) -> Iterator[str]:
        """Why what comes to an element does not fit there."""
        if isinstance(element, Block):
            scope, taken = scope_of(element, self.instance, self.running), moved(element)
            for pin in (*element.inputs, *element.in_outs):
                ref = scope.get(pin.name.lower())
                if isinstance(ref, ByReference):
                    yield from self.unlike(pin, ref, f"{element.instance or element.type_name}.{pin.name}")
                if pin is taken or isinstance(ref, ByReference):
                    continue
                wanted = self.shape(element, ref) if isinstance(ref, (Aggregate, Leaf)) else None
                yield from self.unfit(pin.wires, wanted, f"{element.instance or element.type_name}.{pin.name}")
                if wanted is not None and len(wanted) > MOST_HANDED and not element.instance:
                    yield f"{element.type_name} is handed {len(wanted):,} values: {MOST_HANDED:,} are the most; declare {pin.name} as VAR_IN_OUT"
        elif isinstance(element, (OutVariable, InOutVariable)):
            yield from self.unfit(element.wires, shape_of(element.expression, self.instance, self.running), element.expression.strip())
        elif isinstance(element, Coil):
            yield from self.unfit(element.wires, None, element.variable)

    def unlike(self, pin: Pin, ref: ByReference, name: str) -> Iterator[str]:
        """Why a VAR_IN_OUT cannot stand for what is wired to it: a variable has to be of its own type."""
        for wire in pin.wires:
            source = self.ids.get(wire.source)
            if isinstance(source, (InVariable, InOutVariable)) and ref.shape is not None:
                handed = types_of(source.expression, self.instance, self.running)
                if handed is not None and handed != tuple(leaf_types(ref.shape, ref.tags)):
                    other = "type" if len(handed) == 1 else "shape"
                    yield f"{source.expression.strip()} has another {other} than {name}, which stands for it (VAR_IN_OUT)"

    def unfit(self, wires: tuple[Wire, ...], wanted: Shape | None, name: str) -> Iterator[str]:
        """Why wires do not bring what is wanted."""
        for wire in wires:
            brought = self.carried(wire)
            if brought != wanted and (brought is not None or wire.source in self.ids):
                yield f"{self.name(wire)} has another shape than {name}"
            if brought is not None and len(wires) > 1:
                yield f"{name} has several wires, and one brings an array or structure"
