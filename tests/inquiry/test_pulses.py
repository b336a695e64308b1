"""Stretches of inputs, courses of tags and differences between log and computation, against walking through them one by one."""

from __future__ import annotations

import unittest
from itertools import pairwise
from random import Random

import numpy as np

from tests.building import MS, controller_of, log_of, program_of
from tests.strategies import replayed
from whorlograph.inquiry.mismatch import differences
from whorlograph.inquiry.pulses import BOUNCE, SHORT, SHORT_ON, Stay, Stays, calm, grows, history, last_change, short_stays, stays
from whorlograph.inquiry.symptoms import course, recorded
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, coil, no


def columns(found: list[Stay]) -> Stays:
    """Stretches as columns."""
    return Stays(np.array([s.start for s in found], np.int64), np.array([s.length for s in found], np.int64),
                 np.array([s.value for s in found], np.int64), np.array([s.ended for s in found], bool))


def random_stays(random: Random) -> list[Stay]:
    """Stretches one after the other, many of them as brief as a bounce."""
    count, time, value = random.randrange(12), 0, random.randrange(3)
    found = []
    for i in range(count):
        length = random.choice((1, BOUNCE // 2, BOUNCE, BOUNCE + 1, 10**9))
        found.append(Stay(time, length, value, i + 1 < count))
        time += length
        value = random.choice([v for v in range(random.choice((2, 3))) if v != value])
    return found


def calm_by_walking(found: list[Stay]) -> list[Stay]:
    """What ``calm`` promises, one stretch after the other."""
    kept: list[Stay] = []
    i = 0
    while i < len(found):
        j = i
        while j + 1 < len(found) and found[j].ended and found[j].length <= BOUNCE and i > 0:
            j += 1
        if j > i and found[j].value == found[i].value:
            kept.append(Stay(found[i].start, found[j].start + found[j].length - found[i].start, found[i].value, found[j].ended))
            i = j + 1
        else:
            kept.append(found[i])
            i += 1
    return kept


def log_with(times: list[int], values: list[int], end: int) -> Log:
    """A log of one tag, number 0."""
    return Log(np.array(times, np.int64), np.zeros(len(times), np.uint8), np.array(values, np.int16), end=end, rows=len(times))


class Pulses(unittest.TestCase):
    """From the log itself."""

    def test_bounce_is_taken_out_as_walking_takes_it_out(self) -> None:
        merged = 0
        for seed in range(4000):
            found = random_stays(Random(seed))
            expected = calm_by_walking(found)
            self.assertEqual(list(calm(columns(found))), expected, seed)
            merged += len(expected) < len(found)
        self.assertGreater(merged, 500)

    def test_stretches_cover_the_log_and_alternate(self) -> None:
        for seed in range(300):
            random = Random(seed)
            times = sorted(random.randrange(50) for _ in range(random.randrange(15)))
            values = [random.randrange(3) for _ in times]
            found = list(stays(log_with(times, values, 60), 0, 1))
            if not times:
                self.assertEqual(found, [])
                continue
            self.assertEqual(sum(s.length for s in found), 60 - found[0].start)
            for one, following in pairwise(found):
                self.assertNotEqual(one.value, following.value)
                self.assertEqual(one.start + one.length, following.start)
                self.assertTrue(one.ended)
            self.assertFalse(found[-1].ended)
            self.assertEqual(found[-1].value, values[-1])

    def test_the_stretch_at_a_time(self) -> None:
        found = stays(log_with([10, 20, 35], [1, 0, 1], 50), 0, 0)
        self.assertEqual([(s.start, s.value) for s in found], [(0, 0), (10, 1), (20, 0), (35, 1)])
        for time, start in ((0, 0), (9, 0), (10, 10), (34, 20), (35, 35), (49, 35)):
            at = found.at(time)
            assert at is not None
            self.assertEqual(at.start, start)
        self.assertIsNone(found.at(50))
        self.assertIsNone(found.at(-1))

    def test_short_is_short_against_what_stands_around_it(self) -> None:
        second = 1_000_000_000
        times = [0, 10 * second, 10 * second + SHORT // 20, 20 * second, 20 * second + 900_000_000, 22 * second, 30 * second]
        log = log_with(times, [1, 0, 1, 0, 1, 0, 1], 40 * second)
        found = short_stays(log, 0, 0, 0)
        self.assertEqual([s.start for s in found], [10 * second])
        self.assertEqual(short_stays(log, 0, 1, 0), [])
        flash = log_with([0, 10 * second, 10 * second + SHORT_ON // 2], [0, 1, 0], 30 * second)
        self.assertEqual([s.length for s in short_stays(flash, 0, 1, 0)], [SHORT_ON // 2])

    def test_the_last_change_is_no_repeated_row(self) -> None:
        log = log_with([0, 10, 20, 30], [0, 1, 1, 1], 40)
        self.assertEqual(last_change(log, 0, 35), (10, 1))
        self.assertIsNone(last_change(log, 0, 5))
        self.assertEqual(recorded(log, 0, 25, 9), 1)
        self.assertIsNone(recorded(log_with([5], [1], 9), 0, 4, 9))

    def test_growing_lengths_are_told(self) -> None:
        self.assertTrue(grows([10, 12, 20, 30, 31, 45]))
        self.assertFalse(grows([10, 12, 20, 30, 31]), "five are too few")
        self.assertFalse(grows([10, 12, 45, 30, 31, 20]))
        self.assertFalse(grows([30, 20, 12, 10]))
        self.assertFalse(grows([10, 40]))
        short = [Stay(i * 10**9, (i + 1) * MS, 0, True) for i in range(4)]
        self.assertIn("4 short openings", history(short, True, ["06:00"]))


    def test_what_a_hand_may_have_done_is_said_too(self) -> None:
        for lengths, tail in (((30, 40), ": a loose wire or a worn switch"), ((30, 300), ": switched for a moment, or a loose wire or a worn switch")):
            short = [Stay(1000 * MS * n, length * MS, 0, True) for n, length in enumerate(lengths)]
            self.assertTrue(history(short, True, ["06:00"]).endswith(f"the first at 06:00{tail}"), lengths)
            self.assertTrue(history(short, False, ["06:00"]).endswith("the first at 06:00"))


class Courses(unittest.TestCase):
    """Settled values against walking scan by scan."""

    def test_courses_answer_as_the_scans_do(self) -> None:
        checked = 0
        for seed in range(12):
            _random, controller, journal = replayed(seed)
            last = min(journal.clock.last, 120)
            for tag in range(0, controller.running.public, 5):
                settled = [journal.settled(tag, s) for s in range(last + 1)]
                path = course(journal, tag)
                self.assertEqual([path.at(s) for s in range(last + 1)], settled)
                self.assertEqual(path.at_all(np.arange(last + 1)).tolist(), settled)
                for scan in range(1, last, 7):
                    changes = [s for s in range(1, last + 1) if settled[s] != settled[s - 1]]
                    for on in (True, False):
                        before = [s for s in changes if s <= scan and bool(settled[s]) == on]
                        self.assertEqual(path.last_change(scan, on) if scan >= 1 and before else None, before[-1] if before else None)
                        later = [s for s in range(scan, last + 1) if bool(settled[s]) == on]
                        found = path.next_change(scan, on)
                        if later:
                            self.assertEqual(found, later[0])
                        checked += 1
                    self.assertEqual(path.changes_between(scan, last), sum(scan < s for s in changes))
        self.assertGreater(checked, 1000)

    def test_differences_are_those_of_every_millisecond(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        for seed in range(40):
            random = Random(seed)
            controller = controller_of(program_of(draw, "X1 Y1"), mismatch_after=20 * MS)
            rows = [(10 * random.randrange(100), name, random.randrange(2)) for name in ("X1", "Y1") for _ in range(8)]
            rows += [(0, "X1", 0), (0, "Y1", 0)]
            log = log_of(controller, rows, end=1200)
            journal = controller.replay(log)
            y1 = controller.running.by_name["y1"]
            differ = []
            for time in range(1200):
                scan = journal.clock.scan_at(time * MS)
                differ.append(recorded(log, y1, time * MS, 0) != journal.settled(y1, scan))
            expected, begin = [], None
            for time, state in enumerate([*differ, False]):
                if state and begin is None:
                    begin = time
                elif not state and begin is not None:
                    if time - begin > 20:
                        expected.append((begin, time))
                    begin = None
            found = [(d.start // MS, d.end // MS) for d in differences(controller, journal, log, y1)]
            joined: list[tuple[int, int]] = []
            for start, end in found:  # a difference that goes on through a change of both is told in pieces
                if joined and joined[-1][1] == start:
                    joined[-1] = (joined[-1][0], end)
                else:
                    joined.append((start, end))
            self.assertEqual(joined, expected, seed)


if __name__ == "__main__":
    unittest.main()
