"""Methods, classes, interfaces and namespaces in program texts: named, and what stands around them is read."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from msgspec.structs import replace

from tests.building import log_of
from tests.texts import settled
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.st import read
from whorlograph.formats.text.body import text_body
from whorlograph.model.errors import ProgramError
from whorlograph.model.profile import Profile
from whorlograph.model.program import OpaqueBody, Variable, VariableKind
from whorlograph.model.text import TextBody
from whorlograph.model.types import BOOL

_PLACE = Path("m.st")
MOTOR = """NAMESPACE Works.Motors
USING Works;
INTERNAL FUNCTION Twice : INT
VAR_INPUT n : INT; END_VAR
  Twice := 2 * n;
END_FUNCTION
FUNCTION_BLOCK FINAL Motor IMPLEMENTS IRun, Works.IStop
VAR_INPUT On : BOOL; END_VAR
VAR_OUTPUT
  Q : BOOL;
  N : INT;
END_VAR
METHOD PUBLIC Start : BOOL
VAR_INPUT by : INT; END_VAR
  Start := by > 3;
END_METHOD
  Q := On;  // follows
  N := Works.Motors.Twice(4);
METHOD Halt
  Q := FALSE;
END_METHOD
END_FUNCTION_BLOCK
END_NAMESPACE
"""
MAIN = """PROGRAM Main
VAR M : Motors.Motor; X AT %IX0.0 : BOOL; Y AT %QX0.0 : BOOL; N : INT; END_VAR
  M(On := X); Y := M.Q; N := M.N;
END_PROGRAM
"""


def _said(text: str) -> list[tuple[int, str]]:
    return [(n.place.line, n.what) for n in read(text.encode(), _PLACE).notices]


class Objects(unittest.TestCase):
    """Each by hand."""

    def test_what_stands_around_methods_runs(self) -> None:
        loaded = read((MOTOR + MAIN).encode(), _PLACE)
        self.assertEqual([(n.place.line, n.what) for n in loaded.notices],
                         [(13, "column 1: METHOD Start of Motor is not read"), (19, "column 1: METHOD Halt of Motor is not read")])
        for plain in (True, False):
            controller = Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain)
            self.assertEqual(controller.notices, [])
            journal = controller.replay(log_of(controller, [(0, "Main.X", 0), (10, "Main.X", 1)], 30))
            self.assertEqual([[settled(controller, journal, f"Main.{n}", scan) for n in ("Y", "N")] for scan in (1, 2)], [[False, 8], [True, 8]])

    def test_a_body_that_calls_its_method_runs_but_for_that(self) -> None:
        text = MOTOR.replace("Q := On;  // follows", "Start(4);\n  Q := On;") + MAIN
        notices = Controller(read(text.encode(), _PLACE).value, Profile()).notices
        self.assertEqual([n.what for n in notices], ["Start is no function and no block"])

    def test_classes_and_interfaces_are_named(self) -> None:
        text = ("INTERFACE IRun\nMETHOD Start END_METHOD\nEND_INTERFACE\nCLASS ABSTRACT Base\nVAR a : INT; END_VAR\nMETHOD Up a := a + 1; END_METHOD\n"
                "END_CLASS\n" + MAIN.replace("Motors.Motor", "TON").replace("M(On := X); Y := M.Q; N := M.N;", "Y := X;"))
        self.assertEqual(_said(text), [(1, "column 1: INTERFACE IRun is not read"), (4, "column 1: CLASS Base is not read")])
        self.assertIsInstance(read(text.encode(), _PLACE).value.pous["main"].body, TextBody)

    def test_what_extends_another_is_not_executed(self) -> None:
        text = MOTOR.replace("FINAL Motor IMPLEMENTS", "Motor EXTENDS Works.Base IMPLEMENTS") + MAIN
        loaded = read(text.encode(), _PLACE)
        self.assertIn((7, "column 22: Motor extends Works.Base: what it takes over from there is not read"), _said(text))
        body = loaded.value.pous["motor"].body
        assert isinstance(body, OpaqueBody)
        self.assertIn("Q", body.assigns)
        self.assertEqual([v.name for v in loaded.value.pous["motor"].variables], ["On", "Q", "N"])

    def test_such_words_are_names_elsewhere(self) -> None:
        text = MAIN.replace("N : INT;", "N, Method, Class, Final : INT;").replace("M(On := X); Y := M.Q; N := M.N;", "Method := 3; Class := Method; Final := Class;")
        text = text.replace("Motors.Motor", "TON") + "(* END_METHOD *)\n"
        self.assertEqual(_said(text), [])
        controller = Controller(read(text.encode(), _PLACE).value, Profile(scan_time=10_000_000))
        journal = controller.replay(log_of(controller, [(0, "Main.X", 0)], 10))
        self.assertEqual(settled(controller, journal, "Main.Final", 1), 3)

    def test_a_variable_hides_the_namespace_of_its_name(self) -> None:
        text = MOTOR + MAIN.replace("VAR M : Motors.Motor;", "VAR Motors AT %MW4 : WORD; M : Works.Motor;").replace("N := M.N;", "N := M.N; Y := Motors.%X2;")
        controller = Controller(read(text.encode(), _PLACE).value, Profile(scan_time=10_000_000))
        self.assertEqual(controller.notices, [])
        journal = controller.replay(log_of(controller, [(0, "Main.Motors", 4), (0, "Main.X", 0)], 10))
        self.assertTrue(settled(controller, journal, "Main.Y", 1))

    def test_no_variable_hides_it_where_only_a_type_can_stand(self) -> None:
        kinds = "NAMESPACE Motors\nTYPE Kind : (Slow, Fast); END_TYPE\nEND_NAMESPACE\n"
        text = kinds + """PROGRAM Main
