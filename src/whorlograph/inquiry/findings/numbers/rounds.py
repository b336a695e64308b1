"""A number that is moved on by one and begun anew behind a limit: the round that it makes."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.code import Op

from ...circuit import MIRRORED, Circuit
from ...writers import Kind, Writer
from ..facts import Facts


class Wrap(Struct, frozen=True):
    """A write that begins a round anew: from which value of the index on, and at which row."""

    writer: Writer
    begins: int
    row: int


def round_of(facts: Facts, index: int) -> tuple[Writer, Wrap] | None:
    """What moves an index on by one, and what begins it anew; None where it is written in other ways too, or in several tasks."""
    adders, wraps = list[Writer](), list[Wrap]()
    for writer in facts.writers_of(index):
        circuit = facts.tracer.circuit(writer.step)
        literal = circuit.literal(writer.value) if writer.kind is Kind.VALUE else None
        if literal is not None and isinstance(literal.value, int):
            begins = _begins(facts, circuit, writer, index)
            if begins is not None:
                wraps.append(Wrap(writer, begins, literal.value))
        elif _adds_one(facts, circuit, writer, index):
            adders.append(writer)
        else:
            return None
    tasks = {facts.tracer.paths.task_of(w.step) for w in (*adders, *(w.writer for w in wraps))}
    return (adders[0], wraps[0]) if len(adders) == len(wraps) == len(tasks) == 1 else None


def _adds_one(facts: Facts, circuit: Circuit, writer: Writer, index: int) -> bool:
    made = circuit.made(writer.value) if writer.value is not None else None
    if not isinstance(made, Op) or made.code != "ADD" or len(made.args) != 2:
        return False
    for first, second in (made.args, made.args[::-1]):
        load, literal = facts.plain_load(circuit, first), circuit.literal(second)
        if load is not None and facts.load_tag(writer.step, load) == index and literal is not None and literal.value == 1:
            return True
    return False


def _begins(facts: Facts, circuit: Circuit, writer: Writer, index: int) -> int | None:
    """From which value of the index on a write comes, where nothing but a comparison with something fixed decides that."""
    paths = circuit.paths(writer.guard) if writer.guard is not None else []
    if len(paths) != 1 or len(paths[0]) != 1 or paths[0][0].negated:
        return None
    made = facts.computed(circuit, paths[0][0])
    if not isinstance(made, Op) or len(made.args) != 2:
        return None
    for code, first, second in ((made.code, *made.args), (MIRRORED.get(made.code, ""), *made.args[::-1])):
        load, limit = facts.plain_load(circuit, first), facts.fixed(circuit, writer.step, second)
        if limit is not None and load is not None and facts.load_tag(writer.step, load) == index and code in ("GE", "EQ", "GT"):
            return limit + (code == "GT")
    return None


def between(facts: Facts, adder: Writer, wrap: Writer, place: Writer) -> bool:
    """Whether a place is never come to between the sum and what begins anew, scan after scan."""
    if facts.tracer.paths.task_of(place.step) != facts.tracer.paths.task_of(adder.step):
        return False
    added, begun, read = facts.order(adder), facts.order(wrap), facts.order(place)
    return (added < begun and not added < read < begun) or begun < read < added
