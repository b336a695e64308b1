"""What stood otherwise each time that the same command brought a tag on: it comes first where all cures, and what is said of it is what the log holds."""

from __future__ import annotations

import os
import re
import unittest
from random import Random

from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.desk.session import Session
from whorlograph.model.question import Symptom

SAID = re.compile(r"it was (on|off) each of the (last )?(\d+) times that Y1 came on when (\S+) went (on|off)")
# Whose turn it is: X1 turns it where X2 asks for that, else back; Y1 runs while X1 is on and it is its turn.
TURNS = "E1(CLK := X1); IF E1.Q THEN A := BOOL_TO_INT(X2); END_IF;\nY1 := X1 AND A = 1 AND NOT X3;"
DECLARED = "E1 : R_TRIG;"


def _rows(times: int, last: int) -> list[tuple[int, str, int]]:
    """X1 twice in each cycle, the first time alone, the second with X2; in the last cycle X2 is what is said."""
    rows = [(0, n, 0) for n in ("X1", "X2", "X3")]
    for n in range(times + 1):
        at = 6000 * n
        rows += [(at + 1000, "X1", 1), (at + 1500, "X1", 0), (at + 2900, "X2", last if n == times else 1), (at + 3000, "X1", 1)]
        rows += [(at + 3500, "X1", 0), (at + 4000, "X2", 0)]
    return [r for r in rows if r[0] <= 6000 * times + 3000] + [(6000 * times + 3300, "N1", 1)]


def _asked(session: Session) -> Asked:
    return asked(session, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)


class UsualPullIns(unittest.TestCase):
    """The turn that has not come."""

    def test_what_stood_otherwise_each_time_leads(self) -> None:
        for times in (2, 3, 19, 25):
            found = _asked(text_session(TURNS, _rows(times, 0), DECLARED))
            with self.subTest(times=times):
                self.assertEqual(found.roots[0], ("field-input", "X2", True), found.text)
                often = "last 20" if times > 20 else f"{times}"
                self.assertIn(f"; it was on each of the {often} times that Y1 came on when X1 went on", found.answer.roots[0].text)

    def test_not_after_one_time_nor_where_another_command_brought_it_on(self) -> None:
        self.assertNotRegex(_asked(text_session(TURNS, _rows(1, 0), DECLARED)).text, SAID)
        other = TURNS.replace("Y1 := X1", "Y1 := (X1 OR N1 > 5)")
        rows = [*_rows(3, 0)]
        rows += [(5000, "X2", 1), (5100, "X1", 1), (5200, "X1", 0), (5400, "N1", 9), (5600, "N1", 0), (5700, "X2", 0)]
        self.assertNotRegex(_asked(text_session(other, sorted(rows, key=lambda r: r[0]), DECLARED)).text, r"each of the 4 times")


class Sentences(unittest.TestCase):
    """What is said, on random programs and logs, against the log's own rows and the tag's own turns."""

    def test_each_is_true(self) -> None:
        said = 0
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", "15"))):
            random = Random(seed)
            bodies = (TURNS, "Y1 := X1 AND X2 AND NOT X3;", "IF X1 AND X2 THEN Y1 := TRUE; ELSIF X3 THEN Y1 := FALSE; END_IF;",
                      "IF X2 THEN Y2 := TRUE; ELSIF X3 THEN Y2 := FALSE; END_IF; Y1 := X1 AND Y2;", "E1(CLK := X3); IF E1.Q THEN Y2 := X2; END_IF; Y1 := X1 AND Y2;")
            cycles, length = random.choice((3, 4, 8, 30)), random.choice((400, 3000))
            rows = [(0, n, 0) for n in ("X1", "X2", "X3")]
            plan = {n: sorted(random.sample(range(1, 19), 2 * random.choice((1, 2)))) for n in ("X1", "X2", "X3")}
            for n in range(cycles):
                for name, places in plan.items():
                    if n < cycles - 1 or random.random() < 0.6:
                        rows += [(n * length + place * length // 20, name, 1 - i % 2) for i, place in enumerate(places) if random.random() < 0.98]
            rows = sorted(rows, key=lambda r: r[0])
            session = text_session(random.choice(bodies), [*rows, (cycles * length, "N1", 1)], DECLARED)
            turns = self._turns(session)
            for ask in sorted(random.sample(range(length, cycles * length), 6)):
                answer = _asked_at(session, ask)
                for root in answer.answer.roots:
                    match = SAID.search(root.text)
                    if match:
                        said += 1
                        self._check(session.running.tags[root.tag or 0].name, match, rows, [t for t, on in turns if on and t <= ask], (seed, ask, root.text))
        self.assertGreater(said, 3)

    def _check(self, tag: str, said: re.Match[str], rows: list[tuple[int, str, int]], rises: list[float], about: object) -> None:
        command, to = said[4], int(said[5] == "on")
        times = rises[-int(said[3]):]
        self.assertEqual(len(times), int(said[3]), about)
        for time in times:  # the command came in a scan of 10 ms or two before, and the tag was as said
            self.assertTrue(any(time - 35 <= t <= time for t, n, v in rows if n == command and v == to), about)
            self.assertIn(int(said[1] == "on"), (_at(rows, tag, time - 11), _at(rows, tag, time)), about)

    @staticmethod
    def _turns(session: Session) -> list[tuple[float, int]]:
        tag, found = session.running.by_name["y1"], []
        last = 0
        for scan in range(1, session.journal.clock.last + 1):
            value = int(session.journal.settled(tag, scan))
            if value != last:
                found.append((session.journal.clock.start(scan) / 1e6, value))
                last = value
        return found


def _at(rows: list[tuple[int, str, int]], tag: str, time: float) -> int:
    return next((v for t, n, v in reversed(rows) if n == tag and t <= time), 0)


def _asked_at(session: Session, ms: int) -> Asked:
    return asked(session, "Y1", at=f"{ms / 1000:.3f}", symptom=Symptom.WILL_NOT_PULL_IN)


if __name__ == "__main__":
    unittest.main()
