"""A reset rung that does not cover all that are set alike."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches alike but for their numbers, some of which a common reset leaves out."""
    resets: dict[int, set[int]] = {}
    groups: dict[str, set[int]] = {}
    for tag, writers in facts.written():
        if any(w.kind is Kind.SET for w in writers):
            groups.setdefault(re.sub(r"\d+", "#", facts.name(tag)), set()).add(tag)
        for writer in writers:
            if writer.kind is Kind.RESET:
                resets.setdefault(writer.step, set()).add(tag)
    for step, covered in resets.items():
        for tags in groups.values():
            missing = sorted(tags - covered)
            if len(tags & covered) >= 2 and missing and len(missing) < len(tags & covered):
                writer = next(w for w in facts.tracer.writers[min(tags & covered)] if w.step == step and w.kind is Kind.RESET)
                lost = [t for t in missing if not any(w.kind is Kind.RESET for w in facts.tracer.writers[t])]
                names, done = (facts.listed(facts.name(t) for t in sorted(some)) for some in (missing, tags & covered))
                effect = "a common reset leaves it set" + ("; nothing else resets it" if lost else "")
                text = f"{facts.place(step)} resets {done}, but not {names}"
                yield facts.finding("reset-misses", writer, missing[0], text, effect, 1 if lost else 2)
