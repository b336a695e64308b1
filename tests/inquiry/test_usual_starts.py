"""What brings an output on as a rule and has not come: it leads where nobody tries, and what is said of it is what the scans hold."""

from __future__ import annotations

import os
import re
import unittest
from random import Random

from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.desk.session import Session
from whorlograph.model.question import Symptom

KEPT_OFF = Symptom.WILL_NOT_PULL_IN
SAID = re.compile(r"(\S+)( off)? brought (\S+) on (\d+) of (the last )?(\d+) times(?: before)?, and has not come")
# A belt that stands under a bottle until it is filled: after five pulses.
LINE = """IF X1 AND NOT Last THEN Waits := TRUE; END_IF;
Last := X1;
Count(CU := X2, R := NOT X1, PV := 5);
IF Count.Q THEN Waits := FALSE; END_IF;
Y1 := X3 AND NOT (X1 AND Waits);"""
DECLARED = "Waits, Last : BOOL; Count : CTU;"


def _bottles(number: int, last: int, until: int) -> list[tuple[int, str, int]]:
    """Bottles every four seconds with five pulses each; the last with as many as it is said."""
    rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1)]
    for n in range(number):
        begun = 1000 + 4000 * n
        rows.append((begun, "X1", 1))
        for pulse in range(5 if n < number - 1 else last):
            rows += [(begun + 300 + 200 * pulse, "X2", 1), (begun + 400 + 200 * pulse, "X2", 0)]
        if n < number - 1:
            rows.append((begun + 2000, "X1", 0))
    return sorted([*rows, (until, "N1", 1)])


def _asked(session: Session) -> Asked:
    return asked(session, "Y1", symptom=KEPT_OFF)


class UsualStart(unittest.TestCase):
    """The belt: its head names the bottle that stands on it, as each time."""

    def test_what_should_have_brought_it_on_leads(self) -> None:
        for last in (0, 1, 4):
            found = _asked(text_session(LINE, _bottles(7, last, 40_000), DECLARED))
            with self.subTest(last=last):
                self.assertEqual([r[1] for r in found.roots], ["X2", "X1"], found.text)
                self.assertIn("Waits off brought Y1 on 6 of 7 times before, and has not come", found.text)
        self.assertIn("Y1 pulls in", found.answer.roots[0].proof)

    def test_not_where_it_says_nothing(self) -> None:
        cases = {"off no longer than before": _bottles(7, 4, 26_050), "it came on once before": _bottles(2, 4, 40_000)}
        for name, rows in cases.items():
            with self.subTest(name):
                self.assertNotRegex(_asked(text_session(LINE, rows, DECLARED)).text, SAID)

    def test_of_many_the_last_ones(self) -> None:
        found = _asked(text_session(LINE, _bottles(40, 4, 200_000), DECLARED))
        self.assertRegex(found.text, "20 of the last 20 times, and has not come")


class Sentences(unittest.TestCase):
    """Random programs and logs: each such sentence counted again from the settled values."""

    def test_each_is_true(self) -> None:
        first, said = int(os.environ.get("WHORLOGRAPH_SEED", "0")), 0
        for seed in range(first, first + 100):
            chance = Random(seed)
            inner = chance.choice(["M := X1 AND NOT X2;", "IF X1 THEN M := TRUE; ELSIF X2 THEN M := FALSE; END_IF;", "T1(IN := X1, PT := T#60ms, Q => M);",
                                   "C1(CU := X1, R := X2, PV := 2, Q => M);"])
            outer = chance.choice(["Y1 := M AND NOT X3;", "Y1 := X3 AND NOT M;", "T2(IN := X3 OR M, PT := T#40ms, Q => Y1);", "Y1 := NOT (X3 AND M);", "T2(IN := M, PT := T#40ms, Q => Y1);"])
            rows, time = [(0, name, 0) for name in ("X1", "X2", "X3")], 0
            cycle = [(chance.choice((20, 60, 200, 500)), chance.choice(("X1", "X1", "X1", "X2", "X2", "X3")), chance.randint(0, 1)) for _ in range(chance.randint(4, 9))]
            for _ in range(chance.choice((2, 4, 8, 30))):
                for wait, name, value in cycle:
                    time += wait
                    rows.append((time, name, value if chance.randint(0, 9) else 1 - value))
            held = int("NOT M" in outer or "NOT (" in outer)  # so that the output ends off
            rows += [(time + 100, "X1", 1 - held), (time + 150, "X2", 1 - held), (time + 200, "X1", held)]
            session = text_session(f"{inner}\n{outer}", [*rows, (time + chance.choice((600, 9000, 9000)), "N1", 1)], "M : BOOL; T1, T2 : TON; C1 : CTU;")
            with self.subTest(seed=seed):
                said += self._check(session)
        self.assertGreater(said, 5)

    def _check(self, session: Session) -> int:
        found = _asked(session)
        journal, count = session.journal, 0
        numbers = {t.name: t.index for t in session.running.tags}
        for tag, off, output, times, last, of in SAID.findall(found.text):
            count += 1
            values = {name: [bool(journal.settled(numbers[name], scan)) for scan in range(journal.clock.last + 1)] for name in (tag, output)}
            rises = [n for n in range(1, journal.clock.last + 1) if values[output][n] and not values[output][n - 1]][-20:]
            wanted = not off
            came = [n for n in rises if any(values[tag][k] == wanted and values[tag][k - 1] != wanted for k in (n - 1, n) if k > 0)]
            self.assertEqual((int(times), int(of), bool(last)), (len(came), len(rises), len(rises) == 20), found.text)
            behind = values[tag][rises[-1] + 1:]
            fell = next(n for n in range(rises[-1], journal.clock.last + 1) if not values[output][n])
            self.assertNotIn(True, [values[tag][k] == wanted and values[tag][k - 1] != wanted for k in range(fell + 1, journal.clock.last + 1)], behind)
            self.assertNotEqual(values[tag][-1], wanted)
            offs = self._stretches(values[output], rises)
            self.assertGreater(journal.clock.start(journal.clock.last) - journal.clock.start(fell), max((journal.clock.start(b) - journal.clock.start(a) for a, b in offs), default=0))
        return count

    @staticmethod
    def _stretches(values: list[bool], rises: list[int]) -> list[tuple[int, int]]:
        """The stretches off that ended, but for the one from the log's start."""
        found = []
        for rise in rises:
            fell = next((n for n in range(rise - 1, 0, -1) if values[n - 1]), None)
            if fell is not None:
                found.append((fell, rise))
        return found


if __name__ == "__main__":
    unittest.main()
