"""The rows of several files as one log, and what is said of them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorlograph.model.limits import FAR_DAYS, FAR_SPANS, RHYTHM
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.log import Clock, Ints, Log
from whorlograph.model.place import Loaded, Notice, Place

from .csv_table import EXAMPLES, Rows
from .outliers import (
    DAY,
    HOUR,
    SPAN,
    far_outside,
    far_text,
    instant_text,
    long_gaps,
    put_back,
)
from .times import Times

STILL = "answers take the inputs to have stood still"


def merge(parts: list[Rows], times: Times) -> Loaded[Log]:
    """One log of the rows of its files, in order of time; of one instant, in the order of the files."""
    columns = [p.columns() for p in parts]
    said = [*_named_otherwise(parts), *_put_back(parts, columns, times)]
    stamps = [(p.first, p.last) for p in parts if p.first is not None and p.last is not None]
    disorder = [int(np.count_nonzero(c[0][1:] < c[0][:-1])) for c in columns]
    absolute, tags, values = columns[0] if len(columns) == 1 else [np.concatenate([c[i] for c in columns]) for i in range(3)]
    del columns
    if np.any(absolute[1:] < absolute[:-1]):
        order = np.argsort(absolute, kind="stable")
        absolute, tags, values = absolute[order], tags[order], values[order]
    low, high = far_outside(absolute)
    said += _far(parts, absolute, low, high, times)
    far = len(absolute) - (high - low)
    absolute, tags, values = absolute[low:high], tags[low:high], values[low:high]
    origin, end = _ends(stamps, absolute)
    said += _gaps(parts, absolute, times)
    absolute = absolute - origin if far else np.subtract(absolute, origin, out=absolute)
    unknown: dict[str, int] = {}
    for part in parts:
        for name, count in part.unknown.items():
            unknown[name] = unknown.get(name, 0) + count
    log = Log(absolute, tags, values, origin, end - origin, times.clock or Clock.SECONDS, times.zone,
               tuple(p.file for p in parts), sum(p.rows for p in parts), sum(p.bad for p in parts) + far,
               sum(disorder), tuple(unknown),
               tuple(e for p in parts for e in p.examples[:EXAMPLES]), not parts[-1].stopped if parts else True)
    return Loaded(log, [*(n for part, count in zip(parts, disorder, strict=True) for n in _notices(part, count)), *said])


def _ends(stamps: list[tuple[int, int]], absolute: Ints) -> tuple[int, int]:
    """The log's first and last instant: of rows without a known tag too, where they do not lie far outside."""
    first, last = min((s[0] for s in stamps), default=0), max((s[1] for s in stamps), default=0)
    if len(absolute) < RHYTHM:
        return (first, last) if last - first <= SPAN else (int(absolute[0]), int(absolute[-1])) if len(absolute) else (first, first)
    limit = max(FAR_DAYS * DAY, FAR_SPANS * int(absolute[-1] - absolute[0]))
    return (first if absolute[0] - first <= limit else int(absolute[0])), (last if last - absolute[-1] <= limit else int(absolute[-1]))


def _named_otherwise(parts: list[Rows]) -> list[Notice]:
    """Where two files have tags under paths that only end alike: nobody knows whether they are of one controller."""
    found: list[Notice] = []
    for n, part in enumerate(parts):
        for before in parts[:n]:
            others = [tag for tag, path in part.paths.items() if before.paths.get(tag, path) != path]
            if others:
                what = f"{part.paths[others[0]]} ends as {before.paths[others[0]]} of {before.file} does"
                more = f", and so do {len(others) - 1} more" if len(others) > 1 else ""
                found.append(Notice(Place(part.file), f"{what}{more}", "taken for the same; where they are not, give one of the logs alone"))
                break
    return found


def _put_back(parts: list[Rows], columns: list[tuple[Ints, NDArray[Any], NDArray[Any]]], times: Times) -> list[Notice]:
    """Where clocks without a zone were put back, rows behind it come an hour later: they lasted that long."""
    said: list[Notice] = []
    if times.clock is not Clock.LOCAL:
        return said
    stamps = [column[0] for column in columns]
    backs = [put_back(its) for its in stamps]
    told = min(((int(its[at - 1]), int(its[at]), n) for n, (its, at) in enumerate(zip(stamps, backs, strict=True)) if at is not None), default=None)
    if told is None:
        return said
    before, back, teller = told
    ended = int(stamps[teller][-1])
    for part, its, at in zip(parts, stamps, backs, strict=True):
        if at is None:
            said += _beside(part, its, before, back, ended, parts[teller].file)
            continue
        when = instant_text(int(its[at - 1]), times.clock, 0)
        said.append(Notice(Place(part.file), f"an hour occurs twice: the clock was put back at {when}",
                           "from there on times are told an hour later than the file's, so that all lasts as long as it did"))
        its[at:] += HOUR
        part.first, part.last = int(its.min()), int(its.max())
    return said


