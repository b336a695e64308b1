"""Conditions over a replay: where they hold, for how long, what is said of those that cannot be read."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from operator import eq, ge, gt, le, lt, ne
from pathlib import Path
from random import Random

from tests.building import MS, program_of, session_of
from tests.strategies import random_log, replayed
from tests.texts import text_session
from whorlograph.desk.finding import find, search_of
from whorlograph.desk.session import Paths, Session
from whorlograph.inquiry.search import Search
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import IoList
from whorlograph.model.parts import Ladder, coil, nc, no, timer
from whorlograph.model.types import Family

ROWS = [(0, "X1", 0), (0, "X2", 0), (0, "N1", 5), (100, "X1", 1), (103, "X1", 0), (200, "X1", 1), (250, "N1", 12), (300, "X2", 1), (400, "X1", 0),
        (450, "X2", 0), (600, "X1", 1), (700, "N1", -3), (1000, "N1", -3)]


def _session() -> Session:
    def draw(ladder: Ladder) -> None:
        ladder.rung(no("X1"), nc("X2"), coil("Y1"), comment="pump runs")
        ladder.rung(no("X1"), timer("TON", "T1", "T#80ms"), coil("Y2"))

    return session_of(program_of(draw, "X1 X2 Y1 Y2 N1", "T1:TON"), ROWS)


HOLDS = {
    "X1": [(100, 103), (200, 400), (600, None)],
    "not X1": [(0, 100), (103, 200), (400, 600)],
    "X1 rises": [(100, 103), (200, 400), (600, None)],
    "X1 falls": [(103, 200), (400, 600)],
    "X1 changes": [(100, 103), (103, 200), (200, 400), (400, 600), (600, None)],
    "X1 and X2": [(300, 400)],
    "x1 AND x2": [(300, 400)],
    "X1 or X2": [(100, 103), (200, 450), (600, None)],
    "X1 = 1 and not X2": [(100, 103), (200, 300), (600, None)],
    "X1 = on": [(100, 103), (200, 400), (600, None)],
    "N1 > 6": [(250, 700)],
    "N1 <> 5": [(250, None)],
    "N1 <= -3": [(700, None)],
    "X1 and (X2 or N1 < 0)": [(300, 400), (700, None)],
    "X1 rises for < 50ms": [(100, 103)],
    "X1 for > 50ms": [(200, 400), (600, None)],
    "X1 falls for < 100ms": [(103, 200)],
    "X1 falls and X2": [(400, 600)],
    "X1 rises and N1 = 12": [(600, None)],
    "X1 falls or X2 falls": [(103, 200), (400, 600), (450, None)],
    "Y1": [(100, 110), (200, 300), (600, None)],
    "Y2": [(280, 400), (680, None)],
    "Main.T1.Q rises": [(280, 400), (680, None)],
    "%IX0.0 falls": [(103, 200), (400, 600)],
    "X2 for > 10s": [],
    "X1 rises for < T#50ms": [(100, 103)],
    "X1 rises for < 0.05 s": [(100, 103)],
}

WRONG = {"X1 and": "too early", "X1 = ": "too early", "= 3": "'='", "Ghost rises": "no tag is called Ghost", "not X1 rises": "event", "X1 = 7x": "no value of X1",
         "X1 for > soon": "'soon'", "(X1 or X2": "too early", "X1 X2": "'X2'", "X1 for < 5ms3": "no duration", "N1 > much": "'much' is no value"}


class Conditions(unittest.TestCase):
    """On a small program whose course is known."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = _session()

    def test_where_conditions_hold(self) -> None:
        for text, expected in HOLDS.items():
            with self.subTest(text):
                hits = search_of(self.session).hits(text)
                found = [(s // MS, e // MS if e >= 0 else None) for s, e in zip(hits.starts.tolist(), hits.ends.tolist(), strict=True)]
                self.assertEqual(found, expected)

    def test_what_cannot_be_read_says_what_was_expected(self) -> None:
        for text, said in WRONG.items():
            with self.subTest(text):
                with self.assertRaises(UsageError) as caught:
                    search_of(self.session).hits(text)
                self.assertIn(said, caught.exception.line())

    def test_a_text_is_a_tag_a_condition_or_words(self) -> None:
        tag, condition, words = find(self.session, "X2"), find(self.session, "X2 and X1"), find(self.session, "pump runs")
        self.assertEqual((tag.times, len(tag.starts), tag.what), (True, 2, "2 changes in the log"))
        self.assertEqual((condition.times, len(condition.starts)), (True, 1))
        self.assertEqual((words.times, words.steps, words.wrong), (False, (0,), ""))
        self.assertEqual(find(self.session, "").steps, ())
        self.assertIn("write it like", find(self.session, "X1 and and").wrong)
        self.assertEqual((find(self.session, "no such words").steps, find(self.session, "no such words").wrong), ((), ""))


class RandomConditions(unittest.TestCase):
    """States of random replays against asking for every instant at which anything changed."""

    def _instants(self, session: Session) -> list[int]:
        journal = session.journal
        found = {0, *session.log.times.tolist()}
        found |= {journal.time(r) for r in range(len(journal))}
        return sorted(found)

    def _value(self, session: Session, tag: int, time: int) -> int:
        """A tag's raw value at a time: inputs as the log has them, what is written as scans left it."""
        journal, log = session.journal, session.log
        if tag not in session.controller.written and bool((log.tags == tag).any()):
            rows = [r for r in log.of(tag).tolist() if log.times[r] <= time]
            return int(log.values[rows[-1]]) if rows else journal.initial[tag]
        return journal.settled(tag, journal.clock.scan_at(time))

    def _expression(self, random: Random, session: Session, depth: int) -> tuple[str, Callable[[int], bool]]:
        running = session.running
        kind = random.random()
        if depth and kind < 0.35:
            text, holds = self._expression(random, session, depth - 1)
            return f"not ({text})", lambda time: not holds(time)
        if depth and kind < 0.75:
            (a, first), (b, second) = (self._expression(random, session, depth - 1) for _ in range(2))
            if random.random() < 0.5:
                return f"({a}) and ({b})", lambda time: first(time) and second(time)
            return f"({a}) or ({b})", lambda time: first(time) or second(time)
        chosen = [t for t in running.tags[:running.public] if t.name in ("X0", "X1", "X2", "M0", "M1", "Q0", "Q1", "I0", "D0")]
        tag = random.choice(chosen)
        if tag.type.family is Family.BOOL and random.random() < 0.6:
            return tag.name, lambda time: bool(self._value(session, tag.index, time))
        sign, limit = random.choice(("=", "<>", "<", ">", "<=", ">=")), random.choice((0, 1)) if tag.type.family is Family.BOOL else random.randint(-2, 6)
        test = {"=": eq, "<>": ne, "<": lt, ">": gt, "<=": le, ">=": ge}[sign]
        return f"{tag.name} {sign} {limit}", lambda time: bool(test(self._value(session, tag.index, time), limit))

    def test_states_hold_where_asking_for_every_instant_says_so(self) -> None:
        held = 0
        for seed in range(24):
            random, controller, _ = replayed(seed)
            log = random_log(Random(seed + 1), controller.running)
            session = Session(controller, log, IoList({}), [], Paths(Path("random.xml")))
            session.take(controller.replay(log))
            instants = self._instants(session)
            for _ in range(6):
                text, holds = self._expression(random, session, 3)
                expected: list[list[int]] = []
                before = False
                for time in instants:
                    now = holds(time)
                    if now and not before:
                        expected.append([time, -1])
                    elif before and not now:
                        expected[-1][1] = time
                    before = now
                hits = search_of(session).hits(text)
                self.assertEqual([[a, b] for a, b in zip(hits.starts.tolist(), hits.ends.tolist(), strict=True)], expected, (seed, text))
                held += len(expected)
                limit = 20 * MS
                long = search_of(session).hits(f"{text} for > 20ms")
                lasting = [p for p in expected if (p[1] if p[1] >= 0 else log.end) - p[0] > limit]
                self.assertEqual(len(long), len(lasting), (seed, text))
        self.assertGreater(held, 120)


class Elapsed(unittest.TestCase):
    """A timer's ET has no rows, and is found all the same."""

    def test_as_looked_at_scan_by_scan(self) -> None:
        found = 0
        for seed in range(24):
            random = Random(seed)
            kind, preset = random.choice(("TON", "TOF", "TP")), random.choice((0, 30, 55, 100))
            call = f"Tm(IN := X1, PT := T#{preset}ms);"
            rows, time = [(0, "X1", 0)], 0
            for _ in range(30):
                time += random.choice((5, 10, 20, 37, 80, 150))
                rows.append((time, random.choice(("X1", "X1", "X3")), random.randint(0, 1)))
            session = text_session(f"IF X3 THEN {call} END_IF;\nY1 := Tm.Q;" if seed % 3 == 0 else f"{call}\nY1 := Tm.Q;", rows, f"Tm : {kind};")
            journal, again = session.journal, session.controller.again()
            search, first = Search(session.controller, journal, session.log, session.tag), session.running.by_name["main.tm.in"]
            for sign, limit, holds in ((">", 20, int.__gt__), (">=", 30, int.__ge__), ("<", 40, int.__lt__)):
                hits = search.hits(f"Tm.ET {sign} {limit}ms")
                for scan in range(1, journal.clock.last + 1):
                    start = journal.clock.start(scan)
                    hit = any(a <= start and (b < 0 or start < b) for a, b in zip(hits.starts.tolist(), hits.ends.tolist(), strict=True))
                    self.assertEqual(hit, holds(again.elapsed(journal, first, scan), limit * 1_000_000), (seed, kind, scan, sign))
                found += len(hits)
        self.assertGreater(found, 120)


if __name__ == "__main__":
    unittest.main()
