"""An interlock only through feedback contacts."""

from __future__ import annotations

from collections.abc import Iterator

from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Outputs that ask the feedback of another output's device to be off, not the output itself."""
    for tag in facts.outputs:
        asked = facts.asked_off(tag)
        for needed in sorted(t for t in asked if facts.from_outside(t)):
            for other in facts.outputs:
                if other != tag and other not in asked and facts.same_device(needed, other):
                    writer = facts.writers_of(tag)[-1]
                    text = f"{facts.name(tag)} is locked against {facts.name(other)} only by its feedback {facts.name(needed)}"
                    effect = "the feedback comes many scans after the coil: both coils can be on meanwhile"
                    yield facts.finding("feedback-interlock", writer, tag, text, effect, 1)
