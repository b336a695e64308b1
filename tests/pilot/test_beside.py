"""When it was last right, two moments compared; hints while a view is new; the palette by use."""

from __future__ import annotations

import unittest

from textual.widgets import Input

from tests.building import program_of, session_of
from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.drawing.shapes import Ink
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.ui.about import HERE
from whorlograph.ui.keys import ACTIONS, by_want
from whorlograph.ui.views.overlay import ListOverlay


class Beside(OnScreen):
    """On the shipped case, key by key, at both sizes."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    async def test_last_right_names_the_switch_and_lays_the_other_run_beside(self) -> None:
        for size in ((160, 47), (80, 24)):
            app = bridge_app(session=self.session)
            async with app.run_test(size=size) as pilot:
                await answered(pilot, app)
                await pilot.press("r")
                await pilot.pause()
                text = " ".join(screen_text(app).split())
                self.assertIn("Raise_Pump last stayed on longer than this time, 20.36 s, from 13:15:35.270.", text)
                self.assertIn("The first that went otherwise: East_Down_LS went off at 14:02:52.160, 20.33 s after; then it stayed on.", text)
                self.assertIn("from 13:15:35.270", text.partition("this time, and thin")[2] if size[0] > 100 else text)
                await pilot.press("enter")
                await pilot.pause()
                self.assertIsNone(app.main.view.page)
                self.assertEqual(app.main.view.time, 27_172_160_000_000)
                self.assertIn("from 13:15:35.270", screen_text(app))
                await pilot.press("backspace")
                await pilot.pause()
                self.assertEqual(app.main.view.page and app.main.view.page.name, "right")
                await pilot.press("backspace", "p")
                await until(pilot, lambda app=app: "without the fault" in screen_text(app), "the proof's lanes")  # type: ignore[misc]

    async def test_where_nothing_lies_beside_it_is_said(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        session = session_of(program_of(draw, "X1 Y1"), [(100, "X1", 1), (500, "X1", 0)])
        app = bridge_app("Y1", session)
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app)
            await pilot.press("r")
            await pilot.pause()
            self.assertIn("Y1 went on only once in this log", screen_text(app))

    async def test_two_moments_are_compared_by_mark_and_by_time(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await pilot.press("m", "k", "comma", "d")
            await pilot.pause()
            self.assertIn("a mark's letter (k)", app.screen.query_one(Input).placeholder)
            await pilot.press("k", "enter")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("14:02:52.190 and 14:02:52.180", text)
            self.assertIn("nearest to Raise_Pump first", text)
            rows = [line.split()[:3] for line in text.splitlines() if " on " in line or " off " in line]
            self.assertIn(["Raise_Pump", "off", "on"], rows)
            await pilot.press("full_stop")
            await pilot.pause()
            self.assertIn("nothing differs", screen_text(app))
            await pilot.press("backspace", "d", *"-10s", "enter")
            await pilot.pause()
            self.assertIn("14:02:42.180", screen_text(app))

    async def test_a_view_is_told_about_three_times(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            for time in range(4):
                await pilot.press("X")
                await pilot.pause()
                self.assertEqual(HERE["tags"][0][:40] in screen_text(app), time < 3, time)
                await pilot.press("backspace")

    def test_what_is_called_as_it_was_typed_comes_first(self) -> None:
        names = ("ask why", "Mill.K2_Aux", "Old.Mill.K2", "K22", "Mill.K2", "Mill.Lock", "K2_Run")
        overlay = ListOverlay("find", [[(f" {n:<14}", Ink.STRONG), ("ask why", Ink.QUIET)] for n in names], list(names))
        for typed, expected in (("why mill.k2", ["Mill.K2", "Mill.K2_Aux", "Old.Mill.K2"]), ("k2", ["Old.Mill.K2", "Mill.K2", "Mill.K2_Aux", "K22", "K2_Run"]),
                                ("why", list(names)), ("lock", ["Mill.Lock"]), ("", list(names)), ("none", [])):
            self.assertEqual([names[i] for i in overlay.narrowed(typed)], expected, typed)

    async def test_the_palette_begins_with_what_was_done(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await pilot.press("S", "backspace", "F", "backspace", "F", "backspace", "v", "ctrl+p")
            await pilot.pause()
            values = app.screen.all_values  # type: ignore[attr-defined]
            self.assertEqual(values[:4], [("do", "values"), ("do", "points"), ("do", "survey"), ("do", "why")])
        self.assertEqual([a.name for a in by_want([])][:3], ["why", "asking", "prove"])
        self.assertEqual(by_want([])[-1].name, "follow")
        self.assertEqual(len(by_want(["why"])), len(ACTIONS))

    async def test_the_strands_stand_beside_one_another_only_where_there_is_room(self) -> None:
        for size, beside, tiny in (((160, 47), True, False), ((119, 30), False, False), ((80, 24), False, False), ((30, 8), False, True)):
            app = bridge_app(session=self.session)
            async with app.run_test(size=size) as pilot:
                await answered(pilot, app)
                await pilot.pause()
                with self.subTest(size=size):
                    main = app.main
                    self.assertEqual(main.hand.display, beside)
                    self.assertEqual(main.footer.display, not tiny)
                    if not tiny:
                        self.assertEqual(main.trail.region.y == main.rungs.region.y, beside)
                        self.assertEqual(main.trail.region.x > 0, beside)

    async def test_the_list_of_all_tags_is_made_beside_the_screen(self) -> None:
        session = bridge_session()
        app = bridge_app(session=session)
        async with app.run_test(size=(120, 30)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            self.assertEqual(set(session.xref._known), set(session.xref.declared))  # type: ignore[union-attr]

    async def test_a_number_is_drawn_tall_and_lanes_are_folded_away(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            first = app.main.timeline.lanes()
            await pilot.press("tab", "tab", "space")
            await pilot.pause()
            self.assertIn(f"1 folded: {app.main.scene.name(first[0])}", screen_text(app))  # type: ignore[union-attr]
            self.assertEqual(app.main.timeline.drawn(), first[1:])
            self.assertEqual(app.main.view.lane, first[1])
            await pilot.press("G", *["down"] * 40, "space")
            await pilot.pause()
            self.assertEqual(app.main.timeline.drawn(), first)
            self.assertEqual(app.main.view.lane, first[0])
            await pilot.press("X", "slash", *"Wind_Speed", "enter", "a", "backspace", "backspace")
            await pilot.pause()
            wind = self.session.tag("Wind_Speed")
            await pilot.press(*["down"] * app.main.timeline.stops().index(wind))
            await pilot.pause()
            rows = screen_text(app).count("Wind_Speed")
            self.assertEqual(app.main.view.lane, wind)
            self.assertTrue(app.main.timeline.is_number(wind))
            before = app.main.timeline.height_wanted()
            await pilot.press("space")
            await pilot.pause()
            self.assertEqual(app.main.timeline.height_wanted(), before + 3)
            self.assertEqual(app.main.timeline.owners.count(wind), 4)
            self.assertEqual(screen_text(app).count("Wind_Speed"), rows)
            await pilot.press("space")
            await pilot.pause()
            self.assertIn("1 folded: Wind_Speed", screen_text(app))

    async def test_lanes_are_watched_under_a_name_put_in_order_and_taken_away(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await pilot.press("z", *"pump", "enter")
            await pilot.pause()
            first = app.main.timeline.lanes()
            self.assertEqual(app.main.view.watch, "pump")
            self.assertEqual([w.name for w in app.main.desk.kept.watches], ["pump"])
            await pilot.press("tab", "tab", "down", "delete")
            await pilot.pause()
            self.assertEqual(app.main.timeline.lanes(), [first[0], *first[2:]])
            await pilot.press("u", "ctrl+down")
            await pilot.pause()
            self.assertEqual(app.main.timeline.lanes()[:3], [first[0], first[2], first[1]])
            await pilot.press("ctrl+up", "ctrl+up", "ctrl+up")
            await pilot.pause()
            self.assertEqual(app.main.timeline.lanes()[:3], [first[1], first[0], first[2]])
            self.assertIn("it stands at the top already", screen_text(app))
            await pilot.press("z", "enter")
            await pilot.pause()
            self.assertEqual(app.main.view.watch, "")
            await pilot.press("delete")
            await pilot.pause()
            self.assertIn("this lane belongs to the trail", screen_text(app))
            await pilot.press("X", "slash", *"Wind_Speed", "enter", "a", "backspace", "backspace")
            await pilot.pause()
            self.assertIn("Wind_Speed", app.main.desk.kept.lanes)
            await pilot.press("z", *"pum", "enter")
            await pilot.pause()
            self.assertEqual(len(app.main.timeline.lanes()), len(first))

    async def test_what_one_can_do_in_a_view_stands_in_five_lines(self) -> None:
        for view, (sentence, keys) in HERE.items():
            with self.subTest(view):
                self.assertTrue(sentence.endswith("."))
                self.assertTrue(3 <= len(keys) <= 5)


if __name__ == "__main__":
    unittest.main()
