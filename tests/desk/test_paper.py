"""Reports and drawings: what stands on them, that they fit the sheet, that they are black and white."""

from __future__ import annotations

import re
import tempfile
import unittest
from pathlib import Path

from lxml import etree

from tests.building import program_of, session_of
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.job import Kept, Mark, Note
from whorlograph.desk.report import drawing_pages, report_markdown, report_pages, write_report
from whorlograph.drawing.paper import A4, MARGIN
from whorlograph.drawing.picture import Bar, Picture, Stroke, Words, wrapped_words
from whorlograph.drawing.rung_layout import lay_out
from whorlograph.drawing.rung_picture import LIVE, rung_picture
from whorlograph.model.errors import UsageError
from whorlograph.model.parts import Ladder, coil, nc, no, timer


def words_of(pages: list[Picture]) -> str:
    """All words on some sheets."""
    return "\n".join(i.text for p in pages for i in p.items if isinstance(i, Words))


class Reports(unittest.TestCase):
    """The bridge's answer on paper."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()
        cls.answer = ask(cls.session, "Raise_Pump")
        prove_all(cls.session, cls.answer)
        cls.kept = Kept((Mark("a", 1_000_000_000, "first opening"),), (Note(2_000_000_000, "keeper heard a click"),))
        cls.pages = report_pages(cls.session, cls.answer, cls.kept)

    def test_the_report_holds_complaint_root_proof_trail_rungs_timeline_and_limits(self) -> None:
        text = words_of(self.pages)
        for word in ("Raise_Pump dropped out at 14:02:52.190", "junction box 3, terminal 14", "proved: with", "Barriers_Down was reset", "Leaf_Drive 7",
                     "East_Down_LS", "the moment", "What this rests on", "whorlograph why", "mark a: first opening", "keeper heard a click", "sheet 1"):
            with self.subTest(word):
                self.assertIn(word, text)

    def test_everything_stays_inside_the_sheet(self) -> None:
        self.assertGreater(len(self.pages), 1)
        for page in self.pages:
            for item in page.items:
                if isinstance(item, Stroke):
                    points = [(item.x1, item.y1), (item.x2, item.y2)]
                elif isinstance(item, Bar):
                    points = [(item.x, item.y), (item.x + item.width, item.y + item.height)]
                else:
                    points = [(item.x, item.y)]
                for x, y in points:
                    self.assertTrue(MARGIN / 2 <= x <= A4[0] - MARGIN / 4 and 0 <= y <= A4[1], item)

    def test_the_svg_is_well_formed_and_grey(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "answer.svg"
            write_report(self.session, self.answer, path)
            root = etree.fromstring(path.read_bytes(), etree.XMLParser(load_dtd=False, no_network=True, resolve_entities=False))
        self.assertTrue(str(root.tag).endswith("svg"))
        text = etree.tostring(root, encoding="unicode")
        self.assertIn("LS-12", text)
        for red, green, blue in re.findall(r"rgb\((\d+)\D+(\d+)\D+(\d+)\)", text):
            self.assertEqual(red, green)
            self.assertEqual(green, blue)

    def test_the_pdf_has_its_sheets_and_is_the_same_each_time(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            paths = [Path(folder) / f"{i}.pdf" for i in range(2)]
            for path in paths:
                write_report(self.session, self.answer, path, self.kept)
            data = paths[0].read_bytes()
            self.assertEqual(data, paths[1].read_bytes())
        self.assertTrue(data.startswith(b"%PDF"))
        self.assertEqual(len(re.findall(rb"/Type /Page\b", data)), len(self.pages))

    def test_markdown_holds_the_answer_and_the_command(self) -> None:
        text = report_markdown(self.session, self.answer, self.kept)
        self.assertIn("terminal 14", text)
        self.assertIn("```\nwhorlograph why", text)
        self.assertIn("keeper heard a click", text)

    def test_other_endings_and_places_are_refused(self) -> None:
        for name, said in (("answer.doc", "no format"), ("answer", "no format"), ("/no/such/folder/answer.pdf", "cannot be written"),
                           ("/no/such/folder/answer.md", "cannot be written")):
            with self.subTest(name), self.assertRaisesRegex(UsageError, said):
                write_report(self.session, self.answer, Path(name))

    def test_drawings_show_power_flow_only_with_a_log(self) -> None:
        steps = [s.index for s in self.session.controller.steps.all if s.pou == "Leaf_Drive"]
        with_flow = drawing_pages(self.session, steps, self.answer.time)
        without = drawing_pages(self.session, steps, None)
        self.assertIn("power flow at 14:02:52.190", words_of(with_flow))
        self.assertTrue(any(isinstance(i, Stroke) and i.width >= LIVE for p in with_flow for i in p.items))
        self.assertFalse(any(isinstance(i, Stroke) and (i.dashed or i.width == LIVE) for p in without for i in p.items))


class Rungs(unittest.TestCase):
    """Rungs as pictures."""

    def picture(self, contacts: int, width: float, x1: int = 1) -> Picture:
        def draw(ladder: Ladder) -> None:
            ladder.rung(*(no("X1") for _ in range(contacts)), nc("X2"), timer("TON", "T1", "T#1s"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1", "T1:TON"), [(0, "X1", x1), (100, "X2", 0)])
        from whorlograph.desk.scene import plain_scene

        flow = plain_scene(session).tracer.flow(0, 5)
        return rung_picture(lay_out(session.controller.steps.all[0], flow), width)

    def test_a_long_rung_goes_on_below_within_the_width(self) -> None:
        long, short = self.picture(30, 500), self.picture(2, 500)
        self.assertGreater(long.height, 2.5 * short.height)
        self.assertLessEqual(max(i.x2 for i in long.items if isinstance(i, Stroke)), 500)
        self.assertEqual(sum(i.text == "X1" for i in long.items if isinstance(i, Words)), 30)
        self.assertGreater(sum(i.text == "»" for i in long.items if isinstance(i, Words)), 3)

    def test_power_is_told_by_weight_and_dashes(self) -> None:
        live, dead = self.picture(3, 500, 1), self.picture(3, 500, 0)
        wide = [sum(isinstance(i, Stroke) and i.width == LIVE for i in p.items) for p in (live, dead)]
        broken = [sum(isinstance(i, Stroke) and i.dashed for i in p.items) for p in (live, dead)]
        self.assertGreater(wide[0], wide[1])
        self.assertLess(broken[0], broken[1])

    def test_words_are_wrapped_without_losing_any(self) -> None:
        text = "one two three four five six seven eight nine ten"
        for width in (20.0, 60.0, 1000.0):
            with self.subTest(width):
                self.assertEqual(" ".join(wrapped_words(text, width, 9)), text)


if __name__ == "__main__":
    unittest.main()
