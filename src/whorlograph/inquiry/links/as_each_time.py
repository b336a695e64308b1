"""Where what completed a path came as it does each time: the gates of that path which were otherwise then, or had stood already, are what counts."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Edge, Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.blocks import COUNTERS

from ..circuit import Gate
from ..numbered import asked_for, is_sequence
from ..rests import is_rest
from ..symptoms import course
from ..writers import Kind
from .complete_paths import holding, holds, telling
from .gates import gate_tag, gate_time
from .handed_as_it_is import source

if TYPE_CHECKING:
    from ..tracer import Tracer

TWICE = 2  # times before that a sensor came to the same but for a count
MOST_IN_A_ROW = 50  # pulses, or times that a sensor came, that are gone back over


def since_the_last_pulse(tracer: Tracer, number: int | None, power: Expr | None, gates: list[Gate], now: Seen, before: Seen | None) -> list[Gate]:
    """Where only pulses completed a path that come again and again: the gates of it that did not pass when those came the time before.

    That the pulse came is as always; what it met is not. Of a number that counts what comes in a row: when it was last set back.
    """
    circuit, journal = tracer.circuit(now.step), tracer.journal
    came = [g for g in gates if _is_pulse(tracer, g, now)]
    if power is None or before is None or not came or not all(_stood(tracer, g, now, before) for g in gates if g not in came):
        return []
    pulse = gate_tag(tracer, came[0], now)
    row = journal.last_row(pulse, now.after) if pulse is not None else None
    path: Sequence[Gate] = next((p for p in circuit.complete(power, now.result) if all(g in p for g in came)), ())
    counts = number is not None and not tracer.boolean(number)
    for n in range(MOST_IN_A_ROW if counts else 1):
        for _ in range(2):  # over its fall to the rise before, or the other way round
            row = journal.last_row(pulse, row) if pulse is not None and row is not None else None
        if row is None or tracer.paths.skipped(journal, now.step, scan := tracer.scan_of(row)) is not None:
            return []
        was = tracer.seen(now.step, scan)
        if not all(circuit.passes(g, was.result) for g in came):
            return []
        found = [g for g in path if g not in came and not circuit.passes(g, was.result)]
        if found:
            return found if n == 0 or (number is not None and _set_back(tracer, number, scan)) else []
    return []


def _set_back(tracer: Tracer, number: int, scan: int) -> bool:
    """Whether something gave a number another value in a scan than what adds to it."""
    for writer in tracer.writers.get(number, ()):
        literal = tracer.circuit(writer.step).literal(writer.value) if writer.value is not None else None
        if literal is not None and tracer.paths.skipped(tracer.journal, writer.step, scan) is None and \
                writer.at in tracer.seen(writer.step, scan).result.stored:
            return True
    return False


def _stood(tracer: Tracer, gate: Gate, now: Seen, before: Seen) -> bool:
    """Whether what a gate looks at had not changed since the former evaluation, which did not come to it: behind a pulse in an IF."""
    circuit = tracer.circuit(now.step)
    if circuit.known(gate, before.result) or isinstance(circuit.leaves.get(gate.at), Edge):
        return False
    cells = [tracer.cell(one, now) for one in circuit.loads(circuit.behind(circuit.leaves.get(gate.at))) if isinstance(one, Load)]
    rows = [tracer.last_row(cell.number, now.position, cell.bit) if cell is not None else -1 for cell in cells]
    return bool(rows) and all(row is None or (row >= 0 and tracer.scan_of(row) <= before.scan) for row in rows)


def _is_pulse(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether a gate passes in one scan only: an edge, by a contact or by a block; a tag that was on for no longer the times before."""
    if isinstance(tracer.circuit(seen.step).leaves.get(gate.at), Edge):
        return True
    tag = gate_tag(tracer, gate, seen)
    writers = tracer.writers.get(tag, ()) if tag is not None else ()
    calls = [tracer.written.block(w.step, w.at) for w in writers if w.kind is Kind.BLOCK]
    if tag is not None and writers and not gate.negated and tracer.boolean(tag):
        path = course(tracer.journal, tag)
        now = int(np.searchsorted(path.scans, seen.scan, side="left"))
        behind = path.scans[max(0, now - 8):now].tolist()
        ons = [off - on for on, off in pairwise(behind) if path.at(on)]
        if len(ons) >= 2 and max(ons[-3:]) <= 1:
            return True
    return bool(calls) and len(calls) == len(writers) and all(call is not None and call.kind in ("R_TRIG", "F_TRIG") for call in calls)


