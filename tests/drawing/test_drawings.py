"""Rungs and timelines as text."""

from __future__ import annotations

import unittest

from tests.building import MS, program_of, session_of
from tests.diagrams import block_at, diagram, out_at, value_at, wire_from
from whorlograph.drawing.glyphs import ascii_only
from whorlograph.drawing.rung_layout import lay_out
from whorlograph.drawing.shapes import Ink, fitted, plain
from whorlograph.drawing.text import draw_rung, wrapped
from whorlograph.drawing.timeline_layout import CellKind, Window
from whorlograph.drawing.timeline_layout import lay_out as lay_out_timeline
from whorlograph.engine.power import PowerFlow
from whorlograph.model.parts import Ladder, coil, either, nc, no, timer


def _sealed(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), nc("X2"), coil("Y1"))


def _timed(ladder: Ladder) -> None:
    ladder.rung(no("X1"), timer("TON", "T1", "T#2s"), coil("Y1"))


class Rungs(unittest.TestCase):
    """Drawn from the journal."""

    def _draw(self, draw: object, scan: int, blockers: frozenset[int] = frozenset(), width: int = 0, blocks: str = "") -> tuple[list[str], set[Ink]]:
        session = session_of(program_of(draw, "X1 X2 Y1", blocks), [(0, "X1", 0), (0, "X2", 0), (50, "X1", 1), (70, "X1", 0), (100, "X2", 1), (150, "X2", 1)])  # type: ignore[arg-type]
        step = session.controller.steps.all[0]
        flow = PowerFlow(session.controller.again()).flow(session.journal, step, scan)
        text = draw_rung(lay_out(step, flow, blockers), width=width)
        lines, _ = wrapped(text, width) if width else ([text.canvas.line(y) for y in range(text.canvas.height)], [])
        return [plain(line) for line in lines], {ink for line in lines for _, ink in line}

    def test_all_variables_at_a_pin_are_written_there(self) -> None:
        drawn = (value_at(1, 0, "X1") + value_at(2, 10, "X2") + value_at(3, 20, "X1", True)
                 + block_at(4, 0, "AND", {"IN1": wire_from(1), "IN2": wire_from(2).replace("</connectionPointIn>", '<connection refLocalId="3"/></connectionPointIn>')}, "OUT")
                 + "".join(out_at(5 + n, 10 * n, f"Y{n + 1}", 4, "OUT") for n in range(3)))
        session = diagram(drawn, [(0, "X1", 1), (0, "X2", 0), (20, "X1", 1)], "X1 X2 Y1 Y2 Y3")
        step = session.controller.steps.all[0]
        text = draw_rung(lay_out(step, PowerFlow(session.controller.again()).flow(session.journal, step, 1)))
        lines = [plain(text.canvas.line(y)) for y in range(text.canvas.height)]
        self.assertTrue(any("OUT" in line and line.rstrip().endswith("Y1, Y2, Y3") for line in lines), lines)
        self.assertTrue(any("X2 =off OR NOT X1 =on" in line for line in lines), lines)

    def test_power_is_told_by_weight_and_glyph(self) -> None:
        dead, _ = self._draw(_sealed, 2)
        live, _ = self._draw(_sealed, 9)
        self.assertIn("┥ ┝╌", dead[1])
        self.assertIn("┫/┣━", live[1])
        self.assertIn("━(", live[1])
        self.assertNotIn("━(", dead[1])

    def test_the_blocking_contact_has_a_mark_of_its_own(self) -> None:
        session = session_of(program_of(_sealed, "X1 X2 Y1"), [(0, "X1", 0), (100, "X2", 1)])
        contact = next(e.id for e in session.controller.steps.all[0].rung.elements if getattr(e, "variable", "") == "X2")
        lines, inks = self._draw(_sealed, 12, frozenset({contact}))
        self.assertIn("┥/┝✕", lines[1])
        self.assertIn(Ink.BLOCK, inks)

    def test_every_tag_of_the_rung_is_named(self) -> None:
        lines, _ = self._draw(_sealed, 2)
        joined = "\n".join(lines)
        for name in ("X1", "X2", "Y1"):
            self.assertIn(name, joined)

    def test_a_block_shows_instance_type_and_pins(self) -> None:
        lines, _ = self._draw(_timed, 2, blocks="T1:TON")
        joined = "\n".join(lines)
        for piece in ("T1", "TON", "IN", "PT", "T#2s", "Q"):
            self.assertIn(piece, joined)

    def test_a_long_rung_goes_on_below_within_the_width(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(*(no(f"X{i}") for i in range(1, 15)), coil("Y1"))

        session = session_of(program_of(draw, " ".join(f"X{i}" for i in range(1, 15)) + " Y1"), [(0, "X1", 1), (50, "X1", 1)])
        step = session.controller.steps.all[0]
        lines, spots = wrapped(draw_rung(lay_out(step)), 60)
        self.assertTrue(all(len(plain(line)) <= 60 for line in lines))
        self.assertEqual({s.element for s in spots}, {e.id for e in step.rung.elements})
        self.assertTrue(any("»" in plain(line) for line in lines))

    def test_ascii_keeps_the_difference_between_live_and_dead(self) -> None:
        self.assertNotEqual(ascii_only("━"), ascii_only("╌"))
        self.assertTrue(ascii_only("┥/┝✕━( )▄▁▾▴").isascii())

    def test_names_are_cut_in_the_middle(self) -> None:
        self.assertEqual(fitted("East_Barrier_Down_LS", 11), "East_…wn_LS")


class Timelines(unittest.TestCase):
    """Cells over time."""

    def _cells(self, rows: list[tuple[float, str, int]], start: int, end: int, width: int) -> list[CellKind]:
        session = session_of(program_of(_sealed, "X1 X2 Y1"), [(t, n, v) for t, n, v in rows])  # type: ignore[misc]
        tag = session.running.tags[session.running.by_name["x1"]]
        layout = lay_out_timeline(Window(session.journal, start * MS, end * MS, width), [tag], start * MS, 0)
        return [c.kind for c in layout.lanes[0].cells]

    def test_a_pulse_narrower_than_a_cell_keeps_its_own_glyph(self) -> None:
        cells = self._cells([(0, "X1", 1), (500, "X1", 0), (520, "X1", 1), (1000, "X1", 1)], 0, 1000, 10)
        self.assertEqual(cells.count(CellKind.NOTCH), 1)
        self.assertEqual(cells[5], CellKind.NOTCH)

    def test_edges_stand_in_their_cell(self) -> None:
        cells = self._cells([(0, "X1", 0), (350, "X1", 1), (1000, "X1", 1)], 0, 1000, 10)
        self.assertEqual(cells, [CellKind.OFF] * 3 + [CellKind.RISE] + [CellKind.ON] * 6)

    def test_crowded_cells_say_so(self) -> None:
        rows = [(float(i * 20), "X1", i % 2) for i in range(50)]
        self.assertTrue(all(k is CellKind.CROWDED for k in self._cells(rows, 0, 980, 5)))


if __name__ == "__main__":
    unittest.main()
