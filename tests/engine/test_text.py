"""Structured Text in both engines: what each construct does, by literal expectations; random programs leave the same rows."""

from __future__ import annotations

import os
import unittest
from collections import Counter
from pathlib import Path
from random import Random

from tests.building import log_of
from tests.engine.agreement import difference
from tests.text_strategies import random_text, random_text_log
from tests.texts import both_engines, settled, text_of, text_program, text_session
from whorlograph.desk.survey import survey
from whorlograph.engine.calls import every
from whorlograph.engine.check_code import faults_of
from whorlograph.engine.code import Call
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Overflow, Profile

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "100"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))
ROWS = [(0, "X1", 1), (0, "X2", 0), (0, "N1", 7), (0, "R1", 2.5)]
PAIR = "TYPE Mode : (Idle, Run, Trip) := Run; Pair : STRUCT P : INT := 3; Q : BOOL; L : ARRAY[0..2] OF INT := [5, 2(7)]; END_STRUCT; Short : INT (-5..20); END_TYPE "

# (what it is, statements, declarations, types and POUs before, {tag: value at the end of scan 1})
CASES_OF: list[tuple[str, str, str, str, dict[str, object]]] = [
    ("minus binds tighter than power, power goes left to right", "G := -2.0 ** 2.0; F := 2.0 ** 3.0 ** 2.0;", "", "", {"G": 4.0, "F": 64.0}),
    ("division cuts toward zero, MOD has the dividend's sign", "A := -N1 / 2; B := -N1 MOD 4;", "", "", {"A": -3, "B": -3}),
    ("a product runs over in its operands' type", "C := N1 * N1 * N1;", "", "", {"C": 343}),
    ("an untyped literal takes the other operand's type", "U := 250; A := U + 5;", "", "", {"U": 250, "A": 255}),
    ("small and wide mix", "S := -3; C := S + N1; G := C + R1;", "", "", {"C": 4, "G": 6.5}),
    ("real to integer rounds half to even", "A := REAL_TO_INT(R1); B := REAL_TO_INT(R1 + 1.0); C := TRUNC(-R1);", "", "", {"A": 2, "B": 4, "C": -2}),
    ("bits are carried", "W := INT_TO_WORD(-1); A := WORD_TO_INT(W); D := WORD_TO_UINT(W);", "", "", {"W": 65535, "A": -1, "D": 65535}),
    ("bits of words", "W := 5; Y1 := W.0 AND W.%X2; W.15 := TRUE; W.%X0 := FALSE;", "", "", {"Y1": True, "W": 32772}),
    ("shifts and rotations", "W := SHL(WORD#16#8001, 1) OR SHR(IN := W, N := 20); L := ROL(LWORD#1, 63);", "", "", {"W": 2, "L": 1 << 63}),
    ("selections", "A := SEL(X1, 1, 2); B := MUX(2, 10, 20, 30); C := LIMIT(MN := 5, IN := 1, MX := 3); D := MAX(3, 9, 4) - MIN(IN1 := 2, IN2 := 1);", "", "",
     {"A": 2, "B": 30, "C": 3, "D": 8}),
    ("times", "T := T#1s500ms * 2 / 4 - T#50ms; A := TIME_TO_INT(T);", "", "", {"T": 700_000_000, "A": 700}),
    ("comparisons and their chain with =", "Y1 := N1 > 5 = X1; Y2 := (N1 <> 7) XOR X1;", "", "", {"Y1": True, "Y2": True}),
    ("ELSIF counts only where what stands before does not hold", "IF X2 THEN A := 1; ELSIF N1 = 7 THEN A := 2; ELSIF X1 THEN A := 3; ELSE A := 4; END_IF;", "", "", {"A": 2}),
    ("CASE takes the first fitting label", "CASE N1 OF 1..6: A := 1; 5, 7: A := 2; 7: A := 3; ELSE A := 4; END_CASE;", "", "", {"A": 2}),
    ("CASE without a fitting label takes ELSE", "CASE -N1 OF 7: A := 1; ELSE A := 4; END_CASE;", "", "", {"A": 4}),
    ("FOR takes end and step once", "B := 3; FOR A := 1 TO B DO B := 9; C := C + A; END_FOR;", "", "", {"C": 6, "B": 9}),
    ("FOR downwards, by a negative step", "C := 0; FOR A := 5 TO 1 BY -2 DO C := C * 10 + A; END_FOR;", "", "", {"C": 531}),
    ("FOR that does not begin", "A := 9; FOR A := 5 TO 1 DO C := 1; END_FOR;", "", "", {"C": 0, "A": 5}),
    ("EXIT leaves the inner loop, CONTINUE the pass", "FOR A := 1 TO 4 DO IF A = 2 THEN CONTINUE; END_IF; FOR B := 1 TO 9 DO IF B > A THEN EXIT; END_IF; C := C + 1; END_FOR; END_FOR;", "", "",
     {"C": 8}),
    ("WHILE tests before, REPEAT behind", "WHILE A < 0 DO C := 5; END_WHILE; REPEAT B := B + 1; UNTIL B >= 0 END_REPEAT;", "", "", {"C": 0, "B": 1}),
    ("RETURN ends the body", "A := 1; IF X1 THEN RETURN; END_IF; A := 2;", "", "", {"A": 1}),
    ("an enumeration begins as its type says", "Y1 := M = Run; IF M = Mode#Run THEN M := Trip; END_IF; A := 4; Y2 := M = Mode#Trip;", "M : Mode;", PAIR, {"Y1": True, "Y2": True}),
    ("an enumeration that a variable lists itself", "IF St = Stopped THEN St := Running; END_IF; Y1 := St = Running; R[1] := Blue; Y2 := R[1] = Blue AND R[2] = Red;",
     "St : (Idle, Running, Stopped) := Stopped; R : ARRAY[1..2] OF (Red, Green := 5, Blue);", "", {"Y1": True, "Y2": True}),
    ("each POU has its own", "One(); Y1 := One.Q; Y2 := St = Running AND Which(4) = 2; CASE St OF Stopped: A := 1; Running: A := 7; END_CASE;",
     "One : Own; St : (Idle, Running, Stopped) := Running;",
     "FUNCTION_BLOCK Own VAR_OUTPUT Q : BOOL; END_VAR VAR S : (Stopped, Running) := Running; END_VAR Q := S = Running; S := Stopped; END_FUNCTION_BLOCK "
     "FUNCTION Which : INT VAR_INPUT N : INT; END_VAR VAR K : (Stopped, Idle, Running); END_VAR IF N > 3 THEN K := Running; END_IF; CASE K OF Running: Which := 2; "
     "ELSE Which := 1; END_CASE; END_FUNCTION ", {"Y1": True, "Y2": True, "A": 7}),
    ("the highest bits of long words", "Lw.63 := X1; Y1 := Lw.63; Lw.62 := X1; Lw.63 := X2; Y2 := Lw = 16#4000000000000000; Dw.31 := X1; B := BOOL_TO_INT(Dw.31); Ar[2].63 := X1; "
     "A := BOOL_TO_INT(Ar[2].63 AND NOT Ar[1].63);", "Lw : LWORD; Dw : DWORD; Ar : ARRAY[1..2] OF LWORD;", "", {"Y1": True, "Y2": True, "A": 1, "B": 1}),
    ("structures and arrays", "P2 := P1; P2.L[N1 - 6] := P1.L[0] + 1; A := P2.L[1]; B := P2.P; C := P1.L[1];", "P1 : Pair := (P := 8); P2 : Pair;", PAIR, {"A": 6, "B": 8, "C": 7}),
    ("two subscripts", "M[1, -1] := 4; M[N1 - 7, 1] := 6; A := M[1, N1 - 8] * 10 + M[0, 1];", "M : ARRAY[0..1, -1..1] OF INT;", "", {"A": 46}),
    ("a subrange is held", "K := 3; A := K;", "K : Short;", PAIR, {"A": 3}),
    ("a function begins anew, inputs left out have their declared value", "A := Twice(); B := Twice(N := N1, K := C2); C := C2;", "C2 : INT := 5;",
     "FUNCTION Twice : INT VAR_INPUT N : INT := 4; END_VAR VAR_IN_OUT K : INT; END_VAR VAR Z : INT := 1; END_VAR Twice := N * 2 + Z; Z := 9; K := K + 1; END_FUNCTION ",
     {"A": 9, "B": 15, "C": 6}),
    ("operands left of a call are taken before it", "A := B + Bump(B) + B;", "",
     "FUNCTION Bump : INT VAR_IN_OUT K : INT; END_VAR K := K + 1; Bump := 10; END_FUNCTION ", {"A": 11, "B": 1}),
    ("a block keeps its variables, outputs go where they are wanted", "One(P := 3, Q => A); One(P := 4); B := One.Q;", "One : Sum;",
     "FUNCTION_BLOCK Sum VAR_INPUT P : INT; END_VAR VAR_OUTPUT Q : INT; END_VAR Q := Q + P; END_FUNCTION_BLOCK ", {"A": 3, "B": 7}),
    ("EN keeps a block from running", "One(EN := X2, P := 3); One(EN := X1, P := 5); A := One.Q;", "One : Sum;",
     "FUNCTION_BLOCK Sum VAR_INPUT P : INT; END_VAR VAR_OUTPUT Q : INT; END_VAR Q := Q + P; END_FUNCTION_BLOCK ", {"A": 5}),
    ("EN keeps a function from running, ENO says so", "A := Weigh(EN := X1, P := 9, Q := 2, ENO => Y1); B := 5; B := ADD(EN := X2, IN1 := 4, IN2 := 5, NOT ENO => Y2); C := MAX(3, 8, ENO => Z);",
     "Z : BOOL;", "FUNCTION Weigh : INT VAR_INPUT P, Q : INT; END_VAR Weigh := P - Q; END_FUNCTION ", {"A": 7, "B": 5, "C": 8, "Y1": True, "Y2": True, "Main.Z": True}),
    ("ENO of a block that does not run is off", "Y1 := TRUE; One(EN := X2, P := 3, ENO => Y1); One(EN := X1, P := 5, ENO => Y2); A := One.Q;", "One : Sum;",
     "FUNCTION_BLOCK Sum VAR_INPUT P : INT; END_VAR VAR_OUTPUT Q : INT; END_VAR Q := Q + P; END_FUNCTION_BLOCK ", {"A": 5, "Y1": False, "Y2": True}),
    ("inputs by position", "A := Weigh(10, 3);", "", "FUNCTION Weigh : INT VAR_INPUT P, Q : INT; END_VAR Weigh := P - Q; END_FUNCTION ", {"A": 7}),
    ("texts are put together and taken apart", "S1 := CONCAT('ab', 'cd', S2); A := LEN(S1); S2 := MID(S1, 2, 3); S3 := INSERT('abc', 'X', 1); S4 := DELETE('abcdef', 2, 3);"
     " S5 := REPLACE('abcdef', '12', 3, 2); B := FIND('abcabc', 'ca');", "S1, S2, S3, S4, S5 : STRING;", "",
     {"A": 4, "B": 3, "Main.S1": "abcd", "Main.S2": "cd", "Main.S3": "aXbc", "Main.S4": "abef", "Main.S5": "a12ef"}),
    ("what lies outside a text counts as its end", "S1 := LEFT('abc', 9); S2 := RIGHT('abc', -1); S3 := MID('abc', 5, 0); S4 := INSERT('abc', 'X', 9); S5 := DELETE('abc', 9, 2);",
     "S1, S2, S3, S4, S5 : STRING;", "", {"Main.S1": "abc", "Main.S2": "", "Main.S3": "abc", "Main.S4": "abcX", "Main.S5": "a"}),
    ("a text is cut to its length, its order is that of its letters", "S1 := 'abcdef'; Y1 := S1 = 'abcd'; Y2 := 'abd' > S1; S2 := MAX(S1, 'abba', 'b');",
     "S1 : STRING[4]; S2 : STRING := 'x$'y$$z$41';", "", {"Main.S1": "abcd", "Y1": True, "Y2": True, "Main.S2": "b"}),
    ("literals of texts have their signs", "A := LEN(S2); S1 := LEFT(S2, 4);", "S1 : STRING; S2 : STRING := 'x$'y$$z$41';", "", {"A": 6, "Main.S1": "x'y$"}),
    ("numbers to texts and back", "S1 := INT_TO_STRING(-N1); S2 := REAL_TO_STRING(R1); S3 := TIME_TO_STRING(T#90s5ms); S4 := BOOL_TO_STRING(X1); A := STRING_TO_INT('-12');"
     " F := STRING_TO_REAL('2.75'); T := STRING_TO_TIME('1s5ms'); B := STRING_TO_INT('no number'); Y1 := STRING_TO_BOOL('TRUE');", "S1, S2, S3, S4 : STRING;", "",
     {"Main.S1": "-7", "Main.S2": "2.5", "Main.S3": "T#1m30s5ms", "Main.S4": "TRUE", "A": -12, "F": 2.75, "T": 1_005_000_000, "B": 0, "Y1": True}),
    ("a text chosen, given to a block and taken from it", "S1 := SEL(X1, 'off', 'on'); K(P := S1, Q => S2); A := K.N;", "S1, S2 : STRING; K : Twin;",
     "FUNCTION_BLOCK Twin VAR_INPUT P : STRING; END_VAR VAR_OUTPUT Q : STRING; N : INT; END_VAR Q := CONCAT(P, P); N := LEN(Q); END_FUNCTION_BLOCK ",
     {"Main.S2": "onon", "A": 4}),
    ("dates and times of day", "D1 := D#2024-02-28; D2 := CONCAT_DATE_TOD(D1, TOD#23:30:00) + T#1h; D1 := DT_TO_DATE(D2); TD := DT_TO_TOD(D2); A := DAY_OF_WEEK(D1);"
     " T := D2 - DT#2024-02-28-23:00:00; S1 := DATE_TO_STRING(D1); Y1 := TD < TOD#00:30:01; TD := TD - T#30m;", "D1 : DATE; D2 : DT; TD : TOD; S1 : STRING;", "",
     {"A": 4, "T": 5_400_000_000_000, "Main.S1": "D#2024-02-29", "Y1": True, "Main.TD": 0, "Main.D2": 1_709_166_600_000_000_000}),
    ("dates are put together and taken apart", "D1 := CONCAT_DATE(2024, 2, 29); D2 := CONCAT_DT(YEAR := 1999, MONTH := 12, DAY := 31, HOUR := 23, MINUTE := 59, SECOND := 58,"
     " MILLISECOND := 7) + T#2s; TD := CONCAT_TOD(6, 30, 0, 5); SPLIT_DATE(IN := D1, YEAR => A, MONTH => B, DAY => C); S1 := DT_TO_STRING(D2);"
     " SPLIT_DT(D2, DAY => D, MILLISECOND => E1, YEAR => E2); SPLIT_TOD(IN := TD, MINUTE => E3);",
     "D1 : DATE; D2 : DT; TD : TOD; S1 : STRING; E1, E2, E3 : INT;", "",
     {"A": 2024, "B": 2, "C": 29, "D": 1, "Main.E1": 7, "Main.E2": 2000, "Main.E3": 30, "Main.TD": 23_400_005_000_000, "Main.S1": "DT#2000-01-01-00:00:00.007"}),
    ("operators called like functions", "Y1 := AND(X1, NOT(X2), N1 = 7); Y2 := XOR(IN1 := X1, IN2 := TRUE, IN3 := X1); A := MOD(N1, 4); W := OR(WORD#1, WORD#16#F0);", "", "",
     {"Y1": True, "Y2": True, "A": 3, "W": 0xF1}),
    ("parts of words", "Q := 16#1122334455667788; B1 := Q.%B1; W := Q.%W3; Q.%B7 := B1; Q.%W0 := 5; Q.%D0 := Q.%D0; K := 16#0102; K.%B0 := 16#FF; K.%B1 := K.%B0 AND 16#0F; A := Q.%B0;",
     "Q : LWORD; B1 : BYTE; K : WORD;", "", {"Main.Q": 0x7722334455660005, "Main.B1": 0x77, "W": 0x1122, "Main.K": 0x0FFF, "A": 5}),
    ("bytes in the other order", "W := TO_BIG_ENDIAN(WORD#16#1234); A := FROM_BIG_ENDIAN(INT#-2); Q := TO_BIG_ENDIAN(Q); K := TO_LITTLE_ENDIAN(K);",
     "Q : LWORD := 16#1122334455667788; K : DWORD := 16#AABB;", "", {"W": 0x3412, "A": -257, "Main.Q": 0x8877665544332211, "Main.K": 0xAABB}),
    ("what is checked", "Y1 := IS_VALID(R1) AND IS_VALID_BCD(WORD#16#9190); Y2 := IS_VALID_BCD(WORD#16#9A90);", "", "", {"Y1": True, "Y2": False}),
    ("characters of texts", "Nm[3] := Nm[1]; Ch := Nm[2]; Y1 := Nm[N1 - 5] = 'b'; Recs[2].Word := 'north'; Recs[2].Word[1] := Recs[2].Word[N1 - 2]; Recs[1].Word := Words[N1 - 6];"
     " FOR A := 1 TO 5 DO IF Recs[2].Word[A] = 'r' THEN B := A; END_IF; END_FOR;",
     "Nm : STRING[10] := 'abc'; Ch : CHAR; Recs : ARRAY[1..2] OF Rec; Words : ARRAY[1..2] OF STRING[3] := ['one', 'two'];",
     "TYPE Rec : STRUCT Word : STRING[8]; K : INT; END_STRUCT; END_TYPE ",
     {"Main.Nm": "aba", "Main.Ch": "b", "Y1": True, "Main.Recs[2].Word": "horth", "B": 3, "Main.Recs[1].Word": "one"}),
    ("functions that give a text of a length, an array, a structure", "S1 := Join('ab', 'cde'); K := Three(5); A := K[3]; Rec := Both(7); C := Rec.X;",
     "S1 : STRING; K : ARRAY[1..3] OF INT; Rec : Two;",
     "TYPE Two : STRUCT X, Y : INT; END_STRUCT; END_TYPE; FUNCTION Join : STRING[4] VAR_INPUT P, Q : STRING; END_VAR Join := CONCAT(P, Q); END_FUNCTION; "
     "FUNCTION Three : ARRAY[1..3] OF INT VAR_INPUT P : INT; END_VAR Three[1] := P; Three[2] := P + 1; Three[3] := P + 2; END_FUNCTION; "
     "FUNCTION Both : Two VAR_INPUT P : INT; END_VAR Both.X := P; Both.Y := 2 * P; END_FUNCTION ",
     {"Main.S1": "abcd", "A": 7, "C": 7}),
    ("dates of single digits", "D1 := D#2024-2-8; TD := TOD#1:2:3.5; Y1 := DT#2024-2-8-1:2:3.5 = CONCAT_DATE_TOD(D1, TD);", "D1 : DATE; TD : TOD;", "",
     {"Y1": True, "Main.TD": 3_723_500_000_000}),
    ("an output inverted", "E(CLK := X1, Q => Y1); E2(CLK := X1, NOT Q => Y2);", "E, E2 : R_TRIG;", "", {"Y1": True, "Y2": False}),
]


