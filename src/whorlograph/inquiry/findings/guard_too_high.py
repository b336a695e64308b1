"""A comparison that should limit a number and lets more through than what it guards can hold."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Convert, Expr, Load, Op
from whorlograph.model.types import ELEMENTARY

from ..circuit import MIRRORED, NEGATED, Circuit, Gate
from ..writers import Kind, Writer
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Guards above the limit: of an array's index, of a number brought into a smaller type, of a sum."""
    yield from _indexes(facts)
    for tag, writers in facts.written():
        type_ = facts.tag(tag).type
        for writer in writers:
            if writer.kind is not Kind.VALUE or writer.value is None or not type_.whole:
                continue
            read, most, what = _held(facts, tag, writer)
            let = allowed(facts, writer, read) if read is not None else None
            if read is not None and let is not None and let > most:
                text = f"{facts.place(writer.step)} lets {facts.name(read)} through up to {let}, and {what} holds at most {most}"
                yield facts.finding("guard-too-high", writer, read, text, "what lies between is cut, or stops the controller", 1)


def _indexes(facts: Facts) -> Iterator[Finding]:
    for place, _, term in facts.subscripts:
        index = facts.plain_load(facts.tracer.circuit(place.step), term.index)
        tag = facts.load_tag(place.step, index) if index is not None else None
        let = allowed(facts, place, tag) if tag is not None else None
        if tag is not None and let is not None and let > term.high:
            text = f"{facts.place(place.step)} lets the index {facts.name(tag)} through up to {let}, and the array ends at {term.high}"
            yield facts.finding("guard-too-high", place, tag, text, f"from {term.high + 1} on the controller halts", 1)


def _held(facts: Facts, tag: int, writer: Writer) -> tuple[int | None, int, str]:
    """(the number read, the most of it that can be taken, what takes it) of a plain conversion or a sum; None where it is neither."""
    circuit = facts.tracer.circuit(writer.step)
    made: Expr | None = circuit.made(writer.value)
    while isinstance(made, Convert):
        inner, target = circuit.made(made.value), ELEMENTARY.get(made.type)
        if made.rule in ("TO", "TRUNC") and isinstance(inner, Load) and target is not None and target.whole:
            return facts.load_tag(writer.step, inner), target.high, target.name
        made = inner
    if isinstance(made, Op) and made.code == "ADD" and len(made.args) == 2:
        for first, second in (made.args, made.args[::-1]):
            load, literal = facts.plain_load(circuit, first), circuit.literal(second)
            if load is not None and facts.load_tag(writer.step, load) == tag and literal is not None and isinstance(literal.value, int):
                type_ = facts.tag(tag).type
                return tag, type_.high - literal.value, f"{type_.name}, with {literal.value} more each time,"
    return None, 0, ""


def allowed(facts: Facts, writer: Writer, tag: int) -> int | None:
    """The highest value of a number with which the conditions around a writer let it write; None where literals set no limit."""
    return let_through(facts, writer, tag)[1]


def let_through(facts: Facts, writer: Writer, tag: int) -> tuple[int | None, int | None]:
    """The lowest and the highest value of a number with which the conditions around a writer let it write; None where literals set no limit."""
    circuit = facts.tracer.circuit(writer.step)
    lows, highs = list[int](), list[int]()
    for guard in writer.guards:
        ways = [[_bounds(facts, circuit, writer.step, gate, tag) for gate in path] for path in circuit.paths(guard)]
        below = [[low for low, _ in way if low is not None] for way in ways]
        above = [[high for _, high in way if high is not None] for way in ways]
        if ways and all(below):
            lows.append(min(map(max, below)))
        if ways and all(above):
            highs.append(max(map(min, above)))
    return max(lows, default=None), min(highs, default=None)


def _bounds(facts: Facts, circuit: Circuit, step: int, gate: Gate, tag: int) -> tuple[int | None, int | None]:
    """The lowest and the highest value of a tag with which a gate passes, where it compares the tag with a literal."""
    made = facts.computed(circuit, gate)
    if not isinstance(made, Op) or len(made.args) != 2:
        return None, None
    code, first, second = made.code, made.args[0], made.args[1]
    if circuit.literal(first) is not None:
        code, first, second = MIRRORED.get(code, ""), second, first
    if gate.negated:
        code = NEGATED.get(code, "")
    literal, load = circuit.literal(second), facts.plain_load(circuit, first)
    if literal is None or not isinstance(literal.value, int) or load is None or facts.load_tag(step, load) != tag:
        return None, None
    limit = literal.value
    return {"GT": limit + 1, "GE": limit, "EQ": limit}.get(code), {"LT": limit - 1, "LE": limit, "EQ": limit}.get(code)
