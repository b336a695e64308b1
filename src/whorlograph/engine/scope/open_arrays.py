"""Arrays of any length as parameters, ``ARRAY[*]`` (IEC 61131-3:2013, 6.5.3): a copy of the POU for each length that is handed over.

``Total(T)`` with ``T : ARRAY[2..5] OF INT`` calls a copy whose parameter is such an array, and in which ``LOWER_BOUND(A, 1)`` is 2: so what is read
and written is known before anything runs, as of any other array.
"""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from whorlograph.model.chart import ChartBody
from whorlograph.model.declared_types import plain_type, type_at
from whorlograph.model.ladder import Block, InOutVariable, InVariable, LadderBody, OutVariable, Pin
from whorlograph.model.paths import parse_path
from whorlograph.model.program import COPY_MARK, Body, Pou, PouKind, Program, Variable, VariableKind
from whorlograph.model.text import Apply, Constant, Expression, TextBody, Var, remade
from whorlograph.model.types import UNBOUND, ArrayOf, Named, TypeRef

from .rewriting import texts_of
from .text_parts import parts

BOUNDS = ("LOWER_BOUND", "UPPER_BOUND")
_PARAMETERS = (VariableKind.INPUT, VariableKind.OUTPUT, VariableKind.IN_OUT)
Lengths = dict[str, tuple[tuple[int, int], ...]]  # by parameter in lower case


NO_LENGTH = "takes an array of any length, and is given none by name, or one with another number of subscripts"


def any_length(program: Program) -> frozenset[str]:
    """The POUs, by name in lower case, that take arrays of any length."""
    return frozenset(key for key, pou in program.pous.items() if _open(pou))


def with_lengths(program: Program, resource: str = "") -> Program:
    """The program with such copies in place of what they are made of. Args: resource: the one that runs, whose globals are handed over."""
    if not any(_open(p) or _asks(p) for p in program.pous.values()):
        return program
    globals_ = {v.name.lower(): v.type for v in program.chosen(resource)[1]}
    opener = _Opener(program, globals_)
    for key, pou in program.pous.items():
        if not _open(pou):
            opener.pous[key] = opener.closed(pou)
    return replace(program, pous=opener.pous)


def _open(pou: Pou) -> list[Variable]:
    """The parameters of any length."""
    return [v for v in pou.variables if v.kind in _PARAMETERS and isinstance(v.type, ArrayOf) and UNBOUND in v.type.bounds]


def _of_length(one: Variable, bounds: tuple[tuple[int, int], ...] | None) -> Variable:
    return replace(one, type=replace(one.type, bounds=bounds)) if bounds is not None and isinstance(one.type, ArrayOf) else one


def _asks(pou: Pou) -> bool:
    """Whether a body asks for the bounds of an array."""
    return any(isinstance(p, Apply) and p.called.base.upper() in BOUNDS for text in texts_of(pou) if text is not pou.body or text.says("_BOUND")
               for s in text.statements for p in parts(s))


class _Pins:
    """What is wired to the pins of a drawing."""

    def __init__(self, part: LadderBody) -> None:
        self.outs = {(w.source, w.pin): e.expression for e in part.elements if isinstance(e, (OutVariable, InOutVariable)) for w in e.wires}
        self.ins = {e.id: e.expression for e in part.elements if isinstance(e, (InVariable, InOutVariable))}

    def text(self, block: Block, pin: Pin) -> str:
        """The name at a pin; "" where none is wired to it."""
        return next((self.ins[w.source] for w in pin.wires if w.source in self.ins), self.outs.get((block.id, pin.name), ""))


