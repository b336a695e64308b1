"""The rows of inputs that the log records under another name: a bit of a card's word of which the log has the word, or the reverse."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import input_tags
from whorlograph.engine.scope.overlap import Shared, held, shared_bits
from whorlograph.model.log import Ints, Log, tags_logged
from whorlograph.model.types import Family


def recorded_under_another_name(log: Log, controller: Controller) -> dict[int, list[Shared]]:
    """By tag without a row, that nothing of the program writes: the inputs with rows that have bits of it."""
    running = controller.running
    shares = shared_bits(running.tags[:running.public], controller.profile.addressing)
    if not shares:
        return {}
    logged, written = tags_logged(log), controller.written
    fed = input_tags(running, log, written, controller.profile) if logged & shares.keys() else set[int]()
    found: dict[int, list[Shared]] = {}
    for tag in sorted(shares.keys() - logged - written) if fed else ():
        given = [share for share in shares[tag] if share.other in fed]
        if given and running.tags[tag].type.family not in (Family.REAL, Family.STRING) and not any(share.other in written for share in shares[tag]):
            found[tag] = given
    return found


def with_shared_rows(log: Log, controller: Controller, shared: dict[int, list[Shared]]) -> Log:
    """The log with rows for such tags, one for each change of theirs, and where they begin and end."""
    added = [(tag, *_rows(log, controller, tag, given)) for tag, given in shared.items()]
    times, tags, values = log.times, log.tags.astype(np.int32), log.values.astype(np.int64)
    times = np.concatenate([times, *(t for _, t, _ in added)])
    tags = np.concatenate([tags, *(np.full(len(t), tag, np.int32) for tag, t, _ in added)])
    values = np.concatenate([values, *(v for _, _, v in added)])
    order = np.argsort(times, kind="stable")
    return replace(log, times=times[order], tags=tags[order], values=values[order])


def _rows(log: Log, controller: Controller, tag: int, given: list[Shared]) -> tuple[Ints, NDArray[np.int64]]:
    """Times and values int64[n] of a tag's rows, from those of the tags that have its bits; of one instant the last."""
    rows = np.nonzero(np.isin(log.tags, np.array([share.other for share in given], np.int32)))[0]
    times, one = log.times[rows], controller.running.tags[tag]
    last = np.append(times[1:] != times[:-1], True)
    times = times[last]
    bits = np.full(len(times), one.initial, np.int64)
    for share in given:
        mine = log.of(share.other)
        known = np.searchsorted(log.times[mine], times, side="right") - 1
        mask = (1 << share.width) - 1
        theirs = np.where(known >= 0, log.values[mine].astype(np.int64)[np.maximum(known, 0)], controller.running.tags[share.other].initial)
        bits = (bits & ~np.int64(mask << share.mine)) | ((theirs >> share.theirs & mask) << share.mine)
    values = np.array([held(value, one.type) for value in bits.tolist()], np.int64)
    kept = np.append(True, values[1:] != values[:-1])
    kept[-1] = True  # so far it was recorded
    return times[kept], values[kept]