class Constructs(unittest.TestCase):
    """One after another, in either engine."""

    def test_each(self) -> None:
        for what, body, local, before, wanted in CASES_OF:
            for controller, journal in both_engines(body, ROWS, local, before):
                with self.subTest(what, plain=controller.plain):
                    self.assertIsNone(journal.fault)
                    self.assertEqual({n: settled(controller, journal, n, 1) for n in wanted}, wanted)

    def test_faults_name_their_place_and_what_should_have_received_the_result(self) -> None:
        for body, code, tag, words in (("A := N1 / (N1 - 7);", "division by zero", "A", ""), ("A := 30000; B := A + A;", "overflow", "B", "60000 does not fit INT"),
                                       ("K[N1] := 1;", "array index", "Main.K[1]", "index 7 is outside 1 to 3"), ("A := REAL_TO_INT(1.0E6);", "overflow", "A", ""),
                                       ("G := SQRT(-1.0);", "undefined result", "G", ""), ("Lim := 25;", "overflow", "Main.Lim", "25 does not fit -5 to 20"),
                                       ("Small := 100; A := Small + Small;", "overflow", "A", "200 does not fit SINT (-128 to 127)"),
                                       ("Big := 70000; K[2] := DINT_TO_INT(Big);", "overflow", "Main.K[2]", "70000 does not fit INT"),
                                       ("Big := 70000; K[N1 - 5] := DINT_TO_INT(Big);", "overflow", "", ""), ("K[2] := 1 + K[N1];", "array index", "Main.K[1]", "index 7"),
                                       ("Big := 70000; One(P := DINT_TO_INT(Big));", "overflow", "Main.One.P", "70000 does not fit INT"),
                                       ("One(P := STRING_TO_INT('70000') + 1);", "overflow", "Main.One.P", "70000 does not fit INT")):
            declared = "K : ARRAY[1..3] OF INT; Lim : Short; Small : SINT; Big : DINT; One : Sum;"
            block = f"{PAIR} FUNCTION_BLOCK Sum VAR_INPUT P : INT; END_VAR VAR_OUTPUT Q : INT; END_VAR Q := P; END_FUNCTION_BLOCK "
            for controller, journal in both_engines(body, ROWS, declared, block):
                with self.subTest(body, plain=controller.plain):
                    assert journal.fault is not None
                    fault = journal.fault
                    self.assertEqual((fault.code, controller.running.tags[fault.tag].name if fault.tag is not None else ""), (code, tag))
                    self.assertIn(words, fault.text)

    def test_an_endless_loop_bites_the_watchdog_or_the_limit(self) -> None:
        for body in ("WHILE X1 DO A := 1; END_WHILE;", "REPEAT A := 1; UNTIL X2 END_REPEAT;"):
            faults = [j.fault for _, j in both_engines(body, ROWS, rung_time=100_000)]
            self.assertEqual([f.code for f in faults if f is not None], ["watchdog", "watchdog"])
            self.assertEqual(faults[0] and faults[0].number, faults[1] and faults[1].number)

    def test_each_pass_counts_as_a_step(self) -> None:
        for body, steps in (("FOR A := 1 TO 5 DO B := A; END_FOR;", 6), ("WHILE B < 3 DO B := B + 1; END_WHILE; B := 0;", 5), ("REPEAT B := B + 1; UNTIL B > 1 END_REPEAT; B := 0;", 4),
                            ("FOR A := 5 TO 1 DO B := A; END_FOR;", 1), (";;", 0)):
            for _, journal in both_engines(body, ROWS, rung_time=1000):
                self.assertEqual(journal.lengths[0].tolist() if len(journal.lengths) else [1, 0], [1, 1000 * steps], body)

    def test_a_return_in_a_function_ends_it_alone(self) -> None:
        before = "FUNCTION F : INT VAR_INPUT P : BOOL; END_VAR F := 1; IF P THEN RETURN; END_IF; F := 2; END_FUNCTION "
        for controller, journal in both_engines("A := F(X1) * 10 + F(X2);", ROWS, "", before):
            self.assertEqual(settled(controller, journal, "A"), 12)

    def test_tasks_and_orders(self) -> None:
        text = text_of("IF X1 THEN TASK_HOLD('Fast'); ELSE TASK_RELEASE('Fast'); END_IF; Y1 := X1;").replace(
            "PROGRAM Main : Main;", "TASK Fast(INTERVAL := T#10ms, PRIORITY := 1); PROGRAM Main : Main; PROGRAM Two WITH Fast : Quick;")
        program = read(f"PROGRAM Quick VAR_EXTERNAL C : DINT; END_VAR C := C + 1; END_PROGRAM {text}".encode(), Path("x.st")).value
        for plain in (True, False):
            controller = Controller(program, Profile(scan_time=10_000_000), plain=plain)
            journal = controller.replay(log_of(controller, [(0, "X1", 0), (45, "X1", 1), (95, "X1", 0), (120, "X1", 0)]))
            self.assertEqual([(h.scan, h.on) for h in journal.held], [(6, True), (11, False)])

    def test_what_cannot_be_executed_is_said_and_the_rest_runs(self) -> None:
        for body, why in (("A := Unknown + 1;", "Unknown names nothing that is declared"), ("A := Nofun(3);", "Nofun is no function and no block"),
                          ("Tm(IN := X1, XX := 3);", "Tm has no XX"), ("A := LEN(B);", "LEN takes texts, B is none"), ("A := 'abc';", "'abc' is a text, A is none"),
                          ("A := 1 + ADD(EN := X1, IN1 := 4, IN2 := 5);", "ADD has no EN and no ENO inside an expression"),
                          ("A := Half(EN := X1, P := 4);", "Half declares EN itself, and not as TRUE where it is left out"), ("A := Half();", "Half declares EN itself"),
                          ("A := B + 'abc';", "'abc' is a text, and ADD takes none"), ("Y2 := B = 'abc';", "B is no text"), ("Tm(PT := 'abc');", "'abc' is a text, PT is none"), ("Arr := A;", "Arr takes no single value"),
                          ("Into(V := R1);", "R1 has another type than V, which stands for it (VAR_IN_OUT)"), ("Into(V := 5);", "5 is no variable, and V stands for one"),
                          ("Into(V := N1, Row := Five);", "Five has another shape than Row"), ("FOR A := 0 TO Arr DO ; END_FOR;", "Arr counts a loop and is no whole number"),
                          ("FOR F := 1 TO 2 DO ; END_FOR;", "F counts a loop and is no whole number")):
            local = "Tm : TON; Arr : ARRAY[0..1] OF INT; Five : ARRAY[0..4] OF INT; Into : Taking;"
            before = "FUNCTION_BLOCK Taking VAR_IN_OUT V : INT; Row : ARRAY[0..2] OF INT; END_VAR V := Row[2]; END_FUNCTION_BLOCK FUNCTION Half : INT VAR_INPUT EN : BOOL; P : INT; END_VAR Half := P / 2; END_FUNCTION "
            controller = Controller(text_program(f"{body}\nY1 := X1;", local, before), Profile(scan_time=10_000_000))
            self.assertIn(why, " ".join(str(n) for n in controller.notices))
            for done, journal in both_engines(f"{body}\nY1 := X1;", ROWS, local, before):
                self.assertTrue(settled(done, journal, "Y1"), body)

    def test_the_code_keeps_its_rules(self) -> None:
        for seed in range(25):
            controller = Controller(read(random_text(Random(seed)).encode(), Path("x.st")).value, Profile())
            self.assertEqual(faults_of(controller.code), [], seed)


