"""A change that came before without bringing a tag on, a value that is new, an end that came and was kept out: said where the log shows it only."""

from __future__ import annotations

import os
import re
import unittest
from random import Random

from tests.building import Rows, program_with, session_of
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.model.question import Symptom
from whorlograph.plant.written import body_of

STAYS = Symptom.WILL_NOT_DROP_OUT
SAID = re.compile(r"it was never (\w+) before, and (\w+) went (\w+) (?:at least )?(\d+) times then without Y1 coming on with it")
THEN = re.compile(r"; (\w+) went (\w+) (?:at least )?(\d+) times without Y1 coming on with it, and (\w+) was (\w+) then")
AS_WHEN = re.compile(r"(\w+) went (\w+) as when Y1 went off (\d+) of (\d+) times before, but then (\w+) was (\w+)")


def _pressed(times: list[int], lasting: int, tag: str = "X1") -> list[tuple[int, str, int]]:
    return [row for t in times for row in ((t, tag, 1), (t + lasting, tag, 0))]


def _asked(body: str, rows: list[tuple[int, str, int]], until: int, local: str = "") -> Asked:
    start: Rows = [(0, n, 0) for n in ("X1", "X2", "X3") if all(r[:2] != (0, n) for r in rows)]
    return asked(text_session(body, sorted([*start, *(r for r in rows if r[0] <= until), (until, "N1", 1)], key=lambda r: r[0]), local), "Y1", symptom=STAYS)


