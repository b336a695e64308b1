"""Program files: read, written, and damaged."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.strategies import random_case
from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.formats.programs import read_program
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import ProgramError
from whorlograph.model.ladder import Element, LadderBody
from whorlograph.model.program import Located, OpaqueBody, Pou, PouKind, Program, Variable, VariableKind
from whorlograph.model.text import TextBody
from whorlograph.model.types import ELEMENTARY, Family, Members, Simple, Subrange, TypeRef

HEAD = '<project xmlns="http://www.plcopen.org/xml/tc6_0201"><types><pous>'
TAIL = "</pous></types></project>"


def read_text(text: str | bytes, name: str = "p.xml") -> object:
    """Read a program from text."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return read_program(path)


def ladder(elements: str, variables: str = '<localVars><variable name="A"><type><BOOL/></type></variable></localVars>') -> str:
    """A project with one program whose ladder holds these elements."""
    return f'{HEAD}<pou name="P" pouType="program"><interface>{variables}</interface><body><LD>{elements}</LD></body></pou>{TAIL}'


def bare(program: Program) -> Program:
    """A program without what depends on the file it stands in."""
    def clean(pou: Pou) -> Pou:
        body = pou.body
        if isinstance(body, LadderBody):
            elements = tuple(replace(e, line=0) for e in body.elements)
            rungs = tuple(replace(r, elements=tuple(replace(e, line=0) for e in r.elements)) for r in body.rungs)
            body = replace(body, elements=elements, rungs=rungs)
        return replace(pou, body=body, place=pou.place.__class__(), variables=tuple(replace(v, line=0) for v in pou.variables))

    configurations = tuple(replace(c, variables=tuple(replace(v, line=0) for v in c.variables)) for c in program.configurations)
    return replace(program, pous={k: clean(p) for k, p in program.pous.items()}, file="", date="", company="", version="",
                   configurations=configurations)


