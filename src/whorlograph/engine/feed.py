"""What drives a replay: first values and input changes, taken from the log as the profile says."""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field

from whorlograph.model.log import Ints, Log, Shorts, tags_logged
from whorlograph.model.place import Notice, Place
from whorlograph.model.profile import Profile, Start
from whorlograph.model.tags import Running, Tag
from whorlograph.model.types import Family

from .scope.overlap import Shared, changed, shared_bits


class Feed(Struct, frozen=True):
    """First raw values by tag, and the input changes in order of time.

    ``times`` int64[n] ns, ``tags`` int32[n], ``values`` int64[n]; ``end`` the last time at which a scan may
    start; ``inputs`` the tags that are fed.
    """

    initial: list[int]
    times: Ints
    tags: Shorts
    values: Ints
    end: int
    inputs: frozenset[int]


class Hold(Struct, frozen=True):
    """An input held at a raw value from ``start`` to before ``until`` (ns), whatever the log says."""

    tag: int
    value: int
    start: int = 0
    until: int | None = None


class Trial(Struct, frozen=True):
    """What a second replay does otherwise: inputs held, initial values replaced."""

    holds: tuple[Hold, ...] = ()
    initial: tuple[tuple[int, int], ...] = field(default=())


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


def make_feed(running: Running, log: Log, written: set[int], profile: Profile, trial: Trial | None = None,
              until: int | None = None) -> Feed:
    """Pick the input changes out of a log.

    Args: until: last time (ns) at which a scan may start; by default the last row's.
    """
    trial = trial or Trial()
    fed = input_tags(running, log, written, profile)
    external = {running.find(name) for name in profile.external}
    held_tags = {h.tag for h in trial.holds}
    times, tags, values = log.times, log.tags, log.values
    if fed != tags_logged(log):
        keep = np.isin(tags, np.array(sorted(fed), dtype=np.int32))
        times, tags, values = times[keep], tags[keep], values[keep]
    if external & fed:
        times, tags, values = _only_changes(times, tags, values, external & fed)
    if held_tags:
        times, tags, values = _held(times, tags, values, trial.holds, running)
    end = log.end if until is None else until
    driven = _driven(running, profile, end)
    if driven:
        times, tags, values = _with_rows(times, tags, values, driven)
        fed |= {d[0] for d in driven}
    return Feed(first_values(running, profile, log, trial), times, tags, values, end, frozenset(fed | held_tags))


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
    extra: list[tuple[int, int, int]] = []
    for hold in holds:
        mine = tags == hold.tag
        after = times >= hold.start
        inside = mine & after if hold.until is None else mine & after & (times < hold.until)
        keep &= ~inside
        extra.append((hold.start, hold.tag, hold.value))
        if hold.until is not None:
            before = np.nonzero(mine & (times <= hold.until))[0]
            given = int(values[before[-1]]) if len(before) else running.tags[hold.tag].initial
            extra.append((hold.until, hold.tag, given))
    times = np.concatenate([times[keep], np.array([e[0] for e in extra], np.int64)])
    tags = np.concatenate([tags[keep], np.array([e[1] for e in extra], np.int32)])
    values = np.concatenate([values[keep], np.array([e[2] for e in extra], np.int64)])
    order = np.argsort(times, kind="stable")
    return times[order], tags[order], values[order]


def feed_notices(running: Running, profile: Profile, file: str) -> list[Notice]:
    """Profile settings that name no tag."""
    named = [*profile.external, profile.first_scan, profile.scan_duration, profile.longest_scan, *(t for t, _ in profile.blink)]
    found = [Notice(Place(file), f"the profile names {n}, which is no tag of the program", "the setting has no effect")
             for n in named if n and running.find(n) is None]
    if profile.rung_time and (profile.scan_duration or profile.longest_scan):
        found.append(Notice(Place(file), "scan_duration and longest_scan are not driven yet", "these tags keep what the log gives them"))
    return found

