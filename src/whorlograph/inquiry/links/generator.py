"""A tag that comes and goes by itself: told as what it is, not as a cause (ANSWERS.md, Chatters)."""

from __future__ import annotations

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
    if depth is not None and writers:
        _add_lets(tracer, found, tag, view.scan, depth)
    return found


def _add_lets(tracer: Tracer, link: Link, tag: int, scan: int, depth: int) -> None:
    """What stands outside of the ring and lets it run: the gates beside its own, of each of its tags as it was on last."""
    own = ring(tracer, tag) or {tag}
    written = sorted(t for t in own if tracer.writers.get(t) and tracer.boolean(t))
    free = {t: tracer.free.get(t) for t in written}
    coils = len(tracer.coils)
    tracer.coils += own
    tracer.free.update(dict.fromkeys(written, False))
    told = set()
    try:
        for one in written[:MOST_OF_RING]:
            on = _last_on(tracer, one, scan)
            found = tracer.links.state(tracer, one, Vantage(on, LAST), depth, -1) if on is not None else None
            for child in found.children if found is not None else ():
                for _, part in child.walk():
                    part.roots = [r for r in part.roots if r.kind is not RootKind.PROGRAM]  # a defect beside lets nothing run
                tells = any(child.all_roots()) or (child.tag is not None and tracer.boolean(child.tag) and runs_freely(tracer, child.tag))
                if tells and child.tag not in own and (child.kind, child.tag) not in told:
                    told.add((child.kind, child.tag))
                    link.children.append(child)
            link.roots += [r for r in found.roots if r.kind is not RootKind.PROGRAM] if found is not None else ()
    finally:
        del tracer.coils[coils:]
        for one, known in free.items():
            if known is None:
                tracer.free.pop(one, None)
            else:
                tracer.free[one] = known
    for root in link.all_roots():
        root.changed = False


def lets(tracer: Tracer, link: Link) -> str:
    """What lets a generator run, in words for its sentence; "" where nothing from outside does."""
    states = {r.tag: r.value for r in link.all_roots() if r.tag is not None and isinstance(r.value, bool)}
    words = [f"{tracer.name(tag)} {tracer.state_word(value)}" for tag, value in states.items()]
    return f", with {' and '.join(words[:MOST_NAMED])}{' ...' if len(words) > MOST_NAMED else ''}" if words else ""


def _last_on(tracer: Tracer, tag: int, scan: int) -> int | None:
    """The last scan up to one in which a tag was on."""
    path = course(tracer.journal, tag)
    i = int(np.searchsorted(path.scans, scan, side="right")) - 1
    if i >= 0 and path.values[i]:
        return scan
    return int(path.scans[i]) - 1 if i > 0 else None
