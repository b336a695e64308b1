"""A table of steps that is longer than the round made through it, or whose row 0 is no step."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from whorlograph.engine.code import Base, Op, Term

from ..circuit import MIRRORED, Circuit
from ..writers import Kind, Writer
from .facts import Facts, Finding


class Table(Struct):
    """Elements chosen by one index: their rows' first cells, and where they are read or written."""

    index: int
    term: Term
    cells: list[int]
    places: list[Writer]


class Wrap(Struct, frozen=True):
    """A write that begins the table anew: from which value of the index on, and at which row."""

    writer: Writer
    begins: int
    row: int


def find(facts: Facts) -> Iterator[Finding]:
    """Rows that the round leaves out, and an empty row at which it begins."""
    for table in _tables(facts):
        rows = range(table.term.low, table.term.high + 1)
        filled = [row for row in rows if any(facts.tag(c + (row - table.term.low) * table.term.stride).initial for c in table.cells)]
        wraps = _round(facts, table.index)
        if wraps is None or not filled:
            continue
        adder, wrap = wraps
        name, index, place = facts.name(table.cells[0]).partition("[")[0], facts.name(table.index), table.places[0]
        last = wrap.begins - 1 if all(_between(facts, adder, wrap.writer, p) for p in table.places) else wrap.begins
        if filled[-1] > last:
            text = f"{name} is filled up to row {filled[-1]}, and {facts.place(wrap.writer.step)} begins anew before row {last + 1} is taken"
            yield facts.finding("table-longer", place, table.index, text, "the rows behind it are never taken: raise the limit, or empty them", 2)
        if not table.term.low and filled[0] > 0 and not facts.tag(table.index).initial and len(filled) > 1:
            again = f"then no more: a round begins at {wrap.row}" if wrap.row else f"again each round: {facts.place(wrap.writer.step)} begins at 0"
            text = f"row 0 of {name} is empty, and {index} begins at 0"
            yield facts.finding("row-zero-empty", place, table.index, text, f"nothing comes on until {index} first moves on, {again}", 3)


def _tables(facts: Facts) -> list[Table]:
    """The tables that one index chooses from, in order of execution."""
    found: dict[tuple[int, int, int, int], Table] = {}
    for place, target, term in facts.subscripts():
        load = facts.plain_load(facts.tracer.circuit(place.step), term.index)
        index = facts.load_tag(place.step, load) if load is not None else None
        if index is None or len(target.terms) != 1 or target.base not in (Base.GLOBAL, Base.OWN):
            continue
        first = target.cell + (facts.tracer.controller.calls.instance(place.step).own if target.base == Base.OWN else 0)
        table = found.setdefault((index, term.low, term.high, term.stride), Table(index, term, [], []))
        table.cells.append(first)
        table.places.append(place)
    return list(found.values())


def _round(facts: Facts, index: int) -> tuple[Writer, Wrap] | None:
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


def _between(facts: Facts, adder: Writer, wrap: Writer, place: Writer) -> bool:
    """Whether a place is never come to between the sum and what begins anew, scan after scan."""
    if facts.tracer.paths.task_of(place.step) != facts.tracer.paths.task_of(adder.step):
        return False
    added, begun, read = facts.order(adder), facts.order(wrap), facts.order(place)
    return (added < begun and not added < read < begun) or begun < read < added
