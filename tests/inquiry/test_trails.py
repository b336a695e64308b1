"""Trails, roots, attempts and proofs on small programs with one known cause each."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import Rows, program_of, session_of
from tests.texts import text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Session
from whorlograph.desk.words import root_lines
from whorlograph.inquiry.trail import Answer
from whorlograph.model.iolist import IoList, Point, Wiring
from whorlograph.model.parts import Ladder, call, coil, compare, counter, either, jump, nc, no, reset, series, set_, timer
from whorlograph.model.question import LinkKind, RootKind, Symptom


def names(session: Session, answer: Answer) -> list[str]:
    """The roots' tags in order of rank."""
    return [session.running.tags[r.tag].name if r.tag is not None else "" for r in answer.roots]


def kinds(answer: Answer) -> list[LinkKind]:
    """The kinds of the trail's links in reading order, without those that only carry a root."""
    return [link.kind for _, link in answer.links() if link.step >= 0]


def _sealed(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), no("X2"), no("X3"), coil("Y1"))
    ladder.rung(no("Y1"), coil("Y2"))


def _latch(ladder: Ladder) -> None:
    ladder.rung(no("X1"), set_("M1"))
    ladder.rung(no("X2"), reset("M1"))
    ladder.rung(no("M1"), no("X3"), coil("Y1"))


