"""The pace of an input that pulses: a flow meter, an encoder, a life bit; and since when its pulses come too slowly, or no more."""

from __future__ import annotations

from itertools import pairwise

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
    upto = int(found.starts.searchsorted(until, side="right"))
    last = slice(max(0, upto - 2 * LOOKED), upto)  # no two stretches that follow one another are off
    on = [(start, length) for start, length, value in zip(found.starts[last].tolist(), found.lengths[last].tolist(), found.values[last].tolist(),
                                                          strict=True) if value][-LOOKED:]
    if len(on) < LEAST + 1:
        return None
    between = [later[0] - one[0] for one, later in pairwise(on)]
    period = _middle(between)
    late = next((n for n, length in enumerate(reversed(between)) if length <= SLOWER * period), len(between))
    before, lately = between[:len(between) - late], between[len(between) - late:]
    if (late < 2 and until - on[-1][0] <= STOPPED * period) or len(before) < LEAST:
        return None
    if sum(length < SLOWER * period and length * SLOWER > period for length in before) < EVENLY * len(before):
        return None
    return Pace(int(_middle(before)), int(_middle([length for _, length in on[:-1]])), on[len(before)][0], int(_middle(lately)) if late else 0)


def _middle(lengths: list[int]) -> float:
    """The median."""
    lengths = sorted(lengths)
    return (lengths[(len(lengths) - 1) // 2] + lengths[len(lengths) // 2]) / 2

