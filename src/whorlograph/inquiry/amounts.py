"""Numbers that are counted, summed or computed, and compared: what adds to them, sets them back, or would give another."""

from __future__ import annotations

import operator
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Const, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.types import Family

from .circuit import Circuit
from .numbered import given_by
from .symptoms import course
from .would_be import would_give
from .writers import Kind, Writer

if TYPE_CHECKING:
    from .tracer import Tracer

_HOLDS = {"GE": operator.ge, "GT": operator.gt, "LE": operator.le, "LT": operator.lt}


def _sides(circuit: Circuit, compared: Op, seen: Seen) -> Iterator[tuple[int, float, float, bool]]:
    """Of a comparison of two numbers by more or less, or for equality, from each side that is a tag: the tag, its value, the other one's, whether it
    stands first."""
    if len(compared.args) != 2 or compared.code not in ("EQ", *_HOLDS):
        return
    sides = [circuit.plain(arg) for arg in compared.args]
    values = [one.value if isinstance(one, Const) else seen.result.raws.get(one.at) if isinstance(one, Load) else
              seen.result.values.get(one.at) if isinstance(one, Op) else None for one in sides]
    for mine, other in ((0, 1), (1, 0)):
        one, now, limit = sides[mine], values[mine], values[other]
        if isinstance(one, Load) and isinstance(now, (int, float)) and isinstance(limit, (int, float)) and one.at in seen.result.cells:
            yield seen.result.cells[one.at].number, now, limit, mine == 0


def towards(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen) -> list[tuple[int, Writer, str]]:
    """Of a comparison that does not hold: (tag, writer, in words) of what adds to a number that is too low, or takes from one too high."""
    found: list[tuple[int, Writer, str]] = []
    for tag, up in wanted(circuit, compared, seen):
        code, verb = ("ADD", "adds to") if up else ("SUB", "takes from")
        adding = [w for w in tracer.writers.get(tag, ()) if w.guard is not None and _adds(tracer, w, code)]
        found += [(tag, w, verb) for w in _not_begun_anew(tracer, tag, adding, seen) or adding]
    return found


def _not_begun_anew(tracer: Tracer, tag: int, adding: list[Writer], seen: Seen) -> list[Writer]:
    """Those of what adds to a number that come behind the last write that begins it anew in every evaluation, before a step looks at it."""
    view = tracer.view_of(seen.step, seen.scan)

    def turn(one: Writer) -> tuple[int, ...]:
        return tracer.ran(one.step, view), *tracer.written.turn(one)

    anew = [turn(w) for w in tracer.writers.get(tag, ()) if w.kind is Kind.VALUE and w.bit < 0 and w.guard is None
            and not _adds(tracer, w, "ADD") and not _adds(tracer, w, "SUB")]
    return [w for w in adding if not anew or turn(w) > max(anew)]


def would_turn(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen, held: bool) -> list[tuple[int, Writer, int | float]]:
    """Of a comparison of a number: (tag, writer, number) of the writes that are not executed, each of which would turn it if it were."""
    found: list[tuple[int, Writer, int | float]] = []
    for tag, _, limit, first in _sides(circuit, compared, seen):
        for writer in tracer.writers.get(tag, ()):
            if writer.bit >= 0 or given_by(tracer, writer) is not None or _adds(tracer, writer, "ADD") or _adds(tracer, writer, "SUB"):
                continue  # what gives a literal, or counts, is looked for by what it does
            would = would_give(tracer, writer, seen.scan)
            if isinstance(would, (int, float)) and not isinstance(would, bool):
                holds = would == limit if compared.code == "EQ" else _HOLDS[compared.code](*((would, limit) if first else (limit, would)))
                if holds != held:
                    found.append((tag, writer, would))
    return found


def wanted(circuit: Circuit, compared: Op, seen: Seen) -> list[tuple[int, bool]]:
    """Of a comparison that does not hold: (tag, whether it is too low) of the numbers in it."""
    return [(tag, now < goal if compared.code == "EQ" else (compared.code in ("GE", "GT")) == first)
            for tag, now, goal, first in _sides(circuit, compared, seen)]


def votes(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen) -> list[tuple[int, Writer]]:
    """The numbers that a comparison looks at that one write alone gives, in each evaluation, from several BOOLs: how many of them are on."""
    found: list[tuple[int, Writer]] = []
    for tag, *_ in _sides(circuit, compared, seen):
        writers = tracer.writers.get(tag, ())
        one = writers[0] if len(writers) == 1 and writers[0].kind is Kind.VALUE and writers[0].guard is None else None
        loads = [load for load in tracer.circuit(one.step).loads(one.value) if isinstance(load, Load)] if one is not None else []
        if one is not None and len(loads) > 1 and all(load.type == "BOOL" for load in loads):
            found.append((tag, one))
    return found