class Novel(unittest.TestCase):
    """``Y1 := X1 AND X2``: X1 is switched again and again; X2 is on for the first time."""

    def test_what_was_never_so_before_leads(self) -> None:
        found = _asked("Y1 := X1 AND X2;", [*_pressed([1000, 3000, 5000], 500), (6000, "X2", 1), (7000, "X1", 1)], 7400)
        self.assertEqual([r[1] for r in found.roots], ["X2", "X1"])
        self.assertIn("it was never on before, and X1 went on 3 times then without Y1 coming on with it", found.answer.roots[0].text)
        self.assertEqual([r[2] for r in found.roots], [True, True])

    def test_what_was_otherwise_each_time_leads_where_the_other_came_as_regularly_as_ever(self) -> None:
        def pressed_at(last: int) -> Asked:
            other = [*_pressed([1600, 3600], 1300, "X2"), (last - 500, "X2", 1)]
            return _asked("Y1 := X1 AND X2;", [*other, *_pressed([1000, 3000, 5000], 500), (last, "X1", 1)], last + 400)

        found = pressed_at(7000)
        self.assertEqual([r[1:3] for r in found.roots], [("X2", True), ("X1", True)])
        self.assertIn("; X1 went on 3 times without Y1 coming on with it, and X2 was off then", found.answer.roots[0].text)
        for last in (7300, 8000):  # pressed at another time than ever: that is what is odd
            found = pressed_at(last)
            self.assertEqual([r[1] for r in found.roots], ["X1", "X2"])
            self.assertNotIn("times without", " ".join(r.text for r in found.answer.roots))

    def test_what_a_latch_met_for_the_first_time(self) -> None:
        """What set it last is as always; what stood beside it is new. Of what was so before nothing is said."""
        rows = [*_pressed([1000, 3000, 5000], 500), (6000, "X2", 1), *_pressed([7000], 500)]
        found = _asked("IF X1 AND X2 THEN A := 1; Y2 := TRUE; END_IF;\nIF X3 THEN Y2 := FALSE; END_IF;\nY1 := Y2;", rows, 9000)
        self.assertEqual([r[1:3] for r in found.roots][:1], [("X2", True)])
        self.assertIn("; for the first time in this log with X2", " ".join(link.text for _, link in found.answer.links()))
        again = _asked("IF X1 AND X2 THEN A := 1; Y2 := TRUE; END_IF;\nIF X3 THEN Y2 := FALSE; END_IF;\nY1 := Y2;", [(200, "X2", 1), (300, "X2", 0), *rows], 9000)
        self.assertEqual(again.roots[0][1], "X1")
        # X1 was on with it before, while something else blocked: then it is not the first time.
        met = [*_pressed([1000, 3000, 5000], 500), (6000, "X2", 1), (6200, "N1", 9), *_pressed([6400], 200), (6800, "N1", 0), *_pressed([7000], 500)]
        third = _asked("IF X1 AND X2 AND N1 < 5 THEN Y2 := TRUE; END_IF;\nIF X3 THEN Y2 := FALSE; END_IF;\nY1 := Y2;", met, 9000)
        self.assertNotIn("for the first time", " ".join(link.text for _, link in third.answer.links()))
        self.assertNotIn("for the first time", " ".join(link.text for _, link in again.answer.links()))

    def test_of_many_times_the_last_count(self) -> None:
        pulses = [(500 + 40 * n + d, "X1", v) for n in range(1000) for d, v in ((0, 1), (20, 0))]
        found = _asked("Y1 := X1 AND X2;", [*pulses, (60_000, "X2", 1), (61_000, "X1", 1)], 61_400)
        self.assertIn("X1 went on at least 200 times then without Y1 coming on with it", found.answer.roots[0].text)

    def test_behind_a_delay_too(self) -> None:
        body = "T1(IN := X1 AND X2, PT := T#200ms, Q => Y1);"
        found = _asked(body, [*_pressed([1000, 3000, 5000], 500), (6000, "X2", 1), (7000, "X1", 1)], 7600, "T1 : TON;")
        self.assertEqual(found.roots[0][1], "X2")

    def test_not_where_it_says_nothing(self) -> None:
        cases = {
            "it came once before": [*_pressed([5000], 500), (6000, "X2", 1), (7000, "X1", 1)],
            "Y1 came with it once": [*_pressed([1000, 3000, 5000], 500), (2900, "X2", 1), (4000, "X2", 0), (6000, "X2", 1), (7000, "X1", 1)],
            "X2 was on before": [(200, "X2", 1), (300, "X2", 0), *_pressed([1000, 3000, 5000], 500), (6000, "X2", 1), (7300, "X1", 1)],
            "shorter than now, where its lasting counts": [*_pressed([1000, 3000, 5000], 500), (6000, "X2", 1), (7000, "X1", 1)],
            "X2 came before it": [(500, "X2", 1), *_pressed([1000, 3000, 5000], 500), (7000, "X1", 1)],
        }
        for name, rows in cases.items():
            with self.subTest(name):
                late = name.startswith("shorter")
                body = "T1(IN := X1, PT := T#900ms); Y1 := T1.Q AND X2;" if late else "Y1 := X1 AND (X2 OR X3);"
                found = _asked(body, rows, 8500 if late else 7400, "T1 : TON;" if late else "")
                self.assertNotRegex(found.text, SAID)
                self.assertEqual(found.roots[0][1], "X1")


