"""Attributes of both XML forms as files write them: truths in every dress, values that mean nothing, attributes that nothing reads."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from msgspec.structs import replace

from tests.building import program_with, session_of
from tests.projects import project
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.ladder import Block, LadderBody
from whorlograph.model.place import Loaded
from whorlograph.model.program import Program, Variable, VariableKind
from whorlograph.model.rungs import build
from whorlograph.model.types import BOOL
from whorlograph.plant.catalog import cases
from whorlograph.plant.written import body_of


def _read(data: bytes) -> Loaded[Program]:
    return read(data, Path("x.xml"))


def _plain() -> Program:
    lines = ("X1 /X2 (Y1)", "X1 (/Y2)", "/X2 TON:T1:T#1s (Y3)")
    program = program_with({"Main": body_of(*lines)}, "X1 X2 Y1 Y2 Y3", "T1:TON")
    kept = Variable("Kept", BOOL, VariableKind.LOCAL, retain=True)
    fixed = Variable("Fixed", BOOL, VariableKind.LOCAL, constant=True)
    main = program.pous["main"]
    return replace(program, pous={"main": replace(main, variables=(*main.variables, kept, fixed))})


class Truths(unittest.TestCase):
    """XML Schema's boolean is ``true``, ``false``, ``1`` or ``0``."""

    def test_each_dress_reads_alike(self) -> None:
        found = 0
        for name, case in cases().items():
            if case.program.suffix != ".xml":
                continue
            old = case.program.read_bytes()
            for data in (old, *([project(_read(old).value)] if b"<SFC" not in old else [])):
                wanted = _read(data)
                found += data.count(b'="true"')
                for yes, no in ((b"1", b"0"), (b" TRUE ", b" False")):
                    dressed = data.replace(b'="true"', b'="' + yes + b'"').replace(b'="false"', b'="' + no + b'"')
                    self.assertEqual(_read(dressed), wanted, name)
        self.assertGreater(found, 100)

    def test_of_edges_and_storages_too(self) -> None:
        data = write_xml(program_with({"Main": body_of("^X1 (S Y1)", "X2 (R Y1)", "vX2 (Y2)")}, "X1 X2 Y1 Y2"))
        self.assertGreaterEqual(len(re.findall(b'"(?:rising|falling|set|reset)"', data)), 4)
        self.assertEqual(_read(re.sub(b'"(rising|falling|set|reset)"', lambda m: b'"' + m[1].upper() + b'"', data)), _read(data))

    def test_what_persists_is_retained(self) -> None:
        for data in (write_xml(_plain()), project(_plain())):
            self.assertEqual(data.count(b'retain="true"'), 1)
            self.assertEqual(_read(data.replace(b'retain="true"', b'persistent="true"')), _read(data))

    def test_a_section_is_found_again_in_its_own_dress(self) -> None:
        for data in (write_xml(_plain()), project(_plain())):
            data = data.replace(b'retain="true"', b'persistent="1"').replace(b'constant="true"', b'constant="1"')
            old = _read(data).value
            main = old.pous["main"]
            more = replace(main, variables=(*main.variables[:-1], Variable("More", BOOL, VariableKind.LOCAL, retain=True), main.variables[-1]))
            written = splice(data, old, replace(old, pous={"main": more}))
            self.assertEqual((written.count(b'persistent="1"'), written.count(b'retain="true"'), len(written) - len(data) < 200), (1, 0, True))
            self.assertEqual([v.name for v in _read(written).value.pous["main"].variables if v.retain], ["Kept", "More"])


