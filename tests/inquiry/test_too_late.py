"""What came too late: a time that watches it ran out before, and what that has latched stands still when all is well again."""

from __future__ import annotations

import unittest

from tests.texts import text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Session
from whorlograph.inquiry.trail import Answer
from whorlograph.model.iolist import IoList, Point, Wiring
from whorlograph.model.question import Symptom

WATCHED = ("Y1 := X1 AND NOT Fault;\nLate(IN := {}, PT := T#300ms);\nIF Late.Q THEN Fault := TRUE; END_IF;\nIF X3 THEN Fault := FALSE; END_IF;\nY2 := Fault;")
HANDS = ("Apart(IN := X1 XOR X2, PT := T#500ms);\nIF Apart.Q THEN Used := TRUE; END_IF;\nIF NOT X1 AND NOT X2 THEN Used := FALSE; END_IF;\n"
         "Y1 := X1 AND X2 AND NOT Used;")
DECLARED = "Fault, Used : BOOL; Late, Apart : TON;"


def contactor(watch: str, last: int, runs: int = 6) -> Session:
    """A contactor whose contact answers after 50 ms, in the last run after ``last``; once its fault is latched it falls, and is asked for again."""
    rows: list[tuple[float, str, object]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
    for n in range(1, runs):
        rows += [(n * 5000, "X1", 1), (n * 5000 + 50, "X2", 1), (n * 5000 + 3000, "X1", 0), (n * 5000 + 3060, "X2", 0)]
    at = runs * 5000
    rows += [(at, "X1", 1), (at + last, "X2", 1), (at + last + 150, "X2", 0), (at + 3000, "X1", 0), (at + 6000, "X1", 1), (at + 9000, "A", 1)]
    return text_session(WATCHED.format(watch), rows, DECLARED)


def hands(apart: int) -> Session:
    """Two buttons that are pressed 100 ms apart, the last time more."""
    rows: list[tuple[float, str, object]] = [(0, "X1", 0), (0, "X2", 0)]
    for n in range(1, 7):
        later = apart if n == 6 else 100
        rows += [(n * 4000, "X1", 1), (n * 4000 + later, "X2", 1), (n * 4000 + 2500, "X1", 0), (n * 4000 + 2500, "X2", 0)]
    return text_session(HANDS, [*rows, (30_000, "X3", 1)], DECLARED)


STEPS = ("Away(IN := St = 10 OR St = 30, PT := T#2s);\nWeld(IN := St = 20, PT := T#1s);\nCASE St OF\n  0: IF X1 THEN St := 10; END_IF;\n"
         "  10: IF X2 THEN St := 20; ELSIF Away.Q THEN St := 90; END_IF;\n  20: IF Weld.Q THEN St := 30; END_IF;\n"
         "  30: IF NOT X2 THEN St := 0; ELSIF Away.Q THEN St := 90; END_IF;\n  90: IF X3 THEN St := 0; END_IF;\nEND_CASE;\nY1 := St = 20;\nY2 := St = 90;")


CELL = ("FUNCTION_BLOCK Cell VAR_INPUT Go, There, Clear : BOOL; END_VAR VAR_OUTPUT Work_On, Stuck_On : BOOL; END_VAR\n"
        "INITIAL_STEP Rest: END_STEP\nSTEP Way: END_STEP\nSTEP Work: Work_On(N); END_STEP\nSTEP Home: END_STEP\nSTEP Stuck: Stuck_On(N); END_STEP\n"
        "TRANSITION FROM Rest TO Way := Go; END_TRANSITION\nTRANSITION FROM Way TO Work := There; END_TRANSITION\n"
        "TRANSITION FROM Way TO Stuck := Way.T >= T#2s; END_TRANSITION\nTRANSITION FROM Work TO Home := Work.T >= T#1s; END_TRANSITION\n"
        "TRANSITION FROM Home TO Rest := NOT There; END_TRANSITION\nTRANSITION FROM Stuck TO Rest := Clear; END_TRANSITION\nEND_FUNCTION_BLOCK\n")


def steps(last: int, again: bool, chart: bool = False) -> Session:
    """A sequence whose switch comes 1.2 s after its start, the last time after ``last``; ``again``: it is started once more behind that."""
    rows: list[tuple[float, str, object]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
    for n in range(1, 7):
        came = last if n == 6 else 1200 + n
        rows += [(n * 8000, "X1", 1), (n * 8000 + 500, "X1", 0), (n * 8000 + came, "X2", 1), (n * 8000 + came + 1500, "X2", 0)]
    rows += [(54_000, "X1", 1), (55_000, "X1", 0)] if again else []
    rows.append((57_000, "A", 1))
    if chart:
        return text_session("One(Go := X1, There := X2, Clear := X3, Work_On => Y1, Stuck_On => Y2);", rows, "One : Cell;", CELL)
    return text_session(STEPS, rows, "St : INT; Away, Weld : TON;")


def asked(session: Session, tag: str, symptom: Symptom) -> Answer:
    """An answer with its proofs."""
    answer = ask(session, tag, symptom=symptom)
    prove_all(session, answer)
    return answer


class TooLate(unittest.TestCase):
    """The device that was late comes first, proved, and the trail says by how much."""

    def test_a_contact_that_answers_late(self) -> None:
        for watch in ("Y1 XOR X2", "Y1 AND NOT X2"):
            for last in (340, 450, 900):
                for tag, symptom in (("Y1", Symptom.DROPPED_OUT), ("Y2", Symptom.WILL_NOT_DROP_OUT), ("Y1", Symptom.WILL_NOT_PULL_IN)):
                    session = contactor(watch, last)
                    answer = asked(session, tag, symptom)
                    with self.subTest(watch=watch, last=last, tag=tag, symptom=symptom):
                        text = " ".join(link.text for _, link in answer.links())
                        self.assertIn(f"and came {last - 300} ms too late, at {30 + last / 1000:.3f} s", text)
                        found = {session.running.tags[r.tag or 0].name: r for r in answer.roots}
                        self.assertTrue(found["X2"].proved, found["X2"].proof)
                        self.assertLessEqual(answer.roots.index(found["X2"]), 1)
                        if symptom is not Symptom.WILL_NOT_PULL_IN:
                            self.assertIs(answer.roots[0], found["X2"])

    def test_a_contact_that_never_answered_in_this_log(self) -> None:
        """Its device is the coil's: no earlier run is needed to know what was waited for, and trips in a row do not hide it."""
        for watch in ("Y1 XOR X2", "Y1 AND NOT X2"):
            for starts in (1, 5):
                for device in ("K1", "S2"):
                    rows: list[tuple[float, str, object]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
                    for n in range(1, starts + 1):
                        rows += [(n * 4000 - 800, "X3", 1), (n * 4000 - 600, "X3", 0), (n * 4000, "X1", 1), (n * 4000 + 2000, "X1", 0)]
                    session = text_session(WATCHED.format(watch), [*rows[:3], *rows[5:], (starts * 4000 + 3000, "A", 1)], DECLARED)
                    session.iolist = IoList({session.tag(n): Point(n, "", d, "", "", Wiring.NORMALLY_OPEN) for n, d in (("Y1", "K1"), ("X2", device))})
                    answer = asked(session, "Y2", Symptom.WILL_NOT_DROP_OUT)
                    text = " ".join(link.text for _, link in answer.links())
                    with self.subTest(watch=watch, starts=starts, device=device):
                        self.assertEqual("X2 reports Y1 back, and has not come" in text, device == "K1", text)
                        if device == "K1":
                            self.assertEqual((answer.roots[0].tag, answer.roots[0].proved), (session.tag("X2"), True))

    def test_a_contact_behind_the_pins_of_a_block(self) -> None:
        """The block is handed its contact, and hands out its coil: by their device in the first run, by what came the one time before."""
        block = ("FUNCTION_BLOCK Pump VAR_INPUT Req, Back, Reset : BOOL; END_VAR VAR_OUTPUT Out, Trip : BOOL; END_VAR VAR Late : TON; END_VAR\n"
                 "Late(IN := Out AND NOT Back, PT := T#300ms);\nIF Late.Q THEN Trip := TRUE; END_IF;\nIF Reset THEN Trip := FALSE; END_IF;\n"
                 "Out := Req AND NOT Trip;\nEND_FUNCTION_BLOCK ")
        body = "P1(Req := X1, Back := X2, Reset := X3);\nY1 := P1.Out;\nY2 := P1.Trip;"
        for good, device, said in ((0, "K1", "X2 reports Y1 back, and has not come"), (0, "S2", ""), (1, "S2", "X2 ended the time of Late the one time before, and has not come")):
            rows: list[tuple[float, str, object]] = [(0, name, 0) for name in ("X1", "X2", "X3")]
            if good:
                rows += [(1000, "X1", 1), (1200, "X2", 1), (3000, "X1", 0), (3200, "X2", 0)]
            session = text_session(body, [*rows, (9000, "X1", 1), (12000, "A", 1)], "P1 : Pump;", block)
            session.iolist = IoList({session.tag(n): Point(n, "", d, "", "", Wiring.NORMALLY_OPEN) for n, d in (("Y1", "K1"), ("X2", device))})
            answer = asked(session, "Y2", Symptom.WILL_NOT_DROP_OUT)
            text = " ".join(link.text for _, link in answer.links())
            with self.subTest(good=good, device=device):
                self.assertIn(said, text)
                self.assertEqual(bool(said), "has not come" in text, text)
                if said:
                    self.assertEqual((answer.roots[0].tag, answer.roots[0].proved), (session.tag("X2"), True))

    def test_what_comes_long_after_has_not_come(self) -> None:
        answer = asked(contactor("Y1 AND NOT X2", 2600), "Y1", Symptom.DROPPED_OUT)
        self.assertIn("and has not come", " ".join(link.text for _, link in answer.links()))

    def test_of_a_time_that_mostly_runs_out_nothing_was_waited_for(self) -> None:
        for runs, said in ((0, True), (2, True), (9, False)):
            rows: list[tuple[float, str, object]] = [(0, "X1", 0), (0, "X2", 0)]
            for n in range(1, 4 + runs):
                rows += [(n * 3000, "X1", 1), (n * 3000 + (200 if n < 3 else 1500), "X2", 1), (n * 3000 + 1500, "X1", 0), (n * 3000 + 1600, "X2", 0)]
            session = text_session("Late(IN := X1 AND NOT X2, PT := T#1s);\nY1 := Late.Q;\nY2 := X1 AND NOT Y1;", [*rows, (60_000, "X3", 1)], DECLARED)
            text = " ".join(link.text for _, link in asked(session, "Y2", Symptom.DROPPED_OUT).links())
            self.assertEqual("X2 ended that" in text, said, (runs, text))

    def test_a_sequence_that_went_to_its_step_of_faults(self) -> None:
        for last in (2100, 2400, 5000):
            for again in (False, True):
                session = steps(last, again)
                for tag, symptom in (("Y1", Symptom.WILL_NOT_PULL_IN), ("Y2", Symptom.WILL_NOT_DROP_OUT)):
                    answer = asked(session, tag, symptom)
                    with self.subTest(last=last, again=again, tag=tag):
                        first = answer.roots[0]
                        self.assertEqual(session.running.tags[first.tag or 0].name, "X2", [r.text for r in answer.roots])
                        text = " ".join(link.text for _, link in answer.links())
                        late = {2100: "came 90 ms too late", 2400: "came 390 ms too late", 5000: "has not come"}[last]
                        self.assertIn(f"X2 ended that 5 of 5 times before, and {late}", text)
                        if not again or tag == "Y2":
                            self.assertTrue(first.proved, first.proof)
                answer = asked(session, "Y1", Symptom.WILL_NOT_PULL_IN)
                if again:  # the reset stood in the way of the last start only
                    found = {session.running.tags[r.tag or 0].name: r for r in answer.roots}
                    self.assertEqual([(found[n].blocked, found[n].attempts) for n in ("X2", "X3")], [(1, 2), (1, 2)])

    def test_a_chart_that_went_to_its_step_of_faults(self) -> None:
        for last, late in ((2100, "X2 came 100 ms too late"), (2400, "X2 came 400 ms too late"), (5000, "X2 has not come")):
            for again in (False, True):
                session = steps(last, again, chart=True)
                for tag, symptom in (("Y1", Symptom.WILL_NOT_PULL_IN), ("Y2", Symptom.WILL_NOT_DROP_OUT)):
                    answer = asked(session, tag, symptom)
                    with self.subTest(last=last, again=again, tag=tag):
                        self.assertIn(f"Way_to_Work ended it 5 of 5 times before, and {late}", " ".join(link.text for _, link in answer.links()))
                        found = {session.running.tags[r.tag or 0].name: r for r in answer.roots}
                        self.assertLessEqual(answer.roots.index(found["X2"]), int(again and tag == "Y1"))
                        if not again or tag == "Y2":
                            self.assertTrue(found["X2"].proved, found["X2"].proof)

    def test_a_chart_s_time_that_ends_each_step_waits_for_nothing(self) -> None:
        answer = asked(steps(2100, False, chart=True), "Main.One.Home.X", Symptom.DROPPED_OUT)
        self.assertNotIn("times before", " ".join(link.text for _, link in answer.links()))

    def test_two_buttons_too_far_apart(self) -> None:
        for apart in (540, 700, 1500):
            session = hands(apart)
            answer = asked(session, "Y1", Symptom.WILL_NOT_PULL_IN)
            self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "X2")
            self.assertTrue(answer.roots[0].proved, answer.roots[0].proof)
            self.assertIn(f"{apart - 500} ms too late" if apart < 1500 else "1 s too late", " ".join(link.text for _, link in answer.links()))


if __name__ == "__main__":
    unittest.main()
