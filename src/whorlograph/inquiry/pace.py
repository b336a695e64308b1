"""The pace of an input that pulses: a flow meter, an encoder, a life bit; and since when its pulses come too slowly, or no more."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from whorlograph.model.literals import duration_text

from .pulses import Stays

LOOKED = 60  # pulses back
LEAST = 8  # of them before it changed
SLOWER = 1.5  # times as long
STOPPED = 3.0
EVENLY = 0.8  # of the times between pulses lie within that of their middle


class Pace(Struct, frozen=True):
    """Pulses that came every ``period`` ns, each ``on`` ns long, up to ``since`` (ns, the start of the last one in time); then every ``lately``,
    0: none came any more.
    """

    period: int
    on: int
    since: int
    lately: int

    @property
    def text(self) -> str:
        """What changed, in words; of the time it changed {} stands for it."""
        came = f"its pulses came every {duration_text(self.period)} up to {{}}"
        return f"{came}, and every {duration_text(self.lately)} since" if self.lately else f"{came}, and none since"


def pace(found: Stays, until: int) -> Pace | None:
    """How the pace of an input has fallen by a time (ns); None where it has not, or there was none."""
    rises = np.flatnonzero((found.values != 0) & (found.starts <= until))[-LOOKED:]
    starts = found.starts[rises]
    if len(starts) < LEAST + 1:
        return None
    between = np.diff(starts)
    period = float(np.median(between))
    late = 0
    while late < len(between) and between[len(between) - 1 - late] > SLOWER * period:
        late += 1
    gap = until - int(starts[-1])
    before = between[:len(between) - late]
    if len(before) < LEAST or np.mean((before < SLOWER * period) & (before * SLOWER > period)) < EVENLY:
        return None
    if late < 2 and gap <= STOPPED * period:
        return None
    lately = between[len(between) - late:]
    lengths = found.lengths[rises[:len(rises) - 1]]
    return Pace(int(np.median(before)), int(np.median(lengths)), int(starts[len(before)]), int(np.median(lately)) if late else 0)
