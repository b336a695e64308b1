"""Arrays of any length as parameters, in both engines, against sums that are written out; and where their trails lead."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.building import Rows, log_of
from tests.engine.test_front import Sheet, pin, program
from tests.texts import both_engines, settled, text_of, text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.words import answer_text
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.formats.programs.xml import read as read_xml
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.ladder import Pin
from whorlograph.model.profile import Profile
from whorlograph.model.types import UNBOUND, ArrayOf

TOTAL = ("FUNCTION Total : DINT VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR VAR I : DINT; END_VAR\n"
         "FOR I := LOWER_BOUND(A, 1) TO UPPER_BOUND(A, 1) DO Total := Total + A[I] * I; END_FOR; END_FUNCTION\n")
TWO = ("FUNCTION Corner : INT VAR_IN_OUT M : ARRAY[*, *] OF INT; END_VAR\n"
       "Corner := M[LOWER_BOUND(M, 1), UPPER_BOUND(M, 2)] * 100 + M[UPPER_BOUND(M, 1), LOWER_BOUND(M, 2)]; END_FUNCTION\n")
FILL = ("FUNCTION_BLOCK Fill VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR VAR_INPUT Each : INT; END_VAR VAR_OUTPUT Last : INT; END_VAR VAR I : INT; END_VAR\n"
        "FOR I := LOWER_BOUND(A, 1) TO UPPER_BOUND(A, 1) DO A[I] := I * Each; END_FOR; Last := A[UPPER_BOUND(A, 1)]; END_FUNCTION_BLOCK\n")
ROWS: Rows = [(0, "X1", 0), (0, "N1", 7), (50, "X1", 1), (90, "N1", 60), (140, "N1", 60)]


class AnyLength(unittest.TestCase):
    """A copy for each length."""

    def check(self, body: str, local: str, before: str, wanted: dict[str, object]) -> None:
        for controller, journal in both_engines(body, ROWS, local, before):
            with self.subTest(body, plain=controller.plain):
                self.assertEqual(controller.notices, [])
                self.assertIsNone(journal.fault)
                self.assertEqual({n: settled(controller, journal, n, 1) for n in wanted}, wanted)

    def test_functions_and_blocks_take_each_length(self) -> None:
        arrays = "Tab : ARRAY[2..5] OF INT := [1, 2, 3, 4]; Uab : ARRAY[-1..1] OF INT := [10, 20, 30];"
        self.check("C := Total(Tab); A := DINT_TO_INT(Total(A := Uab)); B := Corner(M);", f"{arrays} M : ARRAY[1..2, 0..2] OF INT := [1, 2, 3, 4, 5, 6];", TOTAL + TWO,
                   {"C": 2 + 6 + 12 + 20, "A": 20, "B": 304})
        self.check("One(A := Tab, Each := 3); Two(A := Uab, Each := 2, Last => B); A := One.Last;", f"{arrays} One, Two : Fill;", FILL,
                   {"A": 15, "B": 2, "Main.Tab[2]": 6, "Main.Tab[5]": 15, "Main.Uab[-1]": -2, "Main.Uab[0]": 0})
        # Members, elements of an array of arrays, what one function hands on to another, and the bounds of what has them anyway.
        self.check("A := DINT_TO_INT(Total(P.Inner)); B := DINT_TO_INT(Twice(Rows[2])); C := UPPER_BOUND(Tab, 1) - LOWER_BOUND(Uab, 1);",
                   f"{arrays} P : Holder; Rows : ARRAY[1..2] OF Row;",
                   f"TYPE Row : ARRAY[3..4] OF INT := [5, 6]; Holder : STRUCT Inner : Row; END_STRUCT; END_TYPE {TOTAL} FUNCTION Twice : DINT "
                   "VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR Twice := 2 * Total(A); END_FUNCTION ", {"A": 39, "B": 78, "C": 6})
        self.check("A := First(Tab) + First(Uab);", arrays, "FUNCTION First : INT VAR_INPUT A : ARRAY[*] OF INT; END_VAR First := A[LOWER_BOUND(A, 1)]; END_FUNCTION ", {"A": 11})

    def test_random_lengths(self) -> None:
        for seed in range(15):
            random = Random(seed)
            low = random.randint(-3, 3)
            values = [random.randint(-50, 50) for _ in range(random.randint(1, 9))]
            declared = f"Tab : ARRAY[{low}..{low + len(values) - 1}] OF INT := [{', '.join(map(str, values))}];"
            self.check("C := Total(Tab);", declared, TOTAL, {"C": sum(v * (low + n) for n, v in enumerate(values))})

    def test_what_has_no_length_is_said_and_the_rest_runs(self) -> None:
        for body, local, why in (("C := Total(N1);", "", "Total takes an array of any length, and is given none by name"),
                                 ("C := UPPER_BOUND(Tab, N1);", "Tab : ARRAY[1..2] OF INT;", "UPPER_BOUND takes an array by name, and which of its subscripts as a number"),
                                 ("One(A := Tab); One(A := Uab);", "One : Fill; Tab : ARRAY[1..2] OF INT; Uab : ARRAY[1..3] OF INT;", "Main.One is of type Fill, which takes an array of any length, and is not handed arrays of one"),
                                 ("C := Total(Tab);", "Tab : ARRAY[1..2, 1..2] OF INT;", "Total takes an array of any length, and is given none by name, or one with another number of subscripts")):
            controller = Controller(read(text_of(f"{body}\nY1 := X1;", local, TOTAL + FILL).encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
            said = "\n".join(str(n) for n in controller.notices)
            self.assertIn(why, said)
            self.assertNotIn("Total is no function", said)
            self.assertTrue(settled(controller, controller.replay(log_of(controller, ROWS)), "Y1"))

    def test_drawn_calls_take_the_length_of_what_is_wired_to_them(self) -> None:
        texts = read(f"{TOTAL}{FILL}".encode(), Path("x.st")).value.pous
        sheet = Sheet()
        sheet.block("Fill", pin("Each", sheet.value("3")), instance="One", outs=(Pin("Last"),), in_outs=(pin("A", sheet.both("T")),))
        sheet.out("C", (sheet.block("Total", in_outs=(pin("A", sheet.both("T")),)), "OUT"))
        sheet.out("D", (sheet.block("Total", in_outs=(pin("A", sheet.both("U")),)), "OUT"))
        made = program(sheet.body(), "T:[2..4] U:[1..2] C:DINT D:DINT X1:BOOL N1:INT", tuple(texts.values()), "One:Fill")
        for again in (made, read_xml(write_xml(made), Path("x.xml")).value):
            self.assertEqual({v.type.bounds for p in again.pous.values() for v in p.variables if v.name == "A" and isinstance(v.type, ArrayOf)}, {(UNBOUND,)})
            for plain in (True, False):
                controller = Controller(again, Profile(scan_time=10_000_000), plain=plain)
                journal = controller.replay(log_of(controller, [(0, "X1", 0), (50, "X1", 1)]))
                self.assertEqual(controller.notices, [])
                self.assertEqual([settled(controller, journal, n) for n in ("T[2]", "T[4]", "C", "D")], [6, 12, 12 + 27 + 48, 0])
                self.assertEqual({s.pou for s in controller.steps.all}, {"Main", "Fill", "Total"})

    def test_the_trail_goes_on_through_what_a_function_reads(self) -> None:
        over = ("FUNCTION AnyOver : BOOL VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR VAR_INPUT Lim : INT; END_VAR VAR I : INT; END_VAR\n"
                "FOR I := LOWER_BOUND(A, 1) TO UPPER_BOUND(A, 1) DO IF A[I] > Lim THEN AnyOver := TRUE; END_IF; END_FOR; END_FUNCTION ")
        session = text_session("Tab[2] := 3; Tab[3] := N1;\nY1 := X1 AND NOT AnyOver(Tab, 50);", ROWS, "Tab : ARRAY[1..3] OF INT;", over)
        answer = ask(session, "Y1")
        prove_all(session, answer)
        self.assertEqual((session.running.tags[answer.roots[0].tag or 0].name, answer.roots[0].proved), ("N1", True))
        said = answer_text(session, answer)
        self.assertIn("AnyOver in Main", said)
        self.assertIn("Main.Tab[3] was written by Tab[3] := N1", said)
        self.assertNotIn("Tab[2]", said)
        # A block hands on what was handed to it.
        guard = "FUNCTION_BLOCK Guard VAR_IN_OUT Vals : ARRAY[*] OF INT; END_VAR VAR_OUTPUT Trip : BOOL; END_VAR Trip := AnyOver(Vals, 50); END_FUNCTION_BLOCK "
        session = text_session("Tab[3] := N1;\nG1(Vals := Tab);\nY1 := X1 AND NOT G1.Trip;", ROWS, "Tab : ARRAY[1..3] OF INT; G1 : Guard;", over + guard)
        answer = ask(session, "Y1")
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "N1")
        self.assertIn("Main.Tab[3] was written by Tab[3] := N1", answer_text(session, answer))
        number = answer_text(session, ask(text_session("Tab[3] := N1;\nC := Total(Tab);", ROWS, "Tab : ARRAY[2..4] OF INT;", TOTAL), "C"))
        self.assertIn("C was written by C := Total(Tab) in Main", number)
        self.assertIn("check what is wired to N1", number)
        # What counts the passes is no cause beside what was handed in.
        body, local = "One(A := Tab, Each := N1);\nC := Total(Tab);\nY1 := C < 300;", "Tab : ARRAY[1..4] OF INT; One : Fill;"
        session = text_session(body, ROWS, local, FILL + TOTAL)
        filled = answer_text(session, ask(session, "Y1"))
        self.assertIn("Main.One.Each was written in Main", filled)
        self.assertNotIn("One.I", filled)


if __name__ == "__main__":
    unittest.main()
