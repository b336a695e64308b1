"""A skipped area with timers, edges or outputs."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.calls import Exit, every
from whorlograph.engine.code import Edge, Invoke
from whorlograph.model.blocks import TIMERS

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Forward jumps over what should not be left out."""
    for one in facts.exits():
        if one.target <= one.step + 1:
            continue
        kinds: dict[str, None] = {}
        for step in range(one.step + 1, one.target):
            for action in every(facts.tracer.controller.calls.code_of(step).actions):
                if isinstance(action, Invoke):
                    kinds["timers" if action.block in TIMERS else "blocks"] = None
                elif isinstance(action, Edge):
                    kinds["edges"] = None
            if any(facts.is_output(t) and _stays(facts, one, t) for u in facts.tracer.controller.access.of_step(step) if u.writes for t in u.tags()):
                kinds["outputs"] = None
        if kinds:
            last = facts.tracer.steps.all[one.target - 1].rung.number
            first = facts.tracer.steps.all[one.step + 1].rung.number
            span = f"{first} to {last}" if last > first else f"{first}"
            effect = "what is left out keeps its last state: outputs stay on, timers stand still, edges are missed"
            text = f"{facts.place(one.step)} can leave out {span}, with {facts.listed(sorted(kinds))}"
            yield facts.finding("skipped-area", facts.flag_place(one), None, text, effect, 2)


def _stays(facts: Facts, leaving: Exit, tag: int) -> bool:
    """Whether an output that is left out keeps its state: nothing else on the way writes it all the same."""
    return facts.passage(leaving.step).passes_by(leaving, {w.step for w in facts.writers_of(tag) if w.kind is Kind.COIL and not w.guards})
