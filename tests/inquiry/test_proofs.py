"""Every ``proved`` is true when the log is edited as ``trial`` says and replayed by the plain interpreter, beside the untouched log."""

from __future__ import annotations

import unittest
from collections import Counter
from pathlib import Path
from random import Random
from unittest import mock

import numpy as np

from tests.building import program_of, session_of
from tests.strategies import random_case, random_log
from whorlograph.desk.asking import answer_to, ask, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.inquiry.trials import runs
from whorlograph.inquiry.trail import Answer, Root
from whorlograph.model.iolist import IoList
from whorlograph.model.log import Log
from whorlograph.model.question import Question, RootKind, Symptom
from whorlograph.plant.rungs import Ladder, coil, either, nc, no, timer


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


def course(controller: Controller, log: Log, tag: int, initial: tuple[tuple[int, int], ...] = ()) -> list[int]:
    """The settled values of a tag, scan by scan from 0 on, by the plain interpreter."""
    journal = Controller(controller.program, controller.profile, plain=True).replay(log, Trial((), initial))
    found = [journal.initial[tag]]
    rows: dict[int, int] = {}
    for row in range(len(journal)):
        if journal.tag(row) == tag:
            rows[journal.scan(row)] = journal.raw(row)
    for scan in range(1, journal.clock.last + 1):
        found.append(rows.get(scan, found[-1]))
    return found


class Proofs(unittest.TestCase):
    """On random programs, for all symptoms."""

    def holds(self, session: Session, answer: Answer, root: Root) -> bool:
        """Whether the trial has, where the untouched log has not, what the symptom asks for."""
        assert root.trial is not None
        log = session.log
        for hold in root.trial.holds:
            log = edited(log, hold, session.running.tags[hold.tag].initial)
        before = course(session.controller, session.log, answer.tag)
        after = course(session.controller, log, answer.tag, root.trial.initial)
        start = session.journal.clock.start
        if answer.symptom is Symptom.DROPPED_OUT:
            window = range(answer.scan, min(answer.scan + 3, len(after)))
            turned = next((s for s in window if not after[s]), None)
            later = turned is not None and turned > answer.scan and any(answer.time < t <= start(turned) for t in session.log.times.tolist())
            return not before[answer.scan] and (turned is None or later)
        if answer.symptom is Symptom.CHATTERS:
            inside = [s for s in range(1, answer.asked + 1) if start(s) > answer.begun]
            return len({after[s] for s in inside}) == 1 and len({before[s] for s in inside}) == 2
        wanted = answer.symptom is Symptom.WILL_NOT_PULL_IN
        if wanted:
            begin = answer.attempts[-1] if answer.attempts else answer.scan if answer.missed else 1
        else:
            begin = session.journal.clock.scan_at(min((h.start for h in root.trial.holds), default=0)) if not root.trial.initial else 1
        return any(bool(after[s]) == wanted and bool(before[s]) != wanted for s in range(max(1, begin), answer.asked + 1))

    def test_every_proof_holds_on_the_edited_log(self) -> None:
        seen: Counter[str] = Counter()
        for seed in range(400, 520):
            random = Random(seed)
            program, profile = random_case(random)
            controller = Controller(program, profile)
            session = Session(controller, random_log(random, controller.running), IoList({}), [], Paths(Path("test.xml")))
            outputs = [t for t in controller.running.tags[:controller.running.public]
                       if t.address is not None and t.address.area == "Q" and t.type.name == "BOOL"]
            for tag in outputs[:2]:
                answer = answer_to(session, Question(tag.index, random.randrange(max(1, session.log.end))))
                if answer.mismatch or answer.trail is None:
                    continue
                # From the log's start, and going on from a checkpoint.
                with mock.patch.object(runs, "WORTH_NS", 0 if seed % 2 else 1 << 62):
                    prove_all(session, answer)
                for root in answer.roots:
                    if root.proved and root.kind in (RootKind.FIELD_INPUT, RootKind.LOG_GAP):
                        self.assertTrue(self.holds(session, answer, root), (seed, tag.name, answer.text, root.proof))
                        self.assertIsNotNone(root.turns)
                        seen[answer.symptom] += 1
                        seen["together"] += bool(root.together)
                        seen["rows"] += root.leads
                    seen["disproved"] += root.proved is False
        for symptom in (Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT):
            self.assertGreater(seen[symptom], 2, seen)
        self.assertGreater(seen["disproved"], 5)
        self.assertGreater(seen["together"], 1, seen)
        self.assertGreater(seen["rows"], 1, seen)

    def test_a_tag_that_pulls_in_later_anyway_proves_nothing(self) -> None:
        # The pump starts 300 ms after the button, whatever the other switch does.
        def draw(p: Ladder) -> None:
            p.rung(no("X1"), timer("TON", "T1", "T#300ms"), coil("Y1"))
            p.rung(either(no("X1"), no("X2")), coil("Y2"))
        session = session_of(program_of(draw, "X1 X2 Y1 Y2", "T1:TON"), [(0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (900, "X2", 1)])
        answer = ask(session, "Y1", "0.3", Symptom.WILL_NOT_PULL_IN)
        prove_all(session, answer)
        for root in answer.roots:
            self.assertIsNot(root.proved, True, root.proof)

    def test_a_pulse_left_out_proves_an_off_delay(self) -> None:
        # The lock-out runs for 2 s after the drive ran: without that pulse the door opens.
        def draw(p: Ladder) -> None:
            p.rung(no("X1"), timer("TOF", "T1", "T#2s"), coil("M1"))
            p.rung(no("X2"), nc("M1"), coil("Y1"))
        session = session_of(program_of(draw, "X1 X2 M1 Y1", "T1:TOF"), [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (1000, "X1", 0),
                                                                        (1500, "X2", 1), (2000, "X2", 1)])
        answer = ask(session, "Y1", "1.8", Symptom.WILL_NOT_PULL_IN)
        prove_all(session, answer)
        root = next(r for r in answer.roots if r.tag == session.running.by_name["x1"])
        self.assertIs(root.proved, True, [(r.text, r.proof) for r in answer.roots])
        assert root.trial is not None
        self.assertEqual([(h.value, h.start, h.until) for h in root.trial.holds], [(0, 500_000_000, None)])


if __name__ == "__main__":
    unittest.main()
