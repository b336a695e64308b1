"""What drives a replay: first values and input changes, taken from the log as the profile says."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

from whorlograph.model.log import Ints, Log, Shorts, tags_logged
from whorlograph.model.place import Notice, Place
from whorlograph.model.profile import Profile, Start
from whorlograph.model.tags import Running, Tag
from whorlograph.model.types import Family

from .schedule import Schedule
from .scope.overlap import Shared, changed, shared_bits

# Kinds of what happens from outside; the compiled engine knows them by the same numbers.
ROW, DUE, MASK, FORCE, UNFORCE, NOTE_FORCED, NOTE_UNFORCED = range(7)
MOST_FORCES = 1024
Event = tuple[int, int, int, int]  # time, tag, value, kind


class Feed(Struct, frozen=True):
    """First raw values by tag, and what happens from outside in order of time.

    ``times`` int64[n] ns, ``tags`` int32[n], ``values`` int64[n], ``kinds`` int8[n]: an input's change, or a task due by an
    input's edge (the tag is the task's number). ``forces``: what begins and ends at the start of the first scan at or after
    a time. ``end``: the last time at which a scan may start; ``inputs``: the tags that are fed; ``tasks_due``: by task, when it
    first comes due by itself.
    """

    initial: list[int]
    times: Ints
    tags: Shorts
    values: Ints
    kinds: NDArray[np.int8]
    end: int
    inputs: frozenset[int]
    tasks_due: tuple[int | None, ...] = ()
    forces: tuple[Event, ...] = ()


class Hold(Struct, frozen=True):
    """A tag held at a raw value from ``start`` to before ``until`` (ns): an input whatever the log says, another whatever writes it."""

    tag: int
    value: int
    start: int = 0
    until: int | None = None


class Trial(Struct, frozen=True):
    """What a second replay does otherwise: inputs held, tags forced, initial values replaced."""

    holds: tuple[Hold, ...] = ()
    initial: tuple[tuple[int, int], ...] = field(default=())
    forces: tuple[Hold, ...] = ()


def input_tags(running: Running, log: Log, written: set[int], profile: Profile) -> set[int]:
    """The logged tags that the program does not write, and any at %I (CONTROLLER.md, Clock and inputs)."""
    shares = shared_bits(running.tags[:running.public], profile.addressing)
    external = {running.find(name) for name in profile.external}
    fed = set()
    for tag in tags_logged(log):
        address = running.tags[tag].address
        at_input = address is not None and address.area == "I"
        touched = tag in written or any(s.other in written for s in shares.get(tag, ()))
        if at_input or not touched or tag in external:
            fed.add(tag)
    return fed


def first_values(running: Running, profile: Profile, log: Log, trial: Trial) -> list[int]:
    """Raw value of every tag before the first scan."""
    values = [t.initial for t in running.tags]
    shares = shared_bits(running.tags[:running.public], profile.addressing)
    for tag in running.tags[:running.public]:
        if tag.initial:
            spread(values, tag.index, shares, running.tags)
    if profile.start is not Start.COLD:
        here = log.times == 0
        for number, value in zip(log.tags[here].tolist(), log.values[here].tolist(), strict=True):
            if profile.start is Start.LOG or running.tags[number].retain:
                values[number] = value
                spread(values, number, shares, running.tags)
    for number, value in trial.initial:
        values[number] = value
        spread(values, number, shares, running.tags)
    return values


def spread(values: list[int], tag: int, shares: dict[int, list[Shared]], tags: list[Tag]) -> None:
    """Bring the tags that share bits with one up to it."""
    for share in shares.get(tag, ()):
        values[share.other] = changed(values[tag], values[share.other], share, tags[share.other].type)


def make_feed(running: Running, log: Log, written: set[int], profile: Profile, schedule: Schedule, trial: Trial | None = None,
              until: int | None = None) -> Feed:
    """Pick the input changes out of a log.

    A force on a tag that no step writes is a hold: nothing else could change it.
    Args: until: last time (ns) at which a scan may start; by default the last row's.
    """
    trial = trial or Trial()
    fed = input_tags(running, log, written, profile)
    external = {running.find(name) for name in profile.external}
    shares = shared_bits(running.tags[:running.public], profile.addressing)
    touched = written | {s.other for t in written for s in shares.get(t, ())} | {t for t in external if t is not None}
    holds = (*trial.holds, *(f for f in trial.forces if f.tag not in touched))
    forces = [f for f in trial.forces if f.tag in touched]
    held_tags = {h.tag for h in holds}
    times, tags, values = log.times, log.tags, log.values
    if fed != tags_logged(log):
        keep = np.isin(tags, np.array(sorted(fed), dtype=np.int32))
        times, tags, values = times[keep], tags[keep], values[keep]
    if external & fed:
        times, tags, values = _only_changes(times, tags, values, external & fed)
    end = log.end if until is None else until
    driven = _driven(running, profile, end)
    if driven:
        times, tags, values = _with_rows(times, tags, values, driven)
        fed |= {d[0] for d in driven}
    untouched = times, tags, values
    if held_tags:
        times, tags, values = _held(times, tags, values, holds, running)
    initial = first_values(running, profile, log, trial)
    due = tuple(0 if t.periodic else None for t in schedule.tasks)
    kinds = np.zeros(len(times), np.int8)
    extra = _edges(times, tags, values, initial, schedule, touched, fed | held_tags, running)
    forced = [(f.start, f.tag, f.value, NOTE_FORCED) for f in trial.forces]
    forced += [(f.until, f.tag, 0, NOTE_UNFORCED) for f in trial.forces if f.until is not None]
    # Where the log has a tag that shares its bits, that must not reach what is held.
    for edit in (*forces, *(h for h in holds if any(s.other in fed for s in shares.get(h.tag, ())))):
        forced += _forced(edit, running, shares)
        extra += _given_back(edit, running, shares, untouched, fed)
    forced.sort(key=lambda e: e[0])
    if extra:
        extra.sort(key=lambda e: e[0])
        times = np.concatenate([times, np.array([e[0] for e in extra], np.int64)])
        tags = np.concatenate([tags, np.array([e[1] for e in extra], np.int32)])
        values = np.concatenate([values, np.array([e[2] for e in extra], np.int64)])
        kinds = np.concatenate([kinds, np.array([e[3] for e in extra], np.int8)])
        order = np.argsort(times, kind="stable")
        times, tags, values, kinds = times[order], tags[order], values[order], kinds[order]
    return Feed(initial, times, tags, values, kinds, end, frozenset(fed | held_tags), due, tuple(forced))


def _edges(times: Ints, tags: Shorts, values: Ints, initial: list[int], schedule: Schedule, touched: set[int], fed: set[int],
           running: Running) -> list[Event]:
    """When tasks come due by the edges of inputs; the rows at t = 0 are the state at the start (CONTROLLER.md, Scan and tasks)."""
    found: list[Event] = []
    for task in schedule.tasks:
        tag = task.single
        if tag is None:
            continue
        if task.at_start:
            found.append((0, task.number, 0, DUE))
            continue
        address = running.tags[tag].address
        if tag not in fed or (tag in touched and (address is None or address.area != "I")):
            continue
        mine = tags == tag
        when, bits = times[mine], values[mine] >> max(0, task.bit) & 1
        if not len(when):
            continue
        last = np.append(when[1:] != when[:-1], True)  # of several rows of one instant the last holds
        when, bits = when[last], bits[last]
        before = np.concatenate([[initial[tag] >> max(0, task.bit) & 1], bits[:-1]])
        wanted = (bits == 0) & (before == 1) if task.falling else (bits == 1) & (before == 0)
        found += [(int(t), task.number, 0, DUE) for t in when[wanted & (when > 0)].tolist()]
    return found


def _forced(force: Hold, running: Running, shares: dict[int, list[Shared]]) -> list[Event]:
    """A force's beginning and end, for the tag and for those that share bits with it."""
    found: list[Event] = []
    masks = list(masks_of(force.tag, force.value, running, shares))
    for tag, mask, value in masks:
        found += [(force.start, tag, mask, MASK), (force.start, tag, value, FORCE)]
    if force.until is not None:
        found += [(force.until, tag, mask, UNFORCE) for tag, mask, _ in masks]
    return found


