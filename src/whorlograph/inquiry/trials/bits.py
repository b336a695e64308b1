"""Trials of single bits of a word, made one of the word: the bits that are not held stay as the log has them."""

from __future__ import annotations

from itertools import pairwise

from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.scope.overlap import held as cut
from whorlograph.model.log import Log
from whorlograph.model.tags import Tag

from ..pulses import stays

MOST_ROWS = 20_000  # of a word that are rewritten; behind them it is let go
END = 1 << 62  # ns: behind every log


def of_bits(trials: list[tuple[int, Trial]], log: Log, tag: Tag) -> Trial:
    """One trial of a word. Args: trials: by bit, what is held as if it were a tag of its own."""
    found = stays(log, tag.index, tag.initial)
    holds = [(bit, h.value, h.start, h.until if h.until is not None else END) for bit, trial in trials for h in trial.holds]
    edges = sorted({t for _, _, start, until in holds for t in (start, until)})
    inside = found.starts[(found.starts > edges[0]) & (found.starts < edges[-1])].tolist() if edges else []
    last = inside[MOST_ROWS] if len(inside) > MOST_ROWS else END
    edges = sorted({last, *(t for t in (*edges, *inside) if t < last)}) if last < END else sorted({*edges, *inside})
    made: list[Hold] = []
    for begin, end in pairwise(edges):
        active = [(bit, value) for bit, value, start, until in holds if start <= begin < until]
        if not active:
            continue
        here = found.at(begin)
        bits = here.value if here is not None else tag.initial
        for bit, value in active:
            bits = bits | 1 << bit if value else bits & ~(1 << bit)
        value, until = cut(bits, tag.type), end if end < END else None
        if made and made[-1].value == value and made[-1].until == begin:
            made[-1] = Hold(tag.index, value, made[-1].start, until)
        else:
            made.append(Hold(tag.index, value, begin, until))
    return Trial(tuple(made))
