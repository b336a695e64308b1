"""A tag that comes and goes by itself: told as what it is, not as a cause (ANSWERS.md, Chatters)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind

from ..symptoms import course
from ..trail import Link

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


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
    if not values.any() or values.all():
        return "runs freely"
    on, off = int(np.median(lengths[values])), int(np.median(lengths[~values]))
    return f"runs freely, {duration_text(on)} on, {duration_text(off)} off"


def link(tracer: Tracer, tag: int, view: Vantage) -> Link:
    """A generator where a trail comes to it: it has no root, what it feeds hangs on something else."""
    writers = tracer.writers.get(tag, ())
    step, element = (writers[0].step, writers[0].element) if writers else (-1, 0)
    by = "as the program has it" if writers else "as the profile has it"
    value = bool(tracer.raw(tag, view))
    text = f"{tracer.name(tag)} {rhythm(tracer, tag)}, {by}"
    return Link(LinkKind.BLOCK, tag, value, tracer.since(tag, view), step, view.scan, text, element)
