"""Asking without a log: given values, latches, timers, what would turn, and sentences that speak of no time."""

from __future__ import annotations

import json
import re
import unittest

from tests.building import Draw, program_of, session_of
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.now import settled_now
from whorlograph.desk.session import Session
from whorlograph.desk.words import answer_json, answer_text
from whorlograph.inquiry.now import timeless
from whorlograph.inquiry.trail import Answer
from whorlograph.model.parts import Ladder, call, coil, either, nc, no, reset, rises, set_, timer
from whorlograph.model.question import Symptom


def now(draw: Draw, tags: str, given: str, tag: str, blocks: str = "", **profile: object) -> tuple[Session, Answer]:
    """The answer at given values."""
    session = settled_now(session_of(program_of(draw, tags, blocks), [], **profile), given)
    answer = ask(session, tag)
    prove_all(session, answer)
    return session, answer


def roots(session: Session, answer: Answer) -> list[tuple[str, str]]:
    """(kind, tag) of the roots."""
    return [(r.kind.value, session.running.tags[r.tag].name if r.tag is not None else "") for r in answer.roots]


def _fan(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), nc("X2"), no("X3"), coil("Y1"))


def _latch(ladder: Ladder) -> None:
    ladder.rung(no("X1"), set_("M1"))
    ladder.rung(no("X2"), reset("M1"))
    ladder.rung(no("M1"), coil("Y1"))


class WithoutALog(unittest.TestCase):
    """What the lamps show."""

    def test_a_healthy_fan_that_holds_itself(self) -> None:
        session, answer = now(_fan, "X1 X2 X3 Y1", "X1=0,X2=0,X3=1,Y1=1", "Y1")
        self.assertEqual(answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("it holds itself", answer_text(session, answer))
        self.assertNotIn("mismatch", [k for k, _ in roots(session, answer)])

    def test_an_output_that_the_program_would_switch_off_is_a_mismatch(self) -> None:
        session, answer = now(_fan, "X1 X2 X3 Y1", "X1=0,X2=0,X3=0,Y1=1", "Y1")
        self.assertEqual(roots(session, answer), [("mismatch", "Y1")])
        self.assertIn("Main 1 would turn it", answer.rests_on[0])

    def test_what_turns_only_where_others_are_kept_as_they_are_seen(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(nc("X2"), reset("M1"))
            ladder.rung(no("X1"), set_("M1"))
            ladder.rung(no("M1"), coil("M2"))
            ladder.rung(no("M2"), nc("X3"), coil("Y1"))

        # The program would take M1 back; as it is seen on, Y1 must be on too, and it is seen off.
        for given, mismatch in (("M1=1,Y1=0", True), ("M1=1,Y1=0,X2=1", True), ("M1=1,Y1=0,X3=1", False), ("M1=1,Y1=1", False), ("M1=1,M2=0,Y1=0", False)):
            session, answer = now(draw, "X1 X2 X3 M1 M2 Y1", given, "Y1")
            self.assertEqual(("mismatch", "Y1") in roots(session, answer), mismatch, given)
            self.assertEqual("Y1 is on" in answer.text, given == "M1=1,Y1=1", (given, answer.text))
            if mismatch:
                self.assertIn(("field-input", "X3"), roots(session, answer))  # not given: were it on, all would be right

    def test_what_is_not_given_ranks_last_and_is_said(self) -> None:
        session, answer = now(lambda ladder: ladder.rung(no("X1"), no("X2"), no("X3"), coil("Y1")), "X1 X2 X3 Y1", "X2=0,X3=1", "Y1")
        self.assertEqual([n for _, n in roots(session, answer)], ["X2", "X1"])
        self.assertIn("X1 is taken as off, its declared value (not given)", answer_text(session, answer))

    def test_a_given_latch_that_nobody_sets(self) -> None:
        session, answer = now(_latch, "X1 X2 M1 Y1", "X1=0,X2=0,M1=1", "Y1")
        self.assertEqual(roots(session, answer), [("initial-value", "M1"), ("field-input", "X2")])
        self.assertIn("M1 is on (given)", answer_text(session, answer))
        session, answer = now(_latch, "X1 X2 M1 Y1", "X1=0,X2=1,M1=1", "Y1")
        self.assertIn("Main 2 would turn it", " ".join(answer.rests_on))

    def test_on_delays_have_elapsed_and_edges_see_no_change(self) -> None:
        _, answer = now(lambda ladder: ladder.rung(no("X1"), timer("TON", "T1", "T#10m"), coil("Y1")), "X1 Y1", "X1=1", "Y1", "T1:TON")
        self.assertEqual(answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        _, answer = now(lambda ladder: ladder.rung(rises("X1"), set_("Y1")), "X1 Y1", "X1=1", "Y1")
        self.assertEqual(answer.symptom, Symptom.WILL_NOT_PULL_IN)

    def test_the_first_scan_is_over(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("M1"), set_("Y1"))
            ladder.rung(no("X1"), reset("Y1"))

        _, answer = now(draw, "X1 M1 Y1", "X1=0", "Y1", first_scan="M1")
        self.assertEqual(answer.symptom, Symptom.WILL_NOT_PULL_IN)

    def test_nothing_speaks_of_a_time_or_a_log(self) -> None:
        for draw, tags, given, tag, blocks in (
                (_fan, "X1 X2 X3 Y1", "X1=1,X2=0", "Y1", ""), (_fan, "X1 X2 X3 Y1", "X1=0,X2=0,X3=1,Y1=1", "Y1", ""), (_latch, "X1 X2 M1 Y1", "X1=0", "Y1", ""),
                (lambda ladder: ladder.rung(no("X1"), timer("TON", "T1", "T#2s"), coil("Y1")), "X1 Y1", "X1=1", "Y1", "T1:TON"),
                (lambda ladder: ladder.rung(no("X1"), call("MOVE", ("IN", "7"), out="N1")), "X1 N1", "X1=1", "N1", "")):
            session, answer = now(draw, tags, given, tag, blocks)
            found = json.loads(answer_json(session, answer))
            self.assertEqual((found["symptom"]["t"], found["symptom"]["scan"], found["symptom"]["attempt"], found["usual"], found["phases"]), (None,) * 5)
            for root in found["roots"]:
                self.assertEqual((root["since"], root["turns"], root["blocked"], root["attempts"]), (None,) * 4)
            self.assertTrue(all(link["since"] is None for link in found["trail"]))
            text = answer_text(session, answer)
            self.assertIsNone(re.search(r"\blog\b|\d\.\d{3}|\bsince\b|recorded", text), text)

    def test_times_are_taken_out_of_sentences(self) -> None:
        for said, left in (("Y1 went off at 0.900 s: in Main 1 X1 opened first", "Y1 went off: in Main 1 X1 opened first"),
                           ("X1 was off from the log's start; 2 more", "X1 was off; 2 more"), ("Y1 is on since 14:02:53.720", "Y1 is on"),
                           ("A was written by A := A + 1 in Main 4 at 1.000 s", "A was written by A := A + 1 in Main 4"),
                           ("T1 is on: its input came at 0.010 s and has stayed for 2 min 59 s; X1 as well", "T1 is on: its input came; X1 as well"),
                           ("T1 keeps its output on: nothing to check, 2 s still to run", "T1 keeps its output on: nothing to check, 2 s still to run")):
            self.assertEqual(timeless(said), left)


if __name__ == "__main__":
    unittest.main()
