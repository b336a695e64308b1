"""The XML form that IEC 61131-10 lays down does what the older form does, on random programs; what it cannot read is named."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.building import Rows, session_of
from tests.engine.agreement import difference
from tests.formats.test_diagrams import Diagrams, diagram
from tests.projects import project
from tests.strategies import random_case, random_log
from tests.text_strategies import random_text, random_text_log
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read as read_text
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import ProgramError
from whorlograph.model.ladder import Contact, ContactKind, LadderBody
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program, VariableKind

_PARAMETERS = (VariableKind.INPUT, VariableKind.OUTPUT, VariableKind.IN_OUT)
_PLACE = Path("works.xml")


def parameters_first(program: Program) -> Program:
    """The same program with each POU's parameters before its other variables, as this form has them."""
    pous = {k: replace(p, variables=tuple(sorted(p.variables, key=lambda v: v.kind not in _PARAMETERS))) for k, p in program.pous.items()}
    return replace(program, pous=pous)


class SameAsTheOlderForm(unittest.TestCase):
    """Both forms end in one model."""

    def same(self, program: Program, profile: Profile, random: Random, backwards: bool, text: bool) -> int:
        program = parameters_first(program)
        loaded = read(project(program, backwards), _PLACE)
        self.assertEqual([str(n) for n in loaded.notices], [])
        one, two = Controller(program, profile, plain=True), Controller(loaded.value, profile)
        self.assertEqual([t.name for t in one.running.tags], [t.name for t in two.running.tags])
        log = (random_text_log if text else random_log)(random, one.running)
        journal = one.replay(log)
        other = two.replay(log)
        if journal.fault is not None and other.fault is not None:
            other.fault = replace(other.fault, element=journal.fault.element)  # elements are numbered anew
        self.assertEqual(difference(journal, other, [t.name for t in one.running.tags]), "")
        return len(journal)

    def test_ladder(self) -> None:
        rows = 0
        for seed in range(16):
            with self.subTest(seed=seed):
                random = Random(seed)
                rows += self.same(*random_case(random, tasked=seed % 2 == 0), random, backwards=seed % 3 == 0, text=False)
        self.assertGreater(rows, 1_000)

    def test_text(self) -> None:
        rows = 0
        for seed in range(12):
            with self.subTest(seed=seed):
                random = Random(seed)
                rows += self.same(read_text(random_text(random).encode(), Path("x.st")).value, Profile(), random, False, True)
        self.assertGreater(rows, 500)

    def test_constants_as_bounds_in_both_forms(self) -> None:
        text = ("PROGRAM P VAR CONSTANT N : INT := 4; END_VAR VAR A : ARRAY[1..4] OF BOOL; B : INT(0..7); C : ARRAY[1..3] OF INT; END_VAR A[1] := TRUE; END_PROGRAM\n"
                "CONFIGURATION K VAR_GLOBAL CONSTANT Top : INT := INT#7; N : INT := 9; END_VAR RESOURCE R ON S PROGRAM P : P; END_RESOURCE END_CONFIGURATION\n")
        program = read_text(text.encode(), Path("x.st")).value
        for data in (write_xml(program), project(program)):
            named = data.replace(b'upper="4"', b'upper="N"').replace(b'upper="7"', b'upper="top"')
            self.assertNotEqual(named, data)
            loaded, plain = read(named, _PLACE), read(data, _PLACE)
            self.assertEqual([str(n) for n in loaded.notices], [])
            self.assertEqual([v.type for v in loaded.value.pous["p"].variables], [v.type for v in plain.value.pous["p"].variables])
            unknown = read(data.replace(b'upper="3"', b'upper="Most"'), _PLACE)
            self.assertIn("a bound (Most) is the name of no constant", " ".join(str(n) for n in unknown.notices))

    def test_a_block_diagram(self) -> None:
        session = diagram(Diagrams.TIMED, Diagrams.ROWS, "X1 X2 Y1", "T1:TON")
        loaded = read(project(session.program), _PLACE)
        again = session_of(loaded.value, Diagrams.ROWS)
        self.assertEqual(difference(session.journal, again.journal, [t.name for t in again.running.tags]), "")
        self.assertGreater(len(again.journal), 4)

    def test_the_older_form_keeps_what_this_one_said(self) -> None:
        text = "TYPE Mode : (Idle, Run := 4) := Run; END_TYPE PROGRAM Main VAR M : Mode; N : INT; END_VAR IF M = Run THEN N := 4; END_IF; END_PROGRAM"
        program = read(project(read_text(text.encode(), Path("x.st")).value), _PLACE).value
        again = read(write_xml(program), _PLACE).value
        for one in (program, again):
            session = session_of(one, (), end=100)
            self.assertEqual(session.journal.settled(session.tag("N"), 2), 4)


