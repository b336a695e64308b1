"""What an attempt began and is still under way: an on-delay that its command started decides when it elapses or is cut short."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.model.question import LinkKind

from .symptoms import course
from .tracer import Tracer
from .trail import Link

MOST_TIMERS = 4  # that run one behind another

Explained = Callable[[int], Link | None]


def decided(tracer: Tracer, scan: int, began: int, until: int, explained: Explained) -> tuple[int, Link | None]:
    """The scan, up to another, in which it was decided what came of an attempt that is looked at in a scan; and why the tag was off then.

    Args: began: the scan in which its command came: an on-delay that ran before is not its own.
    """
    link = explained(scan)
    for _ in range(MOST_TIMERS):
        ended = _ends(tracer, link, scan, began, until) if link is not None else None
        if ended is None or ended <= scan:
            break
        tracer.spent = 0
        scan, link = ended, explained(ended)
    return scan, link


def _ends(tracer: Tracer, link: Link, scan: int, began: int, until: int) -> int | None:
    """The scan, up to another, in which the first on-delay of a trail that runs in a scan, since an attempt, elapses, or its input falls."""
    for _, one in link.walk():
        call = tracer.written.block_in(one.step, one.tag) if one.kind is LinkKind.TIMER_RUNNING and one.tag is not None else None
        if call is None or call.kind != "TON" or one.value:
            continue
        pin = course(tracer.journal, call.tags["IN"])
        rose = pin.last_change(scan, True)
        if rose is not None and rose >= began and pin.at(scan):
            fell, elapsed = pin.next_change(scan, False), course(tracer.journal, call.tags["Q"]).next_change(scan, True)
            return min(one for one in (until, fell, elapsed) if one is not None)
    return None