BLOCKS = """FUNCTION_BLOCK Rise
VAR_INPUT Up : BOOL; END_VAR
VAR_OUTPUT N : INT; END_VAR
IF Up THEN N := N + 1; END_IF;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Taker
VAR_IN_OUT R : Rise; END_VAR
R(Up := TRUE);
END_FUNCTION_BLOCK
TYPE Holder : STRUCT S : Rise; K : INT; END_STRUCT; END_TYPE
"""


class ChosenBlocks(unittest.TestCase):
    """Blocks of an array called by a computed subscript."""

    LOCAL = "R : ARRAY [1..3] OF Rise; P : ARRAY [0..1, 5..6] OF TON; H : ARRAY [1..2] OF Holder; Z : Taker;"
    BODY = "R[A](EN := X1, Up := TRUE, N => B);\nP[S, A + 4](IN := X2, PT := T#30ms, Q => Y1);\nH[S + 1].S(Up := X2);\nC := H[S + 1].S.N;"

    def both(self, body: str, rows: list[tuple[int, str, int]]) -> list[tuple[Controller, Journal]]:
        """The program replayed by either engine, the plain one first."""
        controllers = [Controller(text_program(body, self.LOCAL, BLOCKS), Profile(scan_time=10_000_000), plain=p) for p in (True, False)]
        return [(c, c.replay(log_of(c, rows, 250))) for c in controllers]

    def test_the_chosen_one_runs_and_no_other(self) -> None:
        rows = [(0, "A", 1), (0, "X1", 1), (50, "A", 2), (90, "X1", 0), (100, "X2", 1), (100, "A", 1), (150, "S", 1), (200, "A", 2)]
        for controller, journal in self.both(self.BODY, rows):
            self.assertEqual(controller.notices, [])
            self.assertIsNone(journal.fault)
            found = {n: settled(controller, journal, f"Main.{n}") for n in ("R[1].N", "R[2].N", "R[3].N", "H[1].S.N", "H[2].S.N")}
            self.assertEqual((found["R[1].N"], found["R[2].N"], found["R[3].N"]), (5, 4, 0))
            self.assertEqual(found["H[1].S.N"], 5)
            self.assertEqual(settled(controller, journal, "Main.P[0,5].Q", 15), True)

    def test_what_is_not_there_halts_unless_it_is_not_enabled(self) -> None:
        rows = [(0, "A", 9), (50, "X1", 1)]
        faults = []
        for _, journal in self.both("R[A](EN := X1, Up := TRUE);", rows):
            assert journal.fault is not None
            faults.append((journal.fault.scan, journal.fault.code, journal.fault.text, journal.fault.tag))
        self.assertEqual(faults[0], faults[1])
        self.assertEqual(faults[0][0], 6)
        self.assertIn("index 9 is outside 1 to 3", faults[0][2])

    def test_handed_over_it_is_said(self) -> None:
        controller = Controller(text_program("Z(R := R[A]);", self.LOCAL, BLOCKS), Profile())
        self.assertIn("a block cannot be handed over so", " ".join(n.what for n in controller.notices))

    def test_who_calls_it_is_known(self) -> None:
        session = text_session(self.BODY, [(0, "A", 1)], self.LOCAL, BLOCKS)
        self.assertEqual(next(p.called_by for p in survey(session).pous if p.name == "Rise"), ("Taker", "Main"))


