"""The pages as lines: nothing lost, nothing too wide, sorted as they say."""

from __future__ import annotations

import unittest

from tests.plant.test_bridge import bridge_session
from whorlograph.desk.asking import ask
from whorlograph.desk.job import Kept, Mark, Note, WalkStep
from whorlograph.desk.listings import JOB_PAGES, POINT_ORDERS, TAG_ORDERS, Line, deciding_step, tag_line
from whorlograph.desk.pages import PAGES
from whorlograph.desk.session import Session
from whorlograph.desk.tables import xref_of
from whorlograph.drawing.shapes import plain

SCAN = 2_717_220


def text(line: Line) -> str:
    """A line's characters."""
    return plain(list(line.runs))


class Listings(unittest.TestCase):
    """On the shipped case, at the complaint."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()
        ask(cls.session, "Raise_Pump")

    def test_no_page_is_wider_than_asked_but_by_its_last_column(self) -> None:
        for name, page in PAGES.items():
            for width in (76, 98, 118, 158):
                tag = self.session.tag("Leaf_Free") if name in ("tag", "ways", "asking") else None
                listing = page(self.session, SCAN, width, 0, tag)
                self.assertTrue(listing.lines, name)
                starts = [len(text(x)) - len(text(x).lstrip()) for x in listing.lines if x.stands]
                self.assertTrue(all(s < 12 for s in starts), name)
                if name in ("tags", "points"):
                    columns = {text(x).index(self.session.running.tags[x.tag].name) for x in listing.lines if x.tag is not None}
                    self.assertEqual(len(columns), 1, f"{name} at {width}: names stand in one column")

    def test_every_tag_and_every_point_has_one_line(self) -> None:
        shown = [x.tag for x in PAGES["tags"](self.session, SCAN, 158, 0, None).lines if x.tag is not None]
        self.assertEqual(sorted(shown), sorted(e.tag.index for e in xref_of(self.session).entries()))
        points = [x.tag for x in PAGES["points"](self.session, SCAN, 158, 0, None).lines if x.tag is not None]
        self.assertEqual(len(points), len(set(points)))
        self.assertEqual({p for p in points if self.session.running.tags[p or 0].address is not None}, set(self.session.iolist.points))
        panel = [self.session.running.tags[p or 0].name for p in points if self.session.running.tags[p or 0].address is None]
        self.assertEqual(panel, ["Count_Reset"])  # read, never written, at no terminal: somebody sets it elsewhere

    def test_a_list_of_tags_finds_out_about_those_only_whose_lines_are_seen(self) -> None:
        fresh = Session(self.session.controller, self.session.log, self.session.iolist, [], self.session.paths)
        fresh.take(self.session.journal)
        for order in (0, 1):
            lines = PAGES["tags"](fresh, SCAN, 158, order, None).lines
            known = len(xref_of(fresh)._known)
            self.assertLessEqual(known, 1)
            self.assertEqual(text(lines[order]), text(PAGES["tags"](self.session, SCAN, 158, order, None).lines[order]))
            self.assertEqual(len(xref_of(fresh)._known), known + 1)

    def test_tags_are_sorted_as_the_page_says(self) -> None:
        entries = {e.tag.index: e for e in xref_of(self.session).entries()}
        for order, name in enumerate(TAG_ORDERS):
            tags = [x.tag for x in PAGES["tags"](self.session, SCAN, 158, order, None).lines if x.tag is not None]
            found = [entries[t] for t in tags]
            with self.subTest(name):
                if name == "name":
                    self.assertEqual([e.tag.name.lower() for e in found], sorted(e.tag.name.lower() for e in found))
                elif name == "most used":
                    uses = [len(e.reads) + len(e.writes) for e in found]
                    self.assertEqual(uses, sorted(uses, reverse=True))
                elif name == "odd first":
                    marked = [bool(e.oddities) for e in found]
                    self.assertEqual(marked, sorted(marked, reverse=True))
                    self.assertTrue(marked[0])
                else:
                    addressed = [e.tag.address is not None for e in found]
                    self.assertEqual(addressed, sorted(addressed, reverse=True))

    def test_points_stand_by_module_or_by_terminal_strip(self) -> None:
        for order, name in enumerate(POINT_ORDERS):
            lines = PAGES["points"](self.session, SCAN, 158, order, None).lines
            groups = [text(x).strip() for x in lines if not x.stands and text(x).strip()]
            with self.subTest(name):
                self.assertEqual(len(groups), len(set(groups)))
                self.assertIn("inputs, module 2" if order == 0 else "junction box 3", " ".join(groups))

    def test_values_are_those_of_the_scan(self) -> None:
        journal = self.session.journal
        for scan in (1, 1_000_000, SCAN):
            for line in PAGES["points"](self.session, scan, 158, 0, None).lines:
                if line.tag is None or self.session.running.tags[line.tag].type.name != "BOOL":
                    continue
                word = "on" if journal.settled(line.tag, scan) else "off"
                self.assertIn(word, text(line).split()[:3])

    def test_one_tag_s_page_names_every_use_and_where_it_leads(self) -> None:
        tag = self.session.tag("East_Down_LS")
        entry = xref_of(self.session).entry(tag)
        listing = PAGES["tag"](self.session, SCAN, 118, 0, tag)
        uses = [x for x in listing.lines if x.step >= 0]
        self.assertGreaterEqual(len(uses), len(entry.reads) + len(entry.writes))
        words = " ".join(text(x) for x in (*listing.head, *listing.lines))
        for word in ("%IX2.0", "LS-12", "junction box 3", "Permits 1"):
            self.assertIn(word, words)
        self.assertIn("terminal 14", tag_line(self.session, tag))

    def test_the_deciding_step_is_the_one_that_writes_last(self) -> None:
        tag = self.session.tag("Raise_Pump")
        step = self.session.controller.steps.all[deciding_step(self.session, tag)]
        self.assertEqual((step.pou, step.rung.number), ("Leaf_Drive", 7))
        self.assertEqual(deciding_step(self.session, None), -1)

    def test_the_survey_says_what_runs_when_and_what_looks_odd(self) -> None:
        words = "\n".join(text(x) for x in PAGES["survey"](self.session, SCAN, 118, 0, None).lines)
        for word in ("every 10 ms", "1. Guards", "6. Signals", "40 at %I, 26 at %Q", "3,998 rows", "! never written", "Seq_Step"):
            self.assertIn(word, words)

    def test_marks_notes_and_the_walk_lead_to_their_moments(self) -> None:
        kept = Kept(marks=(Mark("a", 5_000_000_000, "pump trips"),), notes=(Note(7_000_000_000, "smells of oil"),))
        listing = JOB_PAGES["marks"](self.session, kept, [])
        lines = {text(x).split()[-1]: x for x in listing.lines if x.stands}
        self.assertEqual((lines["trips"].time, lines["oil"].time), (5_000_000_000, 7_000_000_000))
        walk = JOB_PAGES["walk"](self.session, kept, [WalkStep(1_940_000_000.0, "asked", "Raise_Pump dropped out", "whorlograph why ...")])
        words = "\n".join(text(x) for x in walk.lines)
        self.assertIn("Raise_Pump dropped out", words)
        self.assertIn("whorlograph why", words)


if __name__ == "__main__":
    unittest.main()
