"""What variables start with: constants by their names, members, lists; what fits nowhere is said."""

from __future__ import annotations

import unittest
from pathlib import Path

from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import st
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.literals import cooked
from whorlograph.model.profile import Profile

TEXT = """TYPE Colour : (Red, Green, Blue); Limits : STRUCT Wait : TIME := Pause; Top : INT := Most; END_STRUCT; END_TYPE
FUNCTION_BLOCK Inner VAR CONSTANT Most : INT := 2; END_VAR VAR Own : INT := Most; Other : TIME := Pause; END_VAR
Own := Own;
END_FUNCTION_BLOCK
PROGRAM Main VAR CONSTANT
  Delay : TIME := T#3s; Factor : REAL := 1.5; Yes : BOOL := TRUE; Word : STRING := 'abc'; Paint : Colour := Blue; Five : INT := 5; Again : INT := Five;
  Red_One : Colour := Red; Row : ARRAY[1..3] OF INT := [7, 8, 9]; Both : Limits := (Wait := T#1s, Top := 3);
END_VAR VAR
  Time1 : TIME := Delay; Back : TIME := -Delay; Real1 : REAL := Factor; Whole : REAL := Five; Minus : REAL := -Factor; Flag : BOOL := Yes; Name : STRING := Word;
  Shade : Colour := Paint; Enumerated : Colour := Green; Chain : INT := Again; Timer : TON := (PT := Delay); Times : ARRAY[1..2] OF TIME := [2(Delay)];
  Filled : ARRAY[1..3] OF INT := Row; Pair : Limits; Given : Limits := Both; Outer : TIME := Pause; One : Inner;
END_VAR
Flag := Flag;
END_PROGRAM
CONFIGURATION C VAR_GLOBAL CONSTANT Pause : TIME := T#7s; Most : INT := 4; Every : TIME := T#40ms; END_VAR VAR_GLOBAL Loose : TIME := Pause; END_VAR
RESOURCE R ON CPU TASK T(INTERVAL := Every, PRIORITY := Most); PROGRAM P WITH T : Main; END_RESOURCE
END_CONFIGURATION
"""
SECOND = 1_000_000_000
WANTED: dict[str, object] = {
    "Loose": 7 * SECOND, "P.Time1": 3 * SECOND, "P.Back": -3 * SECOND, "P.Real1": 1.5, "P.Whole": 5.0, "P.Minus": -1.5, "P.Flag": True, "P.Name": "abc",
    "P.Shade": 2, "P.Enumerated": 1, "P.Chain": 5, "P.Timer.PT": 3 * SECOND, "P.Times[1]": 3 * SECOND, "P.Times[2]": 3 * SECOND, "P.Filled[1]": 7,
    "P.Filled[2]": 8, "P.Filled[3]": 9, "P.Pair.Wait": 7 * SECOND, "P.Pair.Top": 4, "P.Given.Wait": SECOND, "P.Given.Top": 3, "P.Outer": 7 * SECOND,
    "P.One.Own": 2, "P.One.Other": 7 * SECOND}


def _said(declared: str, types: str = "") -> list[str]:
    text = f"{types} PROGRAM Main VAR {declared} X : BOOL; END_VAR X := X; END_PROGRAM"
    loaded = st.read(text.encode(), Path("x.st"))
    return [n.what for n in (*loaded.notices, *Controller(loaded.value, Profile()).notices)]


