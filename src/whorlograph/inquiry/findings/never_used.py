"""A tag that is never written, or never read."""

from __future__ import annotations

import re
from collections.abc import Iterator

from whorlograph.model.program import VariableKind

from ..xref import Entry, Xref
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Tags that the program reads and nobody gives, or writes and nobody reads; elements of one array in one line."""
    tracer, uncalled = facts.tracer, tuple(f"{name}." for name in facts.uncalled)
    found: dict[tuple[str, str, int], list[Entry]] = {}
    outputs: list[Entry] = []
    for entry in Xref(tracer.controller, tracer.iolist, frozenset(tracer.logged)).entries():
        if entry.tag.name.startswith(uncalled):
            continue  # its block is never called: that is said once
        alike = re.sub(r"\[[^\]]*\]", "[]", entry.tag.name)
        for mark, weight in (("never written", 3 if entry.tag.initial else 2), ("never read", 3)):
            if mark not in entry.oddities:
                continue
            if mark == "never written" and not entry.reads:
                if entry.tag.at_output and not tracer.left_out and not entry.tag.initial:
                    outputs.append(entry)
                continue
            if mark == "never written" and entry.tag.initial and entry.tag.kind is VariableKind.INPUT:
                continue  # what a block takes where nothing is given, as it is declared
            if mark == "never read" and tracer.left_out:
                continue  # by what cannot be read, perhaps
            found.setdefault((mark, alike, weight), []).append(entry)
    for (mark, _, weight), entries in found.items():
        where = (entries[0].reads or entries[0].writes or (None,))[0]
        pou, rung, step = (where.pou, where.rung, where.use.step) if where is not None else ("", 0, -1)
        text = f"{facts.listed(e.tag.name for e in entries)} {'is' if len(entries) == 1 else 'are'} {mark}"
        nothing = "it does nothing" if len(entries) == 1 else "they do nothing"
        effect = nothing if mark == "never read" else _declared(facts, entries)
        yield Finding(mark.replace(" ", "-"), pou, rung, step, 0, entries[0].tag.index, text, effect, weight)
    if outputs:
        text = f"nothing in the program writes {'the output' if len(outputs) == 1 else 'the outputs'} {facts.listed(e.tag.name for e in outputs)}"
        effect = f"{'it never comes' if len(outputs) == 1 else 'they never come'} on"
        yield Finding("never-written", "", 0, -1, 0, outputs[0].tag.index, text, effect, 3)


def _declared(facts: Facts, entries: list[Entry]) -> str:
    """What stands in place of what nobody writes."""
    tracer, values = facts.tracer, {e.tag.initial for e in entries}
    if not any(values):
        return "it keeps its declared value"
    if len(values) > 1:
        return "they keep their declared values, like constants"
    one = entries[0].tag
    return f"it keeps its declared value {tracer.state_word(tracer.value(one.index, one.initial), one.index)}, like a constant"