_HEAD = '<Project xmlns="urn:any" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><Types><GlobalNamespace>'
_TAIL = '</GlobalNamespace></Types><Instances><Configuration name="C"><Resource name="R">' \
        '<GlobalVars><Variable name="X1"><Type><TypeName>BOOL</TypeName></Type><Address address="%IX0.0"/></Variable>' \
        '<Variable name="Y1"><Type><TypeName>BOOL</TypeName></Type><Address address="%QX0.0"/></Variable></GlobalVars>' \
        '<Task name="T" interval="T#20ms" priority="1"/><ProgramInstance name="Main" typeName="Main" associatedTaskName="T"/>' \
        '</Resource></Configuration></Instances></Project>'
_ROWS: Rows = ((0, "X1", 0), (50, "X1", 1), (300, "X1", 1))


def by_hand(rungs: str, language: str = "LD", more: str = "") -> Loaded[Program]:
    """A project written down by hand, of one program."""
    body = f'<Program name="Main"><MainBody><BodyContent xsi:type="{language}">{rungs}</BodyContent></MainBody></Program>'
    return read((_HEAD + more + body + _TAIL).encode(), _PLACE)


def rung(objects: str, more: str = "") -> str:
    """A rung with its rail; the rail's connection point is 1."""
    return f'<Rung{more}><LdObject xsi:type="LeftPowerRail"><ConnectionPointOut connectionPointOutId="1"/></LdObject>{objects}</Rung>'


def wired(kind: str, more: str, source: int, out: int) -> str:
    """A contact or coil between two connection points."""
    return f'<LdObject xsi:type="{kind}" {more}><ConnectionPointIn><Connection refConnectionPointOutId="{source}"/></ConnectionPointIn>' \
           f'<ConnectionPointOut connectionPointOutId="{out}"/></LdObject>'


class ByHand(unittest.TestCase):
    """Documents that our own writer does not write."""

    def left(self, loaded: Loaded[Program], rows: Rows = _ROWS) -> tuple[int | float, int | float]:
        session = session_of(loaded.value, rows)
        plain = Controller(session.program, session.profile, plain=True).replay(session.log)
        self.assertEqual(difference(plain, session.journal, [t.name for t in session.running.tags]), "")
        return session.journal.settled(session.tag("Y1"), 2), session.journal.settled(session.tag("Y1"), 12)

    def test_ids_that_begin_anew_in_every_rung_and_no_positions(self) -> None:
        one = rung(wired("Contact", 'operand="X1" negated="true"', 1, 2) + wired("Coil", 'operand="Y1"', 2, 3))
        two = rung(wired("Contact", 'operand="X1"', 1, 2) + wired("Coil", 'operand="Y1" negated="true"', 2, 3), ' evaluationOrder="1"')
        loaded = by_hand(two + one)
        self.assertEqual(loaded.notices, [])
        self.assertEqual(self.left(loaded), (1, 0))  # the numbered one last, and it is the coil that counts: not X1
        body = loaded.value.pous["main"].body
        assert isinstance(body, LadderBody)
        self.assertEqual([one.elements[0].kind for one in body.rungs if isinstance(one.elements[0], Contact)],
                         [ContactKind.NORMALLY_CLOSED, ContactKind.NORMALLY_OPEN])

    def test_text_with_remarks_of_the_document_in_it(self) -> None:
        self.assertEqual(self.left(by_hand("<ST><!-- Y1 := TRUE; --><![CDATA[Y1 := NOT X1 AND (3 < 4);]]></ST>", "ST")), (1, 0))

    def test_what_is_not_known_is_named_and_the_rest_runs(self) -> None:
        loaded = by_hand(rung(wired("Contact", 'operand="X1"', 1, 2) + wired("Coil", 'operand="Y1"', 2, 3) + '<LdObject xsi:type="Lamp"/>'
                              + wired("Coil", 'operand="Y1"', 77, 4)), more='<ClassDecl name="Odd"/>')
        said = " / ".join(str(n) for n in loaded.notices)
        for words in ("ClassDecl is not read", "Lamp is not read", "connection point 77, which does not exist"):
            self.assertIn(words, said)
        self.assertIn("works.xml:1", said)

    def test_text_that_cannot_be_read_stands_aside(self) -> None:
        loaded = by_hand("Y1 := ;", "ST")
        self.assertEqual([n.effect for n in loaded.notices], ["its body is not executed: what it alone writes comes from the log"])

    def test_a_namespace_older_still(self) -> None:
        session = diagram(Diagrams.TIMED, Diagrams.ROWS, "X1 X2 Y1", "T1:TON")
        data = write_xml(session.program).replace(b"http://www.plcopen.org/xml/tc6_0201", b"http://www.plcopen.org/xml/tc6.xsd")
        again = session_of(read(data, _PLACE).value, Diagrams.ROWS)
        self.assertEqual(difference(session.journal, again.journal, [t.name for t in again.running.tags]), "")

    def test_another_document_is_refused_by_its_root_and_namespace(self) -> None:
        with self.assertRaises(ProgramError) as caught:
            read(b'<letters xmlns="urn:post"><one/></letters>', _PLACE)
        for words in ("'letters' of namespace urn:post", "root 'project'", "root 'Project'"):
            self.assertIn(words, str(caught.exception))