def _beside(part: Rows, its: Ints, before: int, back: int, ended: int, teller: str) -> list[Notice]:
    """Moves what comes behind an hour that another file shows twice; what lies in that hour may be of either.

    Args: before, back: the last time before that clock was put back, the first behind it; ended: that of that file's last row.
    """
    turn = min((before // HOUR + 1) * HOUR, back + HOUR)  # clocks are put back on the hour
    if len(its) and int(its.min()) >= ended:
        turn = int(its.min())  # the next file of the same recorder
    part.first, part.last = (t + HOUR if t is not None and t >= turn else t for t in (part.first, part.last))
    unsure = int(np.count_nonzero((its >= turn - HOUR) & (its < turn)))
    its[its >= turn] += HOUR
    if not unsure:
        return []
    first, last = (instant_text(t, Clock.LOCAL, 0) for t in (turn - HOUR, turn))
    return [Notice(Place(part.file), f"{counted(unsure, 'row')} from {first} to {last} may be of either of the two hours that {teller} shows",
                   "taken for the first; what came before what in that hour is not sure")]


def _far(parts: list[Rows], absolute: Ints, low: int, high: int, times: Times) -> list[Notice]:
    """What is said of the rows before one and from another on, which are set aside."""
    found = []
    for begin, end, near in ((0, low, low), (high, len(absolute), high)):
        if end > begin:
            first, last = (instant_text(int(absolute[i]), times.clock, times.zone) for i in (begin, end - 1))
            away = int(absolute[near]) - int(absolute[near - 1])
            found.append(Notice(Place(_names(parts)), far_text(end - begin, first, last, away),
                                "answers do not see them; check the recorder's clock"))
    return found


def _names(parts: list[Rows]) -> str:
    return ", ".join(p.file for p in parts)


def _gaps(parts: list[Rows], absolute: Ints, times: Times) -> list[Notice]:
    """What is said of long stretches without a row."""
    gaps = long_gaps(absolute)
    name = _names(parts)
    found = []
    for begin, end in gaps[:3]:
        first, last = (instant_text(t, times.clock, times.zone) for t in (begin, end))
        found.append(Notice(Place(name), f"nothing is logged for {duration_text(end - begin)}, from {first} to {last}",
                            STILL))
    if len(gaps) > 3:
        found.append(Notice(Place(name), f"{len(gaps) - 3} more stretches of over a day without a row", STILL))
    return found


def _notices(part: Rows, disorder: int) -> list[Notice]:
    place = Place(part.file)
    found = []
    if part.damage:
        found.append(Notice(place, part.damage, "what is before it is used; fetch the file again"))
    if part.bad:
        example = part.examples[0].partition(": ")
        found.append(Notice(place, f"{part.bad} row{'s' * (part.bad != 1)} set aside, the first at {example[0]}: {example[2]}",
                            "answers do not see them"))
    if disorder:
        found.append(Notice(place, f"{disorder} row{'s' * (disorder != 1)} out of order", "sorted by time"))
    for name, (number, tag) in list(part.alike.items())[:5]:
        first = part.paths[number]
        effect = f"not used; where that is wrong, take {first} out of the log"
        found.append(Notice(place, f"{name} ends as {first} does, which is read as {tag}", effect))
    more = f"{len(part.alike) - 5} more names end as others do that are read"
    found += [Notice(place, more, "they are not used")] if len(part.alike) > 5 else []
    unknown = {name: count for name, count in part.unknown.items() if name not in part.alike}
    for name, count in list(unknown.items())[:5]:
        found.append(Notice(place, f"{name or 'a row without a name'} is no tag of the program ({counted(count, 'row')})", "not used"))
    if len(unknown) > 5:
        found.append(Notice(place, f"{len(unknown) - 5} more names are no tags of the program", "not used"))
    if part.taken:
        found.append(Notice(place, part.taken, 'where that is wrong, name them in the profile: [log] time = "...", tag = "...", value = "..."'))
    if part.midnights:
        passed = f"its times of day have no date and pass midnight {counted(part.midnights, 'time')}"
        found.append(Notice(place, passed, "counted on as the next day"))
    if part.quality:
        found.append(Notice(place, f"what column {part.quality} says is not understood", "all rows count, whatever it says of them"))
    if part.twice:
        found.append(Notice(place, f"{', '.join(part.twice)} stands in several columns", "the first of them is read"))
    if part.ambiguous:
        found.append(Notice(place, f"the date {part.ambiguous} can be read two ways", f"read as {part.date_form}"))
    if part.encoding:
        found.append(Notice(place, f"the text is not UTF-8, read as {part.encoding}", "check names with accents"))
    if not part.rows:
        found.append(Notice(place, "the log has a header and no row", "nothing can be replayed"))
    return found
