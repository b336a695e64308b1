"""Declarations of every kind, sound or not, and statements that name their parts, sound or not: a file opens and both engines do the same."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from tests.attacks.test_any_operands import INITIAL, LITERALS, ROUNDS, SIGNS, TYPES
from tests.building import MS, log_of
from tests.engine.agreement import difference
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Overflow, Profile

HEAD = """TYPE Col : (Red, Green := 5, Blue); Rec : STRUCT A : INT := 4; B : BOOL; C : ARRAY[0..2] OF REAL; END_STRUCT; Sub : INT(0..7) := 3;
 Nested : STRUCT A : Rec; B : ARRAY[1..2] OF Rec; C : ARRAY[0..1] OF Col; END_STRUCT; Arr2 : ARRAY[0..1] OF ARRAY[0..2] OF INT; END_TYPE
FUNCTION F1 : INT VAR_INPUT A : INT; B : INT := 7; END_VAR F1 := A + B; END_FUNCTION
FUNCTION_BLOCK Own VAR_INPUT A : INT; B : BOOL; END_VAR VAR_OUTPUT Q : BOOL; C : ARRAY[0..2] OF INT; END_VAR Q := B; C[1] := A; END_FUNCTION_BLOCK
FUNCTION FA : DINT VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR VAR_INPUT B : ARRAY[*, *] OF BOOL; END_VAR VAR I : DINT; END_VAR
 FOR I := LOWER_BOUND(A, 1) TO UPPER_BOUND(A, 1) DO FA := FA + A[I]; END_FOR; END_FUNCTION
FUNCTION_BLOCK Fill VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR VAR_INPUT B : INT; END_VAR VAR_OUTPUT Q : BOOL; C : ARRAY[0..2] OF INT; END_VAR
 A[UPPER_BOUND(A, 1)] := B; Q := B > 2; END_FUNCTION_BLOCK
FUNCTION Most : INT VAR_IN_OUT A : ARRAY[*] OF INT; END_VAR Most := A[UPPER_BOUND(A, 1)]; END_FUNCTION
PROGRAM Main
VAR CONSTANT Max : INT := 4; END_VAR
VAR X1 AT %IX0.0 : BOOL; VINT : INT := 1; VREAL : REAL := 2.5; VSTRING : STRING := 'ab'; VBOOL : BOOL; END_VAR
"""
ENUMS = "(On{0}, Off{0}, Mid{0} := -3)"
BOUNDS = ("0..3", "1..Max", "-2..2", "0..1,0..2", "5..1", "0..100000000")
PARTS = ("", "", "", "", "[1]", "[0]", "[1,1]", "[VINT]", ".A", ".B", ".C[1]", ".Q", ".3", ".%X0", ".40", ".CV", "[1].A")


def _type(random: Random, depth: int = 0) -> str:
    kind = random.random()
    if kind < 0.5 or depth > 2:
        return random.choice(TYPES)
    if kind < 0.56:
        return f"{random.choice(['INT', 'USINT', 'DINT', 'REAL', 'BYTE'])}({random.choice(['0..10', '-5..5', '1..70000', '5..1', '0..Max'])})"
    if kind < 0.62:
        return ENUMS.format(random.randint(0, 99))
    if kind < 0.66:
        return f"STRING[{random.choice(['5', '0', '300', 'Max'])}]"
    if kind < 0.82:
        return f"ARRAY[{random.choice(BOUNDS)}] OF {_type(random, depth + 1)}"
    return random.choice(["Col", "Rec", "Sub", "Nested", "Arr2", "Nope", "TON", "CTU", "Own", "R_TRIG", "F1", "Fill", "ARRAY[*] OF INT"])


def _initial(random: Random, type_: str) -> str:
    if random.random() < 0.3:
        return ""
    if type_ in TYPES and random.random() < 0.7:
        return f" := {INITIAL.get(type_, '5')}"
    return " := " + random.choice([*LITERALS, "Red", "Col#Red", "[1,2,3]", "[3(0)]", "[2([1,2])]", "(A := 1, B := TRUE)", "(PT := T#1s)", "[(A:=1),(A:=2)]", "3.5E50"])


def _text(random: Random) -> str:
    names = [*(f"D{n}" for n in range(12)), "X1", "VINT", "VREAL", "VSTRING", "VBOOL"]

    def ref() -> str:
        return random.choice(names) + random.choice(PARTS)

    def statement() -> str:
        return random.choice([
            f"{ref()} := {ref()};", f"{ref()} := {random.choice(LITERALS)};", f"{ref()} := F1({ref()}, B := {ref()});",
            f"IF {ref()} {random.choice(SIGNS)} {ref()} THEN {ref()} := {ref()}; END_IF;",
            f"{random.choice(names)}(IN := {ref()}, PT := T#20ms, Q => {ref()});", f"{random.choice(names)}(A := {ref()}, B := 4, Q => {ref()});",
            f"VINT := {random.choice(['Most', 'FA', 'UPPER_BOUND', 'LOWER_BOUND'])}({ref()}{random.choice(['', ', 1', ', 2', f', {ref()}'])});",
            f"FOR {ref()} := 0 TO {ref()} DO VINT := VINT + 1; IF VINT > 50 THEN EXIT; END_IF; END_FOR;"])

    sections = []
    for n in range(12):
        type_ = _type(random)
        section = random.choice(["VAR", "VAR", "VAR", "VAR RETAIN", "VAR CONSTANT", "VAR_TEMP"])
        sections.append(f"{section} D{n} : {type_}{_initial(random, type_)}; END_VAR\n")
    return HEAD + "".join(sections) + "\n".join(statement() for _ in range(18)) + "\nEND_PROGRAM\n"


class AnyDeclarations(unittest.TestCase):
    """What cannot be made is said, and what uses it."""

    def test_both_engines_do_the_same(self) -> None:
        said = 0
        for seed in range(ROUNDS):
            source = _text(Random(f"{os.environ.get('WHORLOGRAPH_SEED', '')} declared {seed}"))
            found = []
            for plain in (True, False):
                controller = Controller(read(source.encode(), Path("x.st")).value, Profile(scan_time=10 * MS, on_overflow=Overflow.WRAP), plain=plain)
                found.append((controller, controller.replay(log_of(controller, [(0, "Main.X1", 0), (30, "Main.X1", 1), (50, "Main.X1", 0)]))))
            (one, journal), (_, other) = found
            told = difference(journal, other, [t.name for t in one.running.tags])
            self.assertTrue(not told or "what is told of the fault" in told, (seed, told, source))
            said += len(one.notices)
        self.assertGreater(said, ROUNDS)

    def test_what_is_said(self) -> None:
        cases = {"VREAL.3 := TRUE;": "VREAL has no bit 3", "VBOOL := VSTRING.%X0;": "VSTRING has no bit 0", "VBOOL := VINT.16;": "VINT has no bit 16"}
        for text, wanted in cases.items():
            with self.subTest(text):
                controller = Controller(read((HEAD + text + "\nEND_PROGRAM\n").encode(), Path("x.st")).value, Profile())
                self.assertEqual([n.what for n in controller.notices], [wanted])
        declared = HEAD + "VAR D1 : REAL(1..5); D2 : INT(5..1); END_VAR\nD1 := 7.5; D2 := 9;\nEND_PROGRAM\n"
        controller = Controller(read(declared.encode(), Path("x.st")).value, Profile())
        self.assertEqual([n.what for n in controller.notices],
                         ["the range 1..5 of Main.D1 is none of REAL", "the range 5..1 of Main.D2 goes from more to less"])


if __name__ == "__main__":
    unittest.main()
