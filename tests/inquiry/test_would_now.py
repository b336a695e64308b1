"""Of what did not pull in: whether an attempt would succeed by the moment asked for, against the plain interpreter on an edited log."""

from __future__ import annotations

import os
import re
import unittest
from random import Random

from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from tests.truth import Truth
from whorlograph.desk.words import answer_text
from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.question import Symptom

SEALED = "Y1 := (X1 OR Y1) AND X2;"
SAID = re.compile(r"at ([\d.]+) s nothing stands in the way any more: with (\w+) (\w+) from ([\d.]+) s on, Y1 pulls in at ([\d.]+) s")


def _asked(body: str, rows: list[tuple[int, str, int]], local: str = "") -> Asked:
    return asked(text_session(body, [*((0, n, 0) for n in ("X1", "X2", "X3")), *rows], local), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)


class WouldNow(unittest.TestCase):
    """X1 is pressed at 1 s for 200 ms, in vain."""

    PRESS = [(1000, "X1", 1), (1200, "X1", 0)]

    def test_what_blocked_is_gone(self) -> None:
        found = _asked(SEALED, [*self.PRESS, (3000, "X2", 1), (5000, "X3", 1)])
        self.assertEqual(found.answer.would_now, "at 5.000 s nothing stands in the way any more: with X1 on from 4.800 s on, Y1 pulls in at 4.800 s")
        self.assertIn("X2 was off from the log's start to 3.000 s", found.text)
        self.assertIn("nothing stands in the way any more", " ".join(answer_text(found.session, found.answer).split()))

    def test_a_delay_is_waited_for(self) -> None:
        body = "B0 := (X1 OR B0) AND X2; T1(IN := B0, PT := T#2s, Q => Y1);"
        found = _asked(body, [*self.PRESS, (5000, "X2", 1), (9000, "X3", 1)], "T1 : TON; B0 : BOOL;")
        self.assertIn("with X1 on from 6.000 s on, Y1 pulls in at 8.000 s", found.answer.would_now)

    def test_the_commands_that_have_not_come_are_roots(self) -> None:
        body = "Y1 := (X1 OR X3 OR Y1) AND X2;"
        found = _asked(body, [*self.PRESS, (2000, "X3", 1), (2100, "X3", 0), (3000, "X2", 1), (6000, "N1", 1)])
        self.assertEqual([r[1:] for r in found.roots], [("X2", True), ("X3", True), ("X1", True)], found.text)
        self.assertIn("nothing has come from it since", found.answer.roots[2].text)

    def test_where_only_a_delay_had_to_run_out_they_lead(self) -> None:
        body = "T1(IN := Y1, PT := T#3s); Y1 := (X1 OR Y1) AND NOT X2 AND (Y1 OR NOT T1.Q);"
        rows = [(1000, "X1", 1), (1200, "X1", 0), (3000, "X2", 1), (3200, "X2", 0), (4000, "X1", 1), (4200, "X1", 0), (9000, "N1", 1)]
        found = _asked(body, rows, "T1 : TOF;")
        self.assertEqual(found.roots[0][1:], ("X1", True), found.text)
        self.assertIn("nothing to check", found.text)

    def test_what_blocked_went_a_moment_ago(self) -> None:
        body = "E1(CLK := X1); IF E1.Q AND NOT X2 THEN Y1 := TRUE; END_IF;"
        found = _asked(body, [(0, "X2", 1), *self.PRESS, (4900, "X2", 0), (5000, "X3", 1)], "E1 : R_TRIG;")
        self.assertIn("with X1 on from 4.950 s on, Y1 pulls in at 4.950 s", found.answer.would_now)

    def test_a_command_that_stands_must_come_anew(self) -> None:
        body, local = "E1(CLK := X1); B1(S := E1.Q, R1 := X2); Y1 := B1.Q1;", "E1 : R_TRIG; B1 : RS;"
        presses = [(t + d, "X1", v) for t in (500, 1500, 2500) for d, v in ((0, 1), (400, 0))]
        rows = [(0, "X2", 1), *presses, (4000, "X1", 1), (4500, "X2", 0), (4700, "N1", 1)]
        found = _asked(body, rows, local)
        self.assertEqual([r[1:] for r in found.roots], [("X2", True), ("X1", True)], found.text)
        self.assertIn("X1 on since 4.000 s; only its coming counts, and it has not gone off since", found.text)
        self.assertRegex(found.answer.would_now, "with X1 coming on anew at 4.6[0-9]* s, Y1 pulls in at 4.6")
        stuck = _asked(body, [*rows[:-1], (8000, "N1", 1)], local)
        self.assertEqual(stuck.roots[0][1:], ("X1", True), stuck.text)
        self.assertIn("on for longer than ever before in this log (3 times, 400 ms)", stuck.text)

    def test_not_where_it_would_not(self) -> None:
        cases = {
            "it still stands in the way": (SEALED, [*self.PRESS, (5000, "X3", 1)]),
            "it does so again": (SEALED, [*self.PRESS, (2000, "X2", 1), (3000, "X2", 0), (5000, "X3", 1)]),
            "somebody is still trying": (SEALED, [(1000, "X1", 1), (5000, "X3", 1)]),
            "it would not last": ("Y1 := X1 AND X2 AND NOT B0; B0 := X1;", [*self.PRESS, (3000, "X2", 1), (5000, "X3", 1)]),
            "nobody tried": (SEALED, [(3000, "X2", 1), (5000, "X3", 1)]),
        }
        for name, (body, rows) in cases.items():
            with self.subTest(name):
                self.assertEqual(_asked(body, rows, "B0 : BOOL;").answer.would_now, "")

    def test_what_is_said_is_true(self) -> None:
        said = 0
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", "200"))):
            random = Random(seed)
            body = random.choice((SEALED, "Y1 := (X1 OR Y1) AND X2 AND NOT X3;", "B0 := (X1 OR B0) AND X2; T1(IN := B0, PT := T#300ms, Q => Y1);", "IF X1 AND NOT X3 THEN Y1 := TRUE; ELSIF X2 THEN Y1 := FALSE; END_IF;",
                                  "B0 := (X2 OR B0) AND NOT X3; Y1 := (X1 OR Y1) AND B0;"))
            rows, state = [], {"X1": 0, "X2": 0, "X3": 0}
            for n in range(random.choice((3, 8, 30))):
                name = random.choice(("X1", "X1", "X2", "X3"))
                state[name] ^= 1
                rows.append((500 + 700 * n + random.randrange(400), name, state[name]))
            found = _asked(body, [*rows, (rows[-1][0] + random.choice((50, 900, 4000)), "N1", 1)], "T1 : TON; B0 : BOOL;")
            told = SAID.fullmatch(found.answer.would_now)
            self.assertEqual(bool(found.answer.would_now), told is not None)
            if told:
                said += 1
                session, truth = found.session, Truth(found.session)
                tag = session.tag("Y1")
                hold = Hold(session.tag(told[2]), int(told[3] == "on"), round(float(told[4]) * 1e9))
                journal = truth.tried(Trial((hold,)))
                course, clock = truth.course(journal, tag), journal.clock
                last = clock.scan_at(round(float(told[1]) * 1e9))
                turned = next(s for s in range(clock.scan_at(hold.start), last + 1) if course[s])
                self.assertLess(abs(clock.start(turned) / 1e9 - float(told[5])), 0.0006, (seed, found.answer.would_now))
                self.assertTrue(course[last], (seed, found.answer.would_now))
                self.assertFalse(truth.course(truth.journal, tag)[last])
        self.assertGreater(said, 4)


if __name__ == "__main__":
    unittest.main()
