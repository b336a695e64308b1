"""The timeline's cells against looking at every instant; what is drawn of them."""

from __future__ import annotations

import unittest

from tests.building import MS, program_of, session_of
from tests.strategies import replayed
from whorlograph.desk.asking import ask
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.drawing.shapes import Ink, plain
from whorlograph.drawing.timeline_layout import CellKind, Window, cell_glyph, lay_out
from whorlograph.engine.journal import Journal
from whorlograph.model.literals import cooked, duration_text
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family


def cells_by_looking(journal: Journal, tag: Tag, start: int, end: int, width: int) -> list[tuple[str, int]]:
    """(kind, changes) of each cell, from all rows of the journal one by one."""
    rows = [(journal.time(r), journal.raw(r)) for r in range(len(journal)) if journal.tag(r) == tag.index]
    state = bool(([journal.initial[tag.index]] + [v for t, v in rows if t < start])[-1])
    found = []
    for cell in range(width):
        mine = [v for t, v in rows if start <= t <= end and min(width - 1, (t - start) * width // (end - start)) == cell]
        before, changes = state, len(mine)
        state = bool(mine[-1]) if mine else state
        if not changes:
            kind = "on" if state else "off"
        elif changes == 1:
            kind = "rise" if state else "fall"
        elif changes == 2:
            kind = "notch" if before else "spike"
        else:
            kind = "crowded"
        found.append((kind, changes))
    return found


class Cells(unittest.TestCase):
    """Random replays over random stretches."""

    def test_cells_hold_what_happened_in_them(self) -> None:
        kinds: set[str] = set()
        for seed in range(14):
            random, controller, journal = replayed(seed)
            last = max(1, journal.clock.start(journal.clock.last))
            for _ in range(3):
                start = random.randrange(last)
                end = start + 1 + random.randrange(last)
                width = random.choice((1, 7, 40, 133))
                window = Window(journal, start, end, width)
                for tag in controller.running.tags[:controller.running.public:4]:
                    if tag.type.family is not Family.BOOL:
                        continue
                    found = [(c.kind.value, c.changes) for c in window.cells(tag)[0]]
                    self.assertEqual(found, cells_by_looking(journal, tag, start, end, width), (seed, tag.name, start, end, width))
                    kinds |= {k for k, _ in found}
        self.assertEqual(kinds, {k.value for k in CellKind} - {"unknown"})

    def test_curves_stand_between_the_lowest_and_the_highest_value(self) -> None:
        checked = 0
        for seed in range(14):
            _random, controller, journal = replayed(seed)
            last = max(8, journal.clock.start(journal.clock.last))
            window = Window(journal, 0, last, 30)
            for tag in controller.running.tags[:controller.running.public]:
                if tag.type.family in (Family.BOOL, Family.STRING) or tag.computed:
                    continue
                cells, low, high = window.cells(tag)
                values = [float(cooked(journal.initial[tag.index], tag.type))]
                values += [float(cooked(journal.raw(r), tag.type)) for r in journal.rows(tag.index).tolist()]
                time = tag.type.family is Family.TIME
                self.assertEqual((low, high), tuple(duration_text(int(v)) if time else f"{v:g}" for v in (min(values), max(values))))
                end = float(cooked(journal.value_at(tag.index, len(journal)), tag.type))
                if max(values) > min(values):
                    self.assertEqual(cells[-1].level, min(31, int((end - min(values)) / (max(values) - min(values)) * 32)))
                    checked += 1
                self.assertEqual(sum(c.changes for c in cells), len(values) - 1)
        self.assertGreater(checked, 20)

    def test_what_is_not_replayed_yet_is_hatched(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        session = session_of(program_of(draw, "X1 Y1"), [(0, "X1", 0), (500, "X1", 1)], end=1000)
        window = Window(session.journal, 0, 1000 * MS, 100, unknown_from=700 * MS)
        cells = window.cells(session.running.tags[session.tag("Y1")])[0]
        self.assertEqual({c.kind for c in cells[70:]}, {CellKind.UNKNOWN})
        self.assertNotIn(CellKind.UNKNOWN, {c.kind for c in cells[:70]})
        self.assertEqual(cell_glyph(cells[-1], True), "╱")

    def test_a_window_is_the_same_for_the_same_stretch_only(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        session = session_of(program_of(draw, "X1 Y1"), [(0, "X1", 0), (500, "X1", 1)], end=1000)
        window = Window(session.journal, 0, 100, 10)
        self.assertTrue(window.shows(session.journal, 0, 100, 10))
        for other in ((0, 100, 11), (0, 101, 10), (1, 100, 10)):
            self.assertFalse(window.shows(session.journal, *other))
        self.assertFalse(window.shows(session.controller.replay(session.log), 0, 100, 10))

    def test_ticks_are_round_and_in_order(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        session = session_of(program_of(draw, "X1 Y1"), [(0, "X1", 0)], end=10)
        for span in (1, 999, 10**6, 3 * 10**9, 86_400 * 10**9, 10**15):
            ticks = lay_out(Window(session.journal, 12_345, 12_345 + span, 120), [], 0, 0).ticks
            self.assertEqual(ticks, sorted(ticks))
            self.assertTrue(all(0 <= cell <= 120 for cell, _ in ticks))
            self.assertLessEqual(len(ticks), 40)


class Drawn(unittest.TestCase):
    """Lines of the timeline strand."""

    session: Session
    scene: Scene

    @classmethod
    def setUpClass(cls) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), coil("Y1"))

        rows = [(0, "X1", 1), (0, "X2", 0), (300, "X2", 1), (600, "X1", 0), (640, "X1", 1), (900, "X2", 0)]
        cls.session = session_of(program_of(draw, "X1 X2 Y1"), rows, end=1000)
        cls.scene = Scene(cls.session, ask(cls.session, "Y1"))

    def lines(self, moment: int, width: int = 50, rows: int = 8) -> list[list[tuple[str, Ink]]]:
        tags = self.scene.lanes()
        layout = self.scene.timeline.layout(tags, 0, 1000 * MS, width, moment * MS, self.session.journal.clock.scan_at(moment * MS))
        return self.scene.timeline.lines(layout, 22, None, rows)[0]

    def test_every_lane_has_the_width_and_one_moment(self) -> None:
        for moment in (0, 10, 305, 500, 620, 999):
            for line in self.lines(moment)[:-1]:
                self.assertEqual(len(plain(line)), 22 + 50)
                self.assertEqual(sum(len(text) for text, ink in line if ink is Ink.MOMENT), 1)

    def test_only_the_moment_s_cell_changes_with_the_moment(self) -> None:
        first, second = self.lines(200), self.lines(820)
        for a, b in zip(first[:-1], second[:-1], strict=True):
            differ = [i for i, (x, y) in enumerate(zip(plain(a)[22:], plain(b)[22:], strict=True)) if x != y]
            self.assertLessEqual(set(differ), {10, 41})

    def test_values_beside_the_names_are_those_of_the_moment(self) -> None:
        def value(moment: int, name: str) -> str:
            line = next(plain(x) for x in self.lines(moment) if plain(x).split()[0].strip("▸") == name)
            return line.split()[1]

        self.assertEqual([value(t, "Y1") for t in (100, 400, 615, 700, 950)], ["off", "on", "off", "on", "off"])
        self.assertEqual([value(t, "X2") for t in (100, 400, 950)], ["off", "on", "off"])

    def test_lanes_that_do_not_fit_are_left_out_whole(self) -> None:
        self.assertEqual(len(self.lines(100, rows=3)), 3)
        self.assertIn("wide", plain(self.lines(100, rows=3)[-1]))

    def test_hits_and_marks_stand_in_a_line_of_their_own(self) -> None:
        tags = self.scene.lanes()
        layout = self.scene.timeline.layout(tags, 0, 1000 * MS, 50, 0, 1)
        self.scene.timeline.annotate(layout, 50, (10 * MS, 300 * MS, 301 * MS, 2000 * MS), {500 * MS: "a"})
        line = plain(self.scene.timeline.lines(layout, 22, None, 9)[0][-2])
        self.assertTrue(line.startswith(" 4 hits"))
        self.assertEqual((line[22], line[22 + 15], line[22 + 25]), ("▽", "2", "a"))

    def test_a_second_replay_has_thin_lanes_of_its_own(self) -> None:
        scene = Scene(self.session, self.scene.answer)
        scene.timeline.with_trial(self.session.controller.replay(self.session.log))
        layout = scene.timeline.layout(scene.lanes(), 0, 1000 * MS, 50, 0, 1)
        lines, owners = scene.timeline.lines(layout, 22, None, 20)
        thin = [plain(x) for x in lines if "without the fault" in plain(x)]
        self.assertEqual(len(thin), len(scene.lanes()))
        self.assertEqual(set(thin[0][22:]), {"─", "·", "╌"})
        self.assertEqual(owners.count(-1), len(thin) + 1)


if __name__ == "__main__":
    unittest.main()
