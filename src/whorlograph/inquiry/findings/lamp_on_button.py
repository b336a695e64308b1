"""A status lamp tied to the command instead of the output."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Outputs that show a button which starts another output, not that output."""
    starts: dict[int, int] = {}
    for tag in facts.outputs:
        for writer in facts.tracer.writers.get(tag, ()):
            ways = facts.needs(writer) if writer.kind is Kind.COIL else []
            if any(n.tag == tag and n.on for w in ways for n in w):
                for needs in ways:
                    if not any(n.tag == tag for n in needs):
                        starts |= {n.tag: tag for n in needs if n.on and n.tag is not None and facts.from_outside(n.tag)}
    for tag in facts.outputs:
        writers = facts.tracer.writers.get(tag, [])
        ways = facts.needs(writers[0]) if len(writers) == 1 and writers[0].kind is Kind.COIL else []
        if len(ways) == 1 and len(ways[0]) == 1:
            need = next(iter(ways[0]))
            if need.tag in starts and starts[need.tag] != tag:
                text = f"{facts.name(tag)} shows the button {need.name}, not {facts.name(starts[need.tag])}"
                effect = "it is lit while the button is pressed, whether or not the output came on"
                yield facts.finding("lamp-on-button", writers[0], tag, text, effect, 2)
