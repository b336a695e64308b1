"""How long scans take and how often loops go round: in the journal of both engines, as lanes, in the survey."""

from __future__ import annotations

import unittest

from tests.building import MS, controller_of, log_of, program_with, session_of
from whorlograph.desk.lanes import lane_named, lane_of_scans, lane_tag
from whorlograph.desk.listings import survey_page
from whorlograph.desk.survey import survey
from whorlograph.desk.tables import survey_text
from whorlograph.drawing.timeline_layout import LEVELS, Window, lay_out
from whorlograph.engine.journal import Passes
from whorlograph.model.parts import Ladder, call, coil, compare, jump, no
from whorlograph.model.program import Program

ROWS = [(0, "X1", 0), (95, "X1", 1), (195, "X1", 0), (300, "X1", 0)]


def program() -> Program:
    """Counts to 3, with X1 to 8, in a loop of two rungs; beside it a POU of one rung."""
    loop = Ladder()
    loop.rung(call("MOVE", ("IN", "3"), out="N2"))
    loop.rung(no("X1"), call("MOVE", ("IN", "8"), out="N2"))
    loop.rung(call("MOVE", ("IN", "0"), out="N1"))
    loop.label("Again")
    loop.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
    loop.rung(compare("LT", "N1", "N2"), jump("Again"))
    beside = Ladder()
    beside.rung(no("X1"), coil("Y1"))
    return program_with({"Count": loop.body(), "Beside": beside.body()}, "X1 Y1 N1 N2")


class ScanLanes(unittest.TestCase):
    """Five rungs and two more for each pass, then one of the other POU; 0.1 ms each."""

    def setUp(self) -> None:
        self.session = session_of(program(), ROWS, rung_time=MS // 10, watchdog=1000 * MS)
        self.journal = self.session.journal

    def test_the_journal_of_both_engines_has_passes_where_they_change(self) -> None:
        expected = [Passes(1, 4, 3, 2), Passes(11, 4, 3, 7), Passes(21, 4, 3, 2)]
        self.assertEqual(self.journal.passes, expected)
        plain = controller_of(program(), True, rung_time=MS // 10, watchdog=1000 * MS)
        self.assertEqual(plain.replay(log_of(plain, ROWS)).passes, expected)
        self.assertEqual(self.journal.lengths.tolist(), [[1, MS], [11, 2 * MS], [21, MS]])

    def test_lanes_show_them_at_every_moment(self) -> None:
        numbers = [lane_of_scans(), lane_of_scans(0)]
        names = ["scan time", "passes Count 5 back to 4"]
        self.assertEqual([lane_named(self.session, n) for n in names], numbers)
        tags = [lane_tag(self.session, n) for n in numbers]
        self.assertEqual([t.name for t in tags], names)
        for moment, values in ((50, ["1 ms", "2"]), (150, ["2 ms", "7"]), (250, ["1 ms", "2"])):
            window = Window(self.journal, 0, 300 * MS, 30)
            layout = lay_out(window, tags, moment * MS, 0)
            self.assertEqual([lane.value for lane in layout.lanes], values, moment)
            for lane in layout.lanes:
                levels = [c.level for c in lane.cells]
                self.assertEqual(levels[:10], [0] * 10)
                self.assertEqual(levels[11:19], [LEVELS - 1] * 8)
                self.assertEqual(levels[21:], [0] * 9)
                self.assertEqual(sum(c.changes for c in lane.cells), 3)
        # A window behind the first changes begins with what holds there.
        late = Window(self.journal, 120 * MS, 180 * MS, 10)
        self.assertEqual({c.level for c in late.cells(tags[1])[0]}, {LEVELS // 2 - 1})
        self.assertEqual(late.cells(tags[1])[1:], ("7", "7"))

    def test_the_survey_says_where_the_time_goes(self) -> None:
        found = survey(self.session)
        times = found.scan_times
        assert times is not None
        self.assertEqual((times.least, times.greatest, times.greatest_scan, times.last, times.exact), (MS, 2 * MS, 11, MS, True))
        self.assertEqual([(p.name, p.last, p.least, p.greatest) for p in times.pous],
                         [("Count", 9 * MS // 10, 9 * MS // 10, 19 * MS // 10), ("Beside", MS // 10, MS // 10, MS // 10)])
        self.assertEqual([(x.name, x.most, x.most_scan) for x in found.loops], [("Count 5 back to 4", 7, 11)])
        text = survey_text(self.session, found)
        self.assertIn("Count 5 back to 4: 7 times, in scan 11", text)
        self.assertIn("Count: 1.9 ms of the longest scan", text)
        page = survey_page(self.session, 1, 100, 0)
        self.assertIn(lane_of_scans(0), [line.tag for line in page.lines])


if __name__ == "__main__":
    unittest.main()
