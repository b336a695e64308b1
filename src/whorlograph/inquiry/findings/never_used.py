"""A tag that is never written, or never read."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.model.program import VariableKind

from ..xref import Xref
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Tags that the program reads and nobody gives, or writes and nobody reads."""
    tracer, uncalled = facts.tracer, tuple(f"{name}." for name in facts.uncalled)
    for entry in Xref(tracer.controller, tracer.iolist, frozenset(tracer.logged)).entries():
        if entry.tag.name.startswith(uncalled):
            continue  # its block is never called: that is said once
        where = (entry.reads or entry.writes or (None,))[0]
        pou, rung, step = (where.pou, where.rung, where.use.step) if where is not None else ("", 0, -1)
        for mark, effect, weight in (("never written", "it keeps its declared value", 2), ("never read", "it does nothing", 3)):
            if mark == "never written" and entry.tag.initial:
                if entry.tag.kind is VariableKind.INPUT:
                    continue  # what a block takes where nothing is given, as it is declared
                initial = tracer.state_word(tracer.value(entry.tag.index, entry.tag.initial), entry.tag.index)
                effect, weight = f"it keeps its declared value {initial}, like a constant", 3
            if mark in entry.oddities and not (mark == "never written" and not entry.reads):
                yield Finding(mark.replace(" ", "-"), pou, rung, step, 0, entry.tag.index, f"{entry.tag.name} is {mark}", effect, weight)