VAR Motors AT %MW4 : WORD; X AT %IX0.0 : BOOL; Y AT %QX0.0 : BOOL; Rows : ARRAY[1..2] OF Motors.Kind; Now : Motors.Kind := Motors.Kind#Slow; END_VAR
IF X THEN Now := Motors.Kind#Fast; END_IF;
CASE Now OF
  Fast: Motors.%X1 := TRUE;
END_CASE;
Rows[2] := Now;
Y := Rows[2] = Fast AND Motors.%X1;
END_PROGRAM
"""
        controller = Controller(read(text.encode(), _PLACE).value, Profile(scan_time=10_000_000))
        self.assertEqual(controller.notices, [])
        journal = controller.replay(log_of(controller, [(0, "Main.X", 0), (20, "Main.X", 1)], 50))
        self.assertFalse(settled(controller, journal, "Main.Y", 1))
        self.assertTrue(settled(controller, journal, "Main.Y", 4))

    def test_a_method_that_is_not_ended_takes_nothing_else_with_it(self) -> None:
        text = MOTOR.replace("END_METHOD\nEND_FUNCTION_BLOCK", "END_FUNCTION_BLOCK") + MAIN
        loaded = read(text.encode(), _PLACE)
        self.assertIsInstance(loaded.value.pous["main"].body, TextBody)
        self.assertIsInstance(loaded.value.pous["motor"].body, OpaqueBody)


class Changed(unittest.TestCase):
    """Written back, with all that was not read."""

    def test_a_declaration_and_a_statement(self) -> None:
        data = (MOTOR + MAIN).encode()
        old = read(data, _PLACE).value
        motor = old.pous["motor"]
        assert isinstance(motor.body, TextBody)
        more = replace(motor, variables=(*motor.variables, Variable("Extra", BOOL, VariableKind.OUTPUT)))
        made = splice(data, old, replace(old, pous=old.pous | {"motor": more})).decode()
        self.assertEqual(re.sub(r"\n? *Extra : BOOL;", "", made), MOTOR + MAIN)
        self.assertEqual(read(made.encode(), _PLACE).value.pous["motor"].variables[-1].name, "Extra")
        source = [line.replace("Q := On;", "Q := NOT On;") for line in motor.body.source]
        body = text_body("\n".join(source), motor.body.first)
        self.assertEqual(len(body.statements), 2)
        made = splice(data, old, replace(old, pous=old.pous | {"motor": replace(motor, body=body)})).decode()
        self.assertEqual(made, (MOTOR + MAIN).replace("Q := On;", "Q := NOT On;"))

    def test_a_first_declaration_behind_such_a_header_is_refused(self) -> None:
        text = "FUNCTION_BLOCK Empty IMPLEMENTS IRun\n;\nEND_FUNCTION_BLOCK\n"
        old = read(text.encode(), _PLACE).value
        new = replace(old, pous={"empty": replace(old.pous["empty"], variables=(Variable("Extra", BOOL, VariableKind.LOCAL),))})
        self.assertRaises(ProgramError, splice, text.encode(), old, new)


class Types(unittest.TestCase):
    """A block of types in which one cannot be read."""

    def test_only_that_one_is_left_out(self) -> None:
        text = ("TYPE\n  Kind : (Off, On);\n  Over : STRUCT OVERLAP a : DWORD; b : REAL; END_STRUCT;\n  Pair : STRUCT a, b : INT; END_STRUCT\n  Odd : ARRAY 3 OF INT;\n"
                "  Last : INT (0..9) := 4;\nEND_TYPE\n" + MAIN.replace("Motors.Motor", "Pair").replace("M(On := X); Y := M.Q; N := M.N;", "N := M.a;"))
        loaded = read(text.encode(), _PLACE)
        self.assertEqual([*loaded.value.types], ["kind", "pair", "last"])
        self.assertEqual([(n.place.line, n.effect) for n in loaded.notices], [(3, "TYPE Over is left out"), (5, "TYPE Odd is left out")])


if __name__ == "__main__":
    unittest.main()
