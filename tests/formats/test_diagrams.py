"""Block diagrams in XML: networks by position or by the file's order, run as ladder's blocks are."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from msgspec.structs import replace

from tests.building import Rows, program_with, session_of
from tests.diagrams import block_at, diagram, diagram_file, out_at, value_at, wire_from
from tests.engine.agreement import difference
from tests.projects import project
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.read_back import refuse_unlike
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import ProgramError
from whorlograph.model.ladder import Block, Coil, CoilKind, LadderBody
from whorlograph.model.program import Program
from whorlograph.model.rungs import build
from whorlograph.plant.written import body_of


class Diagrams(unittest.TestCase):
    """Networks of blocks."""

    TIMED = "".join((value_at(1, 20, "X1"), value_at(2, 40, "X2", True), block_at(3, 10, "AND", {"IN1": wire_from(1), "IN2": wire_from(2)}, "OUT"),
                     value_at(5, 60, "T#200ms"), block_at(4, 10, "TON", {"IN": wire_from(3, "OUT"), "PT": wire_from(5)}, "Q ET", "T1"), out_at(6, 20, "Y1", 4, "Q")))
    ROWS: Rows = ((0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (600, "X2", 1), (900, "X2", 1))

    def test_a_trail_through_a_diagram(self) -> None:
        session = diagram(self.TIMED, self.ROWS, "X1 X2 Y1", "T1:TON")
        body = session.program.pous["main"].body
        assert isinstance(body, LadderBody)
        self.assertEqual((body.language, len(body.rungs)), ("FBD", 1))
        answer = ask(session, "Y1")
        prove_all(session, answer)
        self.assertEqual([(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots], [("X2", True)])
        self.assertEqual(answer.time, 600_000_000)
        drawn = "\n".join("".join(t for t, _ in line) for line in Scene(session, answer).rung(0, 40, 100).lines)
        self.assertIn("AND", drawn)
        self.assertIn("TON", drawn)

    def test_both_engines(self) -> None:
        session = diagram(self.TIMED, self.ROWS, "X1 X2 Y1", "T1:TON")
        plain = Controller(session.program, session.profile, plain=True).replay(session.log)
        self.assertEqual(difference(plain, session.journal, [t.name for t in session.running.tags]), "")
        self.assertEqual((plain.settled(session.tag("Y1"), 50), plain.settled(session.tag("Y1"), 20)), (1, 0))

    def test_in_ladder_the_place_decides_whatever_order_the_file_gives(self) -> None:
        program = program_with({"Main": body_of("X1 MOVE(1)>N1", "X2 (Y1)", "X1 MOVE(2)>N1")}, "X1 X2 Y1 N1")
        orders = iter((9, 3))
        data = re.sub(rb"<block ", lambda m: f'<block executionOrderId="{next(orders)}" '.encode(), write_xml(program))
        read_back = read(data, Path("x.xml")).value.pous["main"].body
        assert isinstance(read_back, LadderBody)
        self.assertEqual([e.execution_order for r in read_back.rungs for e in r.elements if isinstance(e, Block)], [9, 3])
        session = session_of(read(data, Path("x.xml")).value, ((0, "X1", 1), (200, "X1", 1)))
        self.assertEqual(session.journal.settled(session.tag("N1"), 5), 2)

    def test_the_files_order_decides(self) -> None:
        def two(first: int, second: int) -> str:
            return "".join((value_at(1, 20, "N1"), value_at(2, 40, "1"), block_at(3, 10, "ADD", {"IN1": wire_from(1), "IN2": wire_from(2)}, "OUT", order=first), out_at(4, 20, "N2", 3, "OUT"),
                            value_at(5, 120, "N2"), value_at(6, 140, "10"), block_at(7, 110, "MUL", {"IN1": wire_from(5), "IN2": wire_from(6)}, "OUT", order=second), out_at(8, 120, "N1", 7, "OUT")))

        for order, wanted in (((0, 0), 10), ((1, 2), 10), ((2, 1), 0)):
            session = diagram(two(*order), [(0, "X1", 0), (5, "X1", 0)], "X1 N1 N2")
            self.assertEqual(session.journal.settled(session.tag("N1"), 1), wanted, order)

    STARTED = value_at(1, 20, "X1") + value_at(2, 40, "X2")

    def _shown(self, session: Session, tag: str, scans: int) -> list[int | float | str]:
        return [session.journal.settled(session.tag(tag), scan) for scan in range(1, scans + 1)]

    def test_what_is_set_stays_and_what_is_reset_goes(self) -> None:
        elements = self.STARTED + out_at(3, 20, "Y1", 1, "", 'storage="set"') + out_at(4, 40, "Y1", 2, "", 'storage="reset"')
        session = diagram(elements, ((0, "X1", 0), (0, "X2", 0), (10, "X1", 1), (20, "X1", 0), (40, "X2", 1), (50, "X2", 0), (60, "X2", 0)), "X1 X2 Y1")
        self.assertEqual(self._shown(session, "Y1", 7), [0, 1, 1, 1, 0, 0, 0])
        plain = Controller(session.program, session.profile, plain=True).replay(session.log)
        self.assertEqual(difference(plain, session.journal, [t.name for t in session.running.tags]), "")
        answer = ask(session, "Y1")
        self.assertEqual([session.running.tags[r.tag or 0].name for r in answer.roots], ["X2"])
        self.assertIn("reset", answer.trail.text)

    def test_edges_of_what_is_written_and_of_what_is_read(self) -> None:
        rows: Rows = ((0, "X1", 0), (10, "X1", 1), (30, "X1", 0), (40, "X1", 0))
        for asked, wanted in (("rising", [0, 1, 0, 0, 0]), ("falling", [0, 0, 0, 1, 0])):
            with self.subTest(asked):
                session = diagram(value_at(1, 20, "X1") + out_at(3, 20, "Y1", 1, "", f'edge="{asked}"'), rows, "X1 Y1")
                self.assertEqual(self._shown(session, "Y1", 5), wanted)
                value = value_at(1, 20, "X1").replace("<inVariable", f'<inVariable edge="{asked}"')
                session = diagram(value + value_at(2, 40, "TRUE") + block_at(3, 10, "AND", {"IN1": wire_from(1), "IN2": wire_from(2)}, "OUT")
                                  + out_at(4, 20, "Y1", 3, "OUT"), rows, "X1 Y1")
                self.assertEqual(self._shown(session, "Y1", 5), wanted)

    def test_a_pin_sets_the_variables_behind_it(self) -> None:
        block = block_at(3, 10, "AND", {"IN1": wire_from(1), "IN2": wire_from(2)}, "OUT").replace('formalParameter="OUT"', 'formalParameter="OUT" storage="set"')
        rows: Rows = ((0, "X1", 0), (0, "X2", 1), (10, "X1", 1), (20, "X1", 0), (30, "X1", 0))
        for pin in ("OUT", ""):  # a wire need not name the only pin
            session = diagram(self.STARTED + block + out_at(4, 20, "Y1", 3, pin), rows, "X1 X2 Y1")
            self.assertEqual(self._shown(session, "Y1", 4), [0, 1, 1, 1], pin)

    def test_what_none_does_is_said_and_not_executed(self) -> None:
        start = block_at(5, 10, "RS", {"S": wire_from(1), "R1": wire_from(2)}, "Q1", "F1")
        for elements, blocks, said in (
                (self.STARTED + out_at(3, 20, "Y1", 1, "", 'storage="set" edge="rising"'), "", "Y1 is written at a rising edge and set at once"),
                (self.STARTED + out_at(3, 20, "Y1", 1, "", 'storage="set" negated="true"'), "", "Y1 is written inverted and set at once"),
                (self.STARTED.replace("<inVariable", '<inVariable storage="set"', 1) + out_at(3, 20, "Y1", 1, ""), "", "X1 is passed on set"),
                (self.STARTED.replace("<inVariable", '<inVariable edge="rising"', 1) + out_at(3, 20, "Y1", 1, ""), "", "X1 is passed on at a rising edge"),
                (self.STARTED + start.replace('formalParameter="S"', 'formalParameter="S" storage="set"') + out_at(6, 20, "Y1", 5, "Q1"), "F1:RS",
                 "S of F1 is to be set by its wire"),
                (self.STARTED + start.replace('formalParameter="Q1"', 'formalParameter="Q1" storage="set"') + out_at(6, 20, "Y1", 5, "Q1", 'storage="reset"'),
                 "F1:RS", "Q1 of F1 is passed on set, and not to variables alone"),
                (self.STARTED + start.replace('formalParameter="Q1"', 'formalParameter="Q1" edge="rising"')
                 + block_at(7, 12, "AND", {"IN1": wire_from(5, "Q1"), "IN2": wire_from(2)}, "OUT") + out_at(6, 20, "Y1", 7, "OUT"), "F1:RS",
                 "Q1 of F1 is passed on at a rising edge, and not to variables alone")):
            with self.subTest(said):
                loaded = read(diagram_file(elements, "X1 X2 Y1", blocks), Path("x.xml"))
                self.assertEqual([str(n).count(f"network 1: {said}: it is not executed") for n in loaded.notices], [1], [str(n) for n in loaded.notices])
                session = session_of(loaded.value, ((0, "X1", 0), (0, "X2", 1), (10, "X1", 1), (20, "X1", 1)))
                self.assertEqual(self._shown(session, "Y1", 3), [0, 0, 0])
                again = read(write_xml(loaded.value), Path("x.xml"))
                self.assertEqual((write_xml(again.value), len(again.notices)), (write_xml(loaded.value), 1))

    def test_names_and_values_at_points_are_variables_wired_to_them(self) -> None:
        def at(text: str) -> str:
            return f'<connectionPointIn><relPosition x="0" y="20"/><expression>{text}</expression></connectionPointIn>'

        both = block_at(3, 10, "AND", {"IN1": at("X1"), "IN2": at("X2")}, "OUT")
        both = both.replace("<connectionPointOut/>", "<connectionPointOut><expression>Y1</expression></connectionPointOut>")
        timed = block_at(4, 60, "TON", {"IN": at("X1 AND NOT X2"), "PT": at("T#50ms")}, "Q", "T1")
        said = f'<outVariable localId="7"><position x="300" y="160"/>{at("X2")}<expression>Y3</expression></outVariable>'
        elements, tags = both + timed + out_at(6, 60, "Y2", 4, "Q") + said, "X1 X2 Y1 Y2 Y3"
        session = diagram(elements, ((0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (300, "X2", 1), (310, "X2", 1)), tags, "T1:TON")
        for tag, wanted in (("Y1", [0, 0, 0, 1]), ("Y2", [0, 0, 1, 0]), ("Y3", [0, 0, 0, 1])):
            self.assertEqual([session.journal.settled(session.tag(tag), scan) for scan in (5, 12, 20, 31)], wanted, tag)
        data = diagram_file(elements, tags, "T1:TON")
        old = read(data, Path("x.xml")).value
        body = old.pous["main"].body
        assert isinstance(body, LadderBody)

        def with_name(before: str, after: str) -> Program:
            changed = tuple(replace(e, expression=after) if getattr(e, "expression", "") == before else e for e in body.elements)
            return replace(old, pous={"main": replace(old.pous["main"], body=build(changed, "FBD")[0])})

        self.assertEqual(splice(data, old, with_name("Y2", "Y1")), data.replace(b"<expression>Y2<", b"<expression>Y1<"))
        new = with_name("T#50ms", "T#70ms")
        with self.assertRaises(ProgramError) as caught:
            refuse_unlike(splice(data, old, new), Path("x.xml"), new, old)
        self.assertIn("Main 2 would not be read from this file as it was changed", str(caught.exception))

    def test_a_tag_that_others_write_too_says_what_is_not_executed(self) -> None:
        odd = self.STARTED + out_at(3, 20, "Y1", 1, "", 'storage="set" edge="rising"')
        elements = odd + out_at(6, 120, "Y1", 2, "", 'storage="reset"')
        rows: Rows = ((0, "X1", 0), (0, "X2", 1), (100, "X1", 1), (200, "X1", 1))
        answer = ask(diagram(elements, rows, "X1 X2 Y1", said=1), "Y1")
        self.assertEqual(answer.roots[0].text, "Y1 is only reset, in Main 2, and never set: it has its declared value off")
        self.assertIn("Y1 is written too in Main 1, which is not executed: Y1 is written at a rising edge and set at once: what that does is not known here",
                      answer.rests_on)
        plain = ask(diagram(elements.replace(' edge="rising"', ""), rows, "X1 X2 Y1"), "Y1")
        self.assertEqual([line for line in plain.rests_on if "not executed" in line], [])

    def test_modifiers_are_written_back_in_both_forms(self) -> None:
        elements = self.STARTED + out_at(3, 20, "Y1", 1, "", 'storage="set"') + out_at(4, 40, "Y1", 2, "", 'edge="falling"')
        program = read(diagram_file(elements, "X1 X2 Y1"), Path("x.xml")).value
        written = write_xml(program)
        self.assertEqual((written.count(b'storage="set"'), written.count(b'edge="falling"'), written.count(b"<coil")), (1, 1, 0))
        other = re.sub(rb'<LdObject operand="Y1" (.*?) xsi:type="Coil">(.*?)</LdObject>',
                       rb'<FbdObject identifier="Y1" \1 xsi:type="DataSink">\2</FbdObject>', project(program), flags=re.DOTALL)
        self.assertEqual(other.count(b"DataSink"), 2)
        for data, storage in ((written, b"storage"), (other, b"latch")):
            old = read(data, Path("x.xml")).value
            body = old.pous["main"].body
            assert isinstance(body, LadderBody)
            self.assertEqual(self._coils(body), [("set", "Y1"), ("falling coil", "Y1")])
            elements = tuple(replace(e, kind=CoilKind.RESET) if isinstance(e, Coil) and e.kind is CoilKind.SET else e for e in body.elements)
            new = replace(old, pous={"main": replace(old.pous["main"], body=build(elements, "FBD")[0])})
            self.assertEqual(splice(data, old, new), data.replace(storage + b'="set"', storage + b'="reset"'))

    @staticmethod
    def _coils(body: LadderBody) -> list[tuple[str, str]]:
        return [(e.kind.value, e.variable) for r in body.rungs for e in r.elements if isinstance(e, Coil)]

    def test_the_files_order_counts_of_what_is_no_block_too(self) -> None:
        """``Y1 := X1`` above ``Y2 := Y1``: where the file has the lower one executed first, it comes a scan later; a jump has its turn too."""
        def two(first: int, second: int) -> str:
            return (value_at(1, 20, "X1") + out_at(2, 20, "Y1", 1, "", f'executionOrderId="{first}"')
                    + value_at(3, 120, "Y1") + out_at(4, 120, "Y2", 3, "", f'executionOrderId="{second}"'))

        for order, wanted in (((0, 0), [0, 1, 1]), ((1, 2), [0, 1, 1]), ((2, 1), [0, 0, 1]), ((1, 0), [0, 0, 1])):
            for storage in ("", ' storage="set"'):
                with self.subTest(order=order, storage=storage):
                    elements = two(*order).replace('executionOrderId="1"', 'executionOrderId="1"' + storage)
                    session = diagram(elements, ((0, "X1", 0), (10, "X1", 1), (30, "X1", 1)), "X1 Y1 Y2")
                    self.assertEqual(self._shown(session, "Y2", 3), wanted)
                    written = write_xml(session.program)
                    again = [read(written, Path("x.xml")).value, read(project(session.program), Path("x.xml")).value]
                    bodies = [p.pous["main"].body for p in again]
                    self.assertEqual([[getattr(e, "expression", "") or getattr(e, "variable", "") for r in b.rungs for e in r.elements][-1] for b in bodies if isinstance(b, LadderBody)],
                                     ["Y1" if wanted[1] == 0 else "Y2"] * 2)

    def test_it_is_written_back_as_a_diagram(self) -> None:
        session = diagram(self.TIMED, self.ROWS, "X1 X2 Y1", "T1:TON")
        again = read(write_xml(session.program), Path("x.xml")).value
        self.assertEqual(again.pous["main"].body.language, "FBD")


if __name__ == "__main__":
    unittest.main()
