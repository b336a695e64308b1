"""A jump backwards, and one whose limit is a tag."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Load, Op
from whorlograph.engine.scope.widening import COMPARISONS

from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Jumps that repeat rungs within a scan."""
    for one in facts.exits():
        if one.target > one.step:
            continue
        place = facts.flag_place(one)
        power = facts.tracer.written.flag_power(one.step, place.element)
        circuit = facts.tracer.circuit(one.step)
        yield facts.finding("backward-jump", place, None, f"{facts.place(one.step)} jumps back to {facts.place(one.target)}",
                            "the rungs between run again within the scan: too many passes trip the watchdog", 2)
        for path in circuit.paths(power) if power is not None else ():
            for gate in path:
                made = facts.computed(circuit, gate)
                if isinstance(made, Op) and made.code in COMPARISONS and sum(isinstance(x, Load) for x in circuit.loads(made)) > 1:
                    limit = [n for x in circuit.loads(made) if isinstance(x, Load) and (n := facts.load_name(one.step, x))]
                    text = f"how often {facts.place(one.step)} jumps back depends on {facts.listed(limit)}"
                    yield facts.finding("loop-limit-is-a-tag", place, None, text, "a wrong value there makes the loop too long for the watchdog", 2)
