"""What should have taken over before a timer's time ran out: a contact beside the timer's own that alone would do in its place."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from whorlograph.engine.code import Expr
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from ..circuit import Gate
from ..how_often import how_often
from ..languages import words_of
from ..trail import Link
from ..writers import BlockCall, Kind
from . import handed_as_it_is
from .gates import distinct, explain_gate, gate_key, gate_tag, gate_time, gate_words
from .instance_name import instance_name
from .too_late import LEAST, MOST_BEFORE, Waited, came, overdue

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 3  # contacts side by side that are named
MOST_HANDED = 2  # times that a timer's output is handed on
ALWAYS = 5  # times that the timer ran out and nothing took over, from which on that is how it ends


class RanOut(Struct, frozen=True):
    """A timer's output that turned since its time was over: the block, the output, the row; from when on that ran to when, ns."""

    call: BlockCall
    tag: int
    row: int
    waited: Waited


def add(tracer: Tracer, link: Link, power: Expr, lost: list[Gate], seen: Seen, depth: int) -> None:
    """Add to the link of a coil that lost its power to a timer that ran out what stands beside that and has not come, or went again.

    The same path with it in the timer's place has all else that it needs. It is waited for where it mostly took over before, or where the coil
    holds itself or starts that timer: the time bridges its start. What the trail tells of already is left as it is.
    """
    timer = _ran_out(tracer, lost[0], seen)
    told = {root.tag for root in link.all_roots()}
    for gates in _beside(tracer, power, lost[0], seen)[:MOST] if timer is not None else ():
        tags = {gate: gate_tag(tracer, gate, seen) for gate in gates}
        if timer is None or any(tag is None or not tracer.boolean(tag) or tag in told for tag in tags.values()):
            continue
        took, of, cut = _before(tracer, timer, {tag: not gate.negated for gate, tag in tags.items() if tag is not None})
        usual = took >= LEAST and took * 2 > of
        for gate in gates if usual or _bridges_start(tracer, timer.call) else ():
            others = " and ".join(gate_words(tracer, other, seen) for other in gates if other is not gate)
            how = (f" with {others}" if others else "") + f" when {instance_name(tracer, timer.call)} ran out"
            how = f"took over{how} {how_often(took, of, cut)}" if usual else f"would have taken over{how}"
            _add(tracer, link, gate, timer.waited, how, took > 0 or of < ALWAYS, seen, depth)


def _add(tracer: Tracer, link: Link, gate: Gate, waited: Waited, how: str, wanted: bool, seen: Seen, depth: int) -> None:
    """Args: wanted: whether it counts as what should have come."""
    part = Link(LinkKind.RUNG_FALSE, None, False, None, seen.step, seen.scan, "")
    explain_gate(tracer, part, gate, seen, depth, change=False)
    time, _ = gate_time(tracer, gate, seen)
    went = time > waited[0]
    said = f"{words_of(tracer.steps.all[seen.step]).fell()} at {tracer.at(time)}" if went else came(tracer, gate_tag(tracer, gate, seen), waited)
    for root in part.all_roots() if wanted else ():
        if went:
            root.changed = root.leads = True
        elif root.value is not None:
            overdue(root, waited)
    for root in part.roots:
        root.text += f"; it {how}, and {said}"
    link.text += f"; {gate_words(tracer, gate, seen)} {how}, and {said}"
    link.children += part.children
    link.roots += part.roots


def _ran_out(tracer: Tracer, gate: Gate, seen: Seen) -> RanOut | None:
    """The timer whose output a gate is, where that turned because its time was over; None of another gate."""
    tag, journal = gate_tag(tracer, gate, seen), tracer.journal
    call = _timer_of(tracer, tag) if tag is not None else None
    for _ in range(MOST_HANDED if call is None else 0):  # a memory that is the timer's output
        tag = handed_as_it_is.given(tracer, tag) if tag is not None and len(tracer.writers.get(tag, ())) == 1 else None
        call = _timer_of(tracer, tag) if tag is not None else None
        if call is not None:
            break
    if call is None or tag is None or (call.kind == "TON") != gate.negated:
        return None
    row = journal.last_row(tag, seen.after)
    if row is None or bool(journal.value_at(tag, row)) == gate.negated:
        return None
    started = tag if call.kind == "TP" else next(t for name, t in call.tags.items() if name.lower() == "in")
    began = journal.last_row(started, row)
    return RanOut(call, tag, row, (journal.time(began), journal.time(row))) if began is not None else None


def _timer_of(tracer: Tracer, tag: int) -> BlockCall | None:
    """The timer whose output Q a tag is; None where it is something else."""
    writer = next(iter(tracer.writers.get(tag, ())), None)
    call = tracer.written.block(writer.step, writer.at) if writer is not None and writer.kind is Kind.BLOCK else None
    if call is None or call.kind not in ("TON", "TOF", "TP"):
        return None
    return call if any(name.lower() == "q" and number == tag for name, number in call.tags.items()) else None


def _before(tracer: Tracer, timer: RanOut, values: dict[int, bool]) -> tuple[int, int, bool]:
    """How often tags stood as wanted when a timer ran out before, of how many times; whether there were earlier ones."""
    journal = tracer.journal
    rows = journal.rows(timer.tag)
    rows = rows[:int(np.searchsorted(rows, timer.row))]
    ends = [r for r in rows[-2 * MOST_BEFORE:].tolist() if journal.raw(r) == journal.raw(timer.row)]
    took = sum(all(bool(journal.value_at(tag, r)) == on for tag, on in values.items()) for r in ends)
    return took, len(ends), len(rows) > 2 * MOST_BEFORE


def _bridges_start(tracer: Tracer, call: BlockCall) -> bool:
    """Whether a coil on the trail holds itself, or a timer runs by it: what that bridges is its start."""
    def reads(step: int) -> set[int]:
        return {tag for use in tracer.controller.access.of_step(step) if not use.writes for tag in use.tags()}

    coils = set(tracer.coils)
    return bool(coils & reads(call.step)) or any(coil in reads(w.step) for coil in coils for w in tracer.writers.get(coil, ()))


def _beside(tracer: Tracer, power: Expr, gate: Gate, seen: Seen) -> list[list[Gate]]:
    """The gates that lie beside one, those together that only together would give power in its place, with the rest of its path as it is."""
    circuit, key = tracer.circuit(seen.step), gate_key(tracer, gate, seen)
    keys = {path: frozenset(gate_key(tracer, g, seen) for g in path) for path in circuit.paths(power)}
    rests = {keys[path] - {key} for path in keys if gate in path}
    found = dict[frozenset[tuple[object, ...]], list[Gate]]()
    for path in keys:
        opened = distinct(tracer, circuit.open_gates(path, seen.result), seen)
        missing = frozenset(gate_key(tracer, g, seen) for g in opened)
        if key not in keys[path] and any(rest <= keys[path] - missing for rest in rests):
            found.setdefault(missing, opened)
    least = min(map(len, found), default=0)
    return [gates for missing, gates in found.items() if len(missing) == least]
