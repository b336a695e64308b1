"""Step numbers: a tag that rungs compare with literals and write literals to (ANSWERS.md, Sequences)."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Const, Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.blocks import TIMERS
from whorlograph.model.literals import raw
from whorlograph.model.types import ELEMENTARY

from .circuit import Circuit
from .symptoms import course
from .writers import Kind, Writer

if TYPE_CHECKING:
    from .tracer import Tracer

STEPS = 3  # of a sequence, at least
AS_EVER = 2  # earlier runs that came to a step


def asked_for(circuit: Circuit, compared: Op, seen: Seen) -> list[tuple[int, int]]:
    """(tag, number it should have) where a tag is compared for equality with a literal."""
    if compared.code not in ("EQ", "GE", "LE"):
        return []
    tag, number = None, None
    for arg in compared.args:
        constant = circuit.literal(arg)
        loads = [one for one in circuit.loads(arg) if isinstance(one, Load)]
        if constant is not None and isinstance(constant.value, (int, str)):
            number = _kept(constant)
        elif loads and loads[0].at in seen.result.cells:
            tag = seen.result.cells[loads[0].at].number
    return [(tag, number)] if tag is not None and number is not None else []


def _kept(literal: Const) -> int:
    """A whole number, or what is kept of a text: steps may have names."""
    return raw(literal.value, ELEMENTARY["STRING"]) if isinstance(literal.value, str) else int(literal.value)


def is_sequence(tracer: Tracer, tag: int) -> bool:
    """Whether a tag is the number of a sequence's step: only literals are written to it, three or more."""
    given = [given_by(tracer, writer) for writer in tracer.writers.get(tag, ())]
    return None not in given and len(set(given)) >= STEPS


def runs_through(tracer: Tracer, tag: int, number: int, scan: int) -> int:
    """How many earlier runs of a sequence, each from where it begins, came to a step."""
    path, rest = course(tracer.journal, tag), tracer.tag(tag).initial
    until = int(np.searchsorted(path.scans, scan, side="right"))
    begun = np.flatnonzero(path.values[:until] == rest)  # at rest again
    first = np.append([0], begun)
    return sum(bool((path.values[a:b] == number).any()) for a, b in pairwise(first.tolist()))


def begun(tracer: Tracer, tag: int, scan: int) -> int | None:
    """The journal's row with which a sequence last left the step in which it begins, up to a scan; None where it has not."""
    rows, rest = tracer.journal.rows(tag), tracer.tag(tag).initial
    rows = rows[:int(np.searchsorted(rows, tracer.journal.settled_position(scan)))]
    at_rest = np.flatnonzero(tracer.journal.raws(rows) == rest)
    first = int(at_rest[-1]) + 1 if len(at_rest) else 0
    return int(rows[first]) if first < len(rows) else None


def leading(tracer: Tracer, tag: int, now: int, wanted: int) -> list[Writer]:
    """The writers that lead from one number of their tag towards another; where no way is known, all that lead from it."""
    leaving = [w for w in tracer.writers.get(tag, ()) if now in left_by(tracer, tag, w)]
    away = distances(tracer, tag, wanted) if len(leaving) > 1 else {}
    nearer = [w for w in leaving if (given := given_by(tracer, w)) is not None and away.get(given, len(away)) < away.get(now, 0)]
    return nearer or leaving


def distances(tracer: Tracer, tag: int, number: int) -> dict[int, int]:
    """By number of a step: how many writes of literals lead from it to another."""
    edges: dict[int, set[int]] = {}
    for writer in tracer.writers.get(tag, ()):
        given = given_by(tracer, writer)
        if given is not None:
            edges.setdefault(given, set()).update(left_by(tracer, tag, writer))
    found, todo = {number: 0}, [number]
    while todo:
        here = todo.pop(0)
        for before in edges.get(here, ()):
            if before not in found:
                found[before] = found[here] + 1
                todo.append(before)
    return found


def starts(tracer: Tracer, tag: int, number: int) -> list[tuple[int, Expr]]:
    """(step, condition) of each write that leads a step number from where it begins towards another; none where no way is known."""
    away, first = distances(tracer, tag, number), int(tracer.tag(tag).initial)
    if first not in away or first == number:
        return []
    return [(w.step, w.guard) for w in tracer.writers.get(tag, ()) if w.guard is not None and first in left_by(tracer, tag, w)
            and away.get(given_by(tracer, w) or 0, len(away)) < away[first]]


def given_by(tracer: Tracer, writer: Writer) -> int | None:
    """The literal that a writer gives."""
    literal = tracer.circuit(writer.step).literal(writer.value) if writer.kind is Kind.VALUE else None
    return _kept(literal) if literal is not None and isinstance(literal.value, (int, str)) else None


def left_by(tracer: Tracer, tag: int, writer: Writer) -> set[int]:
    """The numbers of its tag, compared for equality, at which a writer gives it another; a timer's input counts with what waits for it."""
    given = given_by(tracer, writer)
    if writer.guard is None or given is None:
        return set()
    return _compared_with(tracer, tag, writer.step, writer.guard, set()) - {given}


def _compared_with(tracer: Tracer, tag: int, step: int, power: Expr, through: set[int]) -> set[int]:
    """The numbers for which a tag is asked on the ways to a value; ``through``: the timers that were looked behind."""
    circuit, seen, found = tracer.circuit(step), tracer.seen(step, 1), set[int]()
    for gate in dict.fromkeys(g for path in circuit.paths(power) for g in path if not g.negated):
        made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
        if isinstance(made, Op) and made.code == "EQ":
            number = next((_kept(c) for c in (circuit.literal(a) for a in made.args) if c is not None and isinstance(c.value, (int, str))), None)
            cells = [tracer.cell(one, seen) for one in circuit.loads(made) if isinstance(one, Load)]
            if number is not None and any(c is not None and c.number == tag for c in cells):
                found.add(number)
        cell = tracer.cell(circuit.load(gate), seen)
        for other in tracer.writers.get(cell.number, ()) if cell is not None else ():
            call = tracer.written.block(other.step, other.at) if other.kind is Kind.BLOCK else None
            if call is not None and call.kind in TIMERS and "IN" in call.pins and call.first not in through:
                through.add(call.first)
                found |= _compared_with(tracer, tag, call.step, call.pins["IN"], through)
    return found
