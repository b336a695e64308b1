"""Whether answers are true, found out by the plain interpreter on edited logs: it shares no code with what gave them."""

from __future__ import annotations

from bisect import bisect_right
from functools import cached_property

import numpy as np

from whorlograph.desk.session import Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.inquiry.trail import Answer, Link, Root
from whorlograph.model.literals import cooked
from whorlograph.model.log import Log
from whorlograph.model.question import LinkKind, Symptom


def edited(log: Log, hold: Hold, initial: int) -> Log:
    """The log with a tag held from a time on, until another, when what the log then says counts again."""
    keep, rows = [], []
    last = initial
    for time, tag, value in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True):
        if tag == hold.tag and time >= hold.start and (hold.until is None or time < hold.until):
            last = value
            continue
        if tag == hold.tag and time < hold.start:
            last = value
        keep.append((time, tag, value))
    rows.append((hold.start, hold.tag, hold.value))
    if hold.until is not None:
        rows.append((hold.until, hold.tag, last))
    # The hold's rows come last of their instant at its beginning, first at its end.
    listed = sorted([(t, 1, i, tag, v) for i, (t, tag, v) in enumerate(keep)] + [(t, 2 if n == 0 else 0, n, tag, v) for n, (t, tag, v) in enumerate(rows)])
    return Log(np.array([r[0] for r in listed], np.int64), np.array([r[3] for r in listed], np.int32),
               np.array([r[4] for r in listed], np.int64), end=log.end, rows=len(listed))