class _Opener:
    """Makes the copies; ``pous``: those of the program to be, by name in lower case."""

    def __init__(self, program: Program, globals_: dict[str, TypeRef]) -> None:
        self.program, self.globals = program, globals_
        self.pous: dict[str, Pou] = {}

    def closed(self, pou: Pou) -> Pou:
        """A POU that calls copies of what takes arrays of any length."""
        known = {v.name.lower(): v.type for v in pou.variables}
        external = {v.name.lower() for v in pou.variables if v.kind is VariableKind.EXTERNAL}
        known = self.globals | {n: t for n, t in known.items() if n not in self.globals or n not in external}
        reader = _Body(self, pou, known)
        variables = tuple(reader.instance(v) for v in pou.variables)
        reader.types = {v.name.lower(): v.type.name for v in variables if isinstance(v.type, Named)}
        return replace(pou, variables=variables, body=reader.body(pou.body))

    def copy(self, pou: Pou, lengths: Lengths) -> str:
        """The name of the copy for some lengths, which is made where there is none yet."""
        said = "_".join(f"{low}to{high}" for bounds in lengths.values() for low, high in bounds).replace("-", "minus")
        name = f"{pou.name}{COPY_MARK}{said}"
        key = name.lower()
        if key not in self.pous:
            variables = tuple(_of_length(v, lengths.get(v.name.lower())) for v in pou.variables)
            body = _renamed(pou.body, pou.name, name) if pou.kind is PouKind.FUNCTION else pou.body
            self.pous[key] = replace(pou, name=name, variables=variables, body=body)  # before its body is looked at: it may call itself
            self.pous[key] = self.closed(self.pous[key])
        return name


