"""Standard functions and blocks on both engines, against values worked out from the standard and CONTROLLER.md."""

from __future__ import annotations

import unittest

from tests.building import MS, controller_of, course_of, log_of, program_of
from whorlograph.engine.controller import Controller
from whorlograph.model.literals import value_text
from whorlograph.model.log import empty_log
from whorlograph.model.parts import Ladder, call, coil, counter, no, timer
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Variable, VariableKind
from whorlograph.model.types import ELEMENTARY, Simple

# function, operands as (type, value), type of the result, what is written ("!..." is a fault)
FUNCTIONS = (
    ("ADD", (("INT", "20000"), ("INT", "12767")), "INT", "32767"),
    ("ADD", (("INT", "20000"), ("INT", "12768")), "INT", "!overflow"),
    ("ADD", (("INT", "20000"), ("INT", "20000")), "DINT", "!overflow"),
    ("ADD", (("DINT", "20000"), ("INT", "20000")), "DINT", "40000"),
    ("SUB", (("INT", "-32768"), ("INT", "1")), "INT", "!overflow"),
    ("SUB", (("UINT", "3"), ("UINT", "4")), "UINT", "!overflow"),
    ("MUL", (("INT", "200"), ("INT", "200")), "DINT", "!overflow"),
    ("MUL", (("DINT", "200"), ("DINT", "-200")), "DINT", "-40000"),
    ("MUL", (("LINT", "4611686018427387904"), ("LINT", "2")), "LINT", "!overflow"),
    ("DIV", (("INT", "-7"), ("INT", "2")), "INT", "-3"),
    ("DIV", (("INT", "7"), ("INT", "0")), "INT", "!division by zero"),
    ("DIV", (("INT", "-32768"), ("INT", "-1")), "INT", "!overflow"),
    ("MOD", (("INT", "-7"), ("INT", "2")), "INT", "-1"),
    ("MOD", (("INT", "7"), ("INT", "-2")), "INT", "1"),
    ("MOD", (("INT", "7"), ("INT", "0")), "INT", "!division by zero"),
    ("ABS", (("INT", "-7"),), "INT", "7"),
    ("ABS", (("INT", "-32768"),), "INT", "!overflow"),
    ("MOVE", (("INT", "-5"),), "INT", "-5"),
    ("MAX", (("INT", "-5"), ("INT", "3")), "INT", "3"),
    ("MIN", (("INT", "-5"), ("INT", "3")), "INT", "-5"),
    ("LIMIT", (("INT", "0"), ("INT", "7"), ("INT", "5")), "INT", "5"),
    ("LIMIT", (("INT", "9"), ("INT", "7"), ("INT", "5")), "INT", "5"),
    ("SEL", (("BOOL", "FALSE"), ("INT", "1"), ("INT", "2")), "INT", "1"),
    ("SEL", (("BOOL", "TRUE"), ("INT", "1"), ("INT", "2")), "INT", "2"),
    ("MUX", (("INT", "1"), ("INT", "10"), ("INT", "20")), "INT", "20"),
    ("SHL", (("WORD", "16#8001"), ("INT", "1")), "WORD", "2"),
    ("SHR", (("WORD", "16#8001"), ("INT", "1")), "WORD", "16384"),
    ("SHL", (("WORD", "16#FFFF"), ("INT", "16")), "WORD", "0"),
    ("ROL", (("BYTE", "16#81"), ("INT", "1")), "BYTE", "3"),
    ("ROR", (("BYTE", "16#81"), ("INT", "1")), "BYTE", "192"),
    ("AND", (("WORD", "16#FF00"), ("WORD", "16#0FF0")), "WORD", "3840"),
    ("OR", (("BYTE", "16#F0"), ("BYTE", "16#0F")), "BYTE", "255"),
    ("XOR", (("BYTE", "16#FF"), ("BYTE", "16#0F")), "BYTE", "240"),
    ("NOT", (("BYTE", "16#F0"),), "BYTE", "15"),
    ("INT_TO_REAL", (("INT", "-3"),), "REAL", "-3.0"),
    ("REAL_TO_INT", (("REAL", "2.5"),), "INT", "2"),
    ("REAL_TO_INT", (("REAL", "3.5"),), "INT", "4"),
    ("REAL_TO_INT", (("REAL", "-2.5"),), "INT", "-2"),
    ("REAL_TO_INT", (("REAL", "40000.0"),), "INT", "!overflow"),
    ("DINT_TO_INT", (("DINT", "40000"),), "INT", "!overflow"),
    ("INT_TO_DINT", (("INT", "-1"),), "DINT", "-1"),
    ("WORD_TO_INT", (("WORD", "16#FFFF"),), "INT", "-1"),
    ("INT_TO_WORD", (("INT", "-1"),), "WORD", "65535"),
    ("INT_TO_DWORD", (("INT", "-1"),), "DWORD", "4294967295"),
    ("BOOL_TO_INT", (("BOOL", "TRUE"),), "INT", "1"),
    ("INT_TO_BOOL", (("INT", "5"),), "BOOL", "1"),
    ("SQRT", (("REAL", "2.25"),), "REAL", "1.5"),
    ("ADD", (("REAL", "0.1"), ("REAL", "0.2")), "REAL", "0.3"),
    ("ADD", (("LREAL", "0.1"), ("LREAL", "0.2")), "LREAL", "0.30000000000000004"),
    ("DIV", (("REAL", "1.0"), ("REAL", "3.0")), "REAL", "0.33333334"),
    ("GT", (("INT", "3"), ("INT", "2")), "BOOL", "1"),
    ("LE", (("REAL", "0.5"), ("REAL", "0.5")), "BOOL", "1"),
    ("NE", (("INT", "3"), ("INT", "3")), "BOOL", "0"),
)
OTHER_MODES = (
    (Overflow.WRAP, "ADD", (("INT", "32767"), ("INT", "1")), "INT", "-32768"),
    (Overflow.SATURATE, "ADD", (("INT", "32767"), ("INT", "1")), "INT", "32767"),
    (Overflow.SATURATE, "SUB", (("UINT", "3"), ("UINT", "4")), "UINT", "0"),
    (Overflow.WRAP, "SUB", (("UINT", "3"), ("UINT", "4")), "UINT", "65535"),
    (Overflow.WRAP, "MUL", (("INT", "200"), ("INT", "200")), "INT", "-25536"),
    (Overflow.SATURATE, "REAL_TO_INT", (("REAL", "-40000.0"),), "INT", "-32768"),
    (Overflow.WRAP, "DIV", (("INT", "7"), ("INT", "0")), "INT", "!division by zero"),
)
NAMES = {"LIMIT": ("MN", "IN", "MX"), "SEL": ("G", "IN0", "IN1"), "MUX": ("K", "IN0", "IN1"), "SHL": ("IN", "N"), "SHR": ("IN", "N"),
         "ROL": ("IN", "N"), "ROR": ("IN", "N"), "ABS": ("IN",), "MOVE": ("IN",), "NOT": ("IN",), "SQRT": ("IN",)}


