"""Arrays at an address: each element is a point of its own."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.building import log_of
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs.binding import Binder
from whorlograph.formats.programs.st import read
from whorlograph.model.literals import cooked
from whorlograph.model.profile import Addressing, Profile


def made(variables: str, body: str = "Z := X1;", addressing: Addressing = Addressing.BYTE, external: str = "", plain: bool = False) -> Controller:
    """A program with globals."""
    text = (f"TYPE Pair : STRUCT A, B : BOOL; END_STRUCT; Bits : ARRAY[0..1] OF BOOL; END_TYPE\nPROGRAM Main\nVAR_EXTERNAL X1, Z : BOOL; {external} END_VAR\n"
            f"{body}\nEND_PROGRAM\nCONFIGURATION C VAR_GLOBAL X1 AT %IX9.0 : BOOL; Z AT %QX9.0 : BOOL; {variables} END_VAR\n"
            "RESOURCE R ON P PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION\n")
    return Controller(read(text.encode(), Path("x.st")).value, Profile(scan_time=10_000_000, addressing=addressing), plain=plain)


class Places(unittest.TestCase):
    """Where elements lie."""

    def test_one_behind_the_other(self) -> None:
        for declared, addressing, expected in (
                ("A AT %IX2.6 : ARRAY[1..4] OF BOOL;", Addressing.BYTE, ["%IX2.6", "%IX2.7", "%IX3.0", "%IX3.1"]),
                ("A AT %IX6 : ARRAY[1..3] OF BOOL;", Addressing.BYTE, ["%IX6", "%IX7", "%IX8"]),
                ("A AT %IX1.2.7 : ARRAY[1..2] OF BOOL;", Addressing.BYTE, ["%IX1.2.7", "%IX1.3.0"]),
                ("A AT %QW4 : ARRAY[0..2] OF INT;", Addressing.BYTE, ["%QW4", "%QW6", "%QW8"]),
                ("A AT %QW4 : ARRAY[0..2] OF INT;", Addressing.ELEMENT, ["%QW4", "%QW5", "%QW6"]),
                ("A AT %MD0 : ARRAY[0..1] OF REAL;", Addressing.BYTE, ["%MD0", "%MD4"]),
                ("A AT %MB3 : ARRAY[0..1, 0..1] OF BYTE;", Addressing.BYTE, ["%MB3", "%MB4", "%MB5", "%MB6"]),
                ("A AT %MX0.0 : ARRAY[0..1] OF Bits;", Addressing.BYTE, ["%MX0.0", "%MX0.1", "%MX0.2", "%MX0.3"]),
                ("A AT %IW2 : INT(0..9);", Addressing.BYTE, ["%IW2"])):
            controller = made(declared, addressing=addressing)
            found = [str(t.address) for t in controller.running.tags if t.name.startswith("A")]
            self.assertEqual((found, controller.notices), (expected, []), declared)

    def test_what_has_no_place_is_said(self) -> None:
        for declared, said in (("A AT %IX0.0 : ARRAY[1..2] OF INT;", "array A lies at %IX0.0, which is not of its elements' width"),
                               ("A AT %IX0.0 : Pair;", "structure A lies at %IX0.0"), ("A AT %IW0 : ARRAY[1..2] OF STRING;", "array A lies at %IW0")):
            controller = made(declared)
            self.assertIn(said, " ".join(str(n) for n in controller.notices), declared)
            self.assertFalse([t for t in controller.running.tags if t.name.startswith("A") and t.address is not None])

    def test_a_log_names_an_element_by_its_address_and_bits_are_shared(self) -> None:
        for plain in (False, True):
            controller = made("A AT %IX2.0 : ARRAY[1..3] OF BOOL; W AT %IB2 : BYTE; N : INT;", "N := 0; IF A[2] THEN N := 2; END_IF; IF A[3] THEN N := N + 3; END_IF;",
                              external="A : ARRAY[1..3] OF BOOL; N : INT;", plain=plain)
            binder = Binder(controller.running, controller.profile)
            found = binder("%IX2.1")
            self.assertEqual(controller.running.tags[found[0]].name if found is not None else "", "A[2]")
            for rows, expected in (([(0, "A[2]", 1)], 2), ([(0, "W", 6)], 5), ([(0, "A[3]", 1), (10, "W", 1)], 0)):
                journal = controller.replay(log_of(controller, rows, 60))
                tag = controller.running.tags[controller.running.by_name["n"]]
                self.assertEqual(cooked(journal.settled(tag.index, 5), tag.type), expected, rows)