def set_back_at(tracer: Tracer, tag: int, position: int, up: bool) -> int | None:
    """The journal's row in which a number that is counted one way last went the other, from scan to scan; None where it has not.

    What is made anew in each scan is set back in none. Of a REAL nothing is told.
    """
    path, journal = course(tracer.journal, tag), tracer.journal
    last = journal.last_row(tag, position)
    until = int(path.scans.searchsorted(journal.scan(last), side="right")) if last is not None else 0
    values = np.concatenate([[path.first], path.values[:until]])
    against = np.flatnonzero(np.diff(values) < 0 if up else np.diff(values) > 0)
    if not len(against) or tracer.tag(tag).type.family is Family.REAL:
        return None
    scan = int(path.scans[against[-1]])
    rows = journal.rows_between(tag, journal.settled_position(scan - 1), journal.settled_position(scan)).tolist()
    return next((row for row in reversed(rows) if journal.raw(row) != journal.value_at(tag, row)
                 and (journal.raw(row) < journal.value_at(tag, row)) == up), None)


def counts_up(tracer: Tracer, writer: Writer) -> bool:
    """Whether a write adds to its tag, and does not take from it."""
    return _adds(tracer, writer, "ADD")


def shortfall(circuit: Circuit, compared: Op, seen: Seen, tag: int) -> float:
    """How far a tag is from what it is compared with."""
    return next((abs(goal - now) for number, now, goal, _ in _sides(circuit, compared, seen) if number == tag), 0)


def amount(tracer: Tracer, writer: Writer) -> float:
    """What a write adds to its tag, or takes from it, where a literal says so; else 1."""
    circuit = tracer.circuit(writer.step)
    made = circuit.plain(writer.value)
    amounts = [one.value for one in map(circuit.literal, made.args) if one is not None] if isinstance(made, Op) else []
    return float(amounts[0]) if len(amounts) == 1 and isinstance(amounts[0], (int, float)) else 1.0


def one_way(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen) -> tuple[int, str] | None:
    """Of a comparison that holds: (tag, in words) where all that writes its number takes it further from what would end that."""
    if len(compared.args) != 2 or compared.code not in ("GE", "GT", "LE", "LT"):
        return None
    sides = [circuit.plain(arg) for arg in compared.args]
    for mine, other in ((0, 1), (1, 0)):
        one, limit = sides[mine], circuit.literal(sides[other])
        if not isinstance(one, Load) or limit is None or one.at not in seen.result.cells:
            continue
        tag = seen.result.cells[one.at].number
        high = (compared.code in ("GE", "GT")) == (mine == 0)
        writers = tracer.writers.get(tag, [])
        outside = tag in tracer.logged or tag in tracer.driven or tracer.tag(tag).type.family not in (Family.SIGNED, Family.UNSIGNED)
        if writers and not outside and all(_adds(tracer, w, "ADD" if high else "SUB", positive=True) for w in writers):
            return tag, "adds to" if high else "takes from"
    return None


def setting_back(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen) -> list[tuple[int, Writer, int]]:
    """Of a comparison that holds as its number is counted on: (tag, writer, number) of what would set that back to where it does not."""
    found: list[tuple[int, Writer, int]] = []
    for tag, _, limit, first in _sides(circuit, compared, seen) if compared.code in _HOLDS else ():
        holds, code = _HOLDS[compared.code], "ADD" if (compared.code in ("GE", "GT")) == first else "SUB"
        if any(_adds(tracer, w, code) for w in tracer.writers.get(tag, ())):
            given = [(w, number) for w in tracer.writers[tag] if (number := given_by(tracer, w)) is not None]
            found += [(tag, w, n) for w, n in given if not (holds(n, limit) if first else holds(limit, n))]
    return found


def _adds(tracer: Tracer, writer: Writer, code: str, positive: bool = False) -> bool:
    """Whether a writer gives its tag its own value with something added to it, or taken from it. Args: positive: surely with more than 0."""
    circuit = tracer.circuit(writer.step)
    made = circuit.plain(writer.value) if writer.kind is Kind.VALUE else None
    if not isinstance(made, Op) or made.code != code:
        return False
    own = [circuit.plain(arg) for arg in (made.args if code == "ADD" else made.args[:1])]
    amounts = [one.value for one in map(circuit.literal, made.args) if one is not None]
    if positive and (len(amounts) != len(made.args) - 1 or not all(isinstance(one, (int, float)) and one > 0 for one in amounts)):
        return False
    target = getattr(tracer.written.nodes(writer.step).get(writer.at, (None, ()))[0], "target", None)
    return any(isinstance(one, Load) and one.target == target for one in own)
