"""Blocks that a program calls and does not hold, from a library given beside it."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.texts import settled
from whorlograph.desk.session import Paths, load
from whorlograph.formats.programs.xml_write import write_xml

_PROGRAM = """PROGRAM P
VAR X AT %IX0.0 : BOOL; Halt AT %IX0.1 : BOOL; Y AT %QX0.0 : BOOL; N : INT; S1 : Starter; END_VAR
S1(Go := X, Halt := Halt, On => Y);
N := Twice(N := 4);
END_PROGRAM
"""
_LIBRARY = """FUNCTION_BLOCK Starter
VAR_INPUT Go, Halt : BOOL; END_VAR VAR_OUTPUT On : BOOL; END_VAR
On := (Go OR On) AND NOT Halt;
END_FUNCTION_BLOCK
FUNCTION Twice : INT VAR_INPUT N : INT; END_VAR Twice := N * 2; END_FUNCTION
FUNCTION_BLOCK Unused VAR A : BOOL; END_VAR A := TRUE; END_FUNCTION_BLOCK
"""


class Libraries(unittest.TestCase):
    """One program, with and without."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "p.st").write_text(_PROGRAM)
        (self.folder / "lib.st").write_text(_LIBRARY)
        (self.folder / "log.csv").write_text("time,X,Halt\n0,0,0\n0.1,1,0\n0.2,0,0\n0.3,0,1\n")

    def test_what_is_lacking_comes_from_it(self) -> None:
        files = self.folder / "p.st", (self.folder / "log.csv",)
        without = load(Paths(*files))
        self.assertTrue(any("type Starter, which is not known" in str(n) for n in without.notices))
        session = load(Paths(*files, libraries=(self.folder / "lib.st",)))
        self.assertEqual([str(n) for n in session.notices if "lib.st" not in str(n)], [])
        self.assertTrue(any("Starter, Twice, Unused are taken from it" in str(n) for n in session.notices))
        self.assertEqual([settled(session.controller, session.journal, "P.Y", s) for s in (5, 15, 25, 31)], [False, True, True, False])
        self.assertEqual(settled(session.controller, session.journal, "P.N", 5), 8)

    def test_a_body_that_cannot_be_executed_is_replaced_the_program_s_own_stay(self) -> None:
        (self.folder / "p.st").write_text(_PROGRAM + "FUNCTION_BLOCK Starter VAR_INPUT Go, Halt : BOOL; END_VAR VAR_OUTPUT On : BOOL; END_VAR On := ???; END_FUNCTION_BLOCK\n"
                                          "FUNCTION Twice : INT VAR_INPUT N : INT; END_VAR Twice := N * 3; END_FUNCTION\n")
        session = load(Paths(self.folder / "p.st", (self.folder / "log.csv",), libraries=(self.folder / "lib.st",)))
        self.assertFalse(any("not executed" in str(n) for n in session.notices), [str(n) for n in session.notices])
        self.assertEqual((settled(session.controller, session.journal, "P.Y", 25), settled(session.controller, session.journal, "P.N", 5)), (True, 12))

    def test_commands_take_it_and_copied_commands_name_it(self) -> None:
        session = load(Paths(self.folder / "p.st", libraries=(self.folder / "lib.st",)))
        (self.folder / "p.xml").write_bytes(write_xml(session.program))
        found = subprocess.run([str(Path(sys.executable).with_name("whorlograph")), "why", "p.st", "log.csv", "Y", "--library", "lib.st"], cwd=self.folder, capture_output=True, text=True, check=True)
        self.assertIn("with P.Halt held off, P.Y stays on", found.stdout)
        refused = subprocess.run([str(Path(sys.executable).with_name("whorlograph")), "replay", "p.st", "log.csv", "--library", "lib.st", "--out", "lib.st"], cwd=self.folder, capture_output=True, text=True)
        self.assertEqual(refused.returncode, 2)


if __name__ == "__main__":
    unittest.main()
