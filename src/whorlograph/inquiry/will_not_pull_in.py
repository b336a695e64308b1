"""Will not pull in: the last attempt, what stood in its way, and in the way of how many others (ANSWERS.md, Will not pull in)."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from whorlograph.model.question import LinkKind, RootKind, Symptom

from .attempts import Tries, attempts, tried_text
from .commands import reached
from .links import missed_pulse
from .out_of_reach import add_out_of_reach
from .ranking import merge
from .runs_of_sequences import SequenceAttempt, add_setback, attempts_at
from .symptoms import Course, course
from .tracer import LAST, Tracer, Vantage
from .trail import Answer, Link, Root, RootKey
from .under_way import decided
from .usual_pull_ins import add_usual_pull_ins
from .usual_starts import add_usual_starts
from .writers import Writer

MOST_ATTEMPTS = 60  # the last ones, that are explained to find what stood in the way
MOST_OF_NUMBERS = 600  # where a number stood in the way, of which no value at the other attempts tells whether it did
LEAST_ATTEMPTS = 12  # that are explained, however long their trails are
MOST_LINKS = 200  # of their trails together: an answer comes within a second
MOST_LINKS_OF_NUMBERS = 1000  # the same where a number stood in the way: trails to one are short
SETTLED = 3  # scans behind an attempt in which what it switches on by itself has come round


class Answered(Protocol):
    """Makes an answer of a trail: with its roots, in a sentence."""

    def __call__(self, symptom: Symptom, tag: int, value: object, time: int, scan: int, link: Link | None, what: str) -> Answer: ...


def will_not_pull_in(tracer: Tracer, tag: int, path: Course, scan: int, answered: Answered) -> Answer | None:
    """Why a tag is off in a scan though it was tried; None where it is on."""
    if path.at(scan):
        return None
    dropped = path.last_change(scan, False) or 0
    tries = attempts(tracer, tag, dropped, scan)
    unseen = _never_seen(tracer, tag, tries, dropped, scan, answered) if not tries.trying else None
    if unseen is not None:
        return unseen
    scans, commands = tuple(a.scan for a in tries.attempts), frozenset(a.condition for a in tries.attempts[-1:])
    # While a command stands it is still tried: what blocks now counts, not what blocked when it came.
    if tries.trying or not scans:
        looked, link = scan, _explained(tracer, tag, scan, commands)
    else:
        last_one = tries.attempts[-1]
        looked, link = decided(tracer, last_one.lasts, last_one.scan, scan, lambda at: _explained(tracer, tag, at, commands))
    sequence = _of_sequence(tracer, tag, link, dropped, scan, looked) if not tries.trying else []
    if sequence:
        last = sequence[-1]
        stands = last.command >= 0 and tracer.journal.settled(last.command, scan) == tracer.journal.settled(last.command, last.scan)
        looked, scans, commands = scan if stands else last.looked, tuple(a.scan for a in sequence), frozenset({last.command} - {-1})
        tracer.spent = 0
        link = _explained(tracer, tag, looked, commands)
        if link is not None:
            add_setback(tracer, link, last)
        what = _sequence_tried(tracer, sequence, stands)
    else:
        what = _tried(tracer, tag, tries)
        for command in commands:
            add_out_of_reach(tracer, link, tag, command, tries.looked_at.get(command, ()), looked)
        if not scans:
            _what_is_over(tracer, link, scan)
            add_usual_starts(tracer, tag, path, scan, tries.commands, link)
        else:
            add_usual_pull_ins(tracer, tag, path, tries.attempts[-1].command, looked, link)
    answer = answered(Symptom.WILL_NOT_PULL_IN, tag, False, tracer.time(looked), looked, link, what)
    answer.attempts, answer.commands = scans, commands
    for root in answer.roots if scans and not sequence else ():
        root.own = root.tag in commands and root.bit < 0 and root.value is tries.attempts[-1].command.on
    answer.anew = not sequence and not tries.trying and any(c.edge and c.tag in commands for c in tries.commands)
    others = (c.tag for c in tries.commands if c.on and c.limit is None and c.tag not in commands and not tracer.writers.get(c.tag))
    answer.other_commands = tuple(dict.fromkeys(others))
    looks = {a.scan: a.looked for a in sequence} or {a.scan: a.lasts for a in tries.attempts}
    made_by = {} if sequence else {a.scan: (a.condition, tries.looked_at.get(a.condition, [])) for a in tries.attempts}
    _count_blocked(tracer, answer, tag, scan, looks, made_by)
    return answer


def _explained(tracer: Tracer, tag: int, scan: int, commands: frozenset[int]) -> Link | None:
    tracer.commands = commands
    try:
        return tracer.explain(tag, Vantage(scan, LAST), False, 0)
    finally:
        tracer.commands = frozenset()


def _what_is_over(tracer: Tracer, link: Link | None, scan: int) -> None:
    """Where nobody tried: what reset a latch on the trail and is over by now stands in nobody's way; what would set it is missing."""
    for _, one in link.walk() if link is not None else ():
        if one.kind is not LinkKind.RESET_BY or not any(c.kind is LinkKind.NEVER_SET for c in one.children):
            continue
        for root in (*one.roots, *(r for c in one.children if c.kind is not LinkKind.NEVER_SET for r in c.all_roots())):
            known = root.kind is RootKind.FIELD_INPUT and isinstance(root.value, bool) and root.tag is not None and root.bit < 0
            if known and bool(tracer.journal.settled(root.tag or 0, scan)) != root.value:
                root.changed = root.last = False


