"""Cycles of made-up machines with known deviations: the odd one, what it does first, what drifts; and none where there is only noise."""

from __future__ import annotations

import datetime
import unittest

import numpy as np

from tests.building import program_of, session_of
from tests.cycling import KINDS, TAGS, machine
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.cycles import cycle_words, cycles_json, cycles_lines, find_cycles
from whorlograph.inquiry.cycles.deviations import Kind
from whorlograph.inquiry.cycles.drift import chance
from whorlograph.inquiry.cycles.found import Cycles
from whorlograph.model.errors import UsageError
from whorlograph.model.parts import Ladder, coil, nc, no, timer


def numbers(found: Cycles, kind: str) -> list[int]:
    """The cycles of a kind."""
    return [j.turn.number for j in found.judged if j.turn.kind == kind]


class Deviations(unittest.TestCase):
    """Seeds that change daily, beside some that stay."""

    def seeds(self, count: int) -> range:
        first = datetime.date.today().toordinal() * 100
        return range(first, first + count)

    def test_the_odd_cycle_and_its_first_deviation_stand_first(self) -> None:
        for kind in KINDS[:-1]:
            right = 0
            for seed in (*range(8), *self.seeds(8)):
                made = machine(seed, kind)
                found = find_cycles(made.session, "X0")
                self.assertGreaterEqual(found.whole, 22)
                top = found.ranked[0]
                name = made.session.running.tags[top.first.tag].name if top.first is not None else ""
                right += (top.turn.number, name) == (made.cycle, made.tag)
            with self.subTest(kind):  # 96 to 100 of 100 over many seeds
                self.assertGreaterEqual(right, 14)

    def test_a_cycle_begun_anew_before_its_end(self) -> None:
        for seed in self.seeds(8):
            made = machine(seed, "aborted")
            self.assertEqual(numbers(find_cycles(made.session, "X0"), "aborted"), [made.cycle])

    def test_what_comes_very_late_is_late_and_not_missing(self) -> None:
        for seed in self.seeds(12):
            made = machine(seed, "late", late=0.4)
            found = find_cycles(made.session, "X0")
            top = found.ranked[0]
            assert top.first is not None
            self.assertEqual((top.turn.number, top.first.kind, made.session.running.tags[top.first.tag].name), (made.cycle, Kind.LATE, made.tag))
            inputs = {made.session.running.by_name[t.lower()] for t in TAGS}
            lacking = [d.tag for d in top.deviations if d.kind is Kind.MISSING and d.tag in inputs]
            self.assertEqual(lacking, [], "all of the inputs came")  # an output made of two of them may truly do something less

    def test_the_last_cycle_lacks_nothing_that_was_still_to_come(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        rows: list[tuple[int, str, int]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
        for n in range(12):
            start = 1_000 + 10_000 * n
            rows += [(start, "X1", 1), (start + 900, "X1", 0), (start + 2_000, "X2", 1), (start + 3_000, "X2", 0), (start + 5_000, "X3", 1),
                     (start + 6_000 + 30 * n, "X3", 0)]
        for ends, kind in ((rows, "whole"), (rows[:-1], "cut"), ([*rows[:-1], (200_000, "X2", 0)], "whole")):
            session = session_of(program_of(draw, "X1 X2 X3 Y1"), ends)
            found = find_cycles(session, "X1")
            self.assertEqual(found.judged[-1].turn.kind, kind)
            missing = [d.tag for d in found.judged[-1].deviations if d.kind is Kind.MISSING]
            self.assertEqual(bool(missing), ends[-1][0] == 200_000, "long after the last event, what has not come is missing")
        self.assertRegex("\n".join(cycles_lines(session, found)), r"X3 off is missing, usually 6\.\d+ s after the start")

    def test_noise_alone_is_neither_odd_nor_drifts(self) -> None:
        odd = drifts = 0
        for seed in self.seeds(20):
            found = find_cycles(machine(seed).session, "X0")
            odd += any(j.first is not None for j in found.judged)
            drifts += len(found.drift)
        self.assertLessEqual(odd, 1)
        self.assertLessEqual(drifts, 1)

    def test_what_grows_is_told_and_an_even_course_is_not(self) -> None:
        for seed in self.seeds(8):
            made = machine(seed, drift=0.4)
            found = find_cycles(made.session, "X0")
            self.assertTrue(found.drift)
            self.assertGreater(found.drift[0].last, found.drift[0].first)
        steady = np.linspace(0, 0, 20) + 5.0
        self.assertEqual(chance(steady), 1.0)
        self.assertLess(chance(np.arange(20.0)), 1e-6)
        rng = np.random.default_rng(1)
        often = sum(chance(rng.normal(size=15)) < 0.05 for _ in range(2000)) / 2000
        self.assertAlmostEqual(often, 0.05, delta=0.02)

    def test_the_limit_is_that_of_the_timer_that_measures_it(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), nc("X2"), timer("TON", "Watch", "T#3s"), coil("Fault"))
            ladder.rung(no("X1"), coil("Valve"))

        rows: list[tuple[int, str, int]] = [(0, "X1", 0), (0, "X2", 0)]
        for n in range(16):
            start, takes = 5_000 + 9_000 * n, 1_400 + 45 * n + (n * 37) % 20
            rows += [(start, "X1", 1), (start + takes, "X2", 1), (start + 4_500, "X1", 0), (start + 4_700, "X2", 0)]
        session = session_of(program_of(draw, "X1 X2 Valve Fault", "Watch:TON"), rows)
        found = find_cycles(session, "X1")
        self.assertTrue(found.drift)
        one = found.drift[0]
        self.assertEqual(one.limit, 3_000_000_000)
        self.assertTrue(1_400_000_000 <= one.first < 1_700_000_000 < one.last < 2_200_000_000, one)
        self.assertTrue(15 <= one.cycles_left <= 40, one)
        text = "\n".join(cycles_lines(session, found))
        self.assertIn("growing or shrinking:", text)
        self.assertIn("the limit is 3 s (Watch)", text.replace("Main.Watch", "Watch"))


class Beginnings(unittest.TestCase):
    """What a cycle begins with."""

    def test_is_proposed(self) -> None:
        right = sum(find_cycles(machine(seed).session).start == "X0" for seed in range(12))
        self.assertGreaterEqual(right, 11)

    def test_can_be_a_condition(self) -> None:
        made = machine(3)
        by_tag, by_words = find_cycles(made.session, "X0"), find_cycles(made.session, "X0 and not X8")
        self.assertEqual([j.turn.start for j in by_tag.judged], [j.turn.start for j in by_words.judged])

    def test_what_makes_no_cycle_is_refused_in_one_sentence(self) -> None:
        session = machine(3).session
        for start, why in (("Nothing = 3", "is no condition"), ("X0 and not X0", "comes never"), ("nonsense words", "is no condition")):
            with self.subTest(start), self.assertRaises(UsageError) as caught:
                find_cycles(session, start)
            self.assertIn(why, caught.exception.what)
        empty = session_of(program_of(lambda one: one.rung(no("X1"), coil("Y1")), "X1 Y1"), [(0, "X1", 0), (1000, "X1", 1)])
        with self.assertRaises(UsageError):
            find_cycles(empty)

    def test_few_cycles_are_said_to_be_few(self) -> None:
        found = find_cycles(machine(4, cycles=4).session, "X0")
        self.assertTrue(all(j.first is None for j in found.judged))
        self.assertIn("fewer than 5 whole cycles", "\n".join(cycles_lines(machine(4, cycles=4).session, found)))


class TheBridge(unittest.TestCase):
    """The shift of the demo."""

    def test_cycle_six_is_the_odd_one_and_the_east_barriers_switch_its_first_deviation(self) -> None:
        session = bridge_session()
        found = find_cycles(session)
        self.assertEqual([found.whole, len(found.judged)], [6, 6])
        top = found.ranked[0]
        self.assertEqual(top.turn.number, 6)
        self.assertIn("East_Down_LS off for 46 ms at 43.381 s, in no other out of turn so long", cycle_words(session, top))
        said = cycles_json(session, found)
        self.assertEqual((said["start"], said["cycles"][0]["number"], said["cycles"][0]["first"]["tag"], said["cycles"][0]["first"]["kind"]),
                         ("Boat_Near", 6, "East_Down_LS", "additional"))
        self.assertEqual({c["kind"] for c in said["cycles"]}, {"whole"})
        self.assertGreater(len(said["typical"]), 30)
        self.assertTrue(all(a["after"] <= b["after"] + 1e-9 for a, b in zip(said["typical"], said["typical"][1:], strict=False)))

    def test_every_event_of_a_typical_cycle_is_a_change_of_the_log(self) -> None:
        made = machine(11)
        found = find_cycles(made.session, "X0")
        by_tag = {c.tag: c for c in found.all_changes}
        for judged in found.judged:
            for place, one in enumerate(found.turns.typical):
                after = judged.turn.at[place]
                if not np.isnan(after):
                    at = int(np.searchsorted(by_tag[one.tag].times, judged.turn.start + round(after)))
                    self.assertEqual((int(by_tag[one.tag].times[at]), int(by_tag[one.tag].values[at])), (judged.turn.start + round(after), one.value))
        self.assertLessEqual({made.session.tag(t) for t in TAGS[1:]}, {t.tag for t in found.turns.typical})


if __name__ == "__main__":
    unittest.main()