class Edges(unittest.TestCase):
    """Inputs declared with R_EDGE and F_EDGE."""

    BLOCK = "FUNCTION_BLOCK Seen\nVAR_INPUT U : BOOL R_EDGE; V : BOOL F_EDGE; END_VAR VAR_OUTPUT M, K : INT; END_VAR\n" \
            "IF U THEN M := M + 1; END_IF;\nIF NOT V THEN RETURN; END_IF;\nK := K + 1;\nEND_FUNCTION_BLOCK"

    def test_the_body_sees_the_edge_alone(self) -> None:
        rows = [(0, "X1", 1), (50, "X1", 0), (100, "X1", 1), (150, "X1", 0)]
        for plain in (True, False):
            controller = Controller(text_program("E(U := X1, V := X1);", "E : Seen;", self.BLOCK), Profile(scan_time=10_000_000), plain=plain)
            journal = controller.replay(log_of(controller, rows, 200))
            self.assertEqual(controller.notices, [])
            self.assertEqual([settled(controller, journal, f"Main.E.{n}") for n in ("M", "K")], [2, 2])
            self.assertEqual(settled(controller, journal, "Main.E.U", 4), True)

    def test_in_a_chart_it_is_said(self) -> None:
        chart = "PROGRAM Main VAR_INPUT U : BOOL R_EDGE; END_VAR INITIAL_STEP A: END_STEP TRANSITION FROM A TO A := U; END_TRANSITION END_PROGRAM"
        notices = read(chart.encode(), Path("x.st")).notices
        self.assertIn("edges of inputs are read in texts only", " ".join(n.what for n in notices))


