"""Asking without a log: what the cards' lamps and the panel show now, and has stood (ANSWERS.md, Without a log)."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.formats.logs.values import value_reader
from whorlograph.inquiry.noted import LET_GO, Now
from whorlograph.model.blocks import TIMERS
from whorlograph.model.errors import UsageError
from whorlograph.model.log import Log

from .inferred import Memory, inferred
from .session import Session

SETTLE = 60_000_000_000  # ns in which the rest comes to rest, and longer where a timer takes longer
LONGEST = 7 * 86_400_000_000_000
MOST_CHANGES = 50_000  # while all comes to rest, where more would follow
FLASHES = 5  # changes of what is let go, from which on it comes and goes by itself


def given_values(session: Session, text: str) -> dict[int, int]:
    """Tags with raw values, as written: ``A=1,B=0``.

    Raises: UsageError for an unknown tag or value.
    """
    found: dict[int, int] = {}
    for part in text.split(",") if text.strip() else ():
        name, equals, value = part.partition("=")
        if not equals:
            raise UsageError("--now", f"{part!r} is not TAG=VALUE", "write --now Start=0,Stop=1")
        tag = session.tag(name)
        bits = value_reader(session.running.tags[tag])(value)
        if bits is None:
            raise UsageError("--now", f"{value!r} is no value of {session.running.tags[tag].name}", "write 0 or 1, or a number")
        found[tag] = bits
    return found


def settled_now(session: Session, text: str) -> Session:
    """A session that stands still at values as they are written: "A=1,B=0"; "" takes every input as declared.

    Raises: UsageError for an unknown tag or value.
    """
    return settled_at(session, given_values(session, text), still_controller(session))


def still_controller(session: Session) -> Controller:
    """The session's program in a controller for which no scan is the first."""
    profile = msgspec.structs.replace(session.profile, first_scan="")
    return Controller(session.program, profile, session.controller.resource, session.controller.plain)


def settled_at(session: Session, given: dict[int, int], controller: Controller) -> Session:
    """A session that stands still at given values: all are held until the rest has come to rest, then those that the program writes are let go.

    Args: given: raw values by tag; controller: a ``still_controller``.
    """
    outside = {t: v for t, v in given.items() if t not in controller.written}
    first = session.running.find(session.profile.first_scan) if session.profile.first_scan else None
    if first is not None and first not in controller.written:
        outside.setdefault(first, 0)
    inside = {t: v for t, v in given.items() if t in controller.written}
    still = _settling(controller, outside, inside)
    end = 2 * still  # what is tried later has as long to come to rest again
    log = _standing(outside, end)

    def replayed(kept: dict[int, int], memories: tuple[Memory, ...] = ()) -> tuple[Trial, Journal]:
        forces = [Hold(t, v, 0, None if t in kept else still) for t, v in inside.items()]
        forces += [Hold(m.tag, m.value, 0, None if m.runs else still) for m in memories]
        trial = Trial((), (*inside.items(), *((m.tag, m.value) for m in memories)), tuple(forces))
        return trial, controller.replay(log, trial, end)

    def turning(journal: Journal, wanted: dict[int, int], at: int = still + LET_GO * controller.scan_time) -> dict[int, int]:
        scan, found = journal.clock.scan_at(at), dict[int, int]()
        for tag, value in wanted.items():
            if journal.settled(tag, scan) != value:
                row = journal.last_row(tag, journal.settled_position(scan))
                found[tag] = journal.step(row) if row is not None else -1
        return found

    def tried(memories: tuple[Memory, ...]) -> dict[int, int]:
        return turning(replayed({}, memories)[1], inside | {m.tag: m.value for m in memories})

    trial, journal = replayed({})
    first = journal.clock.scan_at(still)
    flashing = {t for t in inside if sum(journal.scan(row) >= first for row in journal.rows(t).tolist()[-FLASHES:]) == FLASHES}
    if flashing:  # what is seen of it is how it stands at one moment
        inside = {t: v for t, v in inside.items() if t not in flashing}
        trial, journal = replayed({})
    turned = turning(journal, inside)
    memories: tuple[Memory, ...] = ()
    unseen: dict[int, tuple[int, ...]] = {}
    if turned:
        base = journal
        memories, unseen = inferred(controller, inside, turned, lambda tag: base.settled(tag, base.clock.last), tried)
        trial, journal = replayed({}, memories)
        turned = turning(journal, inside)
    free = trial
    kept = turned.keys() | turning(journal, inside, end).keys()  # what turns only later is seen as given all the same
    if kept:
        trial, journal = replayed({t: inside[t] for t in kept}, memories)
    moment = Now(given=frozenset(given), turned=turned, trial=trial, rest=still, assumed={m.tag: m.value for m in memories}, free=free, unseen=unseen)
    found = replace(session, controller=controller, log=log, inquiry=None, search=None, xref=None, answers={}, drops={}, findings=None, now=moment)
    found.take(journal)
    return found


def _standing(outside: dict[int, int], end: int) -> Log:
    """A log in which inputs stand still."""
    return Log(np.zeros(len(outside), np.int64), np.array(list(outside), np.int32), np.array(list(outside.values()), np.int64), end=end,
               rows=len(outside))


def _settling(controller: Controller, outside: dict[int, int], inside: dict[int, int]) -> int:
    """How long everything takes to come to rest: twice the longest timer, a minute at least; less where something comes and goes all the time."""
    still = _longest(controller)
    if still <= SETTLE:
        return SETTLE
    held = Trial((), tuple(inside.items()), tuple(Hold(t, v) for t, v in inside.items()))
    journal = controller.replay(_standing(outside, SETTLE), held, SETTLE)
    busy = len(journal) - journal.settled_position(journal.clock.scan_at(SETTLE // 2))
    return min(still, max(SETTLE, SETTLE // 2 * MOST_CHANGES // busy)) if busy else still


def _longest(controller: Controller) -> int:
    """Twice the longest preset of a timer; those that never elapse are none."""
    running, longest = controller.running, 0
    for one in running.instances():
        if one.pou is None and one.type_name in TIMERS:
            for tag in running.tags[one.first:one.first + one.count]:
                if tag.name.endswith(".PT"):
                    longest = max(longest, tag.initial if tag.initial < LONGEST else 0)
    # A preset is what is wired to PT: a short replay shows what it is.
    journal = controller.replay(Log(np.zeros(0, np.int64), np.zeros(0, np.int32), np.zeros(0, np.int64), end=3 * controller.scan_time), None,
                                3 * controller.scan_time)
    for tag in running.tags[:running.public]:
        if tag.name.endswith(".PT"):
            preset = journal.settled(tag.index, journal.clock.last)
            longest = max(longest, preset if preset < LONGEST else 0)
    return min(LONGEST, 2 * longest)