class NoSuchValue(unittest.TestCase):
    """What stands there is none of the form's: nobody knows what it asks for."""

    def test_it_is_said_and_not_executed(self) -> None:
        data = write_xml(_plain())
        contact, coil = re.search(rb'<contact [^>]*negated="true"', data), re.search(rb'<coil [^>]*negated="false"', data)
        pin = re.search(rb'<variable formalParameter="IN"', data)
        assert contact is not None and coil is not None and pin is not None
        for number, before, after, said in (
                (1, contact[0], contact[0].replace(b'"true"', b'"sometimes"'), 'X2 is read negated="sometimes"'),
                (1, coil[0], coil[0].replace(b'negated="false"', b'storage="hold"'), 'Y1 is written storage="hold"'),
                (3, pin[0], pin[0] + b' edge="both"', 'IN of T1 is to be edge="both" by its wire')):
            with self.subTest(said):
                loaded = _read(data.replace(before, after, 1))
                self.assertEqual([n.what for n in loaded.notices], [f"rung {number}: {said}: it is not executed, what it alone writes comes from the log"])
                tag = f"Y{number}"
                session = session_of(loaded.value, ((0, "X1", 1), (0, "X2", 0), (1100, "X1", 1)))
                self.assertEqual(session.journal.settled(session.tag(tag), session.journal.clock.last), 0)
                self.assertEqual([n.what for n in _read(write_xml(loaded.value)).notices], [n.what for n in loaded.notices])

    def test_of_the_other_form_too(self) -> None:
        for before, said in ((b'negated="true"', "X2 is read"), (b'latch="set"', "Y1 is written")):
            program = program_with({"Main": body_of("X1 /X2 (S Y1)")}, "X1 X2 Y1")
            data = re.sub(rb' (?:negated|edge|latch)="(?:false|none)"', b"", project(program))
            self.assertEqual(data.count(before), 1)
            odd = before.split(b'"')[0] + b'"sometimes"'
            loaded = _read(data.replace(before, odd))
            shown = odd.decode().replace("latch", "storage")
            self.assertEqual([n.what for n in loaded.notices], [f"rung 1: {said} {shown}: it is not executed, what it alone writes comes from the log"])
            body = loaded.value.pous["main"].body
            assert isinstance(body, LadderBody)
            turned = tuple(replace(e, variable="X2") if getattr(e, "variable", "") == "X1" else e for e in body.elements)
            new = replace(loaded.value, pous={"main": replace(loaded.value.pous["main"], body=build(turned)[0])})
            self.assertIn(odd, splice(data.replace(before, odd), loaded.value, new))

    def test_no_is_no(self) -> None:
        data = write_xml(_plain()).replace(b"<contact ", b'<contact edge="None" storage="" ', 1)
        self.assertEqual(_read(data), _read(write_xml(_plain())))


    def test_of_a_pin_that_is_written_again_in_both_forms(self) -> None:
        program = program_with({"Main": body_of("X1 TON:T1:T#1s (Y1)")}, "X1 X2 Y1", "T1:TON")
        for data, pin in ((write_xml(program), b'<variable formalParameter="IN"'), (project(program), b'parameterName="IN"')):
            odd = re.sub(pin + rb'(?: (?:negated|edge|latch)="[^"]*")*', pin + b' edge="both"', data, count=1)
            loaded = _read(odd)
            body = loaded.value.pous["main"].body
            assert isinstance(body, LadderBody)
            turned = tuple(replace(e, inputs=(replace(e.inputs[0], wires=()), *e.inputs[1:])) if isinstance(e, Block) else e for e in body.elements)
            new = replace(loaded.value, pous={"main": replace(loaded.value.pous["main"], body=build(turned)[0])})
            self.assertEqual(splice(odd, loaded.value, new).count(b'edge="both"'), 1)


class Unread(unittest.TestCase):
    """Attributes that nothing reads."""

    def test_each_is_named_once_with_its_place(self) -> None:
        data = write_xml(_plain())
        odd = data.replace(b"<contact ", b'<contact inhibit="yes" ').replace(b"<variable name=", b'<variable monitored="1" name=', 1)
        odd = odd.replace(b'<variable formalParameter="PT"', b'<variable delayed="3" formalParameter="PT"')
        loaded = _read(odd)
        contacts = data.count(b"<contact ")
        self.assertEqual(sorted(n.what for n in loaded.notices), sorted((
            f'inhibit="yes" of contact is not read, nor at {contacts - 1} more', 'monitored="1" of variable is not read', 'delayed="3" of variable is not read')))
        first = odd[:odd.index(b"<contact ")].count(b"\n") + 1
        self.assertEqual([(n.place.line, n.place.pou) for n in loaded.notices if "inhibit" in n.what], [(first, "Main")])
        self.assertEqual(loaded.value, _read(data).value)

    def test_in_the_other_form_too(self) -> None:
        data = project(_plain())
        loaded = _read(data.replace(b'xsi:type="Contact"', b'inhibit="yes" xsi:type="Contact"').replace(b"<Variable ", b'<Variable monitored="yes" '))
        self.assertEqual(sorted(re.sub(r", nor at \d+ more", "", n.what) for n in loaded.notices),
                         ['inhibit="yes" of LdObject is not read', 'monitored="yes" of Variable is not read'])

    def test_not_what_says_nothing_nor_what_belongs_to_others(self) -> None:
        data = write_xml(_plain())
        quiet = data.replace(b"<contact ", b'<contact hidden="false" o:note="x" xmlns:o="urn:other" width="8" ')
        self.assertEqual(_read(re.sub(rb'( width="8")(.*?) width="\d+"', rb"\1\2", quiet)).notices, [])


if __name__ == "__main__":
    unittest.main()
