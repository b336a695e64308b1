"""Pulses that are counted too seldom: how many came and were seen against values looked up instant by instant, and the claim against a faster task."""

from __future__ import annotations

import unittest
from itertools import pairwise
from random import Random

from tests.building import session_of, tasked
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.desk.session import Session
from whorlograph.inquiry.trail import Answer
from whorlograph.model.ladder import CoilKind
from whorlograph.model.parts import Ladder, Part, coil, compare, counter, no, rises
from whorlograph.model.program import Program, Task
from whorlograph.model.question import LinkKind, Question, RootKind, Symptom

Pulses = list[tuple[int, int]]  # when it comes on and goes off, ms
PRESET = 12


def pulses(random: Random, shortest: int, longest: int) -> Pulses:
    """Twenty pulses, each on and off for some time."""
    found, at = list[tuple[int, int]](), 1000
    for _ in range(20):
        found.append((at, at + random.randint(shortest, longest)))
        at = found[-1][1] + random.randint(shortest, longest)
    return found


def seen_by(found: Pulses, interval: int, until: int) -> int:
    """How many times what looks every so many ms sees it come on."""
    states = [any(on <= at < off for on, off in found) for at in range(0, until + 1, interval)]
    return sum(now and not before for before, now in pairwise(states))


def block(ladder: Ladder) -> None:
    """A counter."""
    ladder.rung(no("X1"), counter("C", str(PRESET), no("X2")), coil("Y1"))


def own(ladder: Ladder) -> None:
    """A number that is counted on by an edge."""
    ladder.rung(rises("X1"), Part("block", block="ADD", pins=(("IN1", "N1"), ("IN2", "1")), writes=(("OUT", "N1"),), power=("EN", "ENO")),
                coil("M1", CoilKind.PLAIN))
    ladder.rung(compare("GE", "N1", str(PRESET)), coil("Y1"))


def counting(draw: object, interval: int) -> Program:
    """The program, on a task or (0) with the scan."""
    tasks = {"Count": Task("Slow", 1, f"T#{interval}ms")} if interval else {}
    return tasked({"Count": draw}, "X1 X2 Y1 N1 M1", tasks, "C:CTU")  # type: ignore[dict-item]


def asked(program: Program, found: Pulses, end: int) -> tuple[Session, Answer]:
    """Why the count is not there at the end."""
    rows = [(0, "X2", 0), *((at, "X1", value) for on, off in found for at, value in ((on, 1), (off, 0)))]
    session = session_of(program, rows, end)
    answer = answer_to(session, Question(session.running.by_name["y1"], end * 1_000_000, Symptom.WILL_NOT_PULL_IN))
    prove_all(session, answer)
    return session, answer


class TooSeldom(unittest.TestCase):
    """Tasks and scans that come too seldom for what they count."""

    def test_what_came_and_what_was_seen(self) -> None:
        told = 0
        for seed in range(40):
            random = Random(seed)
            interval, draw = random.choice((0, 50, 200)), random.choice((block, own))
            every = interval or 10
            found = pulses(random, max(3, every // 4), random.choice((every // 2, every, 3 * every)))
            end = found[-1][1] + 500
            session, answer = asked(counting(draw, interval), found, end)
            seen = seen_by(found, every, end)
            missed = len(found) - seen
            if seen >= PRESET:
                self.assertIsNone(answer.trail, (seed, answer.text))
                continue
            with self.subTest(seed=seed, interval=interval, draw=draw.__name__):
                name = session.running.by_name["x1"]
                first = answer.roots[0]
                lost = [link for _, link in answer.links() if link.kind in (LinkKind.TASK_IDLE, LinkKind.MISSED_PULSE)]
                if missed >= PRESET - seen:
                    self.assertEqual((first.kind, first.tag), (RootKind.PROGRAM if interval else RootKind.FIELD_INPUT, name), answer.text)
                    self.assertEqual(lost[0].kind, LinkKind.TASK_IDLE if interval else LinkKind.MISSED_PULSE)
                    self.assertIsNone(first.proved)
                    until = session.journal.clock.start(lost[0].scan) // 1_000_000
                    self.assertIn(f" {sum(on <= until for on, _ in found)} times from 1.000 s on", lost[0].text)
                    self.assertIn(f" saw {seen_by(found, every, until)} of them", lost[0].text)
                    told += 1
                    quick, answer = asked(counting(draw, 1), found, end)  # what is claimed: had all been seen, it would be on
                    self.assertTrue(quick.journal.settled(quick.running.by_name["y1"], quick.journal.clock.last))
        self.assertGreater(told, 15)

    def test_nothing_of_the_kind_is_said_where_all_were_seen_or_too_few_came(self) -> None:
        for interval, each in ((0, 15), (50, 60), (200, 210)):
            for draw in (block, own):
                found = [(1000 + 2 * n * each, 1000 + (2 * n + 1) * each) for n in range(8)]
                _, answer = asked(counting(draw, interval), found, 10_000)
                self.assertFalse([link for _, link in answer.links() if link.kind in (LinkKind.TASK_IDLE, LinkKind.MISSED_PULSE)], interval)
        found = [(1000 + 40 * n, 1020 + 40 * n) for n in range(10)]  # some were missed, but there were too few of them
        _, answer = asked(counting(block, 100), found, 3000)
        self.assertTrue(any(link.kind is LinkKind.TASK_IDLE for _, link in answer.links()))
        self.assertFalse(any(root.defect for root in answer.roots))

    def test_a_contact_that_bounces_is_no_train_of_pulses(self) -> None:
        found = [(1000 + 500 * n + shift, 1000 + 500 * n + shift + 2) for n in range(8) for shift in (0, 4, 7)]
        found = sorted([*found, *((1000 + 500 * n + 10, 1000 + 500 * n + 200) for n in range(8))])
        for draw in (block, own):
            _, answer = asked(counting(draw, 0), found, 10_000)
            self.assertFalse([link for _, link in answer.links() if link.kind is LinkKind.MISSED_PULSE], draw.__name__)

    def test_a_pulse_of_the_program_s_own_that_a_slower_task_counts(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(rises("X1"), coil("M1"))

        def slow(ladder: Ladder) -> None:
            ladder.rung(no("M1"), counter("C", "5", no("X2")), coil("Y1"))

        program = tasked({"Count": slow, "Main": main}, "X1 X2 Y1 M1", {"Count": Task("Slow", 1, "T#70ms")}, "C:CTU")
        found = [(1000 + 300 * n, 1100 + 300 * n) for n in range(9)]
        session, answer = asked(program, found, 5000)
        self.assertEqual((answer.roots[0].kind, answer.roots[0].tag), (RootKind.PROGRAM, session.running.by_name["m1"]), answer.text)
        self.assertRegex(answer.roots[0].text, "^M1 went on [89] times from 1.000 s on")


if __name__ == "__main__":
    unittest.main()
