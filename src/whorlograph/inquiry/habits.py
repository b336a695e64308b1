"""Changes that came before in a log without bringing about what they seem to have brought about now, and what was otherwise each time then."""

from __future__ import annotations

import itertools
from collections.abc import Container

from whorlograph.model.literals import counted

from .left_out_before import add_left_out_before
from .symptoms import Course, course
from .tracer import LAST, Tracer, Vantage
from .trail import Link, Root, RootKey
from .usual_ends import ALIKE

LEAST = 2  # times before a change is known not to do it alone
MOST = 200  # of which is looked at whether anything came of it: the last ones
SLACK = 1_000_000_000  # ns: what comes so much later came with it


def add_habits(tracer: Tracer, tag: int, path: Course, turn: int | None, link: Link | None, on: bool) -> None:
    """Where a change that turned a tag came several times before without that, mark the roots that are so for the first time; where it came as
    regularly as ever, also those that were otherwise each time: a change at an odd time is odd itself.

    Args: turn: the scan in which it turned last; on: to what.
    """
    if link is None or turn is None:
        return
    roots = [r for r in link.all_roots() if isinstance(r.value, bool) and r.tag is not None and r.tag >= 0 and r.bit < 0]
    courses = {r.tag: course(tracer.journal, r.tag) for r in roots if r.tag is not None}
    brought = _brought(tracer, tag, turn, roots) if on and not any(r.changed for r in roots) else set()
    for root in roots:
        if not (root.changed or root.key in brought) or root.since is None or root.tag is None:
            continue
        own, value = courses[root.tag], bool(root.value)
        alike = _alike(tracer, own, value, turn)
        times = _without(tracer, own, value, path, turn, on)
        placed = len(times) < LEAST  # a change that comes several times in each cycle: those at the same place of it
        if placed:
            same = alike & _at_the_same_place(own, value, path, turn, on)
            times = _without(tracer, own, value, path, turn, on, same) if same else []
        if len(times) < LEAST:
            continue
        often = f"{'at least ' if len(times) == MOST else ''}{counted(len(times), 'time')}"
        place = ", each about as long after the time before as now," if placed else ""
        went = f"{tracer.name(root.tag)} went {tracer.state_word(value)} {often}{place}"
        turned = f"{tracer.name(tag)} {'coming on' if on else 'dropping out'}"
        for other in add_left_out_before(tracer, link, own, value, times, turn, f"{went} without {turned} with it") if alike else ():
            root.habit, other.novel = len(times), True
        for other in roots:
            if other.tag is None or other.tag == root.tag or other.novel:
                continue
            own, value = courses[other.tag], bool(other.value)
            first = _first(own, value, times[-1], turn)
            if not first and (not alike or bool(own.at(turn)) != value or any(bool(own.at(one)) == value for one in times)):
                continue
            root.habit, other.novel = len(times), True
            other.text += f"; it was never {tracer.state_word(value)} before, and {went} then without {turned} with it" if first else \
                f"; {went} without {turned} with it, and {tracer.name(other.tag)} was {tracer.state_word(not value)} then"


def _brought(tracer: Tracer, tag: int, turn: int, roots: list[Root]) -> set[RootKey]:
    """What changed to turn a tag in a scan; where nothing did there, as when a time ran out, what changed last before."""
    with tracer.briefly():
        link = tracer.explain(tag, Vantage(turn, LAST), True, 0)
    changed = {r.key for r in link.all_roots() if r.changed} if link is not None else set()
    earlier = [r for r in roots if r.since is not None and r.since <= tracer.time(turn)]
    return changed or {r.key for r in earlier if r.since == max(one.since or 0 for one in earlier)}


def _changes(own: Course, value: bool, until: int) -> list[int]:
    """The last changes to a value up to a scan."""
    found: list[int] = own.scans[((own.values != 0) == value) & (own.scans <= until)][-MOST:].tolist()
    return found


def _alike(tracer: Tracer, own: Course, value: bool, turn: int) -> set[int]:
    """The earlier changes to a value that came as long after the one before as the last one up to a scan did."""
    scans = _changes(own, value, turn)
    gaps = [tracer.time(b) - tracer.time(a) for a, b in itertools.pairwise(scans)]
    return {scan for scan, gap in zip(scans[1:-1], gaps, strict=False) if abs(gap - gaps[-1]) <= gaps[-1] * ALIKE}


def _at_the_same_place(own: Course, value: bool, path: Course, turn: int, on: bool) -> set[int]:
    """The earlier changes to a value with whose predecessor a tag turned, where it turned with the last one's, else those where it did not."""
    scans = _changes(own, value, turn)
    turned = [(change := path.next_change(a, on)) is not None and change < b for a, b in itertools.pairwise(scans)]
    return {scan for scan, one in zip(scans[1:-1], turned, strict=False) if one == turned[-1]}


def _first(own: Course, value: bool, since: int, rise: int) -> bool:
    """Whether a tag that has a value was never so before the stretch in which it is, and that began after a scan."""
    began = own.first_began(value, rise)
    return began is not None and began > since


def add_pulses_in_vain(tracer: Tracer, path: Course, drop: int, link: Link | None) -> None:
    """Note at the roots of a drop-out how many times the change that each had last came before, and the tag stayed on."""
    for root in link.all_roots() if link is not None else ():
        if root.since is not None and isinstance(root.value, bool) and root.tag is not None and root.tag >= 0 and root.bit < 0:
            root.in_vain = len(_without(tracer, course(tracer.journal, root.tag), root.value, path, drop, False))


def _without(tracer: Tracer, own: Course, value: bool, path: Course, turn_of_tag: int, on: bool, only: Container[int] | None = None) -> list[int]:
    """The scans at which what follows from a change came to be, or not, the times before that the tag stayed as it was; none where it turned at some.

    Args: own: the change's tag; value: what that changed to; turn_of_tag: the scan in which the tag turned; on: to what; only: these of its changes.
    """
    clock = tracer.journal.clock
    mine = own.last_change(turn_of_tag, value)
    if mine is None:
        return []
    wait = clock.start(turn_of_tag) - clock.start(mine)
    ended = own.next_change(mine + 1, not value)
    # For as long as it lasted this time, or what followed from it took.
    needed = min(wait, clock.start(ended) - clock.start(mine)) if ended is not None else wait
    found = []
    for turn in _changes(own, value, mine - 1):
        if turn <= 1 or (only is not None and turn not in only):
            continue  # as it was when the log began
        begun = clock.start(turn)
        until = own.next_change(turn + 1, not value)
        if until is not None and clock.start(until) - begun < needed:
            came = path.next_change(turn, on)
            if came is not None and came <= until:
                return []  # it did it even so
            continue  # shorter than this time
        late = clock.scan_at(begun + wait + (SLACK if on else 2 * tracer.controller.scan_time))
        other = path.next_change(turn, not on) if bool(path.at(turn - 1)) == on else turn
        if other is None or other > late:
            continue  # so all the time
        came = path.next_change(other, on)
        if came is not None and came <= late:
            return []
        found.append(clock.scan_at(begun + wait))
    return found
