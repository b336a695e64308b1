"""Every ``proved`` is true when the log is edited as ``trial`` says and replayed by the plain interpreter, beside the untouched log."""

from __future__ import annotations

import unittest
from collections import Counter
from pathlib import Path
from random import Random
from unittest import mock

from tests.building import program_of, session_of
from tests.everyday import answered_fault, everyday
from tests.strategies import random_case, random_log
from tests.truth import Truth
from whorlograph.desk.asking import answer_to, ask, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.inquiry.trials import runs
from whorlograph.model.iolist import IoList
from whorlograph.model.parts import Ladder, coil, either, nc, no, timer
from whorlograph.model.question import Question, RootKind, Symptom


class Proofs(unittest.TestCase):
    """On random programs, for all symptoms."""

    def test_every_proof_holds_on_the_edited_log_and_every_link_is_true(self) -> None:
        seen: Counter[str] = Counter()
        for seed in range(445, 470):
            random = Random(seed)
            program, profile = random_case(random)
            controller = Controller(program, profile)
            session = Session(controller, random_log(random, controller.running), IoList({}), [], Paths(Path("test.xml")))
            outputs = [t for t in controller.running.tags[:controller.running.public]
                       if t.address is not None and t.address.area == "Q" and t.type.name == "BOOL"]
            self._checked(seen, random, session, [t.index for t in outputs[:2]], seed)
        self._enough(seen, "together")

    def test_the_same_on_everyday_circuits(self) -> None:
        seen: Counter[str] = Counter()
        for seed in (*range(900, 909), 926, 949):  # the last two: by rows, and what ended it before
            random, session = everyday(seed, 5)
            written = [t.index for t in session.running.tags[:session.running.public] if t.index in session.controller.written and t.type.name == "BOOL"]
            self._checked(seen, random, session, random.sample(written, 3), seed)
        self._enough(seen, "rows")

    def _enough(self, seen: Counter[str], rare: str) -> None:
        for symptom in (Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT):
            self.assertGreater(seen[symptom], 2, seen)
        self.assertGreater(seen["disproved"], 5)
        self.assertGreater(seen[rare], 1, seen)
        self.assertGreater(seen["links"], 30, seen)

    def _checked(self, seen: Counter[str], random: Random, session: Session, tags: list[int], seed: int) -> None:
        truth = Truth(session)
        for tag in tags:
            answer = answer_to(session, Question(tag, random.randrange(max(1, session.log.end))))
            if answer.mismatch or answer.trail is None:
                continue
            for _, link in answer.links():
                self.assertEqual(truth.wrong_link(link), "", (seed, answer.text, link.text))
                seen["links"] += link.tag is not None
            # From the log's start, and going on from a checkpoint.
            with mock.patch.object(runs, "WORTH_NS", 0 if seed % 2 else 1 << 62):
                prove_all(session, answer)
            for root in answer.roots:
                if root.proved and root.trial is not None and root.kind is not RootKind.FAULT:
                    self.assertTrue(truth.proves(answer, root), (seed, answer.text, root.proof))
                    self.assertIsNotNone(root.turns)
                    seen[answer.symptom] += 1
                    seen["together"] += bool(root.together)
                    seen["rows"] += root.leads
                seen["disproved"] += root.proved is False

    def test_the_cause_of_a_short_fault_comes_first(self) -> None:
        first = found = 0
        for seed in range(1000, 1018):
            made = answered_fault(seed)
            if made is None:
                continue
            _, fault, answer = made
            found += 1
            first += bool(answer.roots) and answer.roots[0].tag == fault.tag
        self.assertGreater(found, 12)
        self.assertGreaterEqual(first / found, 0.9)

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
