"""What holds for every answer, on random programs of every ladder element with random logs."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from random import Random

from tests.strategies import random_case, random_log
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.words import answer_json, answer_text
from whorlograph.engine.controller import Controller
from whorlograph.inquiry.trail import Answer
from whorlograph.model.iolist import IoList
from whorlograph.model.ladder import Contact
from whorlograph.model.literals import cooked
from whorlograph.model.question import LinkKind, Question, RootKind, Symptom
from whorlograph.model.types import Family

FIELD = {RootKind.FIELD_INPUT, RootKind.LOG_GAP}


def random_session(seed: int) -> tuple[Random, Session]:
    """A random program with a log, replayed."""
    random = Random(seed)
    program, profile = random_case(random)
    controller = Controller(program, profile)
    log = random_log(random, controller.running)
    session = Session(controller, log, IoList({}), [], Paths(Path("random.xml")))
    session.take(controller.replay(log))
    return random, session


class AnswerLaws(unittest.TestCase):
    """Every BOOL that a program writes, asked at the end and at a time in between."""

    sessions: list[tuple[Session, list[Answer]]]

    @classmethod
    def setUpClass(cls) -> None:
        cls.sessions = []
        for seed in range(30):
            random, session = random_session(seed)
            running = session.running
            bools = [t.index for t in running.tags[:running.public] if t.type.family is Family.BOOL and t.index in session.controller.written]
            answers = []
            for tag in random.sample(bools, min(6, len(bools))):
                for at in (None, random.randrange(session.log.end + 1)):
                    answers.append(answer_to(session, Question(tag, at)))
            cls.sessions.append((session, answers))

    def answers(self) -> list[tuple[Session, Answer]]:
        """All sessions with each of their answers."""
        return [(session, answer) for session, answers in self.sessions for answer in answers]

    def test_there_are_answers_of_every_symptom_and_most_kinds_of_links(self) -> None:
        self.assertEqual({a.symptom for _, a in self.answers()} | {Symptom.CHATTERS, Symptom.VALUE}, set(Symptom))
        kinds = {link.kind for _, a in self.answers() for _, link in a.links()}
        self.assertGreater(len(kinds), 9)

    def test_values_and_times_on_the_trail_are_those_of_the_journal(self) -> None:
        checked = 0
        for session, answer in self.answers():
            journal = session.journal
            for _, link in answer.links():
                if answer.symptom is Symptom.CHATTERS:
                    continue  # both of its edges are explained, the later one too
                self.assertLessEqual(link.scan, answer.scan)
                if link.since is not None:
                    self.assertLessEqual(link.since, journal.clock.start(answer.scan))
                if link.tag is None or link.tag >= session.running.public or not isinstance(link.value, bool):
                    continue
                if link.kind is LinkKind.MISSED_PULSE or "ran out" in link.text:
                    continue  # what no scan saw; what came of the scan that the link shows later
                seen = {cooked(journal.settled(link.tag, scan), session.running.tags[link.tag].type)
                        for scan in range(max(0, link.scan - 1), link.scan + 1)}
                rows = journal.rows(link.tag)
                inside = {bool(journal.raw(r)) for r in rows.tolist() if abs(journal.scan(r) - link.scan) <= 1}
                self.assertIn(link.value, seen | inside, (answer.text, link.text))
                checked += 1
        self.assertGreater(checked, 800)

    def test_links_stand_on_rungs_that_know_their_elements(self) -> None:
        for session, answer in self.answers():
            steps = session.controller.steps.all
            for _, link in answer.links():
                self.assertTrue(link.text.strip())
                if link.step < 0:
                    continue
                ids = {e.id for e in steps[link.step].rung.elements}
                self.assertTrue(set(link.blockers) <= ids, link.text)

    def test_blocking_contacts_do_not_pass(self) -> None:
        checked = 0
        for session, answer in self.answers():
            scene = Scene(session, answer)
            for _, link in answer.links():
                if link.kind is not LinkKind.RUNG_FALSE or link.step < 0:
                    continue
                flow = scene.tracer.flow(link.step, link.scan)
                contacts = {e.id for e in session.controller.steps.all[link.step].rung.elements if isinstance(e, Contact)}
                if flow.skip is not None or flow.scan != link.scan or not set(link.blockers) <= contacts or " negated" in link.text:
                    continue
                self.assertFalse(any(flow.passes[b] for b in link.blockers), (answer.text, link.text))
                checked += bool(link.blockers)
        self.assertGreater(checked, 40)

    def test_roots_are_ranked_once_each_and_say_what_to_check(self) -> None:
        for session, answer in self.answers():
            keys = [r.key for r in answer.roots]
            self.assertEqual(len(keys), len(set(keys)))
            for root in answer.roots:
                self.assertTrue(root.text)
                if root.kind in FIELD:
                    assert root.tag is not None
                    self.assertIn(session.running.tags[root.tag].name, root.text)
                    self.assertTrue(root.tag not in session.controller.written or root.text.startswith("bit "), root.text)
                    self.assertTrue(root.what_to_check)
            if answer.trail is not None:
                self.assertTrue(answer.roots, answer.text)
                self.assertTrue(any(r.key in {o.key for o in answer.trail.all_roots()} for r in answer.roots), answer.text)

    def test_the_same_question_has_the_same_answer_on_both_engines(self) -> None:
        for seed in range(0, 30, 5):
            _, session = random_session(seed)
            plain = Controller(session.program, session.profile, plain=True)
            other = Session(plain, session.log, IoList({}), [], session.paths)
            other.take(plain.replay(session.log))
            for answer in self.sessions[seed][1]:
                at = answer.time if answer.trail is not None else None
                question = Question(answer.tag, at)
                self.assertEqual(answer_json(session, answer_to(session, question)), answer_json(other, answer_to(other, question)))

    def test_answers_are_written_in_words_and_as_json(self) -> None:
        for session, answer in self.answers():
            found = json.loads(answer_json(session, answer))
            self.assertEqual(found["symptom"]["kind"], answer.symptom.value)
            self.assertEqual(len(found["roots"]), len(answer.roots))
            self.assertTrue({"kind", "tag", "address", "value", "since", "device", "proved", "text"} <= set(found["roots"][0]) if answer.roots else True)
            self.assertTrue(all({"depth", "tag", "value", "since", "link", "pou", "rung", "text"} <= set(x) for x in found["trail"]))
            text = answer_text(session, answer)
            self.assertIn(answer.text, " ".join(text.split()))
            self.assertTrue(all(len(line) <= 110 for line in text.splitlines()))

    def test_proofs_leave_every_root_tried_or_said_why_not(self) -> None:
        proved = disproved = 0
        for seed in range(0, 30, 4):
            session, answers = self.sessions[seed]
            for answer in answers[:4]:
                prove_all(session, answer)
                for root in answer.roots[:6]:
                    self.assertTrue(root.proof, (answer.text, root.text))
                    proved += root.proved is True
                    disproved += root.proved is False
        self.assertGreater(proved, 10)
        self.assertGreater(disproved, 3)

    def test_every_width_shows_the_trail_and_loses_no_instant(self) -> None:
        for session, answer in self.answers()[::12]:
            scene = Scene(session, answer)
            for width in (40, 60, 78, 100, 160):
                for line in scene.trail(width):
                    text = "".join(t for t, _ in line.runs)
                    self.assertLessEqual(len(text), max(width, 60), text)
                for row in scene.head(answer.scan, answer.time, width):
                    self.assertIn(scene.clock(answer.time) if row is scene.head(answer.scan, answer.time, width)[0] else "",
                                  "".join(t for t, _ in row))
                for step in scene.steps()[:4]:
                    block = scene.rung(step, answer.scan, width)
                    self.assertTrue(all(sum(len(t) for t, _ in line) <= width for line in block.lines[1:]), width)


if __name__ == "__main__":
    unittest.main()
