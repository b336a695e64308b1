"""The changes that cycles are made of: of inputs as the log has them, of what the program writes as each scan left it."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from whorlograph.model.log import Ints
from whorlograph.model.types import Family

from ..generators import runs_freely
from ..pulses import calm
from ..symptoms import course
from ..tracer import Tracer

FEW = 40  # different values of a number that is a step, not a measurement
MOST = 200_000  # changes of one tag that are looked at


class Changes(Struct, frozen=True):
    """A tag's changes: int64[n] ``times`` (ns) and the raw ``values`` from then on."""

    tag: int
    times: Ints
    values: Ints


def changes(tracer: Tracer) -> list[Changes]:
    """All tags that come and go: BOOLs and numbers of few values, without pins of blocks, generators and what the controller drives."""
    running, found = tracer.running, []
    pins = running.block_pins()
    for tag in running.tags[:running.public]:
        family = tag.type.family
        if family not in (Family.BOOL, Family.SIGNED, Family.UNSIGNED) or not tag.listed or tag.index in pins or tag.index in tracer.driven:
            continue
        one = _of_input(tracer, tag.index) if tag.index in tracer.logged and not tracer.writers.get(tag.index) else _of_written(tracer, tag.index)
        if not 0 < len(one.times) <= MOST or (family is not Family.BOOL and len(np.unique(one.values)) > FEW):
            continue
        if family is Family.BOOL and tracer.writers.get(tag.index) and runs_freely(tracer, tag.index):
            continue
        found.append(one)
    return found


def _of_input(tracer: Tracer, tag: int) -> Changes:
    stretches = calm(tracer.stretches(tag))  # a contact bounces as it changes: that is one change
    return Changes(tag, stretches.starts[1:], stretches.values[1:])


def _of_written(tracer: Tracer, tag: int) -> Changes:
    path, clock = course(tracer.journal, tag), tracer.journal.clock
    keep = path.scans > 1  # the first scan settles what stood there before
    return Changes(tag, np.array([clock.start(s) for s in path.scans[keep].tolist()], np.int64), path.values[keep])
