"""Global variables in named sections of an XML file: called by their section's name too, and two alike by that alone."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from tests.building import log_of, program_with
from tests.engine.agreement import difference
from tests.projects import project
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import st
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program
from whorlograph.plant.written import body_of

_TYPES = {"X1": "<BOOL/>", "X2": "<BOOL/>", "Y1": "<BOOL/>", "Y2": "<BOOL/>", "N": "<INT/>",
          "A": '<array><dimension lower="1" upper="3"/><baseType><INT/></baseType></array>'}


def _section(name: str, *variables: str) -> str:
    inner = "".join(f'<variable name="{v.partition(" ")[0]}"{" address=" + chr(34) + v.partition(" ")[2] + chr(34) if " " in v else ""}>'
                    f"<type>{_TYPES[v.partition(' ')[0]]}</type></variable>" for v in variables)
    return f'<globalVars name="{name}">{inner}</globalVars>' if name else f"<globalVars>{inner}</globalVars>"


def _with(program: Program, *sections: str) -> bytes:
    data, count = re.subn(rb"<globalVars>.*?</globalVars>", "".join(sections).encode(), write_xml(program), flags=re.DOTALL)
    assert count == 1
    return data


def _read(data: bytes) -> Loaded[Program]:
    return read(data, Path("x.xml"))


LADDER = program_with({"Main": body_of("Lamps.X1 Keys.X2 /Keys.X1 (Lamps.Y1)", "Y1 TON:T1:T#1s (S Keys.Y2)")}, "X1 X2 Y1 Y2", "T1:TON")
KEYS, LAMPS = _section("Keys", "X1 %IX0.0", "X2", "Y2"), _section("Lamps", "X1 %IX0.7", "Y1")


class Groups(unittest.TestCase):
    """Two sections, in each of which there is an X1."""

    def names(self, controller: Controller) -> dict[str, str]:
        return {t.name: str(t.address or "") for t in controller.running.tags if "." not in t.name or not t.name.startswith("Main")}

    def test_each_is_found_by_either_name_and_read_again_as_written(self) -> None:
        data = _with(LADDER, KEYS, LAMPS)
        program = _read(data).value
        for one in (data, write_xml(program), project(program)):
            loaded = _read(one)
            controller = Controller(loaded.value, Profile())
            if one is not data and b"<Project" in one:
                continue  # the tests' own writer knows no names of sections
            self.assertEqual([str(n) for n in (*loaded.notices, *controller.notices)], [])
            self.assertEqual(self.names(controller), {"X1": "%IX0.0", "X2": "", "Y2": "", "Lamps.X1": "%IX0.7", "Y1": ""})
            find = controller.running.find
            self.assertEqual((find("Keys.X1"), find("keys.y2"), find("Lamps.Y1"), find("Lamps.X1")), (find("X1"), find("Y2"), find("Y1"), 3))
            self.assertEqual(splice(one, loaded.value, loaded.value), one)
            self.assertEqual(compare_programs(program, loaded.value).changes, ())

    def test_the_newer_form_too(self) -> None:
        plain = _read(_with(LADDER, _section("", "X1 %IX0.0", "X2", "Y2", "Y1"))).value
        data = project(plain).replace(b"<GlobalVars ", b'<GlobalVars name="Keys" ')
        self.assertIn(b'name="Keys"', data)
        body = data.replace(b'"Lamps.X1"', b'"Keys.X1"').replace(b'"Lamps.Y1"', b'"Keys.Y1"')
        loaded = _read(body)
        controller = Controller(loaded.value, Profile())
        self.assertEqual([str(n) for n in (*loaded.notices, *controller.notices)], [])
        self.assertEqual(self.names(controller), {"X1": "%IX0.0", "X2": "", "Y2": "", "Y1": ""})

    def test_both_engines_run_them_in_ladder_and_text(self) -> None:
        body = ("Lamps.Y1 := Lamps.X1 AND NOT Keys.X1; Nums.N := SEL(Nums.N >= 3, Nums.N + 1, 1); Nums.A[Nums.N] := Nums.A[1] + 1; "
                "IF Nums.A[2] > 4 THEN Y2 := TRUE; END_IF;")
        text = st.read(f"PROGRAM Main VAR U : BOOL; END_VAR {body} END_PROGRAM CONFIGURATION C VAR_GLOBAL G : BOOL; END_VAR RESOURCE R ON CPU "
                       "PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION".encode(), Path("x.st")).value
        numbers = _section("Nums", "N", "A")
        for program, sections in ((LADDER, (KEYS, LAMPS)), (text, (KEYS, LAMPS, numbers))):
            loaded = _read(_with(program, *sections))
            journals = []
            for plain in (True, False):
                controller = Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain)
                self.assertEqual([str(n) for n in (*loaded.notices, *controller.notices)], [])
                rows = [(0, "X2", 1), (50, "Lamps.X1", 1), (1500, "X1", 1), (1800, "X1", 0), (2000, "Lamps.X1", 0)]
                journals.append(controller.replay(log_of(controller, rows)))
            names = [t.name for t in controller.running.tags]
            self.assertEqual(difference(*journals, names), "")
            coil = controller.running.by_name["lamps.y1"]
            self.assertEqual(journals[0].history(coil)[1].tolist(), [1, 0, 1, 0])

    def test_a_constant_of_one_is_an_initial_value(self) -> None:
        constant = ('<globalVars name="Set" constant="true"><variable name="Most"><type><INT/></type><initialValue><simpleValue value="7"/></initialValue>'
                    "</variable></globalVars>")
        start = '<globalVars><variable name="N"><type><INT/></type><initialValue><simpleValue value="Set.Most"/></initialValue></variable></globalVars>'
        controller = Controller(_read(_with(LADDER, KEYS, LAMPS, constant, start)).value, Profile())
        self.assertEqual([str(n) for n in controller.notices], [])
        self.assertEqual(controller.running.tags[controller.running.by_name["n"]].initial, 7)

    def test_a_member_that_there_is_not_is_said_and_its_rung_not_executed(self) -> None:
        for name in ("X2", "Keys", "T1", "Lamps.X1"):
            for element in (b"<variable>Lamps.X1<", b"<variable>Lamps.Y1<"):
                data = _with(LADDER, KEYS, LAMPS).replace(element, f"<variable>{name}.Nobody<".encode())
                said = [n.what for n in Controller(_read(data).value, Profile()).notices]
                self.assertEqual(said, [f"'{name}.Nobody' names nothing that is declared"], element)

    def test_without_such_a_section_or_member_it_is_said(self) -> None:
        controller = Controller(_read(_with(LADDER, KEYS, _section("Lamp", "X1", "Y1"))).value, Profile())
        self.assertTrue(any("Lamps is not declared" in str(n) for n in controller.notices))
        twice = Controller(_read(_with(LADDER, KEYS, LAMPS, _section("Lamps", "Y1"))).value, Profile())
        self.assertEqual([n.what for n in twice.notices], ["global Y1 is declared twice"])

    def test_that_one_stands_elsewhere_is_a_difference(self) -> None:
        old, new = (_read(_with(LADDER, *sections)).value for sections in ((KEYS, LAMPS), (_section("Keys", "X1 %IX0.0", "X2"), _section("Lamps", "X1 %IX0.7", "Y1", "Y2"))))
        self.assertEqual([(c.name, c.old, c.new, c.details) for c in compare_programs(old, new).changes], [("Y2", "Keys", "Lamps", ("stands in",))])


if __name__ == "__main__":
    unittest.main()
