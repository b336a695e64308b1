"""A latch that a broken wire cannot drop, where a seal-in would."""

from __future__ import annotations

from collections.abc import Iterator

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Latches that are reset only by inputs that come on: with the wire broken nothing resets them."""
    for tag, writers in facts.written():
        resetters = [w for w in writers if w.kind is Kind.RESET]
        if not resetters or not any(w.kind is Kind.SET for w in writers) or not facts.drives(tag) or tag in facts.locking:
            continue
        ways = [needs for w in resetters for needs in facts.needs(w)]
        through = [sorted(n.name for n in needs if n.on and n.tag is not None and facts.from_outside(n.tag)) for needs in ways]
        if ways and all(through):
            all_names = list(dict.fromkeys(n for some in through for n in some))
            only = f"{facts.listed(all_names)} {'is' if len(all_names) == 1 else 'are'} on"
            yield facts.finding("latch-and-wire", resetters[-1], tag, f"{facts.name(tag)} is reset only while {only}",
                                "with that wire broken it cannot be switched off; a seal-in would drop out", 2)
