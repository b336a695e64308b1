"""When it was last right: on a machine by hand, and on random programs against values looked up scan by scan."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.building import MS, program_of, session_of
from tests.strategies import random_case, random_log
from whorlograph.desk.asking import answer_to
from whorlograph.desk.comparing import compared_page, differing, right_of, right_sentences, right_text
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.tables import xref_of
from whorlograph.engine.controller import Controller
from whorlograph.inquiry.last_right import LastRight, upstream
from whorlograph.model.iolist import IoList
from whorlograph.model.parts import Ladder, coil, either, nc, no, series, timer
from whorlograph.model.question import Question, Symptom
from whorlograph.model.types import BOOL


def _pump(ladder: Ladder) -> None:
    ladder.rung(series(either(no("X0"), no("Y0")), nc("X1"), no("M0")), coil("Y0"))
    ladder.rung(no("X2"), timer("TOF", "Wait", "T#25ms"), coil("M0"))


class ByHand(unittest.TestCase):
    """A pump that seals itself in behind a bridged switch."""

    def session(self, rows: list[tuple[int, str, int]], end: int = 20_000) -> Session:
        return session_of(program_of(_pump, "X0 X1 X2 M0 Y0", "Wait:TOF"), rows, end, scan_time=10 * MS)

    def found(self, session: Session, at: int | None = None, symptom: Symptom | None = None) -> tuple[LastRight | None, list[str]]:
        answer = answer_to(session, Question(session.tag("Y0"), at * MS if at is not None else None, symptom))
        found = right_of(session, answer)
        return found, right_sentences(session, answer, found)

    def test_the_first_that_went_otherwise_is_the_switch(self) -> None:
        session = self.session([(0, "X2", 1), (1000, "X0", 1), (1100, "X0", 0), (6000, "X1", 1), (6100, "X1", 0),
                                (9000, "X0", 1), (9100, "X0", 0), (12_000, "X2", 0), (12_050, "X2", 1)])
        found, said = self.found(session, 12_045)
        assert found is not None
        self.assertEqual([session.running.tags[d.tag].name for d in found.differs], ["X2", "M0"])
        self.assertEqual((found.then, found.now, found.whole), (101, 901, True))
        self.assertEqual(said[0], "Y0 last stayed on longer than this time, 3.04 s, from 1.000 s. Both runs lie side by side from where it went on.")
        self.assertEqual(said[1], "The first that went otherwise: X2 went off at 12.000 s, 3 s after; then it stayed on.")

    def test_a_change_that_stayed_away(self) -> None:
        session = self.session([(0, "X2", 1), (1000, "X0", 1), (1100, "X0", 0), (6000, "X1", 1), (6100, "X1", 0),
                                (9000, "X0", 1), (13_000, "X1", 1), (13_050, "X1", 0), (13_060, "X0", 0)])
        found, said = self.found(session, 13_010)
        assert found is not None
        self.assertIn("X0 stayed on; then it went off 100 ms after", said[1])

    def test_no_other_run_lasted_as_long(self) -> None:
        session = self.session([(0, "X2", 1), (1000, "X0", 1), (1100, "X0", 0), (2000, "X1", 1), (2100, "X1", 0),
                                (9000, "X0", 1), (9100, "X0", 0), (13_000, "X2", 0)])
        found, said = self.found(session, 13_100)
        assert found is not None
        self.assertFalse(found.whole)
        self.assertIn("no other run in this log lasted as long", said[0])

    def test_nothing_to_lay_beside(self) -> None:
        session = self.session([(0, "X2", 1), (1000, "X0", 1), (1100, "X0", 0), (2000, "X2", 0)])
        self.assertEqual(self.found(session, 2100)[1], ["Y0 went on only once in this log"])
        never = self.session([(0, "X2", 1), (1000, "X1", 1), (2000, "X0", 1)])
        self.assertEqual(self.found(never, 2500, Symptom.WILL_NOT_PULL_IN)[1], ["Y0 was on at no scan's end in this log"])

    def test_will_not_pull_in_names_what_hangs_on_nothing_else(self) -> None:
        session = self.session([(0, "X2", 1), (1000, "X0", 1), (1100, "X0", 0), (2000, "X1", 1), (2100, "X1", 0), (3000, "X2", 0), (4000, "X0", 1)])
        found, said = self.found(session, 4500, Symptom.WILL_NOT_PULL_IN)
        assert found is not None
        self.assertEqual({session.running.tags[d.tag].name for d in found.differs}, {"X2", "M0"})
        self.assertIn("What differs and hangs on nothing else that differs: X2 is off since 3.000 s; then it was on.", said)
        _, said = self.found(session, 500, Symptom.WILL_NOT_PULL_IN)
        self.assertIn("Y0 only later pulled in at 1.000 s", said[0])

    def test_two_moments(self) -> None:
        session = self.session([(0, "X2", 1), (1000, "X0", 1), (3000, "X2", 0)])
        tag = session.tag("Y0")
        found = {session.running.tags[t].name: (a, b) for t, a, b in differing(session, tag, 51, 151)}
        self.assertEqual(found, {"Y0": (0, 1), "X0": (0, 1)})
        page = compared_page(session, tag, 500 * MS, 151, 120)
        self.assertIn("2 tags differ", page.title)
        self.assertEqual([session.running.tags[line.tag].name for line in page.lines if line.tag is not None], ["Y0", "X0"])
        self.assertIn("nothing differs", compared_page(session, tag, 500 * MS, 51, 120).lines[0].text)


class AtRandom(unittest.TestCase):
    """Each sentence is true of the values that the plain interpreter leaves."""

    def test_what_is_said_to_differ_differs_and_what_is_not_does_not(self) -> None:
        looked = told = 0
        for seed in range(40):
            random = Random(seed)
            program, profile = random_case(random)
            controller = Controller(program, profile, plain=True)
            session = Session(controller, random_log(random, controller.running), IoList({}), [], Paths(Path("x.xml")))
            journal = session.journal
            last = journal.clock.last
            for tag in [t.index for t in session.running.tags[:session.running.public] if t.type is BOOL and not t.computed][:12]:
                values = [journal.settled(tag, s) for s in range(last + 1)]
                falls = [s for s in range(1, last + 1) if values[s - 1] and not values[s]]
                rises = [s for s in range(1, last + 1) if values[s] and not values[s - 1]]
                for fall in falls[-2:]:
                    answer = answer_to(session, Question(tag, journal.clock.start(fall), Symptom.DROPPED_OUT))
                    if answer.scan != fall or answer.symptom is not Symptom.DROPPED_OUT:
                        continue
                    found = right_of(session, answer)
                    begun = [r for r in rises if r < fall]
                    looked += 1
                    if not begun or len(rises) < 2:
                        self.assertIsNone(found)
                        continue
                    assert found is not None
                    self.assertEqual(found.now, begun[-1])
                    self.assertIn(found.then, rises)
                    told += self._checked(session, found, fall)
                    self.assertTrue(right_text(session, answer))
        self.assertGreater(looked, 60)
        self.assertGreater(told, 40)

    def _checked(self, session: Session, found: LastRight, fall: int) -> int:
        journal = session.journal
        clock, told = journal.clock, 0
        lasted = clock.start(fall) - clock.start(found.now)
        if not found.whole:
            return 0
        late = found.late
        self.assertTrue(0 < late <= max(1_000_000_000, lasted // 20))
        said = {d.tag: d for d in found.differs}
        for tag in upstream(found.tag, xref_of(session).decided_by):
            here = [journal.settled(tag, s) for s in range(found.now, fall)]
            far = clock.scan_at(clock.start(found.then) + lasted + late)
            there = [journal.settled(tag, s) for s in range(found.then, min(far, clock.last) + 1)]
            ours, theirs = ([v for n, v in enumerate(row) if not n or v != row[n - 1]] for row in (here, there))
            one = said.get(tag)
            if here[0] != there[0]:
                self.assertEqual((one.how, one.then, one.now) if one is not None else None, ("start", there[0], here[0]))
                told += 1
            elif ours != theirs[:len(ours)]:
                self.assertIsNotNone(one, session.running.tags[tag].name)
                k = next(n for n, v in enumerate(ours) if n >= len(theirs) or v != theirs[n])
                assert one is not None
                self.assertEqual((one.how, one.now), ("more" if k >= len(theirs) else "other", ours[k]))
                at = clock.scan_at(one.at)
                self.assertEqual((journal.settled(tag, at), journal.settled(tag, at - 1)), (ours[k], ours[k - 1]))
                told += 1
            elif one is not None and one.how == "less":
                self.assertGreater(len(theirs), len(ours))
                self.assertLessEqual(one.at, clock.start(found.now) + lasted - late)
                told += 1
        return told


if __name__ == "__main__":
    unittest.main()
