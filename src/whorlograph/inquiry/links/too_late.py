"""What should have ended a time that has run out: that it has not come, or how late it came."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.literals import duration_text

from ..trail import Root

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_BEFORE = 20  # earlier runs that are looked at
LEAST = 2  # earlier runs: one alone tells nothing of what is usual
_LATE = 2_000_000_000  # ns behind the end of a time that what comes counts as late; of long times as much again

Waited = tuple[int, int]  # from when on to when, ns


def came(tracer: Tracer, tag: int | None, waited: Waited | None) -> str:
    """How late what was waited for came."""
    journal, never = tracer.journal, "has not come"
    if tag is None or waited is None or not tracer.boolean(tag):
        return never
    after = journal.next_row(tag, journal.settled_position(journal.clock.scan_at(waited[1])))
    late = journal.time(after) - waited[1] if after is not None else 0
    if after is None or late > max(_LATE, waited[1] - waited[0]):
        return never
    return f"came {duration_text(late)} too late, at {tracer.at(journal.time(after))}"


def overdue(root: Root, waited: Waited | None) -> None:
    """Mark what should have come."""
    root.overdue = True
    if waited is not None and isinstance(root.value, bool):
        root.due = *waited, int(not root.value)
