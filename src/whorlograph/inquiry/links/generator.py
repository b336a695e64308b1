"""A tag that comes and goes by itself: told as what it is, not as a cause (ANSWERS.md, Chatters)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..generators import ring, runs_freely
from ..symptoms import course
from ..tracer import LAST, Vantage
from ..trail import Link

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_OF_RING = 24  # tags of a ring that are looked at
MOST_NAMED = 3


def rhythm(tracer: Tracer, tag: int) -> str:
    """How long a generator is on and off: the usual lengths of its last stretches, worked out once."""
    known = tracer.rhythms.get(tag)
    if known is None:
        known = tracer.rhythms[tag] = _rhythm(tracer, tag)
    return known


def _rhythm(tracer: Tracer, tag: int) -> str:
    path = course(tracer.journal, tag)
    times = tracer.journal.clock.start_all(path.scans[-201:])
    lengths, values = np.diff(times), path.values[-201:][:-1] != 0
    what = "runs freely" if tag in tracer.driven or ring(tracer, tag) else "comes and goes"
    if not values.any() or values.all():
        return what
    on, off = int(np.median(lengths[values])), int(np.median(lengths[~values]))
    return f"{what}, {duration_text(on)} on, {duration_text(off)} off"


def link(tracer: Tracer, tag: int, view: Vantage, depth: int | None = None) -> Link:
    """A generator where a trail comes to it: it has no root of its own, but what lets it run. Args: depth: None: without that."""
    writers = tracer.writers.get(tag, ())
    step, element = (writers[0].step, writers[0].element) if writers else (-1, 0)
    by = "as the program has it" if writers else "as the profile has it"
    value = bool(tracer.raw(tag, view))
    text = f"{tracer.name(tag)} {rhythm(tracer, tag)}, {by}"
    found = Link(LinkKind.BLOCK, tag, value, tracer.since(tag, view), step, view.scan, text, element)
    if depth is not None and writers and not tracer.is_brief:
        _add_lets(tracer, found, tag, view.scan, depth)
    return found


def _add_lets(tracer: Tracer, link: Link, tag: int, scan: int, depth: int) -> None:
    """What stands outside of the ring and lets it run: the gates beside its own, of each of its tags as it was on last."""
    own = ring(tracer, tag) or {tag}
    written = sorted(t for t in own if tracer.writers.get(t) and tracer.boolean(t))
    told = set()
    with _apart(tracer, own):
        for one in written[:MOST_OF_RING]:
            on = _last_on(tracer, one, scan)
            found = tracer.links.state(tracer, one, Vantage(on, LAST), depth, -1) if on is not None else None
            if found is None:
                continue
            for _, part in found.walk():
                part.roots = [r for r in part.roots if r.kind is not RootKind.PROGRAM]  # a defect beside lets nothing run
            outside = []
            for child in found.children:
                known = (child.kind, child.tag)
                if child.tag not in own and known not in told and (any(child.all_roots()) or _is_free(tracer, child.tag)):
                    told.add(known)
                    outside.append(child)
            if one != tag and any(child.tag is None and child.kind in (LinkKind.BLOCK, LinkKind.NOT_MET) for child in outside):
                found.children = outside  # a bare comparison says nothing without what it is the condition of
                link.children.append(found)
            else:
                link.children += outside
                link.roots += found.roots
    for root in link.all_roots():
        root.changed = False


@contextmanager
def _apart(tracer: Tracer, own: set[int]) -> Iterator[None]:
    """The tags of a ring are explained like any others meanwhile, and are no causes of one another."""
    coils, free = len(tracer.coils), tracer.free
    tracer.coils += own
    tracer.free = {**free, **dict.fromkeys(own, False)}
    try:
        yield
    finally:
        del tracer.coils[coils:]
        free.update((t, known) for t, known in tracer.free.items() if t not in own)
        tracer.free = free


def _is_free(tracer: Tracer, tag: int | None) -> bool:
    return tag is not None and tracer.boolean(tag) and runs_freely(tracer, tag)


def told(tracer: Tracer, tag: int, link: Link, since: str = "") -> str:
    """What the answer says of a generator: its rhythm, since when, and what from outside lets it."""
    states = {r.tag: r for r in link.all_roots() if r.tag is not None and isinstance(r.value, bool)}
    still = {t: r for t, r in states.items() if tracer.now is not None or r.since is None or bool(tracer.raw(t, Vantage(link.scan))) == r.value}
    words = [f"{tracer.name(t)} {tracer.state_word(r.value)}" for t, r in still.items()]
    lets = f", with {' and '.join(words[:MOST_NAMED])}{' ...' if len(words) > MOST_NAMED else ''}" if words else ""
    over = [f"{tracer.name(t)} went {tracer.state_word(r.value)} at {tracer.at(r.since)}" for t, r in states.items() if t not in still]
    return f"{rhythm(tracer, tag)}, as the program has it{since}{lets}" + (f", after {over[0]}" if over else "")


def _last_on(tracer: Tracer, tag: int, scan: int) -> int | None:
    """The last scan up to one in which a tag was on."""
    path = course(tracer.journal, tag)
    i = int(np.searchsorted(path.scans, scan, side="right")) - 1
    if i >= 0 and path.values[i]:
        return scan
    return int(path.scans[i]) - 1 if i > 0 else None