def _never_seen(tracer: Tracer, tag: int, tries: Tries, dropped: int, scan: int, answered: Answered) -> Answer | None:
    """The answer where the last attempt was one that its reader never saw; None where it was not."""
    last = tracer.time(tries.attempts[-1].scan - 1) + 1 if tries.attempts else tracer.time(dropped)
    missed = missed_pulse.find(tracer, tag, last, tracer.time(scan))
    if missed is None or _is_counted(tracer, tag, missed.condition, scan):
        return None
    start = missed.stay.start
    answer = answered(Symptom.WILL_NOT_PULL_IN, tag, False, start, tracer.journal.clock.scan_at(start) + 1, missed_pulse.link(tracer, tag, missed),
                      f"did not pull in (the last attempt, at {tracer.at(start)}, was never seen)")
    answer.missed, answer.commands = True, frozenset(a.condition for a in tries.attempts[-1:])
    return answer


def _is_counted(tracer: Tracer, tag: int, condition: int, scan: int) -> bool:
    """Whether a tag waits for a count of what a condition does: one pulse of many that was not seen says little."""
    with tracer.aside():
        link = tracer.explain(tag, Vantage(scan, LAST), False, 0)
    waiting = [one for _, one in link.walk() if one.kind in (LinkKind.COUNTER_SHORT, LinkKind.NOT_MET)] if link is not None else []
    return any(root.tag == condition for one in waiting for root in one.all_roots())


def _tried(tracer: Tracer, tag: int, tries: Tries) -> str:
    """How often a tag was tried and by what last, in words; of one that was not, what an attempt would be."""
    if tries.attempts:
        last, still = tries.attempts[-1], ""
        if tries.trying:
            standing, same = tries.stands()
            if standing.limit is not None:
                still = ", which still holds" if same else f"; {standing.limit.words} still holds"
            elif same:
                still = ", which still stands" if standing.on else ", and still is"
            else:
                still = f"; {tracer.name(standing.tag)} {'still stands' if standing.on else 'is still off'}"
        return f"did not pull in ({tried_text(len(tries.attempts), tracer.at(tracer.time(last.scan)))}: {last.command.words(tracer)}{still})"
    plain = [c for c in tries.commands if not c.edge]
    known = plain if any(not tracer.writers.get(c.tag) for c in plain) else [c for c in reached(tracer, tag) if not c.edge]
    given = [c for c in known if not tracer.writers.get(c.tag)]  # by a device or a person
    named = [c.words(tracer) for c in (given or plain)[:3]]
    need = f"; an attempt would be {' or '.join(named)}" if named else ""
    return f"was never tried: no command of its rungs came while it was off{need}"


