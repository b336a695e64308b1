"""Every standard function, sign and conversion on operands of every type: said and not executed, or computed alike by both engines."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.building import MS, controller_of, log_of, program_of
from tests.engine.agreement import difference
from tests.texts import both_engines, settled
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.engine.scope.text_types import STANDARD, pins_of
from whorlograph.formats.programs.st import read
from whorlograph.model.parts import Ladder, call, no
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.program import Program, Variable, VariableKind
from whorlograph.model.types import ELEMENTARY, Simple

ROUNDS = int(os.environ.get("WHORLOGRAPH_CASES", "60"))
TYPES = ["BOOL", "BYTE", "WORD", "LWORD", "SINT", "INT", "DINT", "LINT", "UINT", "ULINT", "REAL", "LREAL", "TIME", "DATE", "TIME_OF_DAY",
         "DATE_AND_TIME", "STRING", "WSTRING", "CHAR"]
INITIAL = {"BOOL": "TRUE", "REAL": "2.5", "LREAL": "-3.75", "TIME": "T#1s500ms", "DATE": "D#2026-11-29", "TIME_OF_DAY": "TOD#12:00:01",
           "DATE_AND_TIME": "DT#2026-11-29-10:00:00", "STRING": "'ab'", "WSTRING": '"cd"', "CHAR": "'x'"}
LITERALS = ["3", "3.5", "TRUE", "T#1s", "'abc'", "16#FF", "-1", "INT#7", "WORD#16#F", "D#2026-01-01", "1E3", "70000", "-3.6", "1E10", "300"]
CONVERSIONS = [f"{a}_TO_{b}" for a in TYPES for b in TYPES if a != b] + [f"TO_{b}" for b in TYPES] + [
    "WORD_BCD_TO_UINT", "UINT_TO_BCD_WORD", "TRUNC_INT", "REAL_TRUNC_INT"]
FUNCTIONS = [*sorted(STANDARD - {"NEG"}), "CONCAT_DATE", "CONCAT_TOD", "CONCAT_DT"]
SIGNS = ["AND", "OR", "XOR", "+", "-", "*", "/", "MOD", "**", "=", "<>", "<", ">="]
MODES = [Overflow.SATURATE, Overflow.HALT, Overflow.WRAP]
Item = tuple[str, list[tuple[str, str]], str, bool]


def _operand(random: Random) -> str:
    return f"V{random.choice(TYPES)}" if random.random() < 0.8 else random.choice(LITERALS)


def _statement(random: Random) -> str:
    into, kind = f"V{random.choice(TYPES)}", random.random()
    if kind < 0.35:
        return f"{into} := {_operand(random)} {random.choice(SIGNS)} {_operand(random)};"
    if kind < 0.42:
        return f"{into} := {random.choice(['NOT', '-'])} {_operand(random)};"
    if kind < 0.7:
        name = random.choice(FUNCTIONS)
        count = len(pins_of(name, 2)) if random.random() < 0.7 else random.randint(1, 4)
        return f"{into} := {name}({', '.join(_operand(random) for _ in range(count))});"
    if kind < 0.85:
        return f"{into} := {random.choice(CONVERSIONS)}({_operand(random)});"
    others = [f"{into} := {_operand(random)};", f"IF {_operand(random)} THEN VINT := 3; END_IF;",
              f"CASE {_operand(random)} OF 1: VINT := 4; 2..5: VINT := 6; END_CASE;", f"T1(IN := {_operand(random)}, PT := {_operand(random)});",
              f"C1(CU := {_operand(random)}, R := {_operand(random)}, PV := {_operand(random)}, CV => {into});",
              f"Each[{_operand(random)}] := {_operand(random)};", f"{into} := Each[{_operand(random)}];",
              f"FOR VINT := {_operand(random)} TO {_operand(random)} DO VBYTE := 1; EXIT; END_FOR;", f"WHILE {_operand(random)} DO EXIT; END_WHILE;"]
    return random.choice(others)


def _text(statements: list[str]) -> Program:
    declared = " ".join(f"V{t} : {t} := {INITIAL.get(t, '5')};" for t in TYPES)
    source = f"PROGRAM Main\nVAR X1 AT %IX0.0 : BOOL; {declared} T1 : TON; C1 : CTU; Each : ARRAY[0..3] OF INT; END_VAR\n"
    return read((source + "\n".join(statements) + "\nEND_PROGRAM\n").encode(), Path("x.st")).value


def _instruction(random: Random) -> str:
    word, into = random.choice(["AND", "OR", "XOR", "ANDN", "ORN", "ADD", "SUB", "MUL", "DIV", "MOD", "GT", "GE", "EQ", "NE", "LE", "LT"]), f"V{random.choice(TYPES)}"
    return random.choice([
        f"LD {_operand(random)}", f"LDN {_operand(random)}", f"{word} {_operand(random)}", f"{word} {_operand(random)}",
        f"{word}( {_operand(random)}\n {word} {_operand(random)}\n )", f"ST {into}", f"ST {into}", f"S {into}", f"R {into}", f"STN {into}", "NOT",
        "JMPC L1", "JMPCN L1", "JMP L1", f"{random.choice(FUNCTIONS)} {_operand(random)}", random.choice(CONVERSIONS),
        "CAL T1(IN := VBOOL, PT := T#10ms)", "CALC T1", "CU C1", "IN T1", "RETC", "RET"])


def _list(random: Random) -> Program:
    lines = ["LD VBOOL", *(_instruction(random) for _ in range(14)), "L1: LD VINT", "ADD 1", "ST VINT"]
    return _text(lines)


def _item(random: Random) -> Item:
    """A function of a rung, what is wired to it, its receiver, whether it stands behind a contact."""
    kind, into, behind = random.random(), random.choice(TYPES), random.random() < 0.7
    if kind < 0.55:
        name = random.choice(FUNCTIONS)
        count = len(pins_of(name, 2)) if random.random() < 0.8 else random.randint(1, 3)
        return name, [(pin, _operand(random)) for pin in pins_of(name, count)], into, behind
    if kind < 0.9:
        return random.choice(CONVERSIONS), [("IN", _operand(random))], into, behind
    return "MOVE", [("IN", f"{_operand(random)} {random.choice(SIGNS)} {_operand(random)}")], into, behind


def _drawing(items: list[Item]) -> Program:
    def draw(ladder: Ladder) -> None:
        for name, pins, into, behind in items:
            ladder.rung(*([no("X1")] if behind else []), call(name, *pins, out=f"V{into}"))

    program = program_of(draw, "X1 Y1")
    config = program.configurations[0]
    more = tuple(Variable(f"V{t}", ELEMENTARY[t], VariableKind.GLOBAL, "", Simple(INITIAL.get(t, "5"))) for t in TYPES)
    return replace(program, configurations=(replace(config, variables=config.variables + more),))


class AnyOperands(unittest.TestCase):
    """Whatever is written, a program loads and runs; nothing is computed in two ways."""

    def both(self, program: Program, mode: Overflow, input_: str) -> list[tuple[Controller, Journal]]:
        """The program by either engine, the plain one first."""
        found = []
        for plain in (True, False):
            controller = Controller(program, Profile(scan_time=10 * MS, on_overflow=mode), plain=plain)
            found.append((controller, controller.replay(log_of(controller, [(0, input_, 0), (30, input_, 1), (50, input_, 0)]))))
        return found

    def test_in_texts(self) -> None:
        for seed in range(ROUNDS):
            random = Random(f"{os.environ.get('WHORLOGRAPH_SEED', '')} text {seed}")
            statements = [_statement(random) for _ in range(30)]
            with self.subTest(seed):
                self._alike(_text(statements), MODES[seed % 3], "Main.X1", statements)

    def test_in_lists(self) -> None:
        for seed in range(2 * ROUNDS):
            program = _list(Random(f"{os.environ.get('WHORLOGRAPH_SEED', '')} list {seed}"))
            with self.subTest(seed):
                self._alike(program, MODES[seed % 3], "Main.X1", seed)

    def test_in_drawings(self) -> None:
        for seed in range(ROUNDS):
            random = Random(f"{os.environ.get('WHORLOGRAPH_SEED', '')} drawing {seed}")
            items = [_item(random) for _ in range(20)]
            with self.subTest(seed):
                self._alike(_drawing(items), MODES[seed % 3], "X1", items)

    def _alike(self, program: Program, mode: Overflow, input_: str, what: object) -> None:
        (plain, one), (_, two) = self.both(program, mode, input_)
        found = difference(one, two, [t.name for t in plain.running.tags])
        faults = [(f.scan, f.number, f.step, f.code) if f is not None else None for f in (one.fault, two.fault)]
        # Of a result that goes on into another type the engines may name either, and either part of the statement, in what is told of a fault.
        self.assertTrue(not found or (found.startswith(("fault ", "what is told")) and faults[0] == faults[1]), (found, what))

    def test_what_came_out_wrong(self) -> None:
        """Literal expectations, CONTROLLER.md and IEC 61131-3:2013, tables 34 to 36."""
        cases = {
            "T := MUL_TIME(T#1s, 2.5);": 2_500_000_000, "T := DIV_TIME(T#10s, 4);": 2_500_000_000, "T := MUL_LTIME(LTIME#1s, 3);": 3_000_000_000,
            "T := 2.5 * T#1s;": 2_500_000_000, "T := MUL(2, T#1s, 2);": 4_000_000_000, "L := LREAL_TO_LWORD(1.0E19);": 10_000_000_000_000_000_000,
            "W := LREAL_TO_WORD(1.0E30);": 0, "G := NOT 16#FF;": -256.0, "C := TRUNC(16777217);": 16_777_217,
            "T := ADD_LTIME(LTIME#1s, T#2s);": 3_000_000_000}
        for text, wanted in cases.items():
            for controller, journal in both_engines(text, [(0, "X1", 0), (30, "X1", 1)]):
                with self.subTest(text, plain=controller.plain):
                    self.assertEqual(settled(controller, journal, text.split(" ")[0]), wanted)
        for text in ("W := ROL(W, -1);", "L := ROL(L, -1);", "A := ROR(A, -1);", "L := ROR(L, -1);"):
            for controller, journal in both_engines(text, [(0, "X1", 0), (30, "X1", 1)]):
                with self.subTest(text, plain=controller.plain):
                    self.assertEqual(journal.fault.code if journal.fault is not None else "", "negative shift")
        for text in ("T := ULINT_TO_TIME(18446744073709551615);", "U := 1E3;", "B := 1E6;"):
            for controller, journal in both_engines(text, [(0, "X1", 0), (30, "X1", 1)]):
                with self.subTest(text, plain=controller.plain):
                    self.assertEqual(journal.fault.code if journal.fault is not None else "", "overflow")

    def test_a_literal_that_does_not_fit_where_a_drawing_moves_it(self) -> None:
        for given, wanted in (("70000", (0, "70000 does not fit INT (-32768 to 32767)")), ("3.6", (4, None)), ("-1", (-1, None))):
            for plain in (True, False):
                with self.subTest(given, plain=plain):
                    program = program_of(lambda ladder, given=given: ladder.rung(no("X1"), call("MOVE", ("IN", given), out="N1")), "X1 N1")  # type: ignore[misc]
                    controller = controller_of(program, plain)
                    journal = controller.replay(log_of(controller, [(0, "X1", 1), (30, "X1", 1)]))
                    found = settled(controller, journal, "N1"), journal.fault.text if journal.fault is not None else None
                    self.assertEqual(found, wanted)

    def test_what_is_said(self) -> None:
        said = {"Y1 := X1 AND F;": "F is a REAL, and AND takes bits", "A := ARR[F];": "F chooses in an array and is no whole number and no BOOL",
                "T := 3 / T;": "3 is no TIME, and what divides it is one", "A := LIMIT(0, A);": "LIMIT takes MN, IN, MX",
                "CASE G OF 1: A := 1; END_CASE;": "G chooses in CASE and is no whole number and no BOOL",
                "WHILE F DO EXIT; END_WHILE;": "F is a condition and is no whole number and no BOOL", "A := SHL(A, F);": "F is no whole number, and SHL counts by it"}
        for text, wanted in said.items():
            with self.subTest(text):
                source = f"PROGRAM Main\nVAR X1, Y1 : BOOL; F : REAL; G : LREAL; T : TIME; A : INT; ARR : ARRAY[0..3] OF INT; END_VAR\n{text}\nEND_PROGRAM\n"
                controller = Controller(read(source.encode(), Path("x.st")).value, Profile())
                self.assertEqual([n.what for n in controller.notices], [wanted])


if __name__ == "__main__":
    unittest.main()