class _Body:
    """One POU: what its names are declared to be."""

    def __init__(self, opener: _Opener, pou: Pou, known: dict[str, TypeRef]) -> None:
        self.opener, self.pou, self.known = opener, pou, known
        self.types: dict[str, str] = {}  # of instances, by name in lower case

    def body(self, body: Body) -> Body:
        """A body with other calls."""
        if isinstance(body, ChartBody):
            return replace(body, segments=tuple(self.segment(s) for s in body.segments))
        return self.segment(body) if isinstance(body, (TextBody, LadderBody)) else body

    def segment(self, part: TextBody | LadderBody) -> Any:
        if isinstance(part, TextBody):
            return replace(part, statements=self.anew(part.statements))
        pins = _Pins(part)
        elements = tuple(self.block(e, pins) if isinstance(e, Block) else e for e in part.elements)
        changed = {e.id: e for e in elements}
        rungs = tuple(replace(r, elements=tuple(changed[e.id] for e in r.elements)) for r in part.rungs)
        return replace(part, elements=elements, rungs=rungs)

    # texts

    def anew(self, node: Any) -> Any:
        """A part of the tree with bounds as numbers, and calls of copies."""
        if isinstance(node, Apply):
            bound = self.bound(node)
            if bound is not None:
                return Constant(node.at, node.line, str(bound), "", bound)
            node = self.call(node)
        return remade(node, self.anew)

    def bound(self, one: Apply) -> int | None:
        """The bound that a call asks for; None for another call."""
        if one.called.base.upper() not in BOUNDS or one.called.steps or not 1 <= len(one.arguments) <= 2:
            return None
        bounds = self.bounds(one.arguments[0].value)
        given = one.arguments[1].value if len(one.arguments) > 1 else None
        dimension = given.value if isinstance(given, Constant) else 1 if len(one.arguments) == 1 else 0
        if bounds is None or not isinstance(dimension, int) or not 1 <= dimension <= len(bounds):
            return None
        return bounds[dimension - 1][one.called.base.upper() == "UPPER_BOUND"]

    def bounds(self, value: Expression | None) -> tuple[tuple[int, int], ...] | None:
        """The bounds of an array that is handed over by name; None of anything else."""
        return self.bounds_at(value.base, value.steps) if isinstance(value, Var) else None

    def bounds_at(self, base: str, steps: Any) -> tuple[tuple[int, int], ...] | None:
        type_ = plain_type(type_at(self.opener.program, self.known, base, steps), self.opener.program)
        return type_.bounds if isinstance(type_, ArrayOf) and UNBOUND not in type_.bounds else None

    def call(self, one: Apply) -> Apply:
        """A call of a function's copy."""
        pou = self.opener.program.pous.get(one.called.base.lower())
        if one.called.steps or pou is None or pou.kind is not PouKind.FUNCTION or not _open(pou):
            return one
        lengths = self.lengths(pou, one)
        if lengths is None:
            return one
        return replace(one, called=replace(one.called, base=self.opener.copy(pou, lengths)))

    def lengths(self, pou: Pou, one: Apply) -> Lengths | None:
        """The lengths that a call hands over; None where they are not known."""
        order = [v.name.lower() for v in pou.variables if v.kind in _PARAMETERS]
        given = {(a.name.lower() or (order[i] if i < len(order) else "")): a.value or a.output for i, a in enumerate(one.arguments)}
        return self.all_of(pou, {name: self.bounds(value) for name, value in given.items()})

    def all_of(self, pou: Pou, given: dict[str, tuple[tuple[int, int], ...] | None]) -> Lengths | None:
        found: Lengths = {}
        for one in _open(pou):
            bounds = given.get(one.name.lower())
            assert isinstance(one.type, ArrayOf)
            if bounds is None or len(bounds) != len(one.type.bounds):
                return None
            found[one.name.lower()] = tuple(b if own == UNBOUND else own for b, own in zip(bounds, one.type.bounds, strict=True))
        return found

    # blocks

    def instance(self, variable: Variable) -> Variable:
        """A variable that is an instance: of the copy that its calls need, which must be one."""
        pou = self.opener.program.pous.get(variable.type.name.lower()) if isinstance(variable.type, Named) else None
        if pou is None or pou.kind is not PouKind.FUNCTION_BLOCK or not _open(pou):
            return variable
        key = variable.name.lower()
        calls = [p for text in texts_of(self.pou) for s in text.statements for p in parts(s)
                 if isinstance(p, Apply) and p.called.base.lower() == key and not p.called.steps]
        lengths = [self.lengths(pou, call) for call in calls]
        body = self.pou.body
        for part in (body,) if isinstance(body, LadderBody) else body.segments if isinstance(body, ChartBody) else ():
            if isinstance(part, LadderBody):
                lengths += [self.wired(pou, e, part) for e in part.elements if isinstance(e, Block) and e.instance.lower() == key]
        found = [one for n, one in enumerate(lengths) if one is not None and one not in lengths[:n]]
        return replace(variable, type=Named(self.opener.copy(pou, found[0]))) if len(found) == 1 else variable

    def wired(self, pou: Pou, block: Block, part: LadderBody) -> Lengths | None:
        """The lengths that are wired to a block."""
        pins = _Pins(part)
        return self.all_of(pou, {p.name.lower(): self.at_pin(block, p, pins) for p in (*block.in_outs, *block.inputs, *block.outputs)})

    def at_pin(self, block: Block, pin: Pin, pins: _Pins) -> tuple[tuple[int, int], ...] | None:
        path = parse_path(pins.text(block, pin))
        return self.bounds_at(path.base, path.steps) if path is not None else None

    def block(self, block: Block, pins: _Pins) -> Block:
        """A drawn call of a function's copy, or of an instance that has become one of a copy."""
        pou = self.opener.program.pous.get(block.type_name.lower())
        if pou is None or not _open(pou):
            return block
        if block.instance:
            return replace(block, type_name=self.types.get(block.instance.lower(), block.type_name))
        given = {p.name.lower(): self.at_pin(block, p, pins) for p in (*block.in_outs, *block.inputs, *block.outputs)}
        lengths = self.all_of(pou, given)
        return replace(block, type_name=self.opener.copy(pou, lengths)) if lengths is not None else block


def _renamed(part: Any, old: str, new: str) -> Any:
    """A function's body whose result has another name."""
    if isinstance(part, (InVariable, OutVariable, InOutVariable)):
        return replace(part, expression=new) if part.expression.strip().lower() == old.lower() else part
    if isinstance(part, Apply):
        return replace(part, arguments=_renamed(part.arguments, old, new))
    made = remade(part, lambda p: _renamed(p, old, new))
    return replace(made, base=new) if isinstance(made, Var) and made.base.lower() == old.lower() else made
