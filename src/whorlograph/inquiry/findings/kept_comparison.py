"""A comparison behind contacts: while they are open it is not executed and keeps its last result (CONTROLLER.md, Blocks)."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Base, Load, Op
from whorlograph.engine.scope.widening import COMPARISONS

from ..languages import words_of
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Writes that such a comparison lets through, where nothing behind it asks again for what stands before it."""
    for tag, writers in facts.written():
        for writer in writers:
            power, step = writer.power or writer.guard, writer.step
            if power is None:
                continue
            circuit = facts.tracer.circuit(step)
            paths = circuit.paths(power)
            for gate in dict.fromkeys(g for path in paths for g in path):
                load = circuit.load(gate)
                store = circuit.kept.get(load.target.cell) if load is not None and load.target.base == Base.HIDDEN else None
                made = circuit.made(store.value) if store is not None else None
                guards = facts.tracer.written.guards(step, store) if store is not None else None
                if guards is None or not isinstance(made, Op) or made.code not in COMPARISONS:
                    continue
                before = {t for x in circuit.loads(guards) if isinstance(x, Load) and (t := facts.load_tag(step, x)) is not None}
                behind = {t for path in paths if gate in path for g in path
                          if (x := circuit.load(g)) is not None and (t := facts.load_tag(step, x)) is not None}
                loads = [*circuit.loads(made)]
                compared = [facts.load_name(step, x) if isinstance(x, Load) else str(x.value) for x in loads]
                if len(loads) > 2:  # of expressions, as they are written
                    unit, origin = facts.tracer.steps.all[step], facts.tracer.origin(step, made.at)
                    compared = [words_of(unit).gate(unit, origin.element, origin.what, origin.passing)]
                if not before or before <= behind:
                    continue
                names = facts.listed(facts.name(t) for t in before)
                text = (f"the comparison of {' and '.join(compared)} in {facts.place(step)} is executed only while {names} "
                        f"let{'s' * (len(before) == 1)} power through, and keeps its last result after that")
                yield facts.finding("kept-comparison", writer, tag, text, f"{facts.name(tag)} may be written although they are off", 2)
