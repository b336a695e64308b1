"""Which gates of a complete path keep power: of several paths the one that changed last, and beside it those that would do as well; no seal-ins."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen

from .. import auxiliary
from ..circuit import Gate
from . import passes
from .gates import gate_bit, gate_key, gate_tag, gate_time
from .handed_as_it_is import source

if TYPE_CHECKING:
    from ..tracer import Tracer


def completing(tracer: Tracer, power: Expr | None, now: Seen, before: Seen | None) -> list[Gate]:
    """The gates of a complete path: those that closed in this evaluation, else all, latest change first; no seal-ins.

    Of equally late paths one that is complete without the coil's own contacts.
    """
    circuit, own = tracer.circuit(now.step), holding(tracer)
    best: list[Gate] = []
    paths = circuit.complete(power, now.result) if power is not None else []
    for path in sorted(paths, key=lambda p: any(holds(tracer, g, now, own) for g in p)):
        gates = [g for g in path if not holds(tracer, g, now, own)]
        came = [g for g in path if before is not None and not circuit.passes(g, before.result)]
        # What alone closed is the cause, also where it is on the trail: an alarm that ends itself by what it sets off.
        chosen = [g for g in came if g in gates] or came or gates
        chosen.sort(key=lambda g: gate_time(tracer, g, now), reverse=True)
        latest = gate_time(tracer, chosen[0], now) if chosen else (0, -1)
        if not best or latest > gate_time(tracer, best[0], now):
            best = chosen or best
    # Where nothing is left: what the coils on the trail were at another time, as before the drop-out that is asked for, is no seal-in.
    return best or next(([g for g in path if not _the_same(tracer, g, now)] for path in paths), [])


def other_ways(tracer: Tracer, power: Expr | None, seen: Seen, followed: list[Gate], whole: bool) -> list[Gate]:
    """The gates of complete paths that keep the power as well as those that are followed.

    Args: whole: all of them; else the inputs, and of each path that none stands for yet the gate that changed last.
    """
    circuit, own = tracer.circuit(seen.step), holding(tracer)
    paths = circuit.complete(power, seen.result) if power is not None else []
    there = {gate_key(tracer, g, seen) for g in followed}
    found: list[Gate] = []
    for path in paths:
        gates = [g for g in path if not holds(tracer, g, seen, own)]
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
    """Whether nothing of the program writes a tag, or it is given an input as it is, like the pin of a block."""
    return tag is not None and source(tracer, tag) is not None


def holding(tracer: Tracer) -> set[int]:
    """The coils on the trail and the sure auxiliaries of their contactors."""
    return {*tracer.coils, *(a.tag for tag in tracer.coils for a in auxiliary.of_tag(tracer, tag) if a.sure)}


def holds(tracer: Tracer, gate: Gate, seen: Seen, own: set[int]) -> bool:
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