class Reading(unittest.TestCase):
    """What is written is read."""

    def test_write_then_read_gives_the_same_model(self) -> None:
        for seed in range(20):
            program, _ = random_case(Random(seed))
            loaded = read_text(write_xml(program))
            with self.subTest(seed=seed):
                self.assertEqual(bare(loaded.value), bare(program))  # type: ignore[attr-defined]

    def test_every_elementary_type_is_written_and_read_back(self) -> None:
        for name, type_ in ELEMENTARY.items():
            one: TypeRef = Subrange(type_, 0, 12) if type_.family is Family.STRING else type_
            program = Program("p", {}, {"p": Pou("P", PouKind.PROGRAM, (Variable("A", one, VariableKind.LOCAL),), LadderBody((), (), {}))})
            self.assertEqual(read_text(write_xml(program)).value.pous["p"].variables[0].type, one, name)  # type: ignore[attr-defined]

    def test_what_the_configuration_says_of_variables_is_written_and_read_back(self) -> None:
        program, _ = random_case(Random(5))
        said = (Located("r.main.x", "%IX7.0"), Located("main.y", "%QX7.1", Simple("TRUE")), Located("main.t", "", Members((("PT", Simple("T#5s")),))))
        one = replace(program.configurations[0], located=said)
        found = read_text(write_xml(replace(program, configurations=(one, *program.configurations[1:])))).value  # type: ignore[attr-defined]
        self.assertEqual(tuple(replace(one, line=0) for one in found.configurations[0].located), said)

    def test_the_older_namespace_is_read_too(self) -> None:
        program, _ = random_case(Random(3))
        loaded = read_text(write_xml(program).replace(b"tc6_0201", b"tc6_0200"))
        self.assertEqual(len(loaded.value.pous), len(program.pous))  # type: ignore[attr-defined]

    def test_a_body_that_cannot_be_read_is_kept_and_named(self) -> None:
        text = f'{HEAD}<pou name="P" pouType="program"><interface/><body><IL><p>LD B\nST A\nAND( D\nST C</p></IL></body></pou>{TAIL}'
        loaded = read_text(text)
        body = loaded.value.pous["p"].body  # type: ignore[attr-defined]
        assert isinstance(body, OpaqueBody)
        self.assertEqual(body.assigns, ("A", "C"))
        self.assertTrue(any("a bracket is opened here and not closed" in str(n) for n in loaded.notices))  # type: ignore[attr-defined]

    def test_an_instruction_list_is_steps_up_to_its_stores(self) -> None:
        text = f'{HEAD}<pou name="P" pouType="program"><interface/><body><IL><p>LD B\nST A\nSTN D\nOver: LD E\nJMPC Over</p></IL></body></pou>{TAIL}'
        body = read_text(text).value.pous["p"].body  # type: ignore[attr-defined]
        assert isinstance(body, TextBody)
        self.assertEqual((body.language, body.labels, [body.lines(n) for n in range(2)]),
                         ("IL", (("Over", 1),), [("LD B", "ST A", "STN D"), ("Over: LD E", "JMPC Over")]))

    def test_external_entities_are_not_read(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            secret = Path(folder) / "secret.txt"
            secret.write_text("SECRET")
            text = f'<!DOCTYPE p [<!ENTITY x SYSTEM "{secret}">]>' + ladder("").replace('name="P"', 'name="P&x;"', 1)
            path = Path(folder) / "p.xml"
            path.write_text(text)
            try:
                loaded = read_program(path)
                self.assertNotIn("SECRET", repr(loaded))
            except ProgramError as error:
                self.assertNotIn("SECRET", error.line())


CONTACT = '<contact localId="{0}"><position x="50" y="{1}"/><connectionPointIn><connection refLocalId="{2}"/></connectionPointIn><variable>A</variable></contact>'

BROKEN = {
    "a wire loop": (ladder(CONTACT.format(2, 10, 3) + CONTACT.format(3, 10, 2)), "loop"),
    "a wire from nowhere": (ladder(CONTACT.format(2, 10, 99)), "99, which does not exist"),
    "two elements of one id": (ladder(CONTACT.format(2, 10, 1) + CONTACT.format(2, 50, 1)), "two elements have the id 2"),
    "a jump without a label": (ladder('<jump localId="2" label="Gone"><position x="1" y="1"/></jump>'), "Gone, which does not exist"),
    "two labels of one name": (ladder('<label localId="2" label="L"><position x="1" y="1"/></label><label localId="3" label="L"><position x="1" y="9"/></label>'), "stands twice"),
    "an element of another kind": (ladder('<vendorThing localId="2"/>'), "vendorThing"),
}

SHAKY = {
    "an undeclared tag": (ladder(CONTACT.format(2, 10, 1).replace(">A<", ">Missing<")), "Missing is used but not declared"),
    "an unknown type": (ladder("", '<localVars><variable name="A"><type><derived name="Nothing"/></type></variable></localVars>'), "not known"),
    "a recursive type": (f'{HEAD}<pou name="F" pouType="functionBlock"><interface><localVars><variable name="I"><type><derived name="F"/></type></variable></localVars></interface><body><LD/></body></pou>'
                         f'<pou name="P" pouType="program"><interface><localVars><variable name="A"><type><derived name="F"/></type></variable></localVars></interface><body><LD/></body></pou>{TAIL}', "contains itself"),
    "a bad initial value": (ladder("", '<localVars><variable name="A"><type><INT/></type><initialValue><simpleValue value="99999"/></initialValue></variable></localVars>'), "does not fit INT"),
    "an instance of nothing": (ladder("").replace("</project>", '<instances><configurations><configuration name="c"><resource name="r"><pouInstance name="i" typeName="Nobody"/></resource></configuration></configurations></instances></project>'), "not in the file"),
    "a bad address": (ladder("").replace("</project>", '<instances><configurations><configuration name="c"><resource name="r"><pouInstance name="i" typeName="P"/></resource><globalVars><variable name="G" address="%IZ9"><type><BOOL/></type></variable></globalVars></configuration></configurations></instances></project>'), "%IZ9"),
}

UNREADABLE = {
    "empty": (b"", "empty"),
    "binary": (bytes(range(256)) * 20, "not well-formed"),
    "truncated": (ladder(CONTACT.format(2, 10, 1)).encode()[:200], "not well-formed"),
    "foreign": (b"<drawing><body/></drawing>", "not a project"), "a web page": (b"<html><body/></html>", "a web page"),
    "no POU": (b'<project xmlns="http://www.plcopen.org/xml/tc6_0201"/>', "no POU"),
}


class BadInput(unittest.TestCase):
    """One line with place and remedy where nothing can be read; else it loads and says what is missing."""

    def test_what_cannot_be_read_is_one_line(self) -> None:
        for name, (data, said) in UNREADABLE.items():
            with self.subTest(name):
                with self.assertRaises(ProgramError) as caught:
                    read_text(data)
                self.assertIn(said, caught.exception.line())
                self.assertNotIn("\n", caught.exception.line())
                self.assertTrue(caught.exception.remedy)

    def test_a_missing_file_is_named(self) -> None:
        with self.assertRaises(ProgramError) as caught:
            read_program(Path("no_such_file.xml"))
        self.assertIn("no_such_file.xml", caught.exception.line())

    def test_what_is_broken_in_a_rung_is_named_and_the_rest_loads(self) -> None:
        for name, (text, said) in BROKEN.items():
            with self.subTest(name):
                loaded = read_text(text)
                self.assertTrue(any(said in str(n) for n in loaded.notices), [str(n) for n in loaded.notices])  # type: ignore[attr-defined]
                self.assertIn("p", loaded.value.pous)  # type: ignore[attr-defined]

    def test_what_is_shaky_in_declarations_is_named_and_the_rest_lives(self) -> None:
        for name, (text, said) in SHAKY.items():
            with self.subTest(name):
                loaded = read_text(text)
                _, notices = elaborate(loaded.value)  # type: ignore[attr-defined]
                self.assertTrue(any(said in str(n) for n in notices), [str(n) for n in notices])

    def test_elements_keep_their_place_in_the_file(self) -> None:
        loaded = read_text("\n\n" + ladder(CONTACT.format(2, 10, 1)))
        element: Element = loaded.value.pous["p"].body.elements[0]  # type: ignore[attr-defined]
        self.assertEqual((element.id, element.x, element.y, element.line), (2, 50, 10, 3))


if __name__ == "__main__":
    unittest.main()
