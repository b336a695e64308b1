"""Elements that no form of XML knows, put in at every kind of place; bodies and actions that nothing can be made of."""

from __future__ import annotations

import unittest
from collections.abc import Iterator
from pathlib import Path
from random import Random

from lxml import etree

from tests.building import program_of, program_with, session_of
from tests.projects import project
from tests.strategies import random_case
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.place import Loaded
from whorlograph.model.program import OpaqueBody, Program
from whorlograph.plant.catalog import cases
from whorlograph.plant.written import body_of

# Where nothing lies that a controller does: how it is drawn, what is said of it, of which kind and value it is (which has its own errors).
_DRAWN = ("position", "relposition", "connectionpointin", "connectionpointout", "connection", "documentation", "content", "p", "scaling", "fbd", "ld",
          "sfc", "coordinateinfo", "contentheader", "fileheader", "address")
_WITHIN = ("type", "returntype", "resulttype", "initialvalue", "basetype")


def _read(data: bytes) -> Loaded[Program]:
    return read(data, Path("x.xml"))


def _documents() -> Iterator[bytes]:
    for program in (*(_read(cases()[name].program.read_bytes()).value for name in ("bridge", "ciderpress")),
                    *(random_case(Random(seed))[0] for seed in range(4))):
        yield write_xml(program)
        yield project(program)


def _way(node: etree._Element) -> tuple[str, ...]:
    return tuple(reversed([etree.QName(one).localname for one in (node, *node.iterancestors())]))


class Strange(unittest.TestCase):
    """One such element at a time."""

    def test_each_is_named(self) -> None:
        seen: set[tuple[str, ...]] = set()
        for data in _documents():
            root = etree.fromstring(data)
            self.assertEqual(_read(data).notices, [])
            for node in list(root.iter(etree.Element)):
                way = _way(node)
                names = [name.lower() for name in way]
                if way in seen or names[-1] in (*_DRAWN, "variable" if names[-2:-1] in (["contact"], ["coil"]) else "", "expression") or \
                        any(name in _WITHIN for name in names):
                    continue
                seen.add(way)
                strange = etree.SubElement(node, f"{{{etree.QName(node).namespace}}}strange")
                said = [str(n) for n in _read(etree.tostring(root)).notices]
                node.remove(strange)
                with self.subTest(way="/".join(way)):
                    self.assertEqual(len(said), 1)
                    self.assertRegex(said[0], "strange|ST|text|statement")
        self.assertGreater(len(seen), 90)

    def test_many_are_named_once_and_what_belongs_to_others_never(self) -> None:
        def rungs(ladder: Ladder) -> None:
            for _ in range(7):
                ladder.rung(no("X1"), coil("Y1"))

        data = write_xml(program_of(rungs, "X1 Y1"))
        strange = _read(data.replace(b"</contact>", b"<interlock/></contact>"))
        self.assertEqual([n.what for n in strange.notices], ["interlock in contact is not read, nor 6 more"])
        self.assertEqual(strange.value, _read(data).value)
        for quiet in (b"<addData><data name='x'/></addData>", b"<documentation/>", b"<!-- interlock -->"):
            self.assertEqual(_read(data.replace(b"</contact>", quiet + b"</contact>")).notices, [], quiet)


class SeveralBodies(unittest.TestCase):
    """Nobody knows in which order they run: the tags that they write are taken from the log."""

    def test_none_is_executed_in_either_form(self) -> None:
        program = program_with({"Main": body_of("X1 (Y1)")}, "X1 X2 Y1 Y2")
        older = write_xml(program).replace(b"</body>", b"</body><body WorksheetName='2'><ST>Y2 := X2;</ST></body>")
        newer = project(program).replace(b"</BodyContent>", b"</BodyContent><BodyContent xmlns:xsi='http://www.w3.org/2001/XMLSchema-instance' "
                                                            b"xsi:type='ST'>Y2 := X2;</BodyContent>")
        for data in (older, newer):
            loaded = _read(data)
            self.assertEqual([(n.what, n.effect) for n in loaded.notices],
                             [("the POU has 2 bodies", "none of them is executed: what they alone write comes from the log")])
            body = loaded.value.pous["main"].body
            assert isinstance(body, OpaqueBody)
            self.assertEqual((body.language, body.assigns), ("LD and ST", ("Y1", "Y2")))
            session = session_of(loaded.value, ((0, "X1", 1), (50, "Y1", 1), (100, "Y2", 1), (150, "X2", 1)))
            self.assertEqual([session.journal.settled(session.tag(tag), session.journal.clock.last) for tag in ("Y1", "Y2")], [1, 1])


    def test_an_empty_one_beside_is_none(self) -> None:
        data = write_xml(program_with({"Main": body_of("X1 (Y1)")}, "X1 Y1"))
        for more in (data.replace(b"</body>", b"</body><body/>"), data.replace(b"<body>", b"<body/><body>"), data.replace(b"<body>", b"<body><documentation/></body><body>")):
            self.assertEqual((_read(more).notices, _read(more).value.pous["main"].body.count), ([], 1))  # type: ignore[union-attr]


class BelongToNoChart(unittest.TestCase):
    """Actions beside a body that is no chart."""

    def test_it_is_said(self) -> None:
        program = program_with({"Main": body_of("X1 (Y1)")}, "X1 Y1")
        older = write_xml(program).replace(b"<body>", b"<actions><action name='Extra'><body><ST>Y1 := TRUE;</ST></body></action></actions><body>", 1)
        newer = project(program).replace(b"<MainBody>", b"<Actions><Action name='Extra'/></Actions><MainBody>", 1)
        for data in (older, newer):
            said = [(n.what.lower(), n.effect) for n in _read(data).notices]
            self.assertEqual(said, [("action extra belongs to no chart", "it is not executed")])


if __name__ == "__main__":
    unittest.main()
