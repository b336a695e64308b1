"""Files of IEC 61131-3 text: tokens, what is read, what is said of what cannot be."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.projects import project
from tests.text_strategies import random_text
from tests.texts import text_of, text_program
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.formats.programs.xml import read as read_xml
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.formats.text.tokens import tokens
from whorlograph.model.errors import ProgramError
from whorlograph.model.profile import Profile
from whorlograph.model.program import OpaqueBody, PouKind
from whorlograph.model.steps import units
from whorlograph.model.text import Assign, Binary, Case, Choose, Constant, TextBody, Unary
from whorlograph.model.types import ELEMENTARY, ArrayOf, Enumeration, ListOf, Members, Simple, Structure, Subrange


def notices(text: str) -> list[str]:
    """What is said of a text."""
    return [str(n) for n in read(text.encode(), Path("x.st")).notices]


def _nested(random: Random, depth: int) -> list[str]:
    """Statements, a line each, some inside others."""
    found: list[str] = []
    for _ in range(random.randint(1, 6)):
        kind = random.choice("aaaaicfwr") if depth < 4 else "a"
        inner = _nested(random, depth + 1) if kind != "a" else []
        if kind == "a":
            found.append(random.choice(("A := B + 1;", "B := (A - 2) * 3;", "C := A > B AND NOT C;", "A := MAX(A, B);")))
        elif kind == "i":
            found += ["IF C THEN", *inner, "ELSIF A > 2 THEN", *_nested(random, depth + 1), "ELSE", *_nested(random, depth + 1), "END_IF;"]
        elif kind == "c":
            found += ["CASE A OF", "1, 2:", *inner, "3..5:", *_nested(random, depth + 1), "ELSE", *_nested(random, depth + 1), "END_CASE;"]
        elif kind == "f":
            found += ["FOR A := 1 TO 3 DO", *inner, "END_FOR;"]
        else:
            found += ["WHILE C DO", *inner, "END_WHILE;"] if kind == "w" else ["REPEAT", *inner, "UNTIL C END_REPEAT;"]
    return found


class Tokens(unittest.TestCase):
    """What the grammar sees."""

    def test_literals_end_where_they_end(self) -> None:
        for text, wanted in (("T#1s5ms+A", ["T#1s5ms", "+", "A"]), ("INT#-5-3", ["INT#-5", "-", "3"]), ("16#FF_A", ["16#FF_A"]), ("WORD#16#0F", ["WORD#16#0F"]),
                             ("1..5", ["1", "..", "5"]), ("A.3", ["A", ".", "3"]), ("A.%X12", ["A", ".", "%X12"]), ("2.5E-3*B", ["2.5E-3", "*", "B"]),
                             ("DT#2024-02-29-12:30:00.5", ["DT#2024-02-29-12:30:00.5"]), ("Mode#Auto", ["Mode#Auto"]), ("BOOL#TRUE", ["BOOL#TRUE"]),
                             ("t#-2d_3h", ["t#-2d_3h"]), ("'it$'s'", ["'it$'s'"]), ("a:=b", ["a", ":=", "b"]), ("TIME#612ms_500us)", ["TIME#612ms_500us", ")"])):
            self.assertEqual([p.text for p in tokens(text)], wanted, text)

    def test_comments_of_each_kind_nested_and_unended(self) -> None:
        for text in ("A // x := (* y\n", "A (* b (* c *) d *)", "A /* x */", "A (* * *)", "A {pragma := 1}", "A (* never (* ended *)"):
            self.assertEqual([p.text for p in tokens(text)], ["A"], text)
        self.assertEqual([(p.text, p.line, p.column) for p in tokens("A\n  (* x\n y *) B")], [("A", 1, 1), ("B", 3, 7)])

    def test_words_behind_a_dot_are_names(self) -> None:
        self.assertEqual([p.kind for p in tokens("a.on if ON")], ["NAME", "DOT", "NAME", "IF", "ON"])


class Files(unittest.TestCase):
    """Types, POUs, configurations."""

    def test_types(self) -> None:
        program = read(b"TYPE Mode : (Idle, Run := 5, Trip) := Run; Small : INT (-3..9) := 2; Row : ARRAY[0..1, -1..1] OF SINT := [2(3), 4];"
                       b" Pair : STRUCT A, B : INT := 16#F; C : STRING[20]; D : Row; END_STRUCT := (A := 1, D := [6(2)]); END_TYPE PROGRAM P ; END_PROGRAM", Path("x.st")).value
        self.assertEqual(program.types["mode"], Enumeration((("Idle", 0), ("Run", 5), ("Trip", 6))))
        self.assertEqual((program.types["small"], program.types["row"]), (Subrange(ELEMENTARY["INT"], -3, 9), ArrayOf(((0, 1), (-1, 1)), ELEMENTARY["SINT"])))
        pair = program.types["pair"]
        assert isinstance(pair, Structure)
        self.assertEqual([(f.name, f.initial) for f in pair.fields][:2], [("A", Simple("16#F")), ("B", Simple("16#F"))])
        self.assertEqual(program.defaults["mode"], Simple("Run"))
        self.assertEqual(program.defaults["row"], ListOf(((2, Simple("3")), (1, Simple("4")))))
        self.assertEqual(program.defaults["pair"], Members((("A", Simple("1")), ("D", ListOf(((6, Simple("2")),))))))

    def test_pous_tasks_and_what_stands_behind_a_declaration(self) -> None:
        text = ("FUNCTION F : DINT VAR_INPUT a : INT; END_VAR F := a; END_FUNCTION\nFUNCTION_BLOCK B VAR_IN_OUT x : INT; END_VAR x := 1; END_FUNCTION_BLOCK\n"
                "CONFIGURATION C VAR_GLOBAL RETAIN\n G AT %QX1.2 : BOOL := TRUE; (* lamp over the door *)\n END_VAR RESOURCE R ON CPU TASK Fast(INTERVAL := T#20ms, PRIORITY := 2);"
                " TASK Edge(SINGLE := G, PRIORITY := 1); PROGRAM One WITH Fast : P; PROGRAM Two : P; END_RESOURCE END_CONFIGURATION\nPROGRAM P END_PROGRAM")
        program = read(text.encode(), Path("x.st")).value
        self.assertEqual([(p.name, p.kind) for p in program.pous.values()], [("F", PouKind.FUNCTION), ("B", PouKind.FUNCTION_BLOCK), ("P", PouKind.PROGRAM)])
        resource = program.configurations[0].resources[0]
        self.assertEqual([(t.name, t.priority, t.interval, t.single) for t in resource.tasks], [("Fast", 2, "T#20ms", ""), ("Edge", 1, "", "G")])
        self.assertEqual([(i.name, i.pou, i.task) for i in resource.instances], [("One", "P", "Fast"), ("Two", "P", "")])
        lamp = program.configurations[0].variables[0]
        self.assertEqual((lamp.address, lamp.retain, lamp.documentation, lamp.line), ("%QX1.2", True, "lamp over the door", 4))

    def test_addresses_that_the_configuration_gives(self) -> None:
        text = """FUNCTION_BLOCK Valve VAR Coil AT %Q* : BOOL; END_VAR VAR_INPUT Go : BOOL; END_VAR
