"""Settled values: what a scan leaves behind, as columns for files (DESIGN section 7, replay)."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from whorlograph.model.log import Ints, Shorts
from whorlograph.model.tags import Running

from .journal import Journal


class Settled(Struct, frozen=True):
    """Rows ordered by scan, then tag name: ``scans`` int64[n], ``tags`` int32[n], ``values`` int64[n] raw,
    ``starts`` int64[n] the scan's clock in ns. ``tags_shown`` in order of name, with their first values."""

    scans: Ints
    tags: Shorts
    values: Ints
    starts: Ints
    tags_shown: list[int]
    first: list[int]


def shown_tags(running: Running, only: set[int] | None = None) -> list[int]:
    """The tags that result files show, by name in order of code points."""
    found = [t for t in running.tags[:running.public] if not t.computed and t.type.bits and (only is None or t.index in only)]
    return [t.index for t in sorted(found, key=lambda t: t.name)]


def settle(journal: Journal, running: Running, only: set[int] | None = None) -> Settled:
    """One row for each tag whose settled value differs from that of the scan before."""
    shown = shown_tags(running, only)
    small = np.uint16 if len(shown) < 65_535 else np.int64  # numpy sorts 16 bits by radix, in one pass
    scans, tags, values = journal.distinct()
    rank = np.full(max(int(tags.max(initial=0)) + 1, len(running.tags)), -1, np.int64)
    rank[np.array(shown, np.int64)] = np.arange(len(shown))
    ranks = rank[tags]
    keep = np.nonzero(ranks >= 0)[0]
    by_tag = keep[np.argsort(ranks[keep].astype(small), kind="stable")]
    ranks, scans, values = ranks[by_tag], scans[by_tag], values[by_tag]
    last = np.ones(len(ranks), bool)
    last[:-1] = (ranks[1:] != ranks[:-1]) | (scans[1:] != scans[:-1])
    by_tag, ranks, scans, values = by_tag[last], ranks[last], scans[last], values[last]
    first = np.array([journal.initial[t] for t in shown], np.int64)
    before = np.empty(len(values), np.int64)
    before[1:] = values[:-1]
    begins = np.ones(len(values), bool)
    begins[1:] = ranks[1:] != ranks[:-1]
    before[begins] = first[ranks[begins]]
    changed = values != before
    # Back into the journal's order first: nearly sorted, so that the last sort is a cheap one.
    place = np.full(len(tags), -1, np.int64)
    place[by_tag[changed]] = np.nonzero(changed)[0]
    place = place[place >= 0]
    ranks, scans, values = ranks[place], scans[place], values[place]
    order = np.argsort(scans * max(1, len(shown)) + ranks, kind="stable")
    ranks, scans, values = ranks[order], scans[order], values[order]
    return Settled(scans, np.array(shown, np.int32)[ranks] if len(shown) else np.zeros(0, np.int32), values,
                   journal.clock.start_all(scans), shown, first.tolist())

