"""Which gates of a complete path keep power: of several paths the one that changed last, and beside it those that would do as well; no seal-ins."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Edge, Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.blocks import COUNTERS

from .. import auxiliary
from ..circuit import Gate
from ..numbered import asked_for, is_sequence
from ..rests import is_rest
from ..symptoms import course
from ..writers import Kind
from . import passes
from .gates import gate_bit, gate_key, gate_tag, gate_time
from .handed_as_it_is import source

if TYPE_CHECKING:
    from ..tracer import Tracer


TWICE = 2  # times before that a sensor came to the same but for a count
MOST_IN_A_ROW = 50  # pulses that are gone back over to where a number was set back


def completing(tracer: Tracer, power: Expr | None, now: Seen, before: Seen | None) -> list[Gate]:
    """The gates of a complete path: those that closed in this evaluation, else all, latest change first; no seal-ins.

    Of equally late paths one that is complete without the coil's own contacts.
    """
    circuit, own = tracer.circuit(now.step), _holding(tracer)
    best: list[Gate] = []
    paths = circuit.complete(power, now.result) if power is not None else []
    for path in sorted(paths, key=lambda p: any(_holds(tracer, g, now, own) for g in p)):
        gates = [g for g in path if not _holds(tracer, g, now, own)]
        came = [g for g in path if before is not None and not circuit.passes(g, before.result)]
        # What alone closed is the cause, also where it is on the trail: an alarm that ends itself by what it sets off.
        chosen = [g for g in came if g in gates] or came or gates
        chosen.sort(key=lambda g: gate_time(tracer, g, now), reverse=True)
        latest = gate_time(tracer, chosen[0], now) if chosen else (0, -1)
        if not best or latest > gate_time(tracer, best[0], now):
            best = chosen or best
    # Where nothing is left: what the coils on the trail were at another time, as before the drop-out that is asked for, is no seal-in.
    return best or next(([g for g in path if not _the_same(tracer, g, now)] for path in paths), [])


def _stood(tracer: Tracer, gate: Gate, now: Seen, before: Seen) -> bool:
    """Whether what a gate looks at had not changed since the former evaluation, which did not come to it: behind a pulse in an IF."""
    circuit = tracer.circuit(now.step)
    if circuit.known(gate, before.result) or isinstance(circuit.leaves.get(gate.at), Edge):
        return False
    cells = [tracer.cell(one, now) for one in circuit.loads(circuit.behind(circuit.leaves.get(gate.at))) if isinstance(one, Load)]
    rows = [tracer.last_row(cell.number, now.position, cell.bit) if cell is not None else -1 for cell in cells]
    return bool(rows) and all(row is None or (row >= 0 and tracer.scan_of(row) <= before.scan) for row in rows)


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


def _set_back(tracer: Tracer, number: int, scan: int) -> bool:
    """Whether something gave a number another value in a scan than what adds to it."""
    for writer in tracer.writers.get(number, ()):
        literal = tracer.circuit(writer.step).literal(writer.value) if writer.value is not None else None
        if literal is not None and tracer.paths.skipped(tracer.journal, writer.step, scan) is None and \
                writer.at in tracer.seen(writer.step, scan).result.stored:
            return True
    return False


def beside_rests(tracer: Tracer, power: Expr | None, came: list[Gate], now: Seen, number: int | None) -> list[Gate]:
    """Where only the end of a pause completed a path that the drop of its own coil had started, or that a sequence came to the step which the write
    of its number leaves: the other gates of it, latest change first. A step is left at once where what leaves it stood already.
    """
    circuit, own = tracer.circuit(now.step), _holding(tracer)
    tags = [gate_tag(tracer, g, now) for g in came]
    paused = bool(came) and all(tag is not None and is_rest(tracer, tag, frozenset(own)) for tag in tags)
    if power is None or not came or not (paused or all(_is_step_of(tracer, g, now, number) for g in came)):
        return []
    path: Sequence[Gate] = next((p for p in circuit.complete(power, now.result) if all(g in p for g in came)), ())
    others = [g for g in path if g not in came and not _holds(tracer, g, now, own)]
    return sorted(others, key=lambda g: gate_time(tracer, g, now), reverse=True)


def _is_step_of(tracer: Tracer, gate: Gate, now: Seen, number: int | None) -> bool:
    """Whether a gate asks for a step of a sequence whose number is given."""
    circuit = tracer.circuit(now.step)
    made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
    asked = asked_for(circuit, made, now) if isinstance(made, Op) and made.code == "EQ" and not gate.negated else []
    return number is not None and any(tag == number for tag, _ in asked) and is_sequence(tracer, number)


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


def other_ways(tracer: Tracer, power: Expr | None, seen: Seen, followed: list[Gate], whole: bool) -> list[Gate]:
    """The gates of complete paths that keep the power as well as those that are followed.

    Args: whole: all of them; else the inputs, and of each path that none stands for yet the gate that changed last.
    """
    circuit, own = tracer.circuit(seen.step), _holding(tracer)
    paths = circuit.complete(power, seen.result) if power is not None else []
    there = {gate_key(tracer, g, seen) for g in followed}
    found: list[Gate] = []
    for path in paths:
        gates = [g for g in path if not _holds(tracer, g, seen, own)]
        fresh = [g for g in gates if gate_key(tracer, g, seen) not in there]
        if fresh and not whole:
            alone = [max(fresh, key=lambda g: gate_time(tracer, g, seen))] if len(fresh) == len(gates) else []
            fresh = [g for g in fresh if g in alone or is_input(tracer, gate_tag(tracer, g, seen))]
        found += fresh
        there |= {gate_key(tracer, g, seen) for g in fresh}
    return found


def telling(tracer: Tracer, gates: list[Gate], seen: Seen) -> list[Gate]:
    """Gates without those that say nothing: that a loop goes on; that a number is not another where it is said which one it is."""
    circuit = tracer.circuit(seen.step)
    asked: dict[Gate, int] = {}
    for gate in gates:
        made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
        cells = [tracer.cell(one, seen) for one in circuit.loads(made) if isinstance(one, Load)] if isinstance(made, Op) and made.code == "EQ" else []
        if len(cells) == 1 and cells[0] is not None:
            asked[gate] = cells[0].number
    known = {tag for gate, tag in asked.items() if not gate.negated}
    return [g for g in gates if not passes.is_end(tracer, seen.step, g.at) and not (g.negated and asked.get(g) in known)]


def is_input(tracer: Tracer, tag: int | None) -> bool:
    """Whether nothing of the program writes a tag."""
    return tag is not None and not tracer.writers.get(tag)


def _holding(tracer: Tracer) -> set[int]:
    """The coils on the trail and the sure auxiliaries of their contactors."""
    return {*tracer.coils, *(a.tag for tag in tracer.coils for a in auxiliary.of_tag(tracer, tag) if a.sure)}


def _holds(tracer: Tracer, gate: Gate, seen: Seen, own: set[int]) -> bool:
    """Whether a gate is a coil on the trail that holds itself; a tag that serves several rungs one after another may be another one's here."""
    tag = gate_tag(tracer, gate, seen)
    if gate.negated or tag is None or tag not in own:
        return False
    load = tracer.circuit(seen.step).load(gate)
    if load is not None and tracer.wrote_before(tag, load.at, seen) is not None:
        return False  # the step itself gave it before
    if len({w.step for w in tracer.writers.get(tag, ())}) < 2 or tag not in tracer.coils:
        return True
    return _the_same(tracer, gate, seen)


def _the_same(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether a gate looks at a value that the trail is at already."""
    tag = gate_tag(tracer, gate, seen)
    if tag is None:
        return False
    bit = gate_bit(tracer, gate, seen)
    return tracer.known_as(tag, tracer.last_row(tag, seen.position, bit), tracer.view_of(seen.step, seen.scan), bit) in tracer.open