Coil := Go;
END_FUNCTION_BLOCK
PROGRAM Main VAR Go AT %I* : BOOL; V : Valve; Level AT %I* : INT; END_VAR
V(Go := Go AND Level > 3);
END_PROGRAM
CONFIGURATION C VAR_GLOBAL Lamp AT %QX9.0 : BOOL; END_VAR
RESOURCE R ON P PROGRAM One : Main; PROGRAM Two : Main; END_RESOURCE
VAR_ACCESS Seen : R.One.Go : BOOL READ_ONLY; END_VAR
VAR_CONFIG R.One.Go AT %IX0.0 : BOOL; R.One.V.Coil AT %QX0.0 : BOOL := TRUE; Two.Go AT %IX0.1 : BOOL; R.Two.Level AT %IW2 : INT; END_VAR
END_CONFIGURATION
"""
        self.assertEqual(notices(text), [])
        tags = Controller(read(text.encode(), Path("x.st")).value, Profile()).running.tags
        self.assertEqual({t.name: str(t.address) for t in tags if t.address is not None},
                         {"Lamp": "%QX9.0", "One.Go": "%IX0.0", "One.V.Coil": "%QX0.0", "Two.Go": "%IX0.1", "Two.Level": "%IW2"})
        for wrong, why in (("VAR_CONFIG : BOOL; END_VAR", "the path of a variable was expected"), ("VAR_CONFIG One.Go AT %IX0.0 : BOOL;", "VAR_CONFIG is not ended")):
            told = notices(text.replace(text[text.index("VAR_CONFIG"):text.index("END_CONFIGURATION")], wrong + "\n"))
            self.assertTrue(any(why in one and "x.st:10:" in one for one in told), told)

    def test_parameters_that_the_configuration_connects_are_read_with_their_lines(self) -> None:
        text = ("PROGRAM M VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT y : BOOL; END_VAR y := x; END_PROGRAM\nCONFIGURATION C VAR_GLOBAL G, H : BOOL; END_VAR RESOURCE R ON P\n"
                "PROGRAM A : M(x := G,\n  y => H); PROGRAM B : M; END_RESOURCE END_CONFIGURATION")
        loaded = read(text.encode(), Path("x.st"))
        one, other = loaded.value.configurations[0].resources[0].instances
        self.assertEqual([(a.name, a.value is not None) for a in one.connected], [("x", True), ("y", False)])
        self.assertEqual((one.line, one.source), (3, ("PROGRAM A : M(x := G,", "  y => H); PROGRAM B : M; END_RESOURCE END_CONFIGURATION")))
        self.assertEqual((other.connected, other.source), ((), ()))
        self.assertEqual(Controller(loaded.value, Profile()).notices, [])

    def test_a_structure_without_a_semicolon_behind_it(self) -> None:
        for end in ("END_STRUCT END_TYPE", "END_STRUCT; END_TYPE", "END_STRUCT := (x := 2) END_TYPE"):
            loaded = read(f"TYPE P : STRUCT x : INT; q : STRUCT y : BOOL; END_STRUCT; {end} PROGRAM M VAR p : P; END_VAR ; END_PROGRAM".encode(), Path("x.st"))
            told = [str(n) for n in loaded.notices]
            self.assertEqual((told != [], isinstance(loaded.value.types.get("p"), Structure)), (":=" in end, ":=" not in end), (end, told))
        two = read(b"TYPE P : STRUCT x : INT; END_STRUCT Q : STRUCT p : P; END_STRUCT END_TYPE PROGRAM M VAR q : Q; END_VAR ; END_PROGRAM", Path("x.st"))
        self.assertEqual(([str(n) for n in two.notices], sorted(two.value.types)), ([], ["p", "q"]))

    def test_of_a_configuration_only_what_is_wrong_is_left_out(self) -> None:
        text = ("FUNCTION_BLOCK Guard VAR_INPUT P : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := P; END_FUNCTION_BLOCK\n"
                "PROGRAM Main VAR_INPUT A : BOOL; END_VAR VAR G, H : Guard; END_VAR G(P := A); END_PROGRAM\nCONFIGURATION C\nVAR_GLOBAL K AT %IX0.0 : BOOL; END_VAR\n"
                "RESOURCE R ON CPU\nTASK Slow (INTERVAL := T#1s);\nTASK Odd (INTERVAL T#1s);\nPROGRAM P1 WITH Slow : Main (G WITH Slow, A := K, H.Q WITH Odd);\n"
                "PROGRAM P2 Main;\nPROGRAM P3 WITH Odd : Main (A := K);\nPROGRAM P4 : Main (G WITH Slow);\nEND_RESOURCE\nEND_CONFIGURATION\n")
        loaded = read(text.encode(), Path("x.st"))
        found = loaded.value.configurations[0]
        self.assertEqual([v.name for v in found.variables], ["K"])
        self.assertEqual([(p.name, p.task, len(p.connected)) for p in found.resources[0].instances], [("P1", "Slow", 1), ("P3", "Odd", 1), ("P4", "", 0)])
        self.assertEqual([t.name for t in found.resources[0].tasks], ["Slow"])
        self.assertEqual([(n.place.line, n.what.partition(": ")[2]) for n in loaded.notices],
                         [(8, "G is to run under task Slow by itself: that is not done"), (8, "H.Q is to run under task Odd by itself: that is not done"),
                          (11, "G is to run under task Slow by itself: that is not done"), (7, "'T#1s' stands here, ':=' was expected"),
                          (9, "'Main' stands here, ':', WITH was expected")])
        controller = Controller(loaded.value, Profile())
        self.assertEqual([n.what for n in controller.notices], ["P3 stands on task Odd, which is not declared"])

    def test_what_stands_in_no_configuration_is_passed_over(self) -> None:
        text = ("PROGRAM Main VAR A AT %IX0.0 : BOOL; END_VAR ; END_PROGRAM CONFIGURATION C\nCHANNEL 4 : Fast;\nRESOURCE R ON CPU\nTASK T1 (INTERVAL := T#1s);\nBUFFER 3\n"
                "PROGRAM P1 WITH T1 : Main;\nEND_RESOURCE\nMORE\nEND_CONFIGURATION\n")
        loaded = read(text.encode(), Path("x.st"))
        resource = loaded.value.configurations[0].resources[0]
        self.assertEqual(([p.name for p in resource.instances], [t.name for t in resource.tasks]), (["P1"], ["T1"]))
        self.assertEqual([n.place.line for n in loaded.notices], [2, 5, 8])
        self.assertTrue(all("begins nothing that stands in a configuration" in n.what for n in loaded.notices))

    def test_semicolons_behind_what_ends(self) -> None:
        text = ("TYPE A : INT (0..9); END_TYPE; FUNCTION F : ARRAY[1..2] OF STRING[5] VAR_INPUT P : A; END_VAR; F[1] := 'a'; END_FUNCTION;\n"
                "PROGRAM Main VAR X : A; END_VAR; X := 1; END_PROGRAM;")
        self.assertEqual(notices(text), [])
        found = read(text.encode(), Path("x.st")).value
        returns = found.pous["f"].returns
        assert isinstance(returns, ArrayOf)
        self.assertEqual((returns.bounds, returns.base), (((1, 2),), Subrange(ELEMENTARY["STRING"], 0, 5)))
        self.assertEqual(notices("FUNCTION F : ARRAY[1..] OF INT F[1] := 1; END_FUNCTION FUNCTION G : INT G := 1; END_FUNCTION"),
                         ["x.st:1: column 23: ']' stands here, a name, AND, an address, a literal, '-', MOD ... was expected; FUNCTION F is left out"])

    def test_constants_stand_where_a_declaration_needs_a_number(self) -> None:
        text = ("TYPE Row : ARRAY[0..LAST] OF INT; END_TYPE\nPROGRAM P\nVAR CONSTANT\n  N : INT := 4;\n  M : INT := N - 1;\n  Low : INT := -2;\n  T0 : TIME := T#3s;\nEND_VAR\n"
                "VAR\n  A : ARRAY[1..N, Low..M] OF BOOL;\n  B : INT(Low..LAST) := M;\n  C : STRING[N] := 'x';\n  D : ARRAY[1..2*N] OF Row := [N(), 2(), 2()];\n"
                "  E : ARRAY[0..Size] OF INT;\nEND_VAR\n  A[1, 0] := TRUE;\nEND_PROGRAM\n"
                "PROGRAM Q\nVAR CONSTANT N : INT := 2; END_VAR\nVAR Size : INT; F : ARRAY[1..N] OF BOOL; END_VAR\n  F[1] := TRUE;\nEND_PROGRAM\n"
                "VAR_GLOBAL CONSTANT LAST : INT := 5; Size : INT := 7; END_VAR\n")
        text = text.replace(" := [N(), 2(), 2()]", "")
        loaded = read(text.encode(), Path("x.st"))
        self.assertEqual([str(n) for n in loaded.notices], [])
        types = {v.name: v.type for p in loaded.value.pous.values() for v in p.variables}
        assert isinstance(types["A"], ArrayOf) and isinstance(types["B"], Subrange) and isinstance(types["D"], ArrayOf)
        self.assertEqual((types["A"].bounds, types["D"].bounds), (((1, 4), (-2, 3)), ((1, 8),)))
        self.assertEqual((types["B"].low, types["B"].high), (-2, 5))
        self.assertEqual([types[n].bounds for n in ("E", "F")], [((0, 7),), ((1, 2),)])  # type: ignore[union-attr]
        row = loaded.value.types["row"]
        assert isinstance(row, ArrayOf)
        self.assertEqual(row.bounds, ((0, 5),))
        initial = {v.name: v.initial for v in loaded.value.pous["p"].variables}
        self.assertEqual((initial["M"], initial["B"]), (Simple("3"), Simple("M")))
        starts = {t.name: t.initial for t in Controller(loaded.value, Profile()).running.tags}
        self.assertEqual((starts["P.M"], starts["P.B"]), (3, 3))

    def test_a_name_that_is_no_constant_there_is_said(self) -> None:
        said = notices("PROGRAM P VAR N : INT := 4; A : ARRAY[1..N] OF BOOL; END_VAR A[1] := TRUE; END_PROGRAM VAR_GLOBAL CONSTANT N : INT := 3; END_VAR"
                       " PROGRAM Q VAR_EXTERNAL CONSTANT N : INT; END_VAR VAR A : ARRAY[1..N] OF BOOL; END_VAR A[1] := TRUE; END_PROGRAM")
        self.assertEqual(len(said), 1)
        self.assertIn("N is no number that is written down", " ".join(said))
        # What is no number leaves the rest alone; a type of the same name too.
        self.assertEqual(notices("PROGRAM P VAR CONSTANT K : BOOL := TRUE; S : INT := 2; END_VAR VAR A : ARRAY[1..S] OF BOOL; END_VAR A[1] := K; END_PROGRAM"), [])

    def test_precedence_and_signs(self) -> None:
        body = text_program("A := -N1 ** 2 + 3 * 4; Y1 := NOT X1 AND X2 OR X3 XOR X1 = X2; C := -5;").pous["main"].body
        assert isinstance(body, TextBody)
        first, second, third = (s.value for s in body.statements if isinstance(s, Assign))
        assert isinstance(first, Binary) and isinstance(first.left, Binary) and isinstance(second, Binary)
        self.assertEqual((first.code, first.left.code, type(first.left.left)), ("ADD", "EXPT", Unary))
        self.assertEqual((second.code, second.left.code if isinstance(second.left, Binary) else ""), ("OR", "AND"))
        self.assertEqual(third, Constant(third.at, 5, "-5", "", -5))

    def test_labels_of_case_and_else(self) -> None:
        body = text_program("CASE N1 OF 1, 3..5: A := 1; -2: ; X_Red: B := 2; ELSE A := 0; END_CASE;", "", "TYPE M : (X_Red); END_TYPE").pous["main"].body
        assert isinstance(body, TextBody)
        case = body.statements[0]
        assert isinstance(case, Case)
        self.assertEqual(([len(b.labels) for b in case.branches], [len(b.statements) for b in case.branches], len(case.other)), ([2, 1, 1], [1, 0, 1], 1))

    def test_errors_of_several_pous_at_once_the_rest_loads(self) -> None:
        text = text_of("Y1 := X1;", "", "PROGRAM Bad\nA := ;\nB := 2;\nEND_PROGRAM\nFUNCTION Worse : INT\nIF X THEN\nEND_FUNCTION\nNonsense here\n")
        loaded = read(text.encode(), Path("x.st"))
        said = [str(n) for n in loaded.notices]
        self.assertEqual(len(said), 3, said)
        self.assertIn("x.st:2 Bad: column 6: ';' stands here", said[0])
        self.assertIn("was expected", said[0])
        self.assertIn("x.st:6 Worse", said[1])
        self.assertIn("'Nonsense' begins no type, POU or configuration", said[2])
        self.assertEqual(loaded.value.pous["bad"].body, OpaqueBody("ST", "A := ;\nB := 2;", ("A", "B")))
        self.assertIsInstance(loaded.value.pous["main"].body, TextBody)

    def test_every_damaged_statement_of_a_body_is_told_and_no_other(self) -> None:
        found = 0
        for seed in range(60):
            random = Random(seed)
            lines, damaged = _nested(random, 0), set[int]()
            plain = [n for n, line in enumerate(lines) if ":=" in line and line.endswith(";") and "FOR" not in line]
            for n in random.sample(plain, min(len(plain), random.choice((0, 1, 2, 5, 30)))):
                lines[n] = random.choice((lines[n].replace(":= ", ":= * ", 1), lines[n].replace(":=", "", 1), lines[n].replace(";", " );", 1)))
                damaged.add(n)
            text = "PROGRAM Main\nVAR A, B : INT; C : BOOL; END_VAR\n" + "\n".join(lines) + "\nEND_PROGRAM\nPROGRAM Other\nVAR A : INT; END_VAR\nA := 1;\nEND_PROGRAM\n"
            told = [int(n.split(":")[1].split()[0]) - 3 for n in notices(text) if "expected" in n]
            self.assertEqual(told, sorted(damaged)[:21], f"seed {seed}\n{text}")
            found += len(told)
        self.assertGreater(found, 150)

    def test_declarations_and_the_body_behind_them(self) -> None:
        text = ("PROGRAM P\nVAR A : BOOL\nB : BOOL; C INT; D : INT;\nEND_VAR\nVAR_INPUT E : ; F : INT; END_VAR\nA := ;\nB := A;\nD := 1 +;\nEND_PROGRAM\n"
                "PROGRAM Q\nVAR A : BOOL; END_VAR\nA := TRUE;\nEND_PROGRAM\n")
        said = [n for n in notices(text) if "expected" in n]
        self.assertEqual([n.split(":")[1].split()[0] for n in said], ["3", "3", "5", "6", "8"])
        self.assertTrue(all("the declaration is left out, and what uses it not executed" in one for one in said[:3]), said)
        self.assertIn("another error of the same text", said[4])

    def test_a_declaration_that_cannot_be_read_is_left_out_alone(self) -> None:
        text = ("FUNCTION_BLOCK F VAR_INPUT X : REF_TO INT; Go : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := Go; END_FUNCTION_BLOCK\n"
                "PROGRAM P VAR CONSTANT N : INT := 3; Wrong : ; END_VAR\n"
                "VAR R : REF_TO INT; S : STRUCT a : INT; b ? ; c : BOOL; END_STRUCT; A : ARRAY[1..N] OF INT; B : BOOL; One : F; END_VAR\n"
                "One(Go := TRUE, Q => B);\nA[1] := 5;\nR := REF(A[1]);\nEND_PROGRAM\n"
                "CONFIGURATION C VAR_GLOBAL G : BOOL; H INT; END_VAR VAR_GLOBAL K : INT; END_VAR RESOURCE Q ON Z VAR_GLOBAL L : ; END_VAR "
                "TASK T(INTERVAL := T#20ms, PRIORITY := 1); PROGRAM P1 WITH T : P; END_RESOURCE END_CONFIGURATION\n"
                "VAR_GLOBAL M : BOOL; : INT; END_VAR\n")
        loaded = read(text.encode(), Path("x.st"))
        left_out = [str(n) for n in loaded.notices if "the declaration is left out" in str(n)]
        self.assertEqual([n.split(":")[1].split()[0] for n in left_out], ["1", "2", "3", "3", "8", "8", "9"], left_out)
        controller = Controller(loaded.value, Profile())
        names = {t.name for t in controller.running.tags}
        self.assertTrue({"G", "K", "P1.A[3]", "P1.B", "P1.One.Q"} <= names and not any(n.startswith(("P1.S", "P1.R", "H")) for n in names), sorted(names))
        self.assertTrue(any("P 6" in str(n) and "is not executed" in str(n) for n in controller.notices), [str(n) for n in controller.notices])
        self.assertEqual(controller.schedule.tasks[0].interval, 20_000_000)

    def test_a_missing_end_is_told_once(self) -> None:
        for body in ("IF A THEN B := 1;\nB := 2;\n", "A := ;\nIF A THEN B := 1;\n"):
            said = [n for n in notices(f"PROGRAM P\nVAR A, B : INT; END_VAR\n{body}END_PROGRAM\n") if "expected" in n]
            self.assertEqual(len(said), 1, said)

    def test_what_ends_the_part_is_named_first_and_nothing_that_cannot_stand_there(self) -> None:
        for body, said in (("A := B\nA := 1;", "'A' stands here, ';', "), ("IF X A := 1; END_IF;", "'A' stands here, THEN, "),
                           ("A := (B + 4;", "';' stands here, ')' was expected"), ("A := K[2;", "';' stands here, ']', ',' was expected"),
                           ("CASE A 1: A := 2; END_CASE;", "'1' stands here, OF, "), ("FOR A := 1 3 DO B := A; END_FOR;", "'3' stands here, TO, "),
                           ("IF X THEN A := 1;", "the end stands here, ELSE, ELSIF, END_IF was expected"), ("A := B OR;", "';' stands here, a name, ")):
            loaded = read(text_of(body).encode(), Path("x.st"))
            self.assertIn(said, str(loaded.notices[0]), body)

    def test_a_comment_that_is_not_ended_is_told_where_it_begins(self) -> None:
        for opens in ("(*", "/*"):
            text = text_of("Y1 := X1;") + f"PROGRAM Bad\nVAR A : INT; END_VAR\nA := 1; {opens} and so on\nA := 2;\nEND_PROGRAM\n"
            loaded = read(text.encode(), Path("x.st"))
            line = text[:text.index(opens)].count("\n") + 1
            self.assertEqual([str(n).partition(";")[0] for n in loaded.notices], [f"x.st:{line} Bad: column 9: a comment begins here and is not ended"])
            self.assertIsInstance(loaded.value.pous["main"].body, TextBody)
            self.assertIsInstance(loaded.value.pous["bad"].body, OpaqueBody)
        broken = "TYPE A : STRUCT (* x\n END_STRUCT; END_TYPE\nFUNCTION F : INT VAR_INPUT A;; END_VAR F := 1; END_FUNCTION"
        self.assertTrue(notices(broken)[0].startswith("x.st:1: column 17: a comment begins here and is not ended"))
        with self.assertRaises(ProgramError) as caught:
            read(broken.partition("FUNCTION")[0].encode() + b"FUNCTION", Path("x.st"))
        self.assertIn("column 17: a comment begins here and is not ended; 1 more error behind it", str(caught.exception))

    def test_what_is_no_program(self) -> None:
        for text in (b"hello world", b"(* nothing *)", b"PROGRAM", b"VAR END_VAR", b"\xff\x00\x01"):
            try:
                read(text, Path("x.st"))
            except ProgramError as error:
                self.assertIn("x.st", error.line())
                self.assertNotIn("\n", error.line())

    def test_broken_texts_never_raise_anything_else(self) -> None:
        random = Random(7)
        for seed in range(60):
            text = random_text(Random(seed))
            at, length = random.randrange(len(text)), random.randint(1, 40)
            broken = text[:at] + random.choice(("", ";", "END_IF", "(*", "'", "1..", "T#", "§", "\x00")) + text[at + length:]
            try:
                read(broken.encode(), Path("x.st"))
            except ProgramError:
                continue

    def test_bodies_in_xml_are_the_same(self) -> None:
        source = "Y1 := X1\n  AND NOT X2;\nIF X3 THEN\n  A := A + 1;\nEND_IF;"
        program = text_program(source)
        again = read_xml(write_xml(program), Path("x.xml")).value
        before, after = program.pous["main"].body, again.pous["main"].body
        assert isinstance(before, TextBody) and isinstance(after, TextBody)
        self.assertEqual([line.strip() for line in before.source], [line.strip() for line in after.source if line.strip()])
        self.assertIsInstance(after.statements[1], Choose)
        self.assertEqual(len(after.statements), 2)

    def test_a_body_in_xml_that_cannot_be_read_is_opaque(self) -> None:
        data = write_xml(text_program("Y1 := X1;")).replace(b"Y1 := X1;", b"Y1 := X1 AND ;")
        loaded = read_xml(data, Path("x.xml"))
        body = loaded.value.pous["main"].body
        assert isinstance(body, OpaqueBody)
        self.assertEqual(body.assigns, ("Y1",))
        self.assertTrue(any("stands here" in str(n) for n in loaded.notices))



class InXml(unittest.TestCase):
    """Texts in both XML forms."""

    def test_errors_stand_where_the_file_has_them(self) -> None:
        good = text_program("Y1 := X1 AND A < 5;\nY2 := X2;\nIF A > 3 THEN B := 2; END_IF;")
        for write in (write_xml, project):
            data = write(good).decode()
            for right, wrong, column in (("Y2 := X2;", "Y2 := ;", True), ("THEN B := 2;", "THEN B := ;", False)):  # an entity stands before it
                self.assertEqual(data.count(right), 1)
                loaded = read_xml(data.replace(right, wrong).encode(), Path("x.xml"))
                said = next(n for n in loaded.notices if "stands here" in n.what)
                line = next(n for n, text in enumerate(data.replace(right, wrong).splitlines(), 1) if wrong in text)
                self.assertEqual(said.place.line, line, (write, wrong))
                at = data.replace(right, wrong).splitlines()[line - 1].index(wrong) + wrong.index(";") + 1
                self.assertEqual(said.what.startswith(f"column {at}: "), column, said.what)
            places = [rung.number for rung in units(read_xml(data.encode(), Path("x.xml")).value.pous["main"].body)]
            self.assertEqual(places, [n for n, text in enumerate(data.splitlines(), 1) if "Y1 :=" in text or "Y2 :=" in text or "IF A" in text])


if __name__ == "__main__":
    unittest.main()