class LeftOut(unittest.TestCase):
    """``Y1 := X1`` behind a jump: X1 comes twice in each cycle, the second time while the jump is taken; in the last cycle it is not."""

    LINES = ("X2 ->Out", "X1 (Y1)", "Out: X3 (Y2)")

    def answer(self, opened: dict[int, int], lines: tuple[str, ...] = LINES) -> Asked:
        """Args: opened: by cycle how late X2 is on for 1.5 s; of the last one, 3, too."""
        rows = [(0, n, 0) for n in ("X1", "X2", "X3")]
        for cycle in range(4):
            base = 5000 * cycle
            rows += _pressed([base + 1000], 500) + (_pressed([base + 3000], 500) if cycle < 3 else [(18_000, "X1", 1), (18_300, "X3", 0)])
            rows += _pressed([base + opened[cycle]], 1500, "X2") if cycle in opened else []
        rows = sorted((r for r in rows if r[0] <= 18_300), key=lambda r: r[0])
        return asked(session_of(program_with({"Main": body_of(*lines)}, "X1 X2 X3 Y1 Y2"), rows), "Y1", symptom=STAYS)

    def test_what_had_left_the_step_out_each_time_at_this_place_of_the_cycle(self) -> None:
        found = self.answer({0: 2500, 1: 2500, 2: 2500})
        self.assertEqual([r[1:3] for r in found.roots], [("X2", True), ("X1", True)])
        self.assertIn("; X1 went on 3 times, each about as long after the time before as now, without Y1 coming on with it: X2 was on then, and Main 2 did not run",
                      found.answer.roots[0].text)
        self.assertIn("Main 2 ran this time", " ".join(link.text for _, link in found.answer.links()))

    def test_not_where_it_ran_once_or_does_not_run_now(self) -> None:
        for opened in ({0: 2500, 2: 2500}, {}, {0: 2500, 1: 3600, 2: 2500}):
            found = self.answer(opened)
            self.assertEqual((found.roots[0][1], "did not run" in str([r.text for r in found.answer.roots])), ("X1", False), opened)

    def test_a_latch_that_was_set_before_each_and_not_this_time(self) -> None:
        """What left the step out had gone on and off again each time: the jump is kept by a latch."""
        lines = ("X2 (S Y2)", "X3 (R Y2)", "Y2 ->Out", "X1 (Y1)", "Out: X1 (Y3)")
        rows = [(0, n, 0) for n in ("X1", "X2", "X3")]
        for base in (0, 5000, 10_000):
            rows += [*_pressed([base + 1000, base + 3000], 500), *_pressed([base + 2000], 100, "X2"), *_pressed([base + 4500], 100, "X3")]
        rows += [*_pressed([16_000], 500), (18_000, "X1", 1), (18_300, "X3", 0)]
        session = session_of(program_with({"Main": body_of(*lines)}, "X1 X2 X3 Y1 Y2 Y3"), sorted(rows, key=lambda r: r[0]))
        found = asked(session, "Y1", symptom=STAYS)
        self.assertEqual(found.roots[0][1], "X2")
        self.assertIn(": X2 had gone on before each, and Main 4 did not run then; it has not now", found.answer.roots[0].text)


class BlockedEnd(unittest.TestCase):
    """A latch that X1 sets and ``X2 AND X3`` resets: X2 comes each time, X3 has stayed away now."""

    BODY = "IF X1 THEN Y1 := TRUE; END_IF; IF X2 AND X3 THEN Y1 := FALSE; END_IF;"

    @staticmethod
    def _rows(last_x3: int, times: int = 3) -> list[tuple[int, str, int]]:
        rows = [(0, "X3", 1)]
        for n in range(times + 1):
            rows += [*_pressed([1000 + 4000 * n], 300), *_pressed([3000 + 4000 * n], 300, "X2")]
        return [*rows, (1500 + 4000 * times, "X3", last_x3)]

    def test_an_end_that_would_have_to_come_anew(self) -> None:
        """Its coming ended Y1 each time; it stands since before this time, and is proved by coming anew."""
        rows = [*_pressed([1000, 3000, 5000, 7000], 300), *_pressed([1600, 3600], 300, "X2"), (5600, "X2", 1)]
        found = _asked("T9(CLK := X2);\nIF X1 THEN Y1 := TRUE; END_IF;\nIF T9.Q THEN Y1 := FALSE; END_IF;", rows, 9500, "T9 : R_TRIG;")
        self.assertEqual([r[1:3] for r in found.roots], [("X2", True), ("X1", True)])
        self.assertEqual(found.answer.roots[0].proof, "with X2 held off for 30 ms at 8.250 s, Y1 drops out at 8.280 s")

    def test_what_kept_the_usual_end_out_leads(self) -> None:
        found = _asked(self.BODY, self._rows(0), 15_200)
        self.assertEqual(found.roots[0], ("field-input", "X3", True), found.text)
        self.assertIn("X2 went on as when Y1 went off 3 of 3 times before, but then X3 was on", found.answer.roots[0].text)

    def test_of_a_latch_that_has_not_ended_so_before_what_set_it_leads(self) -> None:
        found = _asked(self.BODY, self._rows(0, times=1), 7_200)
        self.assertEqual(found.roots[0][1], "X1")
        self.assertNotRegex(found.text, AS_WHEN)

    def test_before_the_end_comes_nothing_is_said(self) -> None:
        found = _asked(self.BODY, self._rows(0), 14_900)
        self.assertNotRegex(found.text, AS_WHEN)