def _sequence_tried(tracer: Tracer, sequence: list[SequenceAttempt], stands: bool) -> str:
    """How often a sequence was begun or started in vain, and how far it came at last."""
    last = sequence[-1]
    at, left = tracer.at(tracer.time(last.scan)), tracer.at(tracer.time(last.looked + 1))
    if last.command >= 0:
        return f"did not pull in ({tried_text(len(sequence), at)}: {tracer.name(last.command)}{', which still stands' if stands else ''})"
    runs = f"{len(sequence):,} attempts, the last begun" if len(sequence) > 1 else "tried once, begun"
    came = f"came as far as {last.step}, until {left}" if last.tag >= 0 else f"stands at {last.step}"
    return f"did not pull in ({runs} at {at}: the sequence {came})"


def _of_sequence(tracer: Tracer, tag: int, link: Link | None, since: int, scan: int, looked: int) -> list[SequenceAttempt]:
    """The attempts at a sequence that the tag waits for at the asked moment."""
    if looked != scan:
        with tracer.aside():
            link = tracer.explain(tag, Vantage(scan, LAST), False, 0)
    return attempts_at(tracer, link, since, scan) if link is not None else []


def _earlier_only(root: Root, known: dict[RootKey, Root]) -> bool:
    """Whether a root of an earlier attempt is none of those known, and more than what only let the write run."""
    return root.key not in known and root.kind is not RootKind.CONSTANT and not root.lets


def _count_blocked(tracer: Tracer, answer: Answer, tag: int, asked: int, looked: dict[int, int],
                   made_by: dict[int, tuple[int, list[Writer]]]) -> None:
    """How many of the attempts each root stood in the way of, and what blocked earlier ones only.

    The last attempts are explained; a root of theirs stood in the way of each earlier one at which its tag had the same value.
    Args: asked: the scan asked about; looked: by attempt the scan at which it is looked at, where that is another; made_by: by attempt its command,
        and what is written where that is looked at; none where it is looked at in a step of its own.
    """
    keys = {r.key: r for r in answer.roots}
    if not answer.attempts:
        for root in answer.roots:
            root.attempts = root.blocked = 0
        return
    seen: dict[object, int] = dict.fromkeys(keys, 0)
    switched = all(isinstance(root.value, bool) for root in answer.roots)
    most, most_links = (MOST_ATTEMPTS, MOST_LINKS) if switched else (MOST_OF_NUMBERS, MOST_LINKS_OF_NUMBERS)
    explained = spent = 0
    for scan in reversed(answer.attempts[-most:]):
        if explained >= LEAST_ATTEMPTS and spent > most_links:
            break
        tracer.spent = 0
        at, link = decided(tracer, looked.get(scan, scan), scan, asked, lambda at: tracer.explain(tag, Vantage(at, LAST), False, 0))
        if scan in made_by:
            add_out_of_reach(tracer, link, tag, *made_by[scan], at)
        stood = merge(link.all_roots(), Symptom.WILL_NOT_PULL_IN) if link is not None else []
        if made_by and any(_earlier_only(r, keys) for r in stood):
            # What the attempt itself switched on in the scans behind it never stood in its way.
            later = tracer.explain(tag, Vantage(min(at + SETTLED, asked), LAST), False, 0)
            still = {r.key for r in later.all_roots()} if later is not None else set()
            stood = [r for r in stood if r.key in keys or r.key in still]
        for root in stood:
            seen[root.key] = seen.get(root.key, 0) + 1
            if _earlier_only(root, keys):
                root.changed, root.last = False, False
                root.text += f"; it stood in the way at {tracer.at(tracer.time(scan))}, not at the last attempt"
                keys[root.key] = root
        explained, spent = explained + 1, spent + tracer.spent
    before = np.array(answer.attempts[:-explained], np.int64)
    for root in keys.values():
        root.attempts, root.blocked = explained, seen.get(root.key, 0)
        if root.tag is not None and isinstance(root.value, bool):
            root.attempts += len(before)
            root.blocked += int(((course(tracer.journal, root.tag).at_all(before) != 0) == root.value).sum())
    answer.roots = list(keys.values())
