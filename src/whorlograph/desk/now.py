"""Asking without a log: what the cards' lamps and the panel show now, and has stood (ANSWERS.md, Without a log)."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

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
    rest = _AtRest(controller, _standing(outside, 2 * still), inside, still)
    free, journal = rest.replayed()
    if rest.leave_out_flashing(journal):
        free, journal = rest.replayed()
    turned, let_go = rest.turning(journal), journal
    memories, unseen = inferred(controller, rest.inside, turned, lambda tag: let_go.settled(tag, let_go.clock.last), rest.with_memories)
    if memories:
        free, journal = rest.replayed(memories)
    trial, turned, later = free, dict[int, int](), dict[int, Trial]()
    # What turns first is kept as it is seen, then what turns all the same: what only follows another does not.
    while (first := rest.turns_first(journal, turned)) is not None:
        if turned:
            later[first] = trial
        turned[first] = rest.turning(journal)[first]
        trial, journal = rest.replayed(memories, turned)
    kept = {*turned, *rest.turning(journal, at=2 * still)}  # what turns only later is seen as given all the same
    if kept > turned.keys():
        trial, journal = rest.replayed(memories, kept)
    moment = Now(given=frozenset(given), turned=turned, trial=trial, rest=still, assumed={m.tag: m.value for m in memories}, free=free, later=later,
                 unseen=unseen)
    found = replace(session, controller=controller, log=rest.log, inquiry=None, search=None, xref=None, answers={}, drops={}, findings=None,
                    now=moment)
    found.take(journal)
    return found


@dataclass
class _AtRest:
    """A replay that stands still: what is given inside the program is held until ``still`` (ns) and then let go; the log lasts as long again,
    for what is tried then has to come to rest too."""

    controller: Controller
    log: Log
    inside: dict[int, int]
    still: int

    def replayed(self, memories: tuple[Memory, ...] = (), kept: Collection[int] = ()) -> tuple[Trial, Journal]:
        """The trial and its journal. Args: kept: what is not let go."""
        forces = [Hold(t, v, 0, None if t in kept else self.still) for t, v in self.inside.items()]
        forces += [Hold(m.tag, m.value, 0, None if m.runs else self.still) for m in memories]
        trial = Trial((), (*self.inside.items(), *((m.tag, m.value) for m in memories)), tuple(forces))
        return trial, self.controller.replay(self.log, trial)

    def leave_out_flashing(self, journal: Journal) -> bool:
        """Hold no longer what comes and goes once it is let go: what is seen of it is how it stands at one moment. Returns: whether there is any."""
        first = journal.clock.scan_at(self.still)
        flashing = {t for t in self.inside if sum(journal.scan(row) >= first for row in journal.rows(t).tolist()[-FLASHES:]) == FLASHES}
        self.inside = {t: v for t, v in self.inside.items() if t not in flashing}
        return bool(flashing)

    def turning(self, journal: Journal, memories: tuple[Memory, ...] = (), at: int | None = None) -> dict[int, int]:
        """What has turned by a time (ns), by default shortly after it was let go, each with the step that turned it; -1: none did."""
        scan, found = journal.clock.scan_at(at if at is not None else self.still + LET_GO * self.controller.scan_time), dict[int, int]()
        for tag, value in (*self.inside.items(), *((m.tag, m.value) for m in memories)):
            if journal.settled(tag, scan) != value:
                row = journal.last_row(tag, journal.settled_position(scan))
                found[tag] = journal.step(row) if row is not None else -1
        return found

    def turns_first(self, journal: Journal, kept: Collection[int]) -> int | None:
        """Of what turns and is not kept the first; None where nothing does."""
        let_go = journal.settled_position(journal.clock.scan_at(self.still) - 1)
        turned = [tag for tag in self.turning(journal) if tag not in kept]
        return min(turned, key=lambda t: next((r for r in journal.rows(t).tolist() if r >= let_go), -1), default=None)

    def with_memories(self, memories: tuple[Memory, ...]) -> dict[int, int]:
        """What turns, memories among it, where these are taken."""
        return self.turning(self.replayed(memories)[1], memories)


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
