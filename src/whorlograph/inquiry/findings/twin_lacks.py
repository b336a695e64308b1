"""An output without an interlock contact that its twins all have."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Of coils alike but for their numbers: those that lack a contact which all others have."""
    groups: dict[str, dict[int, set[tuple[str, bool]]]] = {}
    for tag, writers in facts.written():
        coils = [w for w in writers if w.kind in (Kind.COIL, Kind.SET)]
        if len(coils) != 1 or not re.search(r"\d", facts.name(tag)):
            continue
        ways = facts.needs(coils[0])
        if ways:
            numbers = re.findall(r"\d+", facts.name(tag))
            shared = set.intersection(*({(_without(n.name, numbers), n.on) for n in w} for w in ways))
            groups.setdefault(_pattern(facts.name(tag)), {})[tag] = shared
    for twins in groups.values():
        if len(twins) < 3 or len({(w.step, w.element) for t in twins for w in facts.tracer.writers[t]}) == 1:
            continue  # one statement, in a loop: its elements are no twins that could be wired otherwise
        counts = Counter(c for contacts in twins.values() for c in contacts)
        for (name, on), count in sorted(counts.items()):
            if count != len(twins) - 1:
                continue
            odd = next(t for t, contacts in twins.items() if (name, on) not in contacts)
            writer = facts.tracer.writers[odd][-1]
            others = facts.listed(facts.name(t) for t in twins if t != odd)
            yield facts.finding("twin-lacks", writer, odd, f"{facts.name(odd)} lacks the contact {name} ({'on' if on else 'off'}) that {others} have",
                                "what locks its twins does not lock it", 1)


def _pattern(name: str) -> str:
    return re.sub(r"\d+", "#", name)


def _without(name: str, numbers: list[str]) -> str:
    """A contact's name with the coil's own numbers left open: what is common to all keeps its number."""
    return re.sub(r"\d+", lambda m: "#" if m.group() in numbers else m.group(), name)