def _program(function: str, operands: tuple[tuple[str, str], ...], result: str) -> Program:
    names = [f"V{i}" for i in range(len(operands))]
    pins = NAMES.get(function, ("IN",) if "_TO_" in function else tuple(f"IN{i + 1}" for i in range(len(operands))))
    ladder = Ladder()
    ladder.rung(no("Go"), call(function, *zip(pins, names, strict=True), out="Result"))
    variables = [Variable("Go", ELEMENTARY["BOOL"], VariableKind.GLOBAL, "", Simple("TRUE")), Variable("Result", ELEMENTARY[result], VariableKind.GLOBAL)]
    variables += [Variable(n, ELEMENTARY[t], VariableKind.GLOBAL, "", Simple(v)) for n, (t, v) in zip(names, operands, strict=True)]
    pou = Pou("Main", PouKind.PROGRAM, (), ladder.body())
    return Program("f", {}, {"main": pou}, (Configuration("c", (Resource("r", (ProgramInstance("Main", "Main"),)),), tuple(variables)),))


class Functions(unittest.TestCase):
    """One scan of one call."""

    def check(self, mode: Overflow, function: str, operands: tuple[tuple[str, str], ...], result: str, expected: str) -> None:
        for plain in (False, True):
            with self.subTest(f"{function}{operands} {mode}", plain=plain):
                controller = Controller(_program(function, operands, result), Profile(scan_time=10 * MS, on_overflow=mode), plain=plain)
                journal = controller.replay(empty_log())
                tag = controller.running.by_name["result"]
                if expected.startswith("!"):
                    assert journal.fault is not None
                    self.assertEqual((journal.fault.code, journal.fault.scan, journal.fault.tag), (expected[1:], 1, tag))
                    self.assertEqual(len(journal.rows(tag)), 0)
                else:
                    self.assertIsNone(journal.fault)
                    self.assertEqual(value_text(journal.settled(tag, 1), controller.running.tags[tag].type), expected)

    def test_results_and_faults(self) -> None:
        for case in FUNCTIONS:
            self.check(Overflow.HALT, *case)

    def test_the_other_overflow_modes(self) -> None:
        for mode, *case in OTHER_MODES:
            self.check(mode, *case)  # type: ignore[arg-type]


