"""A table of steps that is longer than the round made through it, or whose row 0 is no step."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from whorlograph.engine.code import Base, Term

from ..writers import Writer
from .facts import Facts, Finding
from .numbers.rounds import between, round_of


class Table(Struct):
    """Elements chosen by one index: their rows' first cells, and where they are read or written."""

    index: int
    term: Term
    cells: list[int]
    places: list[Writer]


def find(facts: Facts) -> Iterator[Finding]:
    """Rows that the round leaves out, and an empty row at which it begins."""
    for table in _tables(facts):
        rows = range(table.term.low, table.term.high + 1)
        filled = [row for row in rows if any(facts.tag(c + (row - table.term.low) * table.term.stride).initial for c in table.cells)]
        wraps = round_of(facts, table.index)
        if wraps is None or not filled:
            continue
        adder, wrap = wraps
        name, index, place = facts.name(table.cells[0]).partition("[")[0], facts.name(table.index), table.places[0]
        last = wrap.begins - 1 if all(between(facts, adder, wrap.writer, p) for p in table.places) else wrap.begins
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
    for place, target, term in facts.subscripts:
        load = facts.plain_load(facts.tracer.circuit(place.step), term.index)
        index = facts.load_tag(place.step, load) if load is not None else None
        if index is None or len(target.terms) != 1 or target.base not in (Base.GLOBAL, Base.OWN):
            continue
        first = target.cell + (facts.tracer.controller.calls.instance(place.step).own if target.base == Base.OWN else 0)
        table = found.setdefault((index, term.low, term.high, term.stride), Table(index, term, [], []))
        table.cells.append(first)
        table.places.append(place)
    return list(found.values())