def come_to_its_count(tracer: Tracer, power: Expr | None, gates: list[Gate], now: Seen, before: Seen | None) -> list[Gate]:
    """Where only what comes from outside completed a path, and twice or more had come to the same but for a count: the gate that asks for that.

    After the third attempt in vain a machine gives up: when its sensor came is as always; that it was the third time is not.
    """
    circuit, journal = tracer.circuit(now.step), tracer.journal
    tags = {gate_tag(tracer, g, now) for g in gates}
    tag = tags.pop() if len(tags) == 1 else None
    if power is None or before is None or tag is None or not tracer.boolean(tag) or source(tracer, tag) is None:
        return []
    path: Sequence[Gate] = next((p for p in circuit.complete(power, now.result) if all(g in p for g in gates)), ())
    counts = [g for g in path if g not in gates and _counts(tracer, g, now)]
    path_of_tag = course(journal, tag)
    rises = path_of_tag.scans[((path_of_tag.values != 0) != gates[0].negated) & (path_of_tag.scans < now.scan) & (path_of_tag.scans > 1)]
    lacked: list[Gate] = []
    for scan in rises[-MOST_IN_A_ROW:].tolist() if counts else ():
        if tracer.paths.skipped(journal, now.step, scan) is not None:
            continue
        was = tracer.seen(now.step, scan)
        missing = [g for g in path if not circuit.passes(g, was.result)]
        if not missing:
            return []
        lacked += missing if len(missing) == 1 and missing[0] in counts else []
    return lacked[:1] if len(lacked) >= TWICE and len(set(lacked)) == 1 else []


def _counts(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether a gate asks whether a counter has come to its preset, or a number to a limit."""
    circuit = tracer.circuit(seen.step)
    made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
    if isinstance(made, Op):
        return made.code in ("GE", "GT")
    tag = gate_tag(tracer, gate, seen)
    calls = [tracer.written.block(w.step, w.at) for w in tracer.writers.get(tag, ()) if w.kind is Kind.BLOCK] if tag is not None else []
    return bool(calls) and not gate.negated and all(call is not None and call.kind in COUNTERS for call in calls)


def what_stood_already(tracer: Tracer, power: Expr | None, came: list[Gate], now: Seen, number: int | None, written: int | None) -> list[Gate]:
    """Where only the end of a pause completed a path that the drop of its own coil had started, or that a sequence came to the step which the write
    of its number leaves, or that a tag came which is taken back by this: the other gates of it, latest change first. A step is left at once, and a
    tag let go, where what does it stood already.

    Args: number: that is written then; written: the tag that is.
    """
    circuit, own, all_came = tracer.circuit(now.step), holding(tracer), came
    came = telling(tracer, came, now)  # of a CASE: without what says only that its number is none of the others
    tags = [gate_tag(tracer, g, now) for g in came]
    paused = bool(came) and all(tag is not None and is_rest(tracer, tag, frozenset(own)) for tag in tags)
    its_own = written is not None and set(tags) == {written} and not any(g.negated for g in came)
    if power is None or not came or not (paused or its_own or all(_is_step_of(tracer, g, now, number) for g in came)):
        return []
    path: Sequence[Gate] = next((p for p in circuit.complete(power, now.result) if all(g in p for g in came)), ())
    others = [g for g in telling(tracer, list(path), now) if g not in all_came and not holds(tracer, g, now, own)]
    if its_own:  # what never was otherwise lets it go each time: then what set it is told
        others = [g for g in others if gate_time(tracer, g, now)[0] > tracer.time(1)]
    return sorted(others, key=lambda g: gate_time(tracer, g, now), reverse=True)


def for_the_first_time(tracer: Tracer, power: Expr | None, came: list[Gate], now: Seen) -> list[Gate]:
    """Where what completed a path had come several times before: the gates of it that are so for the first time in this log, never met before.

    That the sensor came is as always; what is new is what it met.
    """
    circuit, journal = tracer.circuit(now.step), tracer.journal
    tags = {gate_tag(tracer, g, now) for g in came}
    tag = tags.pop() if len(tags) == 1 else None
    if power is None or tag is None or not tracer.boolean(tag):
        return []
    own, on = course(journal, tag), not came[0].negated
    path: Sequence[Gate] = next((p for p in circuit.complete(power, now.result) if all(g in p for g in came)), ())
    found = []
    for gate in path:
        other = gate_tag(tracer, gate, now)
        if gate in came or other is None or other == tag or not tracer.boolean(other) or isinstance(circuit.leaves.get(gate.at), (Edge, Op)):
            continue
        began = course(journal, other).first_began(not gate.negated, now.scan)
        if began is None or bool(own.at(began)) == on or own.last_change(now.scan - 1, on) not in (None, own.last_change(began, on)):
            continue  # they were so together before
        if int((((own.values != 0) == on) & (own.scans > 1) & (own.scans < began)).sum()) >= TWICE:
            found.append(gate)
    return found


def _is_step_of(tracer: Tracer, gate: Gate, now: Seen, number: int | None) -> bool:
    """Whether a gate asks for a step of a sequence whose number is given."""
    circuit = tracer.circuit(now.step)
    made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
    asked = asked_for(circuit, made, now) if isinstance(made, Op) and made.code == "EQ" and not gate.negated else []
    return number is not None and any(tag == number for tag, _ in asked) and is_sequence(tracer, number)