class DroppedOut(unittest.TestCase):
    """The last time a tag went off."""

    ROWS: Rows = [(0, "X2", 1), (0, "X3", 1), (20, "X1", 1), (50, "X1", 0), (200, "X3", 0), (203, "X2", 0), (260, "X3", 1), (400, "X2", 1)]

    def test_the_contact_that_opened_first_is_the_cause(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), self.ROWS)
        answer = ask(session, "Y1")
        self.assertEqual(answer.symptom, Symptom.DROPPED_OUT)
        self.assertEqual(kinds(answer), [LinkKind.RUNG_FALSE])
        self.assertEqual(names(session, answer), ["X3"])
        self.assertEqual(answer.time, 200_000_000)
        self.assertEqual(answer.roots[0].since, 200_000_000)

    def test_the_trail_goes_through_other_coils(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), self.ROWS)
        answer = ask(session, "Y2")
        self.assertEqual(kinds(answer), [LinkKind.RUNG_FALSE, LinkKind.RUNG_FALSE])
        self.assertEqual(names(session, answer)[0], "X3")

    def test_the_root_is_proved_and_the_answer_says_from_when_the_log_no_longer_fits(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), self.ROWS)
        answer = ask(session, "Y1")
        prove_all(session, answer)
        self.assertIs(answer.roots[0].proved, True)
        self.assertIn("from then on the recording no longer fits, for in it Y1 had gone off", answer.roots[0].proof)

    def test_a_root_that_does_not_matter_is_disproved(self) -> None:
        rows: Rows = [(0, "X2", 1), (0, "X3", 1), (20, "X1", 1), (50, "X1", 0), (201, "X3", 0), (202, "X2", 0), (400, "X2", 0)]
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), rows)
        answer = ask(session, "Y1")
        prove_all(session, answer)
        self.assertIs(answer.roots[0].proved, False)

    def test_a_latch_was_reset(self) -> None:
        rows: Rows = [(0, "X3", 1), (20, "X1", 1), (40, "X1", 0), (100, "X2", 1), (120, "X2", 0), (200, "X3", 1)]
        session = session_of(program_of(_latch, "X1 X2 X3 M1 Y1"), rows)
        answer = ask(session, "Y1")
        self.assertEqual(kinds(answer), [LinkKind.RUNG_FALSE, LinkKind.RESET_BY])
        self.assertEqual(names(session, answer), ["X2"])
        self.assertIs(answer.roots[0].value, True)

    def test_asked_for_while_it_is_on_again_the_answer_says_since_when(self) -> None:
        rows: Rows = [(0, "X2", 1), (0, "X3", 1), (20, "X1", 1), (50, "X1", 0), (200, "X3", 0), (250, "X3", 1), (300, "X1", 1), (400, "X1", 1)]
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), rows)
        answer = ask(session, "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertIn("on again since", answer.text)
        self.assertEqual(answer.time, 200_000_000)


class WillNotPullIn(unittest.TestCase):
    """What blocked the attempts."""

    def test_the_blocker_of_the_last_attempt_is_the_root_and_no_seal_in_ever(self) -> None:
        rows: Rows = [(0, "X2", 1), (0, "X3", 0), (100, "X1", 1), (150, "X1", 0), (300, "X1", 1), (340, "X1", 0), (500, "X2", 1)]
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), rows)
        answer = ask(session, "Y1")
        self.assertEqual(answer.symptom, Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(names(session, answer), ["X3"])
        self.assertEqual(answer.time, 300_000_000)
        self.assertEqual(len(answer.attempts), 2)
        prove_all(session, answer)
        self.assertIs(answer.roots[0].proved, True)

    def test_a_latch_never_set(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("M1"))
            ladder.rung(no("M1"), no("X3"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X3 M1 Y1"), [(0, "X1", 0), (50, "X3", 1), (200, "X3", 1)])
        answer = ask(session, "Y1")
        self.assertIn(LinkKind.NEVER_SET, kinds(answer))
        self.assertEqual(names(session, answer), ["X1"])

    def test_a_jump_holds_the_rung(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X2"), jump("End"))
            ladder.rung(no("X1"), coil("Y1"))
            ladder.label("End")
            ladder.rung(no("X1"), coil("Y2"))

        session = session_of(program_of(draw, "X1 X2 Y1 Y2"), [(0, "X2", 0), (50, "X2", 1), (100, "X1", 1), (200, "X1", 1)])
        answer = ask(session, "Y1")
        self.assertIn(LinkKind.HELD_BY_JUMP, kinds(answer))
        self.assertEqual(names(session, answer), ["X2"])
        prove_all(session, answer)
        self.assertIs(answer.roots[0].proved, True)

    def test_a_timer_still_running_leads_to_what_starts_it(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TON", "T1", "T#5s"), coil("Y1"))

        session = session_of(program_of(draw, "X1 Y1", "T1:TON"), [(0, "X1", 0), (50, "X1", 1), (900, "X1", 1)])
        answer = ask(session, "Y1")
        self.assertIn(LinkKind.TIMER_RUNNING, kinds(answer))
        self.assertEqual(names(session, answer), ["X1"])

    def test_a_counter_is_short(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), counter("C1", "3", no("X2")), coil("Y1"))

        rows: Rows = [(0, "X1", 0), (50, "X1", 1), (90, "X1", 0), (120, "X2", 1), (150, "X2", 0), (180, "X1", 1), (300, "X1", 1)]
        session = session_of(program_of(draw, "X1 X2 Y1", "C1:CTU"), rows)
        answer = ask(session, "Y1")
        self.assertIn(LinkKind.COUNTER_SHORT, kinds(answer))
        self.assertIn("X2", names(session, answer))

    def test_a_comparison_is_traced_to_the_write_that_would_meet_it(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), call("MOVE", ("IN", "7"), out="N1"))
            ladder.rung(no("X2"), compare("EQ", "N1", "7"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1 N1"), [(0, "X1", 0), (50, "X2", 1), (200, "X2", 1)])
        answer = ask(session, "Y1")
        self.assertIn(LinkKind.NOT_MET, kinds(answer))
        self.assertEqual(names(session, answer)[0], "X1")

    def test_never_tried_says_so(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), [(0, "X2", 1), (0, "X3", 1), (0, "X1", 0), (300, "X2", 1)])
        answer = ask(session, "Y1")
        self.assertIn("never tried", answer.text)

    def test_a_point_without_a_row_is_a_gap_in_the_log(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), [(0, "X2", 1), (50, "X1", 0), (100, "X1", 1), (300, "X2", 1)])
        answer = ask(session, "Y1")
        self.assertEqual(answer.roots[0].kind, RootKind.LOG_GAP)
        self.assertEqual(names(session, answer)[0], "X3")

    def test_a_tag_that_nobody_writes_has_its_declared_value(self) -> None:
        session = session_of(program_of(lambda ladder: ladder.rung(no("X1"), no("M9"), coil("Y1")), "X1 M9 Y1"),
                             [(0, "X1", 0), (100, "X1", 1), (300, "X1", 1)])
        answer = ask(session, "Y1")
        self.assertEqual(answer.roots[0].kind, RootKind.INITIAL_VALUE)
        prove_all(session, answer)
        self.assertIs(answer.roots[0].proved, True)

    def test_a_path_that_contradicts_itself_is_a_defect(self) -> None:
        session = session_of(program_of(lambda ladder: ladder.rung(no("X1"), nc("X1"), coil("Y1")), "X1 Y1"),
                             [(0, "X1", 0), (100, "X1", 1), (300, "X1", 1)])
        self.assertEqual(ask(session, "Y1").roots[0].kind, RootKind.PROGRAM)

    def test_a_coil_that_only_its_own_contact_could_switch_on_is_a_defect(self) -> None:
        told, itself = dict[tuple[bool, bool], int](), 0
        for seed in range(60):
            random = Random(seed)
            pick = lambda: (nc if random.random() < 0.4 else no)(random.choice(("X1", "X2", "X2", "Y1")))  # noqa: E731, B023
            parts = [either(pick(), pick()), pick(), coil("Y1")] if seed % 3 else [no("Y1"), pick(), coil("Y1")]
            program = program_of(lambda ladder: ladder.rung(*parts), "X1 X2 Y1")  # noqa: B023
            patterns = [(a, b) for a in (0, 1) for b in (0, 1)]
            rows = [(n * 20, name, value) for n, pair in enumerate(patterns) for name, value in zip(("X1", "X2"), pair, strict=True)]
            session = session_of(program, rows, end=100)
            journal = session.controller.replay(session.log)
            ever = bool(len(journal.rows(session.running.by_name["y1"])))
            root = ask(session, "Y1").roots[0]
            barred = "leads through Y1 itself" in root.text or "on and off at once" in root.text
            self.assertLessEqual(barred, not ever, f"{seed}: {root.text}")
            if seed % 3 == 0 and not ever:
                self.assertTrue(barred, f"{seed}: {root.text}")
            itself += "leads through Y1 itself" in root.text
            told[barred, ever] = told.get((barred, ever), 0) + 1
        self.assertGreater(itself, 15)
        self.assertGreater(told[False, True], 10)

    def test_a_second_coil_can_switch_on_what_otherwise_only_seals_itself_in(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("Y1"), no("X1"), coil("Y1"))
            ladder.rung(no("X2"), set_("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1"), [(0, "X1", 1), (300, "X1", 1)])
        self.assertNotIn("itself", " ".join(link.text for _, link in ask(session, "Y1").links()))

    def test_an_overwritten_coil_is_a_defect_and_the_later_coil_s_root_comes_next(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))
            ladder.rung(no("X2"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1"), [(0, "X2", 0), (50, "X1", 1), (300, "X1", 1)])
        answer = ask(session, "Y1")
        self.assertEqual([r.kind for r in answer.roots[:2]], [RootKind.PROGRAM, RootKind.FIELD_INPUT])
        self.assertIn(LinkKind.OVERWRITTEN, kinds(answer))


class OtherSymptoms(unittest.TestCase):
    """On and stays on; flickers; differs from the record."""

    def test_a_latch_that_stays_on_has_its_setter_and_the_reset_that_never_came_first(self) -> None:
        rows: Rows = [(0, "X3", 1), (0, "X2", 0), (20, "X1", 1), (40, "X1", 0), (300, "X3", 1)]
        session = session_of(program_of(_latch, "X1 X2 X3 M1 Y1"), rows)
        answer = ask(session, "M1")
        self.assertEqual(answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(set(names(session, answer)[:2]), {"X1", "X2"})

    def test_chattering_tells_its_rhythm(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(nc("M1"), timer("TON", "T1", "T#50ms"), coil("Y1"))
            ladder.rung(no("Y1"), timer("TON", "T2", "T#50ms"), coil("M1"))

        session = session_of(program_of(draw, "X1 M1 Y1", "T1:TON T2:TON"), [(0, "X1", 0), (3000, "X1", 1)])
        answer = ask(session, "Y1")
        self.assertEqual(answer.symptom, Symptom.CHATTERS)
        self.assertIn("runs freely, 60 ms on, 60 ms off, as the program has it", answer.text)

    def test_a_recorded_output_that_differs_is_a_mismatch(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"),
                             [(0, "X2", 1), (0, "X3", 1), (0, "Y1", 0), (20, "X1", 1), (500, "X1", 1)])
        answer = ask(session, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(answer.roots[0].kind, RootKind.MISMATCH)
        self.assertTrue(answer.mismatch)

    def test_a_symptom_that_is_not_there_is_told_in_a_line(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 X3 Y1 Y2"), [(0, "X2", 1), (50, "X1", 0), (300, "X2", 1)])
        answer = ask(session, "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(answer.roots, [])
        self.assertIn("did not stay on", answer.text)

    def test_a_watchdogs_fault_names_the_loop_its_condition_and_what_mends_it(self) -> None:
        def looping(ladder: Ladder) -> None:
            ladder.rung(call("MOVE", ("IN", "0"), out="N1"))
            ladder.label("Again")
            ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
            ladder.rung(compare("LT", "N1", "N2"), coil("M1"))
            ladder.rung(no("M1"), jump("Again"))
            ladder.rung(nc("X1"), coil("Y1"))

        session = session_of(program_of(looping, "N1 N2 X1 Y1 M1"), [(0, "N2", 5), (0, "X1", 0), (50, "N2", 40), (100, "X1", 0)],
                             rung_time=1_000_000, watchdog=60_000_000)
        answer = ask(session, "Y1")
        self.assertEqual((kinds(answer)[0], answer.roots[0].kind), (LinkKind.HALTED, RootKind.FAULT))
        self.assertEqual(names(session, answer)[1:], ["N2"])  # a recipe's length that came from outside
        # One step, then passes of three: the twentieth ends with step 61, which passes 60 ms; 19 jumps were taken before it.
        self.assertIn("the jump in Main 4 went back to Main 2 (label Again) 19 times, about 57 ms of it", answer.roots[0].text)
        self.assertIn("its condition: M1 is on (Main 3: N1 is 20, N2 is 40)", answer.roots[0].text)
        self.assertEqual(answer.roots[0].what_to_check, "shorten the loop of Main 4, call WATCHDOG_RESTART midway, or raise the watchdog's limit in the profile")

    def test_a_halted_controller_is_the_root(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(nc("X1"), coil("Y1"))
            ladder.rung(no("X2"), call("DIV", ("IN1", "N1"), ("IN2", "N2"), out="N1"))

        session = session_of(program_of(draw, "X1 X2 Y1 N1 N2"), [(0, "X1", 0), (100, "X2", 1), (300, "X2", 1)])
        answer = ask(session, "Y1")
        self.assertEqual(kinds(answer), [LinkKind.HALTED, LinkKind.RUNG_TRUE])
        self.assertEqual(answer.roots[0].kind, RootKind.FAULT)
        self.assertEqual(names(session, answer), ["N1", "X2"])


class Halts(unittest.TestCase):
    """Behind the fault stand the devices that brought the controller to it: whoever lets go of them gets the machine going."""

    def test_what_led_to_a_division_and_to_an_index(self) -> None:
        local = "K : INT; L1 : ARRAY[0..9] OF INT;"
        rows = [(0, "X1", 0), (0, "X2", 1), (500, "X1", 1), (1000, "X1", 1)]
        for body, said in (("Y1 := TRUE;\nIF X1 AND X2 THEN K := K + 3; END_IF;\nA := 100 / (6 - K);", "division by zero"),
                           ("Y1 := TRUE;\nIF X1 AND X2 THEN K := K + 3; END_IF;\nL1[K] := 5;", "index 12 is outside 0 to 9")):
            session = text_session(body, rows, local)
            answer = ask(session, "Y1")
            prove_all(session, answer)
            self.assertIn(said, answer.roots[0].text)
            self.assertEqual([(r.kind, n, r.proved) for r, n in zip(answer.roots, names(session, answer), strict=True)][1:],
                             [(RootKind.FIELD_INPUT, "X1", True), (RootKind.FIELD_INPUT, "X2", True)])
            self.assertEqual(kinds(answer)[0], LinkKind.HALTED)


class Wording(unittest.TestCase):
    """What is said of a device respects its wiring."""

    def _session(self, wiring: Wiring) -> Session:
        program = program_of(_sealed, "X1 X2 X3 Y1 Y2")
        session = session_of(program, DroppedOut.ROWS)
        x3 = session.running.by_name["x3"]
        session.iolist = IoList({x3: Point("X3", device="S-3", location="box 2", terminal="7", wiring=wiring, drawing="D1")})
        return session

    def _answer(self, wiring: Wiring) -> str:
        return ask(self._session(wiring), "Y1").roots[0].what_to_check

    def test_normally_closed_off_means_actuated_or_broken(self) -> None:
        text = self._answer(Wiring.NORMALLY_CLOSED)
        self.assertIn("check S-3, box 2, terminal 7, drawing D1", text)
        self.assertIn("off means actuated, unplugged, wire broken", text)

    def test_normally_open_off_means_not_actuated_or_broken(self) -> None:
        self.assertIn("off means not actuated, unplugged, wire broken", self._answer(Wiring.NORMALLY_OPEN))

    def test_unknown_wiring_gives_both_readings(self) -> None:
        session = self._session(Wiring.UNKNOWN)
        text = " ".join(root_lines(session, ask(session, "Y1").roots[0]))
        self.assertIn("off means not actuated, unplugged, wire broken or no supply if wired normally open, actuated,", text)
        self.assertIn("the I/O list does not say", text)


class SmallestSet(unittest.TestCase):
    """Which contacts are said to block."""

    def test_the_path_that_lacks_fewest_contacts_is_named(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(series(no("X1"), no("X2"), no("X3")), series(no("X4"), no("X5"))), coil("Y1"))

        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (0, "X5", 0), (50, "X4", 0), (100, "X4", 1), (300, "X4", 1)]
        session = session_of(program_of(draw, "X1 X2 X3 X4 X5 Y1"), rows)
        self.assertEqual(names(session, ask(session, "Y1")), ["X5"])



class ManyAttempts(unittest.TestCase):
    """All count, however many."""

    def test_a_button_pressed_a_hundred_times(self) -> None:
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), *((50 * i, "X1", i % 2) for i in range(1, 200)), (10_000, "X2", 0)]
        session = session_of(program_of(lambda p: p.rung(no("X1"), no("X2"), coil("Y1")), "X1 X2 Y1"), rows)
        answer = ask(session, "Y1")
        self.assertEqual(len(answer.attempts), 100)
        self.assertIn("100 attempts", answer.text)
        self.assertEqual(names(session, answer)[0], "X2")

if __name__ == "__main__":
    unittest.main()
