"""What a configuration says of single variables: addresses, initial values, in all forms of files."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.building import session_of
from tests.projects import project
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import st
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program

TEXT = """FUNCTION_BLOCK Pump VAR_INPUT Go : BOOL; END_VAR VAR T : TON; Coil AT %Q* : BOOL; END_VAR
T(IN := Go, PT := T.PT); Coil := T.Q;
END_FUNCTION_BLOCK
PROGRAM Main VAR Go AT %I* : BOOL; P : Pump; Level : INT := 1; A : ARRAY[1..3] OF INT := [1, 2, 3]; END_VAR
P(Go := Go);
END_PROGRAM
CONFIGURATION C VAR_GLOBAL CONSTANT Seven : INT := 7; END_VAR
RESOURCE R ON CPU PROGRAM One : Main; PROGRAM Two : Main; END_RESOURCE
RESOURCE Spare ON CPU PROGRAM One : Main; END_RESOURCE
VAR_CONFIG
R.One.Go AT %IX0.0 : BOOL; C.R.One.P.Coil AT %QX0.0 : BOOL; One.P.T : TON := (PT := T#5s); R.One.A[2] : INT := Seven;
Two.Go AT %IX0.1 : BOOL; Two.P.Coil AT %QX0.1 : BOOL := TRUE; Two.Level : INT := 9; Two.A : ARRAY[1..3] OF INT := [4, 5, 6];
Spare.One.Go AT %IX7.7 : BOOL; Spare.One.Level : INT := 77;
END_VAR
END_CONFIGURATION
"""
PLACED = {"One.Go": "%IX0.0", "One.P.Coil": "%QX0.0", "Two.Go": "%IX0.1", "Two.P.Coil": "%QX0.1"}
STARTS = {"One.P.T.PT": 5_000_000_000, "One.Level": 1, "One.A[1]": 1, "One.A[2]": 7, "One.A[3]": 3, "Two.P.Coil": 1, "Two.Level": 9,
          "Two.A[1]": 4, "Two.A[2]": 5, "Two.A[3]": 6, "Seven": 7}
NEWER = """<ConfigVars><ConfigVariable instancePathAndName="R.One.Go"><Address address="%IX0.0"/></ConfigVariable>
<ConfigVariable instancePathAndName="R.One.P.Coil" address="%QX0.0"/>
<ConfigVariable instancePathAndName="R.One.P.T"><InitialValue><StructValue><Value member="PT"><SimpleValue value="T#5s"/></Value></StructValue></InitialValue>
</ConfigVariable><ConfigVariable instancePathAndName="R.One.A[2]"><InitialValue><SimpleValue value="7"/></InitialValue></ConfigVariable></ConfigVars>"""


def _text(text: str = TEXT) -> Loaded[Program]:
    return st.read(text.encode(), Path("x.st"))


class Located(unittest.TestCase):
    """One program, whose POU leaves open where its instances lie and what they start with."""

    def assert_laid(self, program: Program, placed: dict[str, str], starts: dict[str, int], resource: str = "") -> None:
        controller = Controller(program, Profile(), resource)
        self.assertEqual([str(n) for n in controller.notices], [])
        self.assertEqual({t.name: str(t.address) for t in controller.running.tags if t.address is not None}, placed)
        self.assertEqual({t.name: t.initial for t in controller.running.tags if t.initial}, starts)

    def test_of_a_text_and_of_the_older_form(self) -> None:
        loaded = _text()
        self.assertEqual(loaded.notices, [])
        self.assert_laid(loaded.value, PLACED, STARTS)
        self.assert_laid(read(write_xml(loaded.value), Path("x.xml")).value, PLACED, STARTS)

    def test_another_resource_has_its_own(self) -> None:
        starts = {"One.Level": 77, "One.A[1]": 1, "One.A[2]": 2, "One.A[3]": 3, "Seven": 7}
        text = TEXT.replace("One.P.T : TON", "R.One.P.T : TON")
        self.assert_laid(_text(text).value, {"One.Go": "%IX7.7"}, starts, "Spare")

    def test_of_the_newer_form(self) -> None:
        data = project(_text(TEXT[:TEXT.index("VAR_CONFIG")] + "END_CONFIGURATION").value)
        loaded = read(data.replace(b"</Configuration>", NEWER.encode() + b"</Configuration>"), Path("x.xml"))
        self.assertEqual(loaded.notices, [])
        starts = {name: value for name, value in STARTS.items() if not name.startswith("Two")} | {"Two.Level": 1, "Two.A[1]": 1, "Two.A[2]": 2, "Two.A[3]": 3}
        self.assert_laid(loaded.value, {name: address for name, address in PLACED.items() if name.startswith("One")}, starts)

    def test_it_is_what_runs(self) -> None:
        session = session_of(_text().value, ((0, "One.Go", 1), (0, "Two.Go", 1), (9000, "Two.Go", 1)))
        coil = session.journal.history(session.tag("One.P.Coil"))
        self.assertEqual([session.journal.clock.start(scan) // 1_000_000_000 for scan in coil[0].tolist()], [5])

    def test_what_there_is_not_and_what_cannot_be_read_is_said(self) -> None:
        text = TEXT.replace("Two.Level : INT := 9;", "Two.Lvel : INT := 9; Two.Level : INT := := 4; R.Nobody AT %IX3.0 : BOOL;")
        loaded = _text(text)
        line = text[:text.index("Two.Lvel")].count("\n") + 1
        self.assertEqual([(n.place.line, n.effect) for n in loaded.notices], [(line, "what it says of that variable is passed over")])
        spare = TEXT[TEXT.index("RESOURCE Spare"):TEXT.index("VAR_CONFIG")]
        # Where there are several resources, a path without one may be of another.
        for program, names in ((loaded.value, ["R.Nobody"]), (_text(text.replace(spare, "\n").replace("Spare.One", "Two")).value, ["Two.Lvel", "R.Nobody"])):
            said = Controller(program, Profile()).notices
            self.assertEqual([(n.place.line, n.what) for n in said],
                             [(line, f"the configuration says something of {name}, which is no variable of what runs") for name in names])


if __name__ == "__main__":
    unittest.main()