# instance type, rows of its input (ms, value), course of its Q as (scan, value); scans of 10 ms
TIMERS = (
    ("TON", "T#30ms", [(0, 0), (20, 1), (200, 1)], [(6, 1)]),
    ("TON", "T#30ms", [(0, 1), (200, 1)], [(4, 1)]),
    ("TON", "T#30ms", [(0, 0), (20, 1), (40, 0), (50, 1), (200, 1)], [(9, 1)]),
    ("TON", "T#0ms", [(0, 0), (20, 1), (40, 0), (200, 0)], [(3, 1), (5, 0)]),
    ("TON", "T#35ms", [(0, 0), (20, 1), (200, 1)], [(7, 1)]),
    ("TOF", "T#30ms", [(0, 0), (20, 1), (60, 0), (200, 0)], [(3, 1), (10, 0)]),
    ("TOF", "T#30ms", [(0, 0), (20, 1), (60, 0), (70, 1), (100, 0), (200, 0)], [(3, 1), (14, 0)]),
    ("TOF", "T#0ms", [(0, 1), (40, 0), (200, 0)], [(1, 1), (5, 0)]),
    ("TP", "T#30ms", [(0, 0), (20, 1), (200, 1)], [(3, 1), (6, 0)]),
    ("TP", "T#30ms", [(0, 0), (20, 1), (30, 0), (40, 1), (200, 1)], [(3, 1), (6, 0)]),
    ("TP", "T#30ms", [(0, 0), (20, 1), (30, 0), (50, 1), (200, 1)], [(3, 1), (9, 0)]),
    ("TP", "T#0ms", [(0, 0), (20, 1), (200, 1)], []),
)


class Blocks(unittest.TestCase):
    """Timers and counters over a few scans."""

    def test_timers(self) -> None:
        for kind, preset, rows, expected in TIMERS:
            program = program_of(lambda ladder, k=kind, p=preset: ladder.rung(no("X1"), timer(k, "T1", p), coil("Y1")), "X1 Y1", f"T1:{kind}")  # type: ignore[misc]
            for plain in (False, True):
                with self.subTest(kind=kind, preset=preset, rows=rows, plain=plain):
                    controller = controller_of(program, plain)
                    journal = controller.replay(log_of(controller, [(t, "X1", v) for t, v in rows]))
                    self.assertEqual(course_of(journal, controller, "Y1"), expected)

    def test_a_counter_counts_rises_and_its_reset_wins(self) -> None:
        program = program_of(lambda ladder: ladder.rung(no("X1"), counter("C1", "2", no("X2")), coil("Y1")), "X1 X2 Y1", "C1:CTU")
        rows = [(0, "X1", 1), (0, "X2", 0), (20, "X1", 0), (30, "X1", 1), (50, "X2", 1), (60, "X1", 0), (70, "X1", 1), (80, "X2", 0), (100, "X1", 0),
                (110, "X1", 1), (150, "X1", 1)]
        for plain in (False, True):
            with self.subTest(plain=plain):
                controller = controller_of(program, plain)
                journal = controller.replay(log_of(controller, rows))
                self.assertEqual(course_of(journal, controller, "Y1"), [(4, 1), (6, 0)])
                self.assertEqual(course_of(journal, controller, "Main.C1.CV"), [(1, 1), (4, 2), (6, 0), (12, 1)])


if __name__ == "__main__":
    unittest.main()