class Register(unittest.TestCase):
    """A register that each pulse of X1 shifts, and that X2, off at a pulse, marks: Y1 drops out when the mark has come to bit 3."""

    BODY = "E1(CLK := X1); IF E1.Q THEN W := SHL(W, 1); IF NOT X2 THEN W := W OR 1; END_IF; END_IF; Y1 := NOT W.3;"

    def _asked(self, pulses: int) -> Asked:
        rows = [(0, "X2", 1), *_pressed([1000 + 500 * n for n in range(pulses)], 100)]
        marked = 1000 + 500 * (pulses - 4)
        rows += [(marked - 100, "X2", 0), (marked + 200, "X2", 1)]
        rows = [(0, "X1", 0), *sorted(rows, key=lambda r: r[0])]
        return asked(text_session(self.BODY, [*rows, (rows[-1][0] + 300, "X3", 1)], "E1 : R_TRIG;"), "Y1", symptom=Symptom.DROPPED_OUT)

    def test_what_was_put_in_comes_before_the_clock(self) -> None:
        found = self._asked(20)
        self.assertEqual([r[1:] for r in found.roots], [("X2", True), ("X1", True)], found.text)

    def test_not_where_the_clock_has_not_often_come_in_vain(self) -> None:
        found = self._asked(5)
        self.assertEqual(found.roots[0][1], "X1", found.text)


