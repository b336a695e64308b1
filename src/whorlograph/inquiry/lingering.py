"""Inputs that stand as they seldom do, and longer than ever before in the log: a device that sticks, a wire that is off."""

from __future__ import annotations

from whorlograph.model.literals import counted, duration_text
from whorlograph.model.question import RootKind

from .pulses import BOUNCE, Stays
from .tracer import Tracer
from .trail import Root

STRETCHES_BEFORE = 2  # earlier stretches: one alone tells nothing of what is usual
LONGER_BY = 1_000_000_000  # ns: machines are not as exact as programs
END = 1 << 62  # ns: behind every log
PART_LONGER = 5  # by a fifth of the longest stretch so far, at the least


def lingering(tracer: Tracer, root: Root) -> str:
    """How an input lingers at the moment asked for, in words; "" where it does not.

    It does where it has had its value for longer than in any earlier stretch of the log (by a second and by a fifth), of which there are
    two at least, and had the other one for most of the time before: that a button is not pressed for long is nothing.
    """
    if root.kind is not RootKind.FIELD_INPUT or root.tag is None or root.since is None or not tracer.boolean(root.tag):
        return ""
    found = tracer.stretches(root.tag)
    here = found.number_at(root.since)
    if here is None or bool(found.values[here]) != root.value:
        return ""
    mine = _joined(found, int(found.values[here]))
    begun, end = next((s, e) for s, e in mine if s <= root.since < e)
    before = [e - s for s, e in mine if e <= begun]
    if end <= tracer.asked or len(before) < STRETCHES_BEFORE or 2 * sum(before) > begun:
        return ""
    longest = max(before)
    if tracer.asked - begun < longest + max(LONGER_BY, longest // PART_LONGER):
        return ""
    span = dict.fromkeys(duration_text(n) for n in (min(before), longest))
    return f"{tracer.state_word(root.value)} for longer than ever before in this log ({counted(len(before), 'time')}, {' to '.join(span)})"


def _joined(found: Stays, value: int) -> list[tuple[int, int]]:
    """From when to when an input had a value; what only a bounce parts is one."""
    mine: list[tuple[int, int]] = []
    for one in found:
        if one.value == value:
            end = one.start + max(1, one.length) if one.ended else END
            if mine and one.start - mine[-1][1] <= BOUNCE:
                mine[-1] = mine[-1][0], end
            else:
                mine.append((one.start, end))
    return mine