def masks_of(tag: int, value: int, running: Running, shares: Mapping[int, list[Shared]]) -> Iterator[tuple[int, int, int]]:
    """(tag, mask, raw value) of the bits that a force holds: of the tag, and of those that share bits with it."""
    yield tag, -1, value
    for share in shares.get(tag, ()):
        type_ = running.tags[share.other].type
        yield share.other, changed(-1, 0, share, type_), changed(value, 0, share, type_)


def _given_back(force: Hold, running: Running, shares: dict[int, list[Shared]], rows: tuple[Ints, Shorts, Ints], fed: set[int]) -> list[Event]:
    """A force on an input ends: the log has it again, by its own rows and by those of tags that share bits with it."""
    address = running.tags[force.tag].address
    near = {force.tag, *(s.other for s in shares.get(force.tag, ()))}
    if force.until is None or not (near & fed or (address is not None and address.area == "I")):
        return []
    times, tags, values = rows
    found = [(force.until, force.tag, running.tags[force.tag].initial, ROW)]
    last = sorted(int(before[-1]) for t in near & fed if len(before := np.nonzero((tags == t) & (times <= force.until))[0]))
    return found + [(force.until, int(tags[r]), int(values[r]), ROW) for r in last]


def _driven(running: Running, profile: Profile, end: int) -> list[tuple[int, Ints, Ints]]:
    """The BOOL tags that the controller itself drives: each with times and values of its rows (CONTROLLER.md, Profile)."""
    found: list[tuple[int, Ints, Ints]] = []
    first = running.find(profile.first_scan) if profile.first_scan else None
    if first is not None:
        # The next scan, whenever it starts, is the first that sees a row behind t = 0.
        found.append((first, np.array([0, 1], np.int64), np.array([1, 0], np.int64)))
    for name, half in profile.blink:
        tag = running.find(name)
        if tag is not None and half > 0:
            times = np.arange(0, end + 1, half, dtype=np.int64)
            found.append((tag, times, times // half & 1))
    return [d for d in found if running.tags[d[0]].type.family is Family.BOOL]


def _with_rows(times: Ints, tags: Shorts, values: Ints, driven: list[tuple[int, Ints, Ints]]) -> tuple[Ints, Shorts, Ints]:
    """The rows of a log with others in place of what it says of their tags."""
    keep = ~np.isin(tags, np.array([d[0] for d in driven], np.int32))
    times = np.concatenate([times[keep], *(d[1] for d in driven)])
    tags = np.concatenate([tags[keep], *(np.full(len(d[1]), d[0], np.int32) for d in driven)])
    values = np.concatenate([values[keep], *(d[2] for d in driven)])
    order = np.argsort(times, kind="stable")
    return times[order], tags[order], values[order]


def _only_changes(times: Ints, tags: Shorts, values: Ints, chosen: set[int | None]) -> tuple[Ints, Shorts, Ints]:
    last: dict[int, int] = {}
    keep = np.ones(len(times), bool)
    for i, (tag, value) in enumerate(zip(tags.tolist(), values.tolist(), strict=True)):
        if tag in chosen:
            keep[i] = last.get(tag) != value
            last[tag] = value
    return times[keep], tags[keep], values[keep]


def _held(times: Ints, tags: Shorts, values: Ints, holds: tuple[Hold, ...], running: Running) -> tuple[Ints, Shorts, Ints]:
    """Take out the rows inside a hold, put in one at its start and one that gives the log back at its end."""
    keep = np.ones(len(times), bool)
    extra = [(hold.start, hold.tag, hold.value) for hold in holds]
    for tag, start, until in _without_a_gap(holds):
        mine = tags == tag
        after = times >= start
        keep &= ~(mine & after if until is None else mine & after & (times < until))
        if until is not None:
            before = np.nonzero(mine & (times <= until))[0]
            extra.append((until, tag, int(values[before[-1]]) if len(before) else running.tags[tag].initial))
    times = np.concatenate([times[keep], np.array([e[0] for e in extra], np.int64)])
    tags = np.concatenate([tags[keep], np.array([e[1] for e in extra], np.int32)])
    values = np.concatenate([values[keep], np.array([e[2] for e in extra], np.int64)])
    order = np.argsort(times, kind="stable")
    return times[order], tags[order], values[order]


def _without_a_gap(holds: tuple[Hold, ...]) -> list[tuple[int, int, int | None]]:
    """(tag, start, until) of holds, those of a tag that follow one another at once taken together: a word that is held bit by bit has many."""
    found: list[tuple[int, int, int | None]] = []
    for hold in holds:
        if found and found[-1][0] == hold.tag and found[-1][2] == hold.start:
            found[-1] = hold.tag, found[-1][1], hold.until
        else:
            found.append((hold.tag, hold.start, hold.until))
    return found


def feed_notices(running: Running, profile: Profile, file: str) -> list[Notice]:
    """Profile settings that name no tag."""
    named = [*profile.external, profile.first_scan, profile.scan_duration, profile.longest_scan, *(t for t, _ in profile.blink)]
    return [Notice(Place(file), f"the profile names {n}, which is no tag of the program", "the setting has no effect")
             for n in named if n and running.find(n) is None]


def system_tags(running: Running, profile: Profile) -> set[int]:
    """The tags that the controller itself drives."""
    names = [profile.first_scan, profile.scan_duration, profile.longest_scan, *(t for t, _ in profile.blink)]
    return {t for n in names if n and (t := running.find(n)) is not None}