class Sentences(unittest.TestCase):
    """What is said, on random programs and logs, against the log's own rows and a count of the tag's courses made here."""

    def test_each_is_true(self) -> None:
        said = 0
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", "90"))):
            random = Random(seed)
            bodies = ("Y1 := X1 AND X2;", "Y1 := (X1 AND X2) OR (Y1 AND X3);", "T1(IN := X1 AND X2, PT := T#50ms, Q => Y1);", "Y1 := X1 AND (X2 OR X3);",
                      "IF X1 AND X2 THEN Y1 := TRUE; ELSIF X3 THEN Y1 := FALSE; END_IF;", "IF X1 THEN Y1 := TRUE; END_IF; IF X2 AND X3 THEN Y1 := FALSE; END_IF;")
            passes, length = random.choice((2, 4, 9, 30)), random.choice((300, 2000, 5000))
            begin = {"X2": random.randrange(passes), "X3": random.randrange(passes)}  # from when on each is otherwise
            kinds = {n: random.choice(("from then", "until then", "each time", "now and then", "early at last")) for n in begin}
            rows: list[tuple[int, str, int]] = [(0, n, int(kinds.get(n) == "until then")) for n in ("X1", "X2", "X3")]
            for n in range(passes):
                at, lasting = n * length + length // 10, length // random.choice((2, 5))
                rows += [(at, "X1", 1), (at + lasting, "X1", 0)] if random.random() < 0.95 else []
                for name, kind in kinds.items():
                    if kind in ("from then", "until then"):
                        rows += [(n * length + random.choice((5, length // 3)), name, int(kind == "from then"))] if n == begin[name] else []
                    elif kind == "early at last" and n == passes - 1:
                        rows += [(n * length + length // 20, name, 1), (n * length + length // 2, name, 0)]
                    elif kind in ("each time", "early at last") or random.random() < 0.2:
                        rows += [(n * length + 7 * length // 10, name, 1), (n * length + 9 * length // 10, name, 0)]
            rows.sort(key=lambda r: r[0])
            time = rows[-1][0]
            session = text_session(random.choice(bodies), [*rows, (time + 40, "N1", 1)], "T1 : TON;")
            turns = self._turns(session)
            for begin, value in turns[-8:]:
                found = asked(session, "Y1", at=f"{(begin + 30) / 1000:.3f}", symptom=STAYS) if value else None
                for root in found.answer.roots if found is not None else ():
                    then = [r for r in rows if r[0] <= begin + 30]
                    said += self._checked(session.controller.running.tags[root.tag or 0].name, root.text, then, [u for u in turns if u[0] <= begin + 30], seed)
        self.assertGreater(said, 3)

    @staticmethod
    def _turns(session: object) -> list[tuple[float, int]]:
        journal, tag = session.journal, session.tag("Y1")  # type: ignore[attr-defined]
        found: list[tuple[float, int]] = []
        for scan in range(1, journal.clock.last + 1):
            value = int(journal.settled(tag, scan))
            if not found or found[-1][1] != value:
                found.append((journal.clock.start(scan) / 1e6, value))
        return found

    def _checked(self, tag: str, text: str, rows: list[tuple[int, str, int]], turns: list[tuple[float, int]], seed: int) -> int:
        """How many sentences a root's text holds; each is looked up."""
        novel, ended = SAID.search(text), AS_WHEN.search(text)
        if novel:
            value, other, other_value, times = int(novel[1] == "on"), novel[2], int(novel[3] == "on"), int(novel[4])
            mine = [t for t, n, v in rows if n == tag and v == value]
            self.assertEqual(len(mine), 1, (seed, text))
            self.assertNotEqual(next(v for t, n, v in rows if n == tag), value, (seed, text))
            came = [t for t, n, v in rows if n == other and v == other_value and 0 < t < mine[0]]
            self.assertGreaterEqual(len(came), times, (seed, text))
            rises = [t for t, v in turns[1:] if v]
            quiet = [t for t in came if not any(t <= r <= t + 20 for r in rises)]
            self.assertGreaterEqual(len(quiet), times, (seed, text))
        then = THEN.search(text)
        if then:
            other, other_value, times, mine, was = then[1], int(then[2] == "on"), int(then[3]), then[4], int(then[5] == "on")
            self.assertEqual(mine, tag)
            rises = [t for t, v in turns[1:] if v]
            came = [t for t, n, v in rows if n == other and v == other_value and 0 < t < rises[-1] - 11]
            quiet = [t for t in came if not any(t <= r <= t + 20 for r in rises)]
            self.assertGreaterEqual(len(quiet), times, (seed, text))
            self.assertGreaterEqual(sum([v for u, n, v in rows if n == mine and u <= t + 5][-1] == was for t in quiet), times, (seed, text))
            self.assertNotEqual([v for u, n, v in rows if n == mine and u <= rises[-1]][-1], was, (seed, text))
        if ended:
            other, other_value, count, of, again, was = ended[1], int(ended[2] == "on"), int(ended[3]), int(ended[4]), ended[5], int(ended[6] == "on")
            self.assertEqual(again, tag)
            falls, last_rise = [t for t, v in turns[1:] if not v][-20:], [t for t, v in turns if v][-1]
            self.assertEqual(of, len(falls), (seed, text))

            def at(name: str, time: float) -> int:
                return [v for t, n, v in rows if n == name and t <= time][-1]

            self.assertTrue(all(at(tag, t) == was for t in falls), (seed, text))
            self.assertNotEqual(at(tag, rows[-1][0]), was, (seed, text))
            self.assertGreaterEqual(sum(at(other, t) == other_value for t in falls), count, (seed, text))
            self.assertTrue(any(t > last_rise - 10 for t, n, v in rows if n == other and v == other_value), (seed, text))
        return bool(novel) + bool(ended) + bool(then)


if __name__ == "__main__":
    unittest.main()
