"""A counter or sum that can overflow, and when at the rate seen in the log."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from whorlograph.engine.code import Load, Op
from whorlograph.model.literals import duration_text

from ..links.passes import in_loop
from ..symptoms import course
from ..writers import Kind, Writer
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Numbers that are added to themselves without a comparison that stops them."""
    for tag, writers in facts.written():
        type_ = facts.tag(tag).type
        if not type_.whole:
            continue
        for writer in writers:
            if writer.kind is Kind.VALUE and writer.value is not None and _grows(facts, tag, writer) and not facts.guarded(writer, [tag]):
                others = [w for w in writers if w is not writer and w.kind is Kind.VALUE]
                if any(_begins_anew(facts, tag, writer, w) or _sets_back(facts, tag, writer, w) for w in others):
                    continue
                others = [w for w in others if not _grows(facts, tag, w)]
                back = f"; {facts.place(others[0].step)} writes it too" if others else "; nothing sets it back"
                asked = [c for c in facts.comparisons if c.tag == tag and c.code != "NE"] if others else []
                limit = ", and asks for no limit there" if asked else ", without a limit"
                text = f"{facts.place(writer.step)} adds to {facts.name(tag)}, of type {type_.name}{limit}{back}"
                effect = f"beyond {type_.high} it overflows{_when(facts, tag)}"
                if asked:  # a sequence, perhaps, that adds in a step to which it does not come once the number is so high
                    effect += f"; only what follows where {facts.place(asked[0].place.step)} compares it with {asked[0].value} may keep it below"
                yield facts.finding("may-overflow", writer, tag, text, effect, 3 if asked else 2 if others else 1)


def _begins_anew(facts: Facts, tag: int, writer: Writer, other: Writer) -> bool:
    """Whether another write gives the tag a value of its own whenever the one that adds has its turn: it adds up within one run at most."""
    paths, calls = facts.tracer.paths, facts.tracer.controller.calls
    if other.guard is not None or _grows(facts, tag, other) or (in_loop(facts.tracer, writer) and not _counted(facts, tag, writer)):
        return False
    return calls.instance_of[other.step] == calls.instance_of[writer.step] and paths.order[other.step] <= paths.order[writer.step] \
        and not calls.exits[calls.instance_of[other.step]]


def _sets_back(facts: Facts, tag: int, writer: Writer, other: Writer) -> bool:
    """Whether another write leads the other way once the tag has passed a limit: an angle that begins again behind 360."""
    circuit = facts.tracer.circuit
    one, back = circuit(writer.step).plain(writer.value), circuit(other.step).plain(other.value)
    other_way = not _grows(facts, tag, other) or (isinstance(one, Op) and isinstance(back, Op) and {one.code, back.code} == {"ADD", "SUB"})
    return other_way and facts.guarded(other, [tag])


def _counted(facts: Facts, tag: int, writer: Writer) -> bool:
    """Whether a loop that a write stands in goes on while something that it counts itself is within limits."""
    circuit = facts.tracer.circuit(writer.step)
    asked = {facts.load_tag(writer.step, x) for guard in writer.guards for x in circuit.loads(guard) if isinstance(x, Load)} - {tag, None}
    return any(_grows(facts, one, w) for one in asked if one is not None for w in facts.tracer.writers.get(one, ())
               if w.step == writer.step and in_loop(facts.tracer, w))


def _grows(facts: Facts, tag: int, writer: Writer) -> bool:
    circuit = facts.tracer.circuit(writer.step)
    made = circuit.plain(writer.value)
    if not isinstance(made, Op) or made.code not in ("ADD", "SUB", "MUL"):
        return False
    parts = made.args[:1] if made.code == "SUB" else made.args  # 3 - X goes to and fro
    return any(isinstance(x, Load) and facts.load_tag(writer.step, x) == tag for part in parts for x in circuit.loads(part))


def _when(facts: Facts, tag: int) -> str:
    """When it overflows at the rate seen in the log; "" without one."""
    journal = facts.tracer.journal
    path = course(journal, tag)
    if not facts.replayed or len(path.scans) < 3:
        return ""
    values = np.append(path.first, path.values)
    steps = np.diff(values)
    up = steps[steps > 0]
    span = journal.clock.start(journal.clock.last) - journal.clock.start(int(path.scans[0]))
    if not len(up) or span <= 0:
        return ""
    rate = float(up.sum()) / span
    left = (facts.tag(tag).type.high - int(values[-1])) / rate
    return f"; at the rate of this log {duration_text(int(left))} after its end" if 0 < left < 3e18 else ""