class StartingValues(unittest.TestCase):
    """Both forms of files that name constants."""

    def test_constants_by_their_names(self) -> None:
        loaded = st.read(TEXT.encode(), Path("x.st"))
        self.assertEqual(loaded.notices, [])
        for program in (loaded.value, read(write_xml(loaded.value), Path("x.xml")).value):
            controller = Controller(program, Profile())
            self.assertEqual([str(n) for n in controller.notices], [])
            tags = {t.name: cooked(t.initial, t.type) for t in controller.running.tags}
            self.assertEqual({name: tags[name] for name in WANTED}, WANTED)
            task = controller.schedule.tasks[0]
            assert task.interval_tag is not None
            self.assertEqual((controller.running.tags[task.interval_tag].name, task.priority), ("Every", 4))

    def test_of_an_enumeration_its_own_names_come_first(self) -> None:
        text = ("TYPE Colour : (Red, Green, Blue); END_TYPE PROGRAM Main VAR CONSTANT Green : INT := 2; END_VAR "
                "VAR Shade : Colour := Green; Number : INT := Green; END_VAR Number := Number; END_PROGRAM")
        controller = Controller(st.read(text.encode(), Path("x.st")).value, Profile())
        self.assertEqual({t.name: t.initial for t in controller.running.tags[1:]}, {"Main.Shade": 1, "Main.Number": 2})

    def test_what_fits_nowhere_is_said(self) -> None:
        limits = "TYPE Limits : STRUCT Top : INT; END_STRUCT; END_TYPE"
        for declared, said in (
                ("A : INT := Nobody;", "initial value Nobody of Main.A cannot be read"),
                ("A : INT := Both.Top;", "initial value Both.Top of Main.A cannot be read"),
                ("T : TON := (PTT := T#5s);", "an initial value is given to Main.T.PTT, which there is not"),
                ("L : Limits := (Top := 3, Low := 1);", "an initial value is given to Main.L.Low, which there is not"),
                ("L : Limits := 3;", "the initial value of Main.L is no list of members"),
                ("A : ARRAY[1..2] OF INT := [1, 2, 3];", "Main.A has 2 elements and more initial values"),
                ("A : ARRAY[1..2] OF INT := 4;", "the initial value of array Main.A is no list"),
                ("A : INT := [4];", "the initial value of Main.A is a list")):
            with self.subTest(declared):
                self.assertEqual(_said(declared, limits), [said])
        for declared in ("A : ARRAY[1..3] OF INT := [1, 2];", "T : TON := (PT := T#5s);", "L : Limits;"):
            self.assertEqual(_said(declared, limits), [], declared)

    def test_a_variable_hides_a_constant_of_its_name(self) -> None:
        for inner, said in (("N : INT := 3;", ["initial value N of Main.B cannot be read"]), ("", [])):
            text = (f"PROGRAM Main VAR {inner} B : INT := N; X : BOOL; END_VAR X := X; END_PROGRAM CONFIGURATION C VAR_GLOBAL CONSTANT N : INT := 7; END_VAR "
                    "RESOURCE R ON CPU PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION")
            controller = Controller(st.read(text.encode(), Path("x.st")).value, Profile())
            self.assertEqual([n.what for n in controller.notices], said)
            self.assertEqual({t.name: t.initial for t in controller.running.tags}["Main.B"], 0 if said else 7)

    def test_constants_that_name_one_another_come_to_an_end(self) -> None:
        text = "PROGRAM Main VAR CONSTANT A : REAL := B; B : REAL := A; END_VAR VAR C : REAL := A; X : BOOL; END_VAR X := X; END_PROGRAM"
        loaded = st.read(text.encode(), Path("x.st"))
        said = [n.what for n in Controller(loaded.value, Profile()).notices]
        self.assertEqual(len(said), 3)
        self.assertTrue(all("cannot be read" in one for one in said), said)


class Tasks(unittest.TestCase):
    """What is set of a task."""

    def test_what_is_not_read_is_said(self) -> None:
        body = "PROGRAM Main VAR X : BOOL; END_VAR X := NOT X; END_PROGRAM CONFIGURATION C RESOURCE R ON CPU\nTASK T(INTERVAL := T#10ms, {});\n" \
               "PROGRAM P WITH T : Main; END_RESOURCE END_CONFIGURATION"
        for setting, said, priority in (("PRIORITY := 3", [], 3), ("PRIORITY := 1, WATCHDOG := T#1s", ["WATCHDOG of task T is not read"], 1),
                                        ("PRIORITY := Zed", ["the priority Zed of task T is no whole number from 0 on"], 0),
                                        ("PRIORITY := -3", ["the priority -3 of task T is no whole number from 0 on"], 0),
                                        ("PRIORITY := 5, PRIORITY := 2", ["PRIORITY of task T is set twice"], 5)):
            loaded = st.read(body.format(setting).encode(), Path("x.st"))
            self.assertEqual([n.what.partition(": ")[2] for n in loaded.notices], said)
            self.assertTrue(all(n.place.line == 2 for n in loaded.notices))
            task = loaded.value.configurations[0].resources[0].tasks[0]
            self.assertEqual((task.priority, task.interval), (priority, "T#10ms"))
            older = write_xml(loaded.value).replace(f'priority="{priority}"'.encode(), b'priority="high"')
            self.assertEqual([n.what for n in read(older, Path("x.xml")).notices], ["the priority high of task T is no whole number from 0 on"])


if __name__ == "__main__":
    unittest.main()
