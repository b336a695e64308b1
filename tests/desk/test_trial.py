"""A trial tells what took another course, from when on; held against replaying and looking at each tag one by one."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from random import Random

from tests.building import MS, Rows, course_of, program_of, session_of
from tests.strategies import random_case, random_log, random_trial
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.trial import read_hold, tried_json, tried_text, try_out
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import IoList
from whorlograph.model.parts import Ladder, coil, nc, no, timer

ROWS: Rows = [(0, "X1", 1), (0, "X2", 0), (100, "X2", 1), (200, "X1", 0), (300, "X1", 0)]


def _pump(ladder: Ladder) -> None:
    ladder.rung(no("X1"), nc("X2"), coil("Y1"))
    ladder.rung(no("Y1"), timer("TON", "T1", "T#30ms"), coil("Y2"))


def _session(plain: bool = False) -> Session:
    return session_of(program_of(_pump, "X1 X2 Y1 Y2", "T1:TON"), ROWS)


class TryOut(unittest.TestCase):
    """On a pump that an interlock stops at 100 ms."""

    def test_a_hold_moves_the_drop_to_where_the_other_input_falls(self) -> None:
        session = _session()
        tried = try_out(session, session.tag("Y1"), Trial((read_hold(session, "X2=0", "--hold"),)))
        self.assertEqual([(t // MS, v) for t, v in tried.before.rows], [(0, 1), (100, 0)])
        self.assertEqual([(t // MS, v) for t, v in tried.after.rows], [(0, 1), (200, 0)])
        mine = next(d for d in tried.differences if d.tag == "Y1")
        self.assertEqual((mine.first, mine.before, mine.after), (100 * MS, False, True))
        found = tried_json(tried)
        json.dumps(found)
        self.assertEqual(set(found), {"tags", "course", "faults"})
        self.assertEqual(found["course"]["after"][-1], {"t": 0.2, "value": False})
        self.assertIn("Y1 differs from 0.100", tried_text(session, tried, "X2=0 held"))

    def test_a_hold_ends_and_the_log_is_back(self) -> None:
        session = _session()
        tried = try_out(session, session.tag("Y1"), Trial((read_hold(session, "X2=0@0.05..0.15", "--hold"),)))
        self.assertEqual([(t // MS, v) for t, v in tried.after.rows], [(0, 1), (150, 0)])

    def test_a_force_wins_over_the_coil(self) -> None:
        session = _session()
        tried = try_out(session, session.tag("Y2"), Trial((), (), (read_hold(session, "Y1=1", "--force"),)))
        self.assertEqual([(t // MS, v) for t, v in tried.after.rows], [(30, 1)])

    def test_nothing_that_matters_changes_nothing(self) -> None:
        session = _session()
        tried = try_out(session, session.tag("Y1"), Trial((read_hold(session, "X1=1@0..0.1", "--hold"),)))
        self.assertEqual((tried.differences, tried.before.rows), ((), tried.after.rows))
        self.assertTrue(tried.before.same(tried.after))
        self.assertIn("takes the same course: 2 changes", tried_text(session, tried, ""))

    def test_what_cannot_be_read_is_told(self) -> None:
        session = _session()
        for text in ("X1", "Nope=1", "X1=green", "X1=1@5", "X1=1@5..4", "X1=1@x..y"):
            with self.subTest(text), self.assertRaises(UsageError):
                read_hold(session, text, "--hold")

    def test_on_random_programs_the_differences_are_those_of_the_tags_one_by_one(self) -> None:
        differed = 0
        for seed in range(25):
            random = Random(seed)
            program, profile = random_case(random, tasked=seed % 2 == 0)
            controller, plain = Controller(program, profile), Controller(program, profile, plain=True)
            log = random_log(random, controller.running)
            trial = random_trial(random, controller.running, max(1, log.end))
            session = Session(controller, log, IoList({}), [], Paths(Path("test.xml")))
            tried = try_out(session, 0, trial)
            before, after = plain.replay(log), plain.replay(log, trial)
            expected = set()
            for tag in controller.running.tags[:controller.running.public]:
                one, two = (course_of(j, plain, tag.name) for j in (before, after))
                # Courses are compared in time: with the times of steps, scans of the same number start at different times.
                timed = [[(j.clock.start(s), v) for s, v in c if s] for j, c in ((before, one), (after, two))]
                if timed[0] != timed[1] or before.initial[tag.index] != after.initial[tag.index]:
                    expected.add(tag.name)
            with self.subTest(seed=seed):
                self.assertEqual({d.tag for d in tried.differences}, expected)
            differed += len(expected)
        self.assertGreater(differed, 50)


class Holds(unittest.TestCase):
    """Read as written."""

    def test_times_and_values(self) -> None:
        session = _session()
        x = session.tag("X1")
        self.assertEqual(read_hold(session, "X1=TRUE@0.1..", "--hold"), Hold(x, 1, 100 * MS, None))
        self.assertEqual(read_hold(session, "x1=0@..0.2", "--hold"), Hold(x, 0, 0, 200 * MS))


if __name__ == "__main__":
    unittest.main()