class Agreement(unittest.TestCase):
    """Random programs."""

    def test_both_engines_leave_the_same(self) -> None:
        seen: Counter[str] = Counter()
        for seed in range(FIRST, FIRST + CASES):
            with self.subTest(seed=seed):
                random = Random(seed)
                program = read(random_text(random).encode(), Path("x.st")).value
                profile = Profile(scan_time=10_000_000, on_overflow=random.choice(list(Overflow)), rung_time=random.choice([0, 1000]))
                plain, compiled = Controller(program, profile, plain=True), Controller(program, profile)
                log = random_text_log(random, plain.running)
                one, two = plain.replay(log), compiled.replay(log)
                self.assertEqual(difference(one, two, [t.name for t in plain.running.tags]), "")
                seen[one.fault.code if one.fault is not None else ""] += 1
                seen["rows"] += len(one)
        self.assertGreater(seen[""], CASES // 2)
        self.assertGreater(seen["rows"], 100 * CASES)

    def test_a_step_executed_again_leaves_its_rows(self) -> None:
        held = 0
        for seed in range(18):
            random = Random(seed)
            controller = Controller(read(random_text(random).encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
            journal = controller.replay(random_text_log(random, controller.running))
            again = controller.again()
            for scan in range(1, min(journal.clock.last, 12)):
                for step in controller.steps.all[:controller.steps.cyclic]:
                    if controller.paths.skipped(journal, step.index, scan) is not None or (journal.fault is not None and journal.fault.scan <= scan):
                        continue
                    if any(isinstance(a, Call) for a in every(controller.calls.code_of(step.index).actions)):
                        continue
                    made = range(controller.paths.seen(journal, step.index, scan), controller.paths.done(journal, step.index, scan))
                    rows = [(journal.tag(r), journal.raw(r)) for r in made if journal.tag(r) < controller.running.public]
                    mine = [row for row in again.ran(journal, step.index, scan).rows if row[0] < controller.running.public]
                    self.assertEqual(mine, rows, (seed, scan, step.rung.number))
                    held += 1
        self.assertGreater(held, 500)

    def test_a_function_that_several_steps_call(self) -> None:
        """What a step saw, although the function that is first called above it left its last row below."""
        body = "A := Bump(A);\nB := A;\nC := 5;\nIF X1 THEN A := Bump(A); END_IF;\nC := C + 1;\nA := Bump(A) - 20;"
        before = "FUNCTION Bump : INT VAR_IN_OUT K : INT; END_VAR K := K + 1; Bump := K + 10; END_FUNCTION "
        for x1 in (0, 1):
            with self.subTest(x1=x1):
                session = text_session(body, [(0, "X1", x1), (30, "X2", 1)], "", before)
                journal, paths, tag = session.journal, session.controller.paths, session.tag("A")
                seen = [[journal.value_at(tag, paths.seen(journal, step, scan)) for step in range(6)] for scan in (1, 2)]
                value, wanted = 0, []
                for _ in seen:
                    row = [value]
                    value += 11  # Bump's own write of A is overwritten by its result
                    row += [value, value, value]
                    value += 11 * x1
                    row += [value, value]
                    value += 11 - 20
                    wanted.append(row)
                self.assertEqual(seen, wanted)


if __name__ == "__main__":
    unittest.main()
