"""What outputs did in a replay, by name: for recorders that note them."""

from __future__ import annotations

from whorlograph.model.tags import Running

from .coupling import Change
from .journal import Journal


def output_changes(journal: Journal, running: Running, names: tuple[str, ...]) -> list[Change]:
    """(time, tag, value) of the named tags: their first values, then each change at its scan's start."""
    found: list[Change] = []
    for name in names:
        tag = running.by_name[name.lower()]
        found.append((0, name, journal.initial[tag]))
        scans, values = journal.history(tag)
        found += [(journal.clock.start(s), name, v) for s, v in zip(scans.tolist(), values.tolist(), strict=True)]
    return found
