"""Questions about programs in Structured Text: trails through conditions, cases, calls; words, drawings, cross-reference."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.building import Rows, log_of
from tests.texts import text_session
from whorlograph.desk.asking import ask, inquiry, prove_all
from whorlograph.desk.checking import check
from whorlograph.desk.report import drawing_pages, report_markdown, report_pages
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.tables import xref_of
from whorlograph.desk.words import answer_text
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.inquiry.trail import Answer
from whorlograph.model.iolist import IoList
from whorlograph.model.profile import Profile
from whorlograph.model.question import LinkKind, RootKind, Symptom

VAT = """TYPE Phase : (Idle, Filling, Heating); END_TYPE
FUNCTION_BLOCK Vat
  VAR_INPUT Fill : BOOL; END_VAR VAR_OUTPUT Valve : BOOL; END_VAR VAR State : Phase; Wait : TON; END_VAR
  CASE State OF
    Idle: IF Fill THEN State := Filling; END_IF;
    Filling:
      Wait(IN := TRUE, PT := T#1s);
      IF Wait.Q THEN
        Wait(IN := FALSE);
        State := Heating;
      END_IF;
  END_CASE;
  Valve := State = Filling;
END_FUNCTION_BLOCK
"""


def asked(body: str, rows: Rows, tag: str, local: str = "", before: str = "", at: str | None = None, symptom: Symptom | None = None) -> tuple[Session, Answer, str]:
    """The session, the answer with its proofs, and all its sentences."""
    session = text_session(body, rows, local, before)
    answer = ask(session, tag, at, symptom)
    prove_all(session, answer)
    text = "\n".join([answer.text, *(link.text for _, link in answer.links()), *(r.text for r in answer.roots)])
    return session, answer, text


def first(session: Session, answer: Answer) -> tuple[str, str, bool | None]:
    """Kind, tag and verdict of the first root."""
    root = answer.roots[0]
    return root.kind.value, session.running.tags[root.tag].name if root.tag is not None else "", root.proved


class Trails(unittest.TestCase):
    """From an output through statements to the input."""

    def test_an_assignment_is_a_rung(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 1), (500, "X1", 1), (700, "X1", 0), (1000, "X2", 0), (1500, "X2", 1)]
        session, answer, text = asked("Y1 := (X1 OR Y1)\n  AND X2;", rows, "Y1")
        self.assertEqual(first(session, answer), ("field-input", "X2", True))
        self.assertIn("Y1 went off at 1.000 s: in Main 5 X2 became FALSE first", text)

    def test_what_a_body_that_cannot_be_read_writes_is_not_called_never_written(self) -> None:
        text = ("PROGRAM Main\nVAR X1 AT %IX0.0 : BOOL; Y1 AT %QX0.0 : BOOL; J : Judge; END_VAR\nJ(A := X1);\nY1 := J.Q AND Ready;\nEND_PROGRAM\n"
                "FUNCTION_BLOCK Judge\nVAR_INPUT A : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR_EXTERNAL Ready : BOOL; END_VAR\n"
                "Q := A AND;\nReady := TRUE;\nEND_FUNCTION_BLOCK\n"
                "CONFIGURATION C\nVAR_GLOBAL Ready : BOOL; END_VAR\nRESOURCE R ON P\nPROGRAM Main : Main;\nEND_RESOURCE\nEND_CONFIGURATION\n")
        controller = Controller(read(text.encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
        session = Session(controller, log_of(controller, [(0, "Main.X1", 1), (1000, "Main.X1", 1)]), IoList({}), [], Paths(Path("x.st")))
        answer = ask(session, "Y1", None, Symptom.WILL_NOT_PULL_IN)
        self.assertEqual({session.running.tags[r.tag or 0].name for r in answer.roots}, {"Main.J.Q", "Ready"})
        self.assertEqual({r.kind for r in answer.roots}, {RootKind.PROGRAM})
        self.assertTrue(all("is written in Judge, which is not executed" in r.text for r in answer.roots), [r.text for r in answer.roots])
        self.assertEqual(len([line for line in answer.rests_on if "Judge" in line]), 1)

    def test_a_sequence_that_leads_round_and_is_nowhere_in_it(self) -> None:
        body = "CASE A OF\n  10: IF X1 THEN A := 20; END_IF;\n  20: IF X2 THEN A := 10; END_IF;\nEND_CASE;\nY1 := A = 20;"
        _, answer, text = asked(body, [(0, "X1", 1), (0, "X2", 1), (2000, "X1", 1)], "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("A = 20 does not hold in Main 9 (A is 0)", text)
        self.assertLess(len(answer.links()), 20)

    def test_under_if_it_sets_and_resets(self) -> None:
        body = "IF X1 THEN\n  Y1 := TRUE;\nELSIF X2 THEN\n  Y1 := FALSE;\nEND_IF;"
        rows = [(0, "X1", 0), (0, "X2", 0), (300, "X1", 1), (400, "X1", 0), (900, "X2", 1), (950, "X2", 0), (1500, "X2", 0)]
        session, answer, text = asked(body, rows, "Y1")
        self.assertEqual((answer.links()[0][1].kind.value, first(session, answer)), ("reset-by", ("field-input", "X2", True)))
        on, kept, text = asked(body, [*rows[:4], (800, "X1", 0)], "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(first(on, kept), ("field-input", "X1", True))
        self.assertIn("Y1 was set by Main 5, line 6 at 0.300 s: X1", text)
        self.assertIn("Y1 was not reset after 0.300 s: its condition is FALSE in Main 5, line 8: X2 blocks", text)

    def test_a_watched_movement_leads_to_the_answer_that_never_came(self) -> None:
        before = VAT.split("FUNCTION_BLOCK")[0] + """FUNCTION_BLOCK Watched
  VAR_INPUT Open : BOOL; Ok : BOOL; END_VAR VAR_OUTPUT Out : BOOL; Fault : BOOL; END_VAR VAR Watch : TON; END_VAR
  Watch(IN := Open AND NOT Ok, PT := T#1s);
  IF Watch.Q THEN Fault := TRUE; END_IF;
  Out := Open AND NOT Fault;
END_FUNCTION_BLOCK
"""
        body = ("CASE State OF\n  Idle: IF X1 THEN State := Filling; END_IF;\n  Filling: IF X3 THEN State := Idle; END_IF;\nEND_CASE;\n"
                "V(Open := State = Filling, Ok := X2);\nY1 := V.Out;")
        # X2 answers the first time; the second time it stays away, and X1 only began the movement.
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (600, "X1", 0), (700, "X2", 1), (3000, "X3", 1), (3100, "X3", 0), (3200, "X2", 0),
                (5000, "X1", 1), (5100, "X1", 0), (8000, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "State : Phase; V : Watched;", before)
        self.assertEqual(first(session, answer), ("field-input", "X2", True), text)
        self.assertIn("IN of Watch is TRUE in Watched", text)
        self.assertIn("V.Ok is FALSE", text)
        self.assertNotIn("found by trying", text)
        self.assertEqual([r for r in answer.roots if r.kind is RootKind.CONSTANT], [], "a step's number is no reason")
        shown = answer_text(session, answer)
        self.assertEqual(shown.count("how it is wired"), 1, shown)
        self.assertEqual(shown.count("off means"), 1, shown)

    def test_what_is_written_in_every_scan_and_set_behind_that(self) -> None:
        body = "Y1 := FALSE;\nIF X1 THEN Y1 := TRUE; END_IF;\nIF X2 THEN Y1 := TRUE; END_IF;"
        rows = [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (900, "X1", 0), (1500, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("Y1 is not set: its condition is FALSE in Main 6: X1 blocks", text)
        self.assertIn("Y1 is not set: its condition is FALSE in Main 7: X2 blocks", text)
        self.assertIn("an attempt would be X1 or X2", answer.text)
        self.assertEqual(sorted((session.running.tags[r.tag or 0].name, r.kind.value, r.proved) for r in answer.roots),
                         [("X1", "field-input", True), ("X2", "field-input", True)])
        session, answer, text = asked(body, rows, "Y1", at="0.7")
        self.assertEqual((answer.links()[0][1].kind.value, first(session, answer)), ("set-by", ("field-input", "X1", True)))
        both = [*rows[:3], (500, "X2", 1), (900, "X2", 0), *rows[3:]]
        session, answer, text = asked(body, both, "Y1", at="0.7")
        self.assertIn("Y1 was set by Main 6: X1", text)
        self.assertIn("Y1 was set by Main 7: X2", text)
        self.assertEqual({(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots}, {("X1", True), ("X2", True)}, "together")
        body = "Y1 := X3;\nIF X1 THEN Y1 := FALSE; END_IF;"
        rows = [(0, "X1", 0), (0, "X3", 0), (500, "X3", 1), (700, "X1", 1), (1500, "X1", 1)]
        session, answer, text = asked(body, rows, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("Y1 was reset by Main 6: X1", text)
        self.assertEqual(first(session, answer), ("field-input", "X1", True))
        session, answer, text = asked(body, rows, "Y1", at="0.6")
        self.assertIn("Y1 is TRUE in Main 5: X3", text)
        self.assertIn("Y1 is not reset: its condition is FALSE in Main 6: X1 blocks", text)
        self.assertEqual(first(session, answer), ("field-input", "X3", True))

    def test_a_write_in_a_loop_is_told_as_the_pass_was_that_executed_it(self) -> None:
        body = ("Bits[1] := X1;\nBits[2] := X2;\nBits[3] := X3;\nY2 := FALSE;\nFOR N := 1 TO Most DO\n  IF Bits[N] THEN Y2 := TRUE; END_IF;\nEND_FOR;\n"
                "Y1 := NOT Y2;")
        local = "Bits : ARRAY[1..3] OF BOOL; N : INT; Most : INT := 3;"
        for late in ("X1", "X2", "X3"):
            rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (800, late, 1), (1500, late, 1)]
            session, answer, text = asked(body, rows, "Y1", local)
            self.assertEqual(first(session, answer), ("field-input", late, True), text)
            self.assertEqual(len(answer.roots), 1, text)
            self.assertIn(f"Bits[{late[1]}] is TRUE", text)
            self.assertNotIn("past", text)
            session, answer, text = asked(body, [*rows[:4], (1000, late, 0), (1500, late, 0)], "Y2", local, symptom=Symptom.DROPPED_OUT)
            self.assertEqual(first(session, answer), ("field-input", late, True), text)
            self.assertIn("let go (Bits[N] became FALSE first), so Main 8 counts, which writes off", text)
            self.assertIn(f"Bits[{late[1]}] went off", text)
            # Where the text tells how many passes there are each is told by its own names.
            session, answer, text = asked(body.replace("Most", "3"), [*rows[:4], (1000, late, 0), (1500, late, 0)], "Y2", local, symptom=Symptom.DROPPED_OUT)
            self.assertEqual(first(session, answer), ("field-input", late, True), text)
            self.assertIn(f"let go (Bits[{late[1]}] became FALSE first), so Main 8 counts, which writes off", text)
        # Two stand: the one that came last is told, none of them alone keeps it off.
        rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (800, "X2", 0), (800, "X1", 1), (900, "X3", 1), (1500, "X3", 1)]
        session, answer, text = asked(body, rows, "Y2", local, symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("Bits[3] is TRUE", text)
        session, answer, text = asked(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 0)], "Y2", local, symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("Y2 := TRUE was executed in no pass of the loop in Main", text)
        self.assertIn("an attempt would be X1 or X2 or X3", answer.text)
        self.assertEqual({(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots} - {("Main.Most", None)},
                         {("X1", True), ("X2", True), ("X3", True)})

    def test_a_pulse_that_is_over_waits_for_its_input(self) -> None:
        body = "P(IN := X1, PT := T#200ms);\nY1 := P.Q AND X2;"
        rows = [(0, "X1", 0), (0, "X2", 1), (300, "X1", 1), (1000, "X1", 0), (2000, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "P : TP;", at="0.8", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("P in Main 5 ended its pulse of 200 ms; its input has stayed on since and must fall first", text)
        session, answer, text = asked(body, rows, "Y1", "P : TP;", at="1.5", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("P is not started: IN is FALSE in Main 5: X1 blocks", text)
        self.assertEqual(first(session, answer)[1], "X1")
        session, answer, text = asked(body, rows, "Y1", "P : TP;", at="1.5", symptom=Symptom.DROPPED_OUT)
        self.assertIn("P in Main 5 ended its pulse of 200 ms", text)
        self.assertNotIn("must fall first", text)

    def test_what_turns_itself_over(self) -> None:
        """``Y1 := NOT Y1``: that it was on is what lets it go off; of what merely keeps itself that is not said."""
        rows = [(0, "X1", 0), (50, "X1", 1), (60, "X1", 0), (200, "X1", 1), (210, "X1", 0), (300, "X1", 0)]
        for value, said in (("NOT Y1", True), ("Y1 XOR TRUE", True), ("NOT Y1 AND NOT X2", True), ("X2 AND NOT Y1", False), ("Y1 AND X2", False)):
            with self.subTest(value):
                session = text_session(f"IF X1 THEN Y1 := {value}; END_IF;", [(0, "X2", 0), *rows])
                found = ask(session, "Y1")
                text = " ".join(link.text for _, link in found.links())
                self.assertEqual("NOT Y1 blocks, for Y1 was on until then" in text, said, text)

    def test_a_value_given_under_a_condition(self) -> None:
        body = "IF X1 THEN Y1 := X2; ELSIF X3 THEN Y1 := NOT X2; END_IF;\nY2 := TRUE;\nIF X3 THEN Y2 := X2; END_IF;"
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (300, "X2", 1), (500, "X1", 1), (700, "X1", 0), (900, "X2", 0), (1100, "X1", 1), (1300, "X1", 0),
                (1500, "X3", 0)]
        session, answer, text = asked(body, rows, "Y1", at="0.6")
        self.assertIn("Y1 was set by Main 5: X2", text)
        self.assertIn("the condition for Y1 := X2 is TRUE in Main 5: X1", text)
        session, answer, text = asked(body, rows, "Y1", at="0.8")
        self.assertIn("X2; nothing has written anything else since", text)
        self.assertIn("the condition for Y1 := X2 is FALSE in Main 5: X1 blocks", text)
        self.assertIn("the condition for Y1 := NOT X2 is FALSE in Main 5: X3 blocks", text)
        session, answer, text = asked(body, rows, "Y1", at="1.2", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(answer.links()[0][1].kind.value, "reset-by")
        self.assertIn("Y1 is FALSE in Main 5: X2 blocks", text)
        self.assertEqual(first(session, answer), ("field-input", "X1", True), "what let it be written again")
        # What is written under a condition behind what is written always is no second coil.
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (600, "X3", 0), (900, "X1", 0)]
        session, answer, text = asked(body, rows, "Y2", at="0.3", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertNotIn("two coils", text)
        self.assertIn("Y2 is FALSE in Main 7: X2 blocks", text)
        self.assertEqual(first(session, answer), ("field-input", "X2", True))
        session, answer, text = asked(body, rows, "Y2", at="0.8")
        self.assertIn("Y2 is written on in Main 6 in every scan, and nothing behind that writes the opposite", text)
        self.assertIn("the condition for Y2 := X2 is FALSE in Main", text)

    def test_what_stands_twice_in_a_trail_is_told_once(self) -> None:
        body = "M := X1 AND X2;\nY2 := M;\nA := BOOL_TO_INT(Y2) + BOOL_TO_INT(Y2);"
        rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (500, "X1", 0), (900, "X1", 0)]
        _, answer, _ = asked(body, rows, "A", "M : BOOL;")
        texts = [link.text for _, link in answer.links() if link.text.startswith("Y2 ")]
        self.assertEqual([t.endswith(": see above") for t in texts], [False, True], texts)
        self.assertEqual(len(answer.roots), 1)

    def test_what_flashes_leads_to_what_lets_it(self) -> None:
        body = "Beat(IN := NOT Beat.Q, PT := T#300ms);\nIF Beat.Q THEN Ph := NOT Ph; END_IF;\nY2 := X1 AND X2;\nM := Ph AND Y2;\nY1 := M;"
        rows = [(0, "X1", 0), (0, "X2", 1), (700, "X1", 1), (3000, "X1", 1)]
        session, answer, text = asked(body, rows, "Y1", "Beat : TON; Ph : BOOL; M : BOOL;", at="1.1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("Ph runs freely", text)
        self.assertIn("Y2 is TRUE in Main 7: X1 and X2", text)
        self.assertIn("X1", [session.running.tags[r.tag or 0].name for r in answer.roots], text)

    def test_an_element_leads_to_the_index_that_chose_it(self) -> None:
        body = "Bits[0] := X1;\nBits[1] := X2;\nY1 := Bits[LIMIT(0, N1, 1)];"
        rows = [(0, "X1", 0), (0, "X2", 1), (0, "N1", 0), (500, "N1", 1), (900, "N1", 0), (1300, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "Bits : ARRAY[0..1] OF BOOL;", at="0.7")
        self.assertEqual([session.running.tags[r.tag or 0].name for r in answer.roots], ["N1", "X2"], text)
        session, answer, text = asked(body, rows, "Y1", "Bits : ARRAY[0..1] OF BOOL;", at="1.0", symptom=Symptom.DROPPED_OUT)
        self.assertIn("N1", [session.running.tags[r.tag or 0].name for r in answer.roots if r.proved], text)

    def test_a_counter_that_was_counted_back(self) -> None:
        body = "C1(CU := X1, CD := X2, PV := 1);\nY1 := C1.QU;\nY2 := C1.QD;"
        rows = [(0, "X1", 0), (0, "X2", 0), (300, "X1", 1), (400, "X1", 0), (700, "X2", 1), (800, "X2", 0), (1200, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "C1 : CTUD;")
        self.assertIn("C1 was counted down at 0.700 s", text)
        self.assertEqual(first(session, answer), ("field-input", "X2", True))
        session, answer, text = asked(body, rows, "Y2", "C1 : CTUD;", at="0.5", symptom=Symptom.DROPPED_OUT)
        self.assertIn("C1 was counted up at 0.300 s", text)
        self.assertEqual(first(session, answer), ("field-input", "X1", True))

    def test_each_result_of_a_function_is_one_of_its_own(self) -> None:
        before = ("FUNCTION Both : BOOL\n  VAR_INPUT P : BOOL; Q : BOOL; END_VAR VAR_OUTPUT One : BOOL; END_VAR\n"
                  "  Both := P AND Q;\n  One := P OR Q;\nEND_FUNCTION\n")
        body = "Y1 := Both(P := X1, Q := X2, One => Y2);"
        rows = [(0, "X1", 0), (0, "X2", 1), (500, "X1", 1), (900, "X2", 0), (1300, "X1", 0), (2000, "X1", 0)]
        for at, tag, symptom, wanted in (("0.7", "Y1", Symptom.WILL_NOT_DROP_OUT, "X1"), ("0.95", "Y1", Symptom.DROPPED_OUT, "X2"),
                                         ("1.1", "Y2", Symptom.WILL_NOT_DROP_OUT, "X1"), ("1.5", "Y2", Symptom.DROPPED_OUT, "X1")):
            session, answer, text = asked(body, rows, tag, "", before, at, symptom)
            self.assertEqual(first(session, answer), ("field-input", wanted, True), text)
            self.assertIn("Both in Main", text)
            self.assertNotIn("None", text)
            self.assertEqual("gives on" in text, symptom is Symptom.WILL_NOT_DROP_OUT, text)

    def test_pins_that_are_written_before_the_block_is_called(self) -> None:
        body = "T1.IN := X1 AND NOT X2;\nT1(PT := T#500ms);\nY1 := T1.Q;"
        rows = [(0, "X1", 0), (0, "X2", 0), (300, "X1", 1), (1500, "X2", 1), (2000, "X1", 1)]
        session, answer, text = asked(body, rows, "Y1", "T1 : TON;")
        self.assertIn("T1 in Main 6 lost its input at 1.500 s", text)
        self.assertEqual(first(session, answer), ("field-input", "X2", True))
        session, answer, text = asked(body, rows, "Y1", "T1 : TON;", at="1.2", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("T1.IN is TRUE in Main 5: X1 and NOT X2", text)
        self.assertEqual({session.running.tags[r.tag or 0].name for r in answer.roots}, {"X1", "X2"})
        session, answer, text = asked(body, rows, "Y1", "T1 : TON;", at="0.5", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("did not pull in (tried once, at 0.300 s: X1, which still stands)", answer.text)
        self.assertIn("T1 in Main 6 is still running: 200 ms of 500 ms", text)
        session, answer, text = asked(body, rows, "Y1", "T1 : TON;", at="0.2", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("an attempt would be X1", answer.text)
        self.assertIn("T1 is not started: IN is off in Main 6", text)
        self.assertEqual(first(session, answer)[:2], ("field-input", "X1"))
        count = "C1.CU := X1;\nC1.R := X2;\nC1(PV := 2);\nY1 := C1.Q;"
        session, answer, text = asked(count, [(0, "X1", 0), (0, "X2", 0), (300, "X1", 1), (400, "X1", 0), (1000, "X1", 0)], "Y1", "C1 : CTU;",
                                      symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("C1 in Main 7 stands at 1, its preset is 2", text)
        self.assertIn("tried once, at 0.300 s: X1", answer.text)
        self.assertEqual(first(session, answer)[1], "X1")
        unwired = "T1(PT := T#500ms);\nY1 := T1.Q;"
        session, answer, text = asked(unwired, rows, "Y1", "T1 : TON;", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("nothing is wired to IN", text)

    def test_a_bistable_whose_dominant_pin_let_go(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (300, "X2", 1), (600, "X1", 1), (900, "X2", 0), (1200, "X1", 1)]
        for body in ("F1(S := X1, R1 := X2);\nY1 := F1.Q1;", "F1.S := X1;\nF1.R1 := X2;\nF1();\nY1 := F1.Q1;"):
            session, answer, text = asked(body, rows, "Y1", "F1 : RS;", symptom=Symptom.WILL_NOT_DROP_OUT)
            self.assertIn("R1 of F1 fell in Main", text)
            self.assertIn("while S stood", text)
            self.assertEqual(first(session, answer), ("field-input", "X2", True), text)
        back = [(0, "X1", 1), (0, "X2", 0), (300, "X2", 1), (900, "X1", 0), (1200, "X2", 1)]
        session, answer, text = asked("F1(S1 := X1, R := X2);\nY1 := F1.Q1;", back, "Y1", "F1 : SR;")
        self.assertIn("S1 of F1 fell in Main 5 at 0.900 s: X1 became FALSE first, while R stood", text)
        self.assertEqual(first(session, answer), ("field-input", "X1", True))

    def test_a_path_that_contradicts_itself_explains_no_drop(self) -> None:
        body = "N := 0;\nIF X3 AND NOT X3 THEN N := N + 1; END_IF;\nIF X1 THEN N := N + 2; END_IF;\nIF X2 THEN N := N + 2; END_IF;\nY1 := N >= 4;"
        rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (900, "X2", 0), (1500, "X2", 0)]
        session, answer, _ = asked(body, rows, "Y1", "N : INT;")
        self.assertEqual(first(session, answer), ("field-input", "X2", True))
        self.assertNotIn(RootKind.PROGRAM, [r.kind for r in answer.roots])
        _, answer, _ = asked("Y1 := X3 AND NOT X3;", rows, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(answer.roots[0].kind, RootKind.PROGRAM, "but it explains what never came on")

    def test_a_comparison_that_is_not_met_leads_to_what_counts(self) -> None:
        body = "IF X1 AND NOT X3 THEN A := A + 1; END_IF;\nX3 := X1;\nY1 := A >= 3;".replace("X3", "Before")
        rows = [(0, "X1", 0), *((200 * n, "X1", n % 2) for n in range(1, 5)), (1500, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "Before : BOOL;", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("A >= 3 does not hold in Main 7 (A is 2)", text)
        self.assertIn("X1", [session.running.tags[r.tag].name for r in answer.roots if r.tag is not None])

    def test_what_is_added_up_falls_with_the_statement_that_was_left_out(self) -> None:
        body = "A := 0;\nIF X1 THEN A := A + 1; END_IF;\nIF X2 THEN A := A + 1; END_IF;\nY1 := A >= 2;"
        for lost, line in (("X1", 6), ("X2", 7)):
            rows = [(0, "X1", 1), (0, "X2", 1), (900, lost, 0), (1500, lost, 0)]
            session, answer, text = asked(body, rows, "Y1", symptom=Symptom.DROPPED_OUT)
            self.assertEqual(first(session, answer), ("field-input", lost, True), text)
            self.assertIn(f"the condition for A := A + 1 (executed the scan before) is FALSE in Main {line}: {lost} blocks", text)
            self.assertEqual([session.running.tags[r.tag].name for r in answer.roots if r.changed and r.tag is not None], [lost])
        session, answer, text = asked(body, [(0, "X1", 1), (0, "X2", 0), (1500, "X1", 1)], "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(first(session, answer), ("field-input", "X2", True), text)
        self.assertNotIn("the scan before", text)

    LOOP = ("Ins[1] := X1; Ins[2] := X2;\nA := 0;\nFOR I := 1 TO Most DO\n  IF Ins[I] THEN A := A + 1; END_IF;\nEND_FOR;\nY1 := A >= 2;",
            "Ins : ARRAY[1..2] OF BOOL; I : INT; Most : INT := 2;")

    def test_what_a_loop_adds_up_leads_to_all_that_its_passes_read(self) -> None:
        body, local = self.LOOP
        for lost in ("X1", "X2"):
            rows = [(0, "X1", 1), (0, "X2", 1), (900, lost, 0), (1500, lost, 0)]
            session, answer, text = asked(body, rows, "Y1", local, symptom=Symptom.DROPPED_OUT)
            self.assertEqual(first(session, answer), ("field-input", lost, True), text)
            self.assertIn("A was written by A := A + 1 in Main 7, line 8 at 0.900 s, in a loop", text)
            session, answer, text = asked(body.replace("Most", "2"), rows, "Y1", local, symptom=Symptom.DROPPED_OUT)
            self.assertEqual(first(session, answer), ("field-input", lost, True), text)
            self.assertIn(f"the condition for A := A + 1 (executed the scan before) is FALSE in Main 7, line 8: Ins[{lost[1]}] blocks", text)
        session, answer, text = asked(body, [(0, "X1", 0), (0, "X2", 0), (1500, "X2", 0)], "Y1", local, symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("A := A + 1 was executed in no pass of the loop in Main 7", text)
        tags = [session.running.tags[r.tag].name for r in answer.roots if r.tag is not None and r.proved]
        self.assertEqual(sorted(tags), ["X1", "X2"], text)

    VALVES = ("FOR I := 1 TO 3 DO\n  Up[I](IN := Cmd[I] AND NOT Open[I], PT := T#200ms);\n  Late[I] := Up[I].Q;\nEND_FOR;\n"
              "IF Late[1] OR Late[2] OR Late[3] THEN A := 0; END_IF;\nIF X1 AND A = 0 THEN A := 10; END_IF;\nIF N1 > 5 THEN A := 0; END_IF;\n"
              "FOR I := 1 TO 3 DO\n  CASE A OF\n  7, 10: Cmd[I] := TRUE;\n  ELSE Cmd[I] := FALSE;\n  END_CASE;\nEND_FOR;\n"
              "Open[1] := X2; Open[2] := X3; Open[3] := X2;\nY1 := Cmd[2];", "Up : ARRAY[1..3] OF TON; Cmd, Open, Late : ARRAY[1..3] OF BOOL; I : INT;")

    def test_what_ended_a_timer_in_time_before_and_has_not_come_stands_first(self) -> None:
        body, local = self.VALVES
        rows: list[tuple[int, str, int]] = [(0, "N1", 0)]
        for start in (100, 1100, 2100):
            rows += [(start, "X1", 1), (start + 50, "X1", 0), (start + 120, "X2", 1), (start + 150, "X3", 1), (start + 500, "N1", 9), (start + 520, "X2", 0),
                     (start + 540, "X3", 0), (start + 600, "N1", 0)]
        for missing in ("X3", "X2"):
            there = "X2" if missing == "X3" else "X3"
            last = [(3100, "X1", 1), (3150, "X1", 0), (3220, there, 1), (4000, there, 0)]
            session, answer, text = asked(body, rows + last, "Y1", local, symptom=Symptom.DROPPED_OUT)
            self.assertEqual(first(session, answer), ("field-input", missing, True), text)
            self.assertIn(f"{missing} ended that 3 of 3 times before, and has not come", text)
            self.assertTrue("A = 10 does not hold" in text and "7 or 10" not in text, text)
        # The first time nothing tells what should have come: what came is said first, the other behind it.
        session, answer, text = asked(body, [(0, "N1", 0), (100, "X1", 1), (150, "X1", 0), (220, "X2", 1), (1000, "X2", 0)], "Y1", local, symptom=Symptom.DROPPED_OUT)
        self.assertNotIn("has not come", text)
        self.assertIn("X3", [session.running.tags[r.tag].name for r in answer.roots[:2] if r.tag is not None])

    FILLING = ("Late(IN := A = 1, PT := T#1s);\nCASE A OF\n0: IF X1 THEN B := N1; A := 1; END_IF;\n1: IF N1 - B >= 100 THEN A := 2; ELSIF Late.Q THEN A := 3; END_IF;\n"
               "2: IF X2 THEN A := 0; END_IF;\n3: IF X3 THEN A := 0; END_IF;\nEND_CASE;\nY1 := A = 1; Y2 := A = 3;", "Late : TON;")

    def test_of_a_comparison_only_what_it_read_otherwise_before_is_a_cause(self) -> None:
        body, local = self.FILLING
        rows = [(0, "N1", 40), (100, "X1", 1), (200, "X1", 0), (300, "N1", 90), (400, "N1", 145), (900, "N1", 145)]
        session, answer, text = asked(body, rows, "Y1", local, symptom=Symptom.DROPPED_OUT)
        self.assertEqual(first(session, answer), ("field-input", "N1", True), text)
        self.assertIn("(N1 - B) >= 100 holds in Main 6, line 8 (N1 is 145, B is 40)", text)
        self.assertNotIn("B was written", text)
        self.assertNotIn("X1", [session.running.tags[r.tag].name for r in answer.roots if r.tag is not None], "it took the empty weight long before")

    def test_the_end_of_a_step_that_has_not_come_in_its_time_stands_first(self) -> None:
        body, local = self.FILLING
        rows: list[tuple[int, str, int]] = [(0, "N1", 0)]
        for start in (100, 1100, 2100):
            rows += [(start, "N1", 40), (start + 50, "X1", 1), (start + 80, "X1", 0), (start + 200, "N1", 90), (start + 400, "N1", 145),
                     (start + 500, "X2", 1), (start + 600, "X2", 0), (start + 700, "N1", 0)]
        stuck = [(3100, "N1", 40), (3150, "X1", 1), (3180, "X1", 0), (3300, "N1", 90), (4400, "N1", 90)]
        for tag, symptom in (("Y1", Symptom.DROPPED_OUT), ("Y2", Symptom.WILL_NOT_DROP_OUT)):
            session, answer, text = asked(body, rows + stuck, tag, local, symptom=symptom)
            self.assertEqual(first(session, answer)[:2], ("field-input", "N1"), text)
            self.assertIn("N1 ended that 3 of 3 times before, and has not now", text)

    def test_an_element_in_a_branch_that_was_not_come_to_is_the_one_it_would_be(self) -> None:
        body = ("Ins[1] := X1; Ins[2] := X2;\nLate(IN := A = 1, PT := T#500ms);\nIF A = 0 AND X3 THEN A := 1; B := 2; END_IF;\n"
                "IF A = 1 THEN IF Late.Q THEN A := 2; ELSIF Ins[B] THEN A := 3; END_IF; END_IF;\nY1 := A = 1;")
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (100, "X3", 1), (200, "X3", 0), (300, "X1", 1), (900, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "Ins : ARRAY[1..2] OF BOOL; Late : TON;", symptom=Symptom.DROPPED_OUT)
        self.assertIn("Main.Ins[2] is FALSE in Main 5", text)
        tags = [session.running.tags[r.tag].name for r in answer.roots if r.tag is not None]
        self.assertTrue("X2" in tags and "X1" not in tags, tags)

    def test_of_a_loop_only_what_turned_is_a_cause(self) -> None:
        body = ("Use[1] := X1; Use[2] := X2;\nA := 0; I := 1;\nWHILE I <= 2 AND A = 0 DO\n  IF Use[I] THEN A := I; END_IF;\n  I := I + 1;\nEND_WHILE;\nY1 := A > 0;")
        rows = [(0, "X1", 1), (0, "X2", 1), (300, "X2", 0), (700, "X1", 0), (1500, "X1", 0)]
        session, answer, text = asked(body, rows, "Y1", "Use : ARRAY[1..2] OF BOOL; I : INT;", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(first(session, answer), ("field-input", "X1", True), text)
        self.assertEqual([session.running.tags[r.tag].name for r in answer.roots if r.tag is not None], ["X1"], "two was off already")

    def test_a_number_s_trail_reaches_each_value_read(self) -> None:
        before = ("FUNCTION_BLOCK Control VAR_INPUT Sp, Pv : REAL; On : BOOL; END_VAR VAR_OUTPUT Y : REAL; END_VAR VAR Err : REAL; END_VAR\n"
                  "IF On THEN Err := Sp - Pv; Y := LIMIT(0.0, Err * 4.0, 100.0); ELSE Y := 0.0; END_IF; END_FUNCTION_BLOCK\n"
                  "FUNCTION_BLOCK Ramp VAR_INPUT Goal : REAL; Stop : BOOL; END_VAR VAR_OUTPUT Out : REAL; END_VAR\n"
                  "IF NOT Stop THEN IF Out < Goal THEN Out := MIN(Out + 0.5, Goal); END_IF; END_IF; END_FUNCTION_BLOCK\n")
        body = "On := X1 AND X2 AND NOT X3;\nRm(Goal := INT_TO_REAL(A), Stop := NOT On);\nA := 60;\nCt(Sp := Rm.Out, Pv := INT_TO_REAL(N1), On := On);\nF := Ct.Y;"
        rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (0, "N1", 10), (500, "N1", 20), (900, "N1", 20)]
        session, answer, text = asked(body, rows, "F", "Rm : Ramp; Ct : Control; On : BOOL;", before)
        self.assertLessEqual(sum(1 for _ in answer.links()), 24, text)
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "N1", text)
        self.assertIn("Main.Ct.Pv was written in Main 12 at 0.500 s (20.0)", text)

    def test_an_end_that_did_not_come_is_tried_half_way(self) -> None:
        body = ("Late(IN := A = 20 OR A = 40, PT := T#1s);\nIF A = 0 AND X1 THEN A := 20; END_IF;\nIF A = 20 AND X2 THEN A := 40; END_IF;\n"
                "IF A = 40 AND X3 THEN A := 0; END_IF;\nIF Late.Q THEN A := 99; END_IF;\nIF A = 99 AND N1 > 5 THEN A := 0; END_IF;\nY1 := A = 40;")
        rows: list[tuple[int, str, int]] = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (0, "N1", 0)]
        for start in (100, 2100, 4100):
            rows += [(start, "X1", 1), (start + 50, "X1", 0), (start + 300, "X2", 1), (start + 500, "X2", 0), (start + 700, "X3", 1), (start + 900, "X3", 0)]
        last = [(6100, "X1", 1), (6150, "X1", 0), (6400, "X2", 1), (6600, "X2", 0), (9000, "X2", 0)]
        session, answer, text = asked(body, rows + last, "Y1", "Late : TON;", symptom=Symptom.DROPPED_OUT)
        root = answer.roots[0]
        self.assertEqual((first(session, answer), root.ended), (("field-input", "X3", False), True), text)
        self.assertIn("X3 ended that 3 of 3 times before, and has not come", text)
        self.assertRegex(root.proof, r"with X3 held on from 6\.\d+ s on, Y1 ends before that, at 6\.\d+ s")
        self.assertNotIn("found by trying", text)

    def test_numbers_with_fractions_are_told_as_their_type_keeps_them(self) -> None:
        body, rows = "R := INT_TO_REAL(N1) / 10.0;\nY1 := R >= 12.5;", [(0, "N1", 130), (500, "N1", 123), (900, "N1", 123)]
        _, _, text = asked(body, rows, "Y1", "R : REAL;", symptom=Symptom.DROPPED_OUT)
        self.assertIn("R is 12.3)", text, "not 12.300000190734863")

    def test_an_alarm_that_ends_itself_by_what_it_sets_off(self) -> None:
        body = "Tm(IN := X1 AND B = 1, PT := T#100ms);\nM := Tm.Q;\nIF B = 0 AND X2 THEN B := 1; END_IF;\nIF B = 1 AND M THEN B := 2; END_IF;\nY1 := M;"
        rows = [(0, "X1", 0), (0, "X2", 0), (200, "X2", 1), (300, "X2", 0), (600, "X1", 1), (1500, "X1", 1)]
        session, answer, text = asked(body, rows, "Y1", "Tm : TON; M : BOOL;", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "X1", text)
        self.assertIn("the condition for B := 2 is TRUE in Main 8 at 0.700 s: M", text)

    def test_amid_a_task_s_run_what_stands_behind_was_evaluated_in_the_one_before(self) -> None:
        text = ("PROGRAM Main\nVAR_EXTERNAL X1, X2, Y1 : BOOL; END_VAR\nVAR M, H : BOOL; END_VAR\nY1 := M AND X2;\nM := X1 AND NOT H;\n"
                "H := Y1 AND NOT X2;\nEND_PROGRAM\nCONFIGURATION C VAR_GLOBAL X1 AT %IX0.0 : BOOL; X2 AT %IX0.1 : BOOL; Y1 AT %QX0.0 : BOOL; END_VAR\n"
                "RESOURCE R ON P TASK T1(INTERVAL := T#10ms, PRIORITY := 1); PROGRAM Main WITH T1 : Main; END_RESOURCE END_CONFIGURATION\n")
        controller = Controller(read(text.encode(), Path("x.st")).value, Profile())
        session = Session(controller, log_of(controller, [(0, "X1", 1), (0, "X2", 1), (400, "X1", 0), (900, "X1", 0)]), IoList({}), [], Paths(Path("x.st")))
        tracer = inquiry(session).tracer
        m, y = (tracer.steps.all[n].index for n in (1, 0))
        self.assertEqual([tracer.ran(m, tracer.view_of(y, 30)), tracer.ran(y, tracer.view_of(m, 30)), tracer.ran(m, tracer.view_of(m, 30))], [29, 30, 29])

    def test_a_trial_that_leads_away_did_not_go_far(self) -> None:
        body = "A := 0;\nIF X1 THEN A := A + 1; END_IF;\nIF X2 THEN A := A + 1; END_IF;\nY1 := A >= 2;"
        _, answer, _ = asked(body, [(0, "X1", 1), (0, "X2", 0), (1500, "X1", 1)], "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertFalse([r.proof for r in answer.roots if "reaches" in r.proof])
        _, answer, _ = asked(body.replace("A >= 2", "A >= 3"), [(0, "X1", 1), (0, "X2", 0), (1500, "X1", 1)], "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("A reaches 2", " ".join(r.proof for r in answer.roots))

    def test_a_write_of_a_block_handed_on_that_was_left_out(self) -> None:
        block = "FUNCTION_BLOCK Counted VAR_INPUT In : BOOL; END_VAR VAR_IN_OUT Sum : INT; END_VAR IF In THEN Sum := Sum + 1; END_IF; END_FUNCTION_BLOCK"
        body = "A := 0;\nOne(In := X1, Sum := A);\nTwo(In := X2, Sum := A);\nY1 := A >= 2;"
        session, answer, text = asked(body, [(0, "X1", 1), (0, "X2", 0), (1500, "X1", 1)], "Y1", "One : Counted; Two : Counted;", block,
                                      symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(first(session, answer), ("field-input", "X2", True), text)

    def test_what_is_wanted_off_is_said_so(self) -> None:
        _, _, text = asked("Y1 := X1 AND NOT X2;", [(0, "X1", 1), (0, "X2", 0), (500, "X2", 1), (900, "X2", 1)], "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertIn("NOT X2 became FALSE first", text)
        _, _, text = asked("CASE A OF 1: Y1 := FALSE; ELSE Y1 := X1; END_CASE;", [(0, "X1", 0), (200, "X1", 1), (900, "X1", 1)], "Y1")
        self.assertNotIn("CASE does not hold", text)

    def test_each_element_stands_with_its_value(self) -> None:
        body = "Ins[1] := X1; Ins[2] := X2;\nI := 2;\nY1 := Ins[1] AND Ins[I];"
        session, answer, _ = asked(body, [(0, "X1", 1), (0, "X2", 1), (500, "X2", 0), (900, "X2", 0)], "Y1", "Ins : ARRAY[1..2] OF BOOL; I : INT;")
        last = len(session.controller.steps.all) - 1
        drawn = "".join(t for line in Scene(session, answer).rung(last, 60, 100).lines for t, _ in line)
        for said in ("Ins[1]=1", "Ins[I]=0", "I=2"):
            self.assertIn(said, drawn)

    def test_what_was_executed_is_drawn_so(self) -> None:
        body = "// which stage\nCASE A OF\n  0: B := 7;\n  1, 2: B := 8;\nELSE\n  B := 9;\nEND_CASE;\n\n// the delay\nDelay(IN := TRUE,\n  PT := T#1s);\nY1 := B = 8 AND X1;"
        for number, chosen in ((0, "B := 7"), (2, "B := 8"), (5, "B := 9")):
            session, answer, _ = asked(f"A := {number};\n{body}", [(0, "X1", 1), (500, "X1", 0), (900, "X1", 0)], "Y1", "B : INT; Delay : TON;")
            steps = session.controller.steps.all
            lines = ["".join(t for t, _ in line) for step in range(len(steps)) for line in Scene(session, answer).rung(step, 60, 100).lines]
            for text in ("B := 7", "B := 8", "B := 9"):
                self.assertTrue(next(one for one in lines if text in one).strip().startswith("┃" if text == chosen else "┆"), (number, text, lines))
            for text in ("A := ", "CASE A OF", "Delay(IN"):
                self.assertTrue(next(one for one in lines if text in one).strip().startswith("┃"), (text, lines))
            self.assertEqual([s.rung.comment for s in steps], ["", "which stage", "the delay", ""])
            self.assertFalse(any("// " in one for one in lines))

    def test_through_a_block_its_case_and_a_timer_executed_twice(self) -> None:
        rows = [(0, "X1", 0), (500, "X1", 1), (3000, "X1", 1)]
        _session, _answer, text = asked("One(Fill := X1);\nY1 := One.Valve;", rows, "Y1", "One : Vat;", VAT, symptom=Symptom.DROPPED_OUT)
        self.assertIn("State = Filling does not hold in Vat 13 (State is Heating)", text)
        self.assertIn("was written by State := Heating in Vat 4", text)
        self.assertIn("Wait gave Q on in Vat 4", text)
        self.assertNotIn("nothing is wired", text)

    def test_a_return_leaves_out_what_stands_below(self) -> None:
        body = "IF X1 THEN RETURN; END_IF;\nY1 := X2;"
        rows = [(0, "X1", 0), (0, "X2", 1), (500, "X1", 1), (800, "X2", 0), (1500, "X2", 0)]
        session, answer, _text = asked(body, rows, "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual((answer.links()[0][1].kind.value, first(session, answer)), ("held-by-jump", ("field-input", "X1", True)))

    def test_a_block_that_is_called_under_a_condition(self) -> None:
        before = "FUNCTION_BLOCK Copy VAR_INPUT P : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := P; END_FUNCTION_BLOCK\n"
        rows = [(0, "X1", 1), (0, "X2", 1), (500, "X1", 0), (900, "X2", 0), (1500, "X2", 0)]
        session, answer, _text = asked("IF X1 THEN One(P := X2); END_IF;\nY1 := One.Q;", rows, "Y1", "One : Copy;", before, symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("not-called", [link.kind.value for _, link in answer.links()])
        self.assertEqual(first(session, answer)[:2], ("field-input", "X1"))

    def test_what_overflows_names_its_line(self) -> None:
        _session, answer, text = asked("A := A + 9000;\nY1 := X1;", [(0, "X1", 1), (500, "X1", 1)], "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertEqual((answer.roots[0].kind.value, answer.links()[0][1].kind.value), ("fault", "halted"))
        self.assertIn("in Main 5: 36000 does not fit INT", text)


class OnScreenAndPaper(unittest.TestCase):
    """Lines with values, the places that use a tag, findings."""

    BODY = "IF X1 AND N1 > 3 THEN\n  Y1 := X2;\nELSE\n  Y2 := X3;\nEND_IF;"

    def test_in_a_loop_each_value_stands_as_it_was_in_each_pass(self) -> None:
        body = ("Ins[1] := X1; Ins[2] := X2; Ins[3] := X3;\nFOR I := 1 TO 3 DO\n  Late[I](IN := Ins[I], PT := T#50ms);\n  M[I] := Ins[I] AND X1;\n  A := A + I;\nEND_FOR;\n"
                "Y1 := M[2];\nA := 0;")
        local = "Ins, M : ARRAY[1..3] OF BOOL; Late : ARRAY[1..3] OF TON; I : INT;"
        session, answer, _ = asked(body, [(0, "X1", 1), (0, "X2", 0), (0, "X3", 1), (500, "X3", 1)], "Y1", local)
        step = next(s for s in session.controller.steps.all if s.rung.number == 6)
        drawn = ["".join(t for t, _ in line) for line in Scene(session, answer).rung(step.index, 20, 110).lines]
        for line, said in ((1, "I=4"), (2, "Ins[I]=1 0 1"), (3, "M[I]=1 0 1"), (3, "Ins[I]=1 0 1"), (3, "X1=1  "), (4, "A=6  "), (4, "I=1 2 3")):
            self.assertIn(said, drawn[line + 0], drawn)
        flow = Scene(session, answer).tracer.flow(step.index, 20)
        self.assertLessEqual({session.tag(f"Main.M[{n}]") for n in (1, 2, 3)}, set(flow.named()))

    def test_lines_have_values_and_say_what_was_not_come_to(self) -> None:
        session = text_session(self.BODY, [(0, "X1", 1), (0, "N1", 7), (0, "X2", 1), (500, "X1", 1)])
        scene = Scene(session, ask(session, "Y1"))
        for width in (100, 60):
            lines = ["".join(t for t, _ in line) for line in scene.rung(0, 20, width).lines]
            self.assertIn("X1=1  N1=7", lines[1])
            self.assertIn("Y1=1  X2=1", lines[2])
            self.assertTrue(lines[2].strip().startswith("┃"))
            self.assertTrue(lines[4].strip().startswith("┆"), lines[4])
            self.assertNotIn("X3=", lines[4], "it was not read")
            self.assertTrue(all(len(line) <= width for line in lines))
        spots = {s.element for s in scene.rung(0, 20, 100).spots}
        self.assertGreaterEqual(len(spots), 5)

    def test_where_a_tag_is_used(self) -> None:
        session = text_session(self.BODY, [(0, "X1", 1)])
        xref = xref_of(session)
        reads = xref.entry(session.tag("X1")).reads
        self.assertEqual([(r.pou, r.rung, r.how) for r in reads], [("Main", 5, "read in IF")])
        self.assertEqual([w.how for w in xref.entry(session.tag("Y2")).writes], ["assigned"])

    def test_findings_and_paper(self) -> None:
        session = text_session("A := A + 1;\nK[A] := 1;\nY1 := X1;", [(0, "X1", 1), (100, "X1", 1)], "K : ARRAY[0..3] OF INT;")
        keys = {f.key for f in check(session)}
        self.assertLessEqual({"may-overflow", "index-not-guarded"}, keys)
        answer = ask(session, "Y1")
        self.assertIn("Y1", report_markdown(session, answer))
        for pages, line in ((report_pages(session, answer), "[A] := 1;"), (drawing_pages(session, [0, 1, 2], 50_000_000), "Y1 := X1;"),
                            (drawing_pages(session, [0, 1, 2], None), "Y1 := X1;")):
            words = [getattr(item, "text", "") for page in pages for item in page.items]
            self.assertIn(line, " ".join(words))


class InnerConditions(unittest.TestCase):
    """Statements inside a branch that is not taken."""

    BODY = "IF X1 THEN IF X2 THEN Y1 := X3; END_IF; END_IF;"

    def blocked(self, *values: int) -> str:
        session = text_session(self.BODY, [*((0, f"X{n}", v) for n, v in enumerate(values, 1)), (100, "X1", values[0])])
        return " ".join(link.text for _, link in ask(session, "Y1").links())

    def test_only_what_is_off_blocks(self) -> None:
        self.assertIn("Main 5: X1 blocks", self.blocked(0, 1, 1))
        self.assertIn("Main 5: X1 and X2 block", self.blocked(0, 0, 1))
        self.assertIn("Main 5: X2 blocks", self.blocked(1, 0, 1))

    def test_and_what_would_be_written_the_same_all_the_same(self) -> None:
        self.assertIn("what Y1 would be given there is FALSE in Main 5: X3 blocks", self.blocked(0, 1, 0))
        self.assertNotIn("would be given", self.blocked(0, 1, 1))

    def test_a_way_that_asks_for_the_opposite_of_what_it_stands_under_is_none(self) -> None:
        body = "IF X1 THEN Y1 := NOT X1 OR X2; ELSE Y1 := FALSE; END_IF;"
        session = text_session(body, [(0, "X1", 0), (0, "X2", 1), (50, "X2", 0), (100, "X1", 1), (300, "X1", 1)])
        answer = ask(session, "Y1")
        prove_all(session, answer)
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "X2")
        self.assertNotIn("NOT X1 blocks", " ".join(link.text for _, link in answer.links() if link.kind is LinkKind.RESET_BY))

    def test_of_a_nested_condition_that_falls_the_one_that_fell_is_named(self) -> None:
        body = "Y1 := FALSE; IF X1 THEN IF X2 THEN Y1 := TRUE; END_IF; END_IF;"
        session = text_session(body, [(0, "X1", 0), (0, "X2", 0), (50, "X2", 1), (90, "X1", 1), (200, "X1", 0), (300, "X1", 0)])
        answer = ask(session, "Y1")
        self.assertEqual([session.running.tags[r.tag].name for r in answer.roots if r.tag is not None], ["X1"])


class NotComeTo(unittest.TestCase):
    """A condition within another, behind a loop: where the outer one let go nobody knows what the inner one would have been."""

    def test_only_the_outer_one_is_told(self) -> None:
        body = ("D := 0;\nIF X1 AND X2 THEN\n  A := 0;\n  WHILE ARR[A] > 5 AND A < 2 DO A := A + 1; END_WHILE;\n  IF A < 2 THEN D := 7; END_IF;\nEND_IF;\nY1 := D = 7;")
        session = text_session(body, [(0, "X1", 1), (0, "X2", 1), (0, "X3", 1), (3000, "X2", 0), (5000, "X3", 0)], "ARR : ARRAY[0..2] OF INT;")
        answer = ask(session, "Y1")
        self.assertEqual(first(session, answer)[:2], ("field-input", "X2"))
        said = [link.text for _, link in answer.links()]
        self.assertFalse([text for text in said if "A < 2" in text], said)


if __name__ == "__main__":
    unittest.main()