class Truth:
    """One program and log as the plain interpreter sees them."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.plain = Controller(session.program, session.profile, plain=True)

    @cached_property
    def journal(self) -> Journal:
        """The untouched replay."""
        return self.plain.replay(self.session.log)

    def course(self, journal: Journal, tag: int) -> list[int]:
        """The settled values of a tag, scan by scan from 0 on."""
        rows: dict[int, int] = {}
        for row in journal.rows(tag).tolist():
            rows[journal.scan(row)] = journal.raw(row)
        found = [journal.initial[tag]]
        for scan in range(1, journal.clock.last + 1):
            found.append(rows.get(scan, found[-1]))
        return found

    def tried(self, trial: Trial, until: int | None = None) -> Journal:
        """The replay of the log edited as a trial says. Args: until: the last scan that is looked at: behind it nothing is replayed."""
        log, clock = self.session.log, self.journal.clock
        if until is not None and until < clock.last:
            kept = log.times <= clock.start(until)
            log = Log(log.times[kept], log.tags[kept], log.values[kept], end=clock.start(until), rows=int(kept.sum()))
        for hold in trial.holds:
            log = edited(log, hold, self.session.running.tags[hold.tag].initial)
        return self.plain.replay(log, Trial((), trial.initial))

    def proves(self, answer: Answer, root: Root) -> bool:
        """Whether a root's trial has, where the untouched log has not, what the symptom asks for (ANSWERS.md, Proof)."""
        assert root.trial is not None
        before, after = self.course(self.journal, answer.tag), self.course(self.tried(root.trial, max(answer.asked, answer.scan) + 3), answer.tag)
        start = self.journal.clock.start
        if answer.symptom is Symptom.DROPPED_OUT:
            window = range(answer.scan, min(answer.scan + 3, len(after)))
            turned = next((s for s in window if not after[s]), None)
            later = turned is not None and turned > answer.scan and any(answer.time < t <= start(turned) for t in self.session.log.times.tolist())
            return not before[answer.scan] and (turned is None or later)
        if answer.symptom is Symptom.CHATTERS:
            inside = [s for s in range(1, answer.asked + 1) if start(s) > answer.begun]
            return len({after[s] for s in inside}) == 1 and len({before[s] for s in inside}) == 2
        wanted = answer.symptom is Symptom.WILL_NOT_PULL_IN
        if wanted:
            off = max((s for s in range(1, answer.asked) if before[s] and not before[s + 1]), default=0) + 1
            begin = answer.attempts[-1] if answer.attempts else answer.scan if answer.missed else off
        else:
            begin = self.journal.clock.scan_at(min((h.start for h in root.trial.holds), default=0)) if not root.trial.initial else 1
        return any(bool(after[s]) == wanted and bool(before[s]) != wanted for s in range(max(1, begin), answer.asked + 1))

    def cures(self, answer: Answer) -> set[int]:
        """The inputs of which one change left out of the log, of those before a drop, makes it not come."""
        log, found = self.session.log, set()
        values = {t: self.session.running.tags[t].initial for t in set(log.tags.tolist())}
        changes = []
        for time, tag, value in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True):
            if values[tag] != value and 0 < time <= answer.time:
                changes.append((time, tag, values[tag]))
            values[tag] = value
        until: dict[int, int] = {}
        for time, tag, former in changes[::-1][:60]:
            if tag not in found:
                journal = self.tried(Trial((Hold(tag, former, time, until.get(tag)),)), answer.scan + 3)
                after = self.course(journal, answer.tag)
                if all(after[s] for s in range(answer.scan, min(answer.scan + 3, len(after)))):
                    found.add(tag)
            until[tag] = time
        return found

    def turning(self, answer: Answer) -> set[int]:
        """The inputs of which one alone, held the other way from the symptom's begin, half way, or shortly before the asked moment, changes that.

        Of a tag that will not pull in or drop out. By the engine that the product uses: the other one is compared with it elsewhere.
        """
        session, wanted = self.session, answer.symptom is Symptom.WILL_NOT_PULL_IN
        controller, found = session.controller, set()
        journal = controller.replay(session.log)
        before, start = self.course(journal, answer.tag), journal.clock.start
        begin = answer.asked
        while begin > 1 and bool(before[begin - 1]) != wanted:
            begin -= 1
        for tag in sorted(set(session.log.tags.tolist())):
            if session.running.tags[tag].type.name != "BOOL" or tag in controller.written:
                continue
            other = 1 - journal.settled(tag, answer.asked)
            for since in {start(max(1, s)) - 1 for s in (begin, (begin + answer.asked) // 2, answer.asked - 5)}:
                after = self.course(controller.replay(session.log, Trial((Hold(tag, other, max(0, since)),))), answer.tag)
                inside = range(max(begin, journal.clock.scan_at(max(0, since))), answer.asked + 1)
                if any(bool(after[s]) == wanted and bool(before[s]) != wanted for s in inside if s < len(after)):
                    found.add(tag)
                    break
        return found

    def wrong_link(self, link: Link) -> str:
        """What is untrue of a link; "" where nothing is. A tag has the value somewhere in the link's scan, since when it says."""
        tag = link.tag
        if tag is None or tag >= self.session.running.public or link.step < 0 or link.kind in (LinkKind.MISSED_PULSE, LinkKind.ROW):
            return ""
        journal, type_ = self.journal, self.session.running.tags[tag].type
        rows = journal.rows(tag).tolist()
        scans = [journal.scan(r) for r in rows]
        # The states the tag had from the end of the scan before to the end of the link's, each with its change.
        last = bisect_right(scans, link.scan) - 1
        states: list[tuple[int, int | None]] = []
        while last >= -1:
            states.append((journal.raw(rows[last]) if last >= 0 else journal.initial[tag], journal.time(rows[last]) if last >= 0 else None))
            if last < 0 or scans[last] < link.scan:
                break
            last -= 1
        fitting = [since for value, since in states if _same(link.value, cooked(value, type_))]
        if not fitting:
            return f"is {[cooked(v, type_) for v, _ in states]} in scan {link.scan}, not {link.value}"
        if link.since is None:
            return "" if None in fitting or 0 in fitting or link.kind in _STANDING else f"since {fitting}, not from before the log"
        if link.since not in fitting:
            return f"since {fitting}, not {link.since}"
        return ""


_STANDING = (LinkKind.HELD_BY_JUMP, LinkKind.NOT_CALLED, LinkKind.TASK_IDLE, LinkKind.TASK_HELD)


def _same(one: object, other: object) -> bool:
    return one == other or isinstance(one, str)  # an enumeration's name
