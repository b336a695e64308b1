"""Without a log: memory that nobody sees is inferred from what is seen, and what a trial shows is so when the machine's log goes on that way."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.building import MS
from tests.still import at_rest
from tests.texts import text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.now import settled_now
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.inquiry.trail import Answer
from whorlograph.model.iolist import IoList
from whorlograph.model.log import empty_log
from whorlograph.model.profile import Profile
from whorlograph.model.question import RootKind, Symptom

UNIT = ("FUNCTION_BLOCK Unit VAR_INPUT S, R : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR L : BOOL; END_VAR\n"
        "IF S THEN L := TRUE; END_IF; IF R THEN L := FALSE; END_IF; Q := L;\nEND_FUNCTION_BLOCK\n")


def at(body: str, local: str, given: str, tag: str = "Y1") -> tuple[Session, Answer]:
    """The answer at given values, all roots tried."""
    session = settled_now(text_session(body, [], local, UNIT), given)
    answer = ask(session, tag)
    prove_all(session, answer)
    return session, answer


def names(session: Session, answer: Answer) -> list[str]:
    """The roots' tags."""
    return [session.running.tags[r.tag].name if r.tag is not None else "" for r in answer.roots]


class Memory(unittest.TestCase):
    """An output that is seen on, behind something that remembers."""

    def test_what_stands_behind_it_is_taken_as_what_is_seen_needs_it(self) -> None:
        for body, local, state, ends in (
                ("K(S1 := X1, R := X2); Y1 := K.Q1;", "K : SR;", "K in Main 8 is taken as set", "X2"),
                ("K(S := X1, R1 := X2); Y1 := K.Q1;", "K : RS;", "K in Main 8 is taken as set", "X2"),
                ("K(CU := X1, R := X2, PV := 3); Y1 := K.Q;", "K : CTU;", "K in Main 8 is taken as standing at 3", "X2"),
                ("K(IN := X1, PT := T#5s); Y1 := K.Q;", "K : TOF;", "K in Main 8 is taken as still running", ""),
                ("K(IN := X1, PT := T#5s); Y1 := K.Q;", "K : TP;", "K in Main 8 is taken as still running", ""),
                ("IF X1 THEN M := TRUE; END_IF; IF X2 THEN M := FALSE; END_IF; Y1 := M;", "M : BOOL;", "Main.M is taken as on", "X2"),
                ("M := (X1 OR M) AND NOT X2; Y1 := M;", "M : BOOL;", "it holds itself, and NOT X2 would end it", "X2")):
            session, answer = at(body, local, "X1=0,X2=0,Y1=1")
            said = " ".join([*(link.text for _, link in answer.links()), *(r.text for r in answer.roots)])
            self.assertEqual(answer.symptom, Symptom.WILL_NOT_DROP_OUT)
            self.assertNotIn(RootKind.MISMATCH, [r.kind for r in answer.roots], body)
            self.assertIn(state, said, body)
            self.assertIn("taken so that what is seen stands", " ".join(answer.rests_on))
            if ends:
                self.assertEqual([r.proved for r in answer.roots if r.tag is not None and session.running.tags[r.tag].name == ends], [True], body)

    def test_an_on_delay_that_has_not_elapsed(self) -> None:
        _, answer = at("K(IN := X1, PT := T#5s); Y1 := K.Q;", "K : TON;", "X1=1,Y1=0")
        self.assertIn("K in Main 8 is taken as still running", " ".join(link.text for _, link in answer.links()))
        self.assertIn("longer than its 5 s", " ".join(link.text for _, link in answer.links()))

    def test_a_latch_inside_a_block_of_the_program_s_own(self) -> None:
        session, answer = at("V(S := X1, R := X2); Y1 := V.Q;", "V : Unit;", "X1=0,X2=0,Y1=1")
        self.assertIn("Main.V.L is taken as on", " ".join(r.text for r in answer.roots))
        self.assertEqual([r.proved for r in answer.roots if r.tag == session.running.by_name["x2"]], [True])

    def test_a_step_number_that_nobody_sees(self) -> None:
        body = "CASE A OF 0: IF X1 THEN A := 10; END_IF; 10: IF X2 THEN A := 20; END_IF; 20: IF X3 THEN A := 0; END_IF; END_CASE;"
        for rung, number, ends in (("Y1 := A = 10;", 10, "X2"), ("Y1 := A >= 20;", 20, ""), ("Y1 := A > 10 AND A <> 20;", 11, ""), ("Y1 := A < 0;", -1, "")):
            session, answer = at(f"{body} {rung}", "", "X1=0,X2=0,X3=0,Y1=1")
            self.assertEqual(session.now.assumed if session.now is not None else {}, {session.running.by_name["a"]: number}, rung)
            self.assertIn(f"A is taken as {number}, so that what is seen stands", " ".join(r.text for r in answer.roots))
            if ends == "X2":
                self.assertEqual((names(session, answer)[0], answer.roots[0].proved), ("X2", True))
        session, answer = at(f"{body} Y1 := A = 10;", "", "X1=0,X2=0,X3=0,A=10")
        self.assertEqual((names(session, answer), [r.proved for r in answer.roots]), (["X2", "A"], [True, None]))
        self.assertIn("A is 10 (given)", answer.roots[1].text)

    def test_what_keeps_its_value_because_it_does_not_run(self) -> None:
        session, answer = at("IF X3 THEN V(S := X1, R := X2); END_IF; Y1 := V.Q;", "V : Unit;", "X1=0,X2=1,X3=0,Y1=1")
        self.assertEqual((names(session, answer)[0], answer.roots[0].proved), ("X3", True))
        self.assertNotIn(RootKind.MISMATCH, [r.kind for r in answer.roots])

    def test_a_sum_that_is_made_anew_in_every_scan_names_all_that_would_add_to_it(self) -> None:
        body = "A := 0; IF NOT X1 THEN A := A + 2; END_IF; IF NOT X2 THEN A := A + 3; END_IF; IF X3 THEN A := A + 2; END_IF; Y1 := A >= 3;"
        session, answer = at(body, "", "X1=1,X2=1,X3=0,Y1=0")
        self.assertEqual({n: r.proved for n, r in zip(names(session, answer), answer.roots, strict=True) if n}, {"X2": True, "X1": False, "X3": False})
        self.assertEqual(names(session, answer)[0], "X2")

    def test_a_lamp_that_flashes_comes_and_goes_whatever_it_was_when_it_was_looked_at(self) -> None:
        for seen in (0, 1):
            _, answer = at("K(IN := NOT J.Q, PT := T#500ms); J(IN := K.Q, PT := T#500ms); Y1 := K.Q AND X1;", "K, J : TON;", f"X1=1,Y1={seen}")
            self.assertIn("Y1 comes and goes", answer.text)
            self.assertEqual(answer.rests_on, [])

    def test_a_chart_that_goes_round_for_ever_and_a_timer_of_hours_are_answered_at_once(self) -> None:
        text = ("PROGRAM Main\nVAR X1 AT %IX0.0 : BOOL; Y1 AT %QX0.0 : BOOL; Long : TON; END_VAR\nINITIAL_STEP A: Y1(N); END_STEP STEP B: END_STEP\n"
                "TRANSITION FROM A TO B := A.T > T#20ms; END_TRANSITION\nTRANSITION FROM B TO A := B.T > T#20ms; END_TRANSITION\nEND_PROGRAM\n"
                "PROGRAM Other\nVAR X2 AT %IX0.1 : BOOL; Y2 AT %QX0.1 : BOOL; K : TON; END_VAR\nK(IN := X2, PT := T#30h); Y2 := K.Q;\nEND_PROGRAM\n")
        controller = Controller(read(text.encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
        session = settled_now(Session(controller, empty_log(), IoList({}), [], Paths(Path("x.st"))), "Other.X2=1")
        assert session.now is not None
        self.assertLess(len(session.journal), 1_000_000)
        self.assertGreaterEqual(session.now.rest, 60_000 * MS)

    def test_what_no_memory_explains_lies_behind_the_output(self) -> None:
        for body, local, given in (("K(S1 := X1, R := X2); Y1 := K.Q1;", "K : SR;", "X1=0,X2=1,Y1=1"), ("M := (X1 OR M) AND NOT X2; Y1 := M;", "M : BOOL;", "X1=0,X2=1,Y1=1"),
                                   ("Y1 := X1 AND NOT X2;", "M : BOOL;", "X1=0,X2=0,Y1=1"), ("K(IN := X1, PT := T#5s); Y1 := K.Q;", "K : TON;", "X1=0,Y1=1"),
                                   ("K(S1 := X1, R := X2); Y1 := K.Q1;", "K : SR;", "X1=0,X2=0,Y1=1,Main.K.Q1=0")):
            _, answer = at(body, local, given)
            self.assertEqual([r.kind for r in answer.roots], [RootKind.MISMATCH], body)

    def test_inputs_that_were_not_given_and_would_explain_it_are_asked_for(self) -> None:
        fan = "Y1 := (X1 OR Y1) AND NOT X2 AND X3;"
        for given, asked in (("Y1=1", ["X3"]), ("Y1=1,X2=1,X3=0", []), ("Y1=1,X2=1", []), ("Y1=1,X1=0,X2=0,X3=0", [])):
            session, answer = at(fan, "", given)
            self.assertEqual((answer.roots[0].kind, names(session, answer)[1:]), (RootKind.MISMATCH, asked), given)
            self.assertEqual("as declared" in answer.text, bool(asked))
            self.assertEqual(["the program gives what is seen" in r.text for r in answer.roots[1:]], [True] * len(asked))
        session, answer = at("Y1 := X1 AND X2 AND X3;", "", "Y1=1,X3=1")
        self.assertEqual(names(session, answer), ["Y1", "X1", "X2"])
        self.assertIn("with both that are not given and decide here the other way", answer.roots[1].text)
        self.assertIn("if X1 and X2 are as declared", answer.text)

    def test_two_latches_in_series_and_what_three_of_them_leave_open(self) -> None:
        local = "K, J, H : SR;"
        calls = "K(S1 := X1, R := X2); J(S1 := X3, R := X2);"
        session, answer = at(f"{calls} Y1 := K.Q1 AND J.Q1;", local, "X1=0,X2=0,X3=0,Y1=1")
        self.assertEqual((names(session, answer)[0], answer.roots[0].proved), ("X2", True))
        self.assertIn("Main.K.Q1 on, Main.J.Q1 on", answer.rests_on[0])
        session, answer = at(f"{calls} H(S1 := X1, R := X3); Y1 := K.Q1 AND J.Q1 AND H.Q1;", local, "X1=0,X2=0,Y1=1")
        self.assertEqual(answer.roots[0].kind, RootKind.MISMATCH)
        self.assertIn("if Main.K.Q1 and Main.J.Q1 and Main.H.Q1 are as declared", answer.text)
        _, answer = at(f"{calls} H(S1 := X1, R := X3); Y1 := K.Q1 AND J.Q1 AND H.Q1;", local, "X1=0,X2=1,Y1=1")
        self.assertNotIn("as declared", answer.text)

    def test_a_counter_that_is_let_go_does_not_count_what_stands_already(self) -> None:
        _, answer = at("K(CU := X1, R := X2, PV := 1); Y1 := K.Q;", "K : CTU;", "X1=1,X2=1,Y1=0")
        self.assertEqual([r.proved for r in answer.roots if r.kind is RootKind.FIELD_INPUT], [False])


class RandomMachines(unittest.TestCase):
    """Everyday programs at rest: what one input then changes, by going on with the log."""

    def test_trials_and_roots_are_so_when_the_log_goes_on(self) -> None:
        asked = proved = helped = first = 0
        for seed in range(16):
            machine = at_rest(seed)
            if machine is None:
                continue
            session = machine.asked
            for tag in machine.random.sample(machine.written, min(3, len(machine.written))):
                answer = ask(session, session.running.tags[tag].name)
                prove_all(session, answer)
                helps = machine.turning(tag)
                self.assertEqual(answer.symptom is Symptom.WILL_NOT_DROP_OUT, bool(machine.state[tag]), seed)
                alone = {r.tag for r in answer.roots if r.proved and not r.together and r.tag in machine.after}
                self.assertLessEqual(alone, helps, f"{seed} {session.running.tags[tag].name}: {answer.text}")
                asked, proved, helped = asked + 1, proved + len(alone), helped + bool(helps)
                first += bool(helps) and answer.roots[0].tag in helps
        self.assertGreater(asked, 40)
        self.assertGreater(proved, 15)
        self.assertGreaterEqual(first, helped - 1)

    def test_outputs_whose_memory_is_not_seen_are_no_faults_behind_them(self) -> None:
        on = 0
        for seed in range(40):
            machine = at_rest(seed, cards_only=True)
            for tag in machine.written if machine is not None else ():
                assert machine is not None
                answer = ask(machine.asked, machine.asked.running.tags[tag].name)
                self.assertNotIn(RootKind.MISMATCH, [r.kind for r in answer.roots], f"{seed} {answer.text}")
                on += bool(machine.asked.now is not None and machine.asked.now.assumed and machine.state[tag])
        self.assertGreater(on, 5)


if __name__ == "__main__":
    unittest.main()
