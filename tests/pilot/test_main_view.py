"""The main view, key by key."""

from __future__ import annotations

import unittest
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from threading import Event
from unittest.mock import patch

from textual.pilot import Pilot
from textual.widgets import Input

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.controllers import asking
from whorlograph.ui.keys import ACTIONS, BY_KEY
from whorlograph.ui.main import MainScreen
from whorlograph.ui.views.overlay import ListOverlay
from whorlograph.ui.views.prompt import Prompt


class MainView(OnScreen):
    """On the shipped case, at several sizes."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    @asynccontextmanager
    async def opened(self, width: int = 160, height: int = 47, palette: str = "dark",
                     ascii_: bool = False) -> AsyncIterator[tuple[WhorlographApp, Pilot[None]]]:
        app = bridge_app(session=self.session, palette=palette, ascii_=ascii_)
        async with app.run_test(size=(width, height)) as pilot:
            await answered(pilot, app)
            await pilot.pause()
            yield app, pilot

    async def test_the_first_screen_is_the_answer(self) -> None:
        for width, height in ((160, 47), (80, 24)):
            async with self.opened(width, height) as (app, _):
                text = screen_text(app)
                with self.subTest(width=width):
                    self.assertIn("Why did Raise_Pump drop out?", text)
                    self.assertIn("14:02:52.190", text)
                    self.assertIn("East_Down_LS", text)
                    self.assertIn("LS-12, junction box 3, terminal 14", text)
                    self.assertIn("Leaf_Free", text)
                    self.assertIn("✕", text)

    async def test_the_chosen_line_of_the_trail_is_told_in_a_sentence(self) -> None:
        def said(app: WhorlographApp) -> str:
            strands = (app.main.trail, app.main.hand)
            return " ".join(" ".join("".join(text for text, _ in line) for one in strands if one.display for line in one.lines).split())

        for width, height in ((160, 47), (80, 24)):
            async with self.opened(width, height) as (app, pilot):
                with self.subTest(width=width):
                    await pilot.press("down")
                    await pilot.pause()
                    self.assertIn("Permits 7 Barriers_Down opened first", said(app))
                    await pilot.press("down", "down", "down")
                    await pilot.pause()
                    self.assertIn("East_Down_T in Permits 1 ran out 25 ms after", said(app))
                    await pilot.press("down", "down")  # a root says all in its card
                    await pilot.pause()
                    self.assertNotIn("ran out 25 ms after", said(app))

    async def test_walking_down_the_trail_moves_all_strands(self) -> None:
        async with self.opened() as (app, pilot):
            first = app.main.view
            for _ in range(5):
                await pilot.press("down")
            view = app.main.view
            self.assertLess(view.scan, first.scan)
            text = screen_text(app)
            self.assertIn("14:02:52.160", text.splitlines()[0])
            self.assertIn("▌Permits 1", text)

    async def test_proof_comes_in_with_a_second_lane(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("p")
            await until(pilot, lambda: "proved:" in app.main.said, "the proof")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("1 proved", text)
            self.assertIn("without the fault", text)
            self.assertIn("stays on until", text)
            self.assertNotIn("╱", text, "the recording fits as far as the lanes go")
            await pilot.press("-", "-")
            await pilot.pause()
            thin = next(line for line in screen_text(app).splitlines() if "without the fault" in line)
            self.assertRegex(thin, "─+╱+ *$", "hatched from 14:02:53.720 on, when the recording no longer fits")

    async def test_a_proof_belongs_to_the_question_it_was_asked_for(self) -> None:
        go, prove = Event(), asking.prove_root

        def slowly(*args: object) -> object:
            go.wait(20)
            return prove(*args)  # type: ignore[arg-type]

        app = bridge_app()  # a session of its own: what is proved once stays proved
        with patch.object(asking.Asking, "prove_beside", lambda self: None):
            await self._proved_elsewhere(app, slowly, go)

    async def _proved_elsewhere(self, app: WhorlographApp, slowly: Callable[..., object], go: Event) -> None:
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            assert app.main.scene is not None
            first = app.main.scene.answer
            with patch.object(asking, "prove_root", slowly):
                await pilot.press("p", "down", "down", "w")
                self.assertIn("Why did Barriers_Down", screen_text(app))
                go.set()
                await until(pilot, lambda: first.roots[0].proved is not None, "the proof")
                await pilot.pause()
            text = screen_text(app)
            self.assertIn("not proved yet", text, "the question at hand was not proved")
            self.assertNotIn("without the fault", text)
            await pilot.press("backspace")
            await pilot.pause()
            self.assertIn("1 proved", screen_text(app), "it is there where it was asked for")

    async def test_ask_why_and_the_way_back(self) -> None:
        async with self.opened() as (app, pilot):
            before = app.main.view
            await pilot.press("down", "down", "w")
            self.assertIn("Why did Barriers_Down", screen_text(app))
            self.assertIn("‹ Raise_Pump", screen_text(app).splitlines()[1])
            await pilot.press("backspace")
            self.assertEqual(app.main.view.question, before.question)
            self.assertEqual(app.main.view.line, 2)
            await pilot.press("backspace")
            self.assertEqual(app.main.view, before)
            await pilot.press("backspace")
            self.assertIn("where you began", app.main.said)

    async def test_a_count_makes_steps_bigger(self) -> None:
        async with self.opened() as (app, pilot):
            scan = app.main.view.scan
            await pilot.press("1", "2", "full_stop")
            self.assertEqual(app.main.view.scan, scan + 12)
            await pilot.press("1", "0", "comma", "comma")
            self.assertEqual(app.main.view.scan, scan + 1)
            await pilot.press("5", "j")
            self.assertEqual(app.main.view.line, 5)
            await pilot.press("2", "left_square_bracket")
            twice = app.main.view.scan
            await pilot.press("backspace", "left_square_bracket", "left_square_bracket")
            self.assertEqual(app.main.view.scan, twice)
            await pilot.press("X", "7", "j")
            self.assertEqual(app.main.view.page and app.main.view.page.row, 7)

    async def test_a_run_of_cursor_moves_is_one_step_on_the_way_back(self) -> None:
        async with self.opened() as (app, pilot):
            before = app.main.view
            await pilot.press("down", "down", "down", "comma", "backspace")
            self.assertEqual(app.main.view, before)

    async def test_steps_and_changes_move_the_moment(self) -> None:
        async with self.opened() as (app, pilot):
            scan = app.main.view.scan
            await pilot.press("full_stop")
            self.assertEqual(app.main.view.scan, scan + 1)
            await pilot.press("comma", "comma")
            self.assertEqual(app.main.view.scan, scan - 1)
            await pilot.press("right_square_bracket")
            self.assertEqual(app.main.view.scan, scan)
            await pilot.press("left_square_bracket")
            self.assertLess(app.main.view.scan, scan - 1000)
            await pilot.press("backspace")
            self.assertEqual(app.main.view.scan, scan)
            await pilot.press("backspace")
            self.assertEqual(app.main.view.scan, scan - 1)

    async def test_go_to_a_time_shows_its_reading_first(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("t")
            prompt = app.screen
            assert isinstance(prompt, Prompt)
            prompt.query_one(Input).value = "14:02:00"
            await pilot.pause()
            self.assertIn("scan 2712001", "".join(t for line in prompt.box.lines for t, _ in line))
            await pilot.press("enter")
            await pilot.pause()
            self.assertEqual(app.main.view.scan, 2_712_001)

    async def test_times_are_understood_in_every_form(self) -> None:
        async with self.opened() as (app, _):
            here = app.main.view.time
            for text, time in (("scan 101", 10**9), ("12.5", 12_500_000_000), ("+2s", here + 2 * 10**9), ("-500ms", here - 500_000_000),
                               ("06:30:10", 10 * 10**9)):
                with self.subTest(text):
                    self.assertEqual(app.main.timing.time_of(text), time)
            for text in ("", "soon", "scan x", "+x", "99:99"):
                with self.subTest(text):
                    self.assertIsNone(app.main.timing.time_of(text))

    async def test_a_first_root_out_of_sight_is_told_below(self) -> None:
        for size, hidden in (((160, 47), False), ((160, 18), True)):
            app = bridge_app(session=self.session)
            async with app.run_test(size=size) as pilot:
                await answered(pilot, app)
                await pilot.pause()
                root = app.main.scene.answer.roots[0] if app.main.scene is not None else None
                assert root is not None
                self.assertIs(app.main.trail.shows(root), not hidden)
                hint = screen_text(app).splitlines()[-2]
                self.assertEqual("; goes there" in hint and "terminal 14" in hint, hidden, hint)
                await pilot.press("semicolon")
                await pilot.pause()
                line = app.main.trail.current()
                self.assertIs(line.root if line is not None else None, root)

    async def test_help_and_palette_open_and_close(self) -> None:
        for key in ("question_mark", "f1", "ctrl+p", "colon"):
            async with self.opened() as (app, pilot):
                await pilot.press(key)
                with self.subTest(key):
                    self.assertIsInstance(app.screen, ListOverlay)
                    await pilot.press("escape")
                    await pilot.pause()
                    self.assertIsInstance(app.screen, MainScreen)

    async def test_help_is_searched(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("question_mark", "slash")
            await pilot.pause()
            app.screen.query_one(Input).value = "shift book"
            await pilot.press("enter")
            await pilot.pause()
            overlay = app.screen
            assert isinstance(overlay, ListOverlay)
            self.assertEqual(len(overlay.shown), 1)
            self.assertIn("the answer on paper", "".join(t for t, _ in overlay.all_lines[overlay.shown[0]]))

    async def test_every_action_stands_in_help_and_palette_and_does_something(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("question_mark")
            shown = "\n".join("".join(t for t, _ in line) for line in app.screen.all_lines)  # type: ignore[attr-defined]
            await pilot.press("escape")
            await pilot.press("ctrl+p")
            listed = app.screen.all_values  # type: ignore[attr-defined]
            for action in ACTIONS:
                with self.subTest(action.name):
                    self.assertIn(action.sentence[:30], shown)
                    self.assertIn(("do", action.name), listed)
                    self.assertTrue(callable(app.main.actions[action.name]))
                    self.assertTrue(action.keys)

    async def test_the_palette_finds_a_tag_and_asks_about_it(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("ctrl+p", *"wind alarm lamp")
            await pilot.press("enter")
            await pilot.pause()
            self.assertIn("Lamp_Wind", screen_text(app))

    async def test_a_key_without_meaning_says_so(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("Q")
            self.assertIn("Q does nothing here", screen_text(app))

    async def test_no_key_means_two_things(self) -> None:
        self.assertEqual(len(BY_KEY), sum(len(a.keys) for a in ACTIONS))

    async def test_tab_goes_round_the_strands_and_the_cursor_stands_on_the_blocker(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("tab")
            self.assertEqual(app.main.view.strand, "rungs")
            tag = app.main.chosen_tag()
            assert tag is not None
            self.assertEqual(self.session.running.tags[tag].name, "Leaf_Free")
            await pilot.press("right")
            assert app.main.chosen_tag() is not None
            self.assertEqual(self.session.running.tags[app.main.chosen_tag() or 0].name, "Lower_Valve")
            await pilot.press("tab")
            self.assertEqual(app.main.view.strand, "timeline")
            time = app.main.view.time
            await pilot.press("left")
            self.assertLess(app.main.view.time, time)
            await pilot.press("tab")
            self.assertEqual(app.main.view.strand, "trail")

    async def test_zoom_keeps_the_moment_in_sight(self) -> None:
        async with self.opened() as (app, pilot):
            for key in ("plus", "plus", "minus", "0", "minus"):
                await pilot.press(key)
                view = app.main.view
                with self.subTest(key):
                    self.assertTrue(view.start <= view.time <= view.end)

    async def test_small_screens_live_and_come_back_as_they_were(self) -> None:
        async with self.opened() as (app, pilot):
            before = screen_text(app)
            self.assertIn("Barriers_Down", before)
            await pilot.resize_terminal(30, 8)
            await pilot.pause()
            self.assertIn("Raise_Pump", screen_text(app))
            await pilot.resize_terminal(160, 47)
            await pilot.pause()
            await pilot.pause()
            self.assertEqual(screen_text(app), before)

    async def test_nothing_is_told_by_colour_alone(self) -> None:
        with patch.object(asking.Asking, "prove_beside", lambda self: None):
            first, second = bridge_app(palette="mono"), bridge_app()
            async with first.run_test(size=(160, 47)) as pilot:
                await answered(pilot, first)
                await until(pilot, lambda: "more lanes" not in screen_text(first), "the strands' heights")
                mono = screen_text(first)
            async with second.run_test(size=(160, 47)) as pilot:
                await answered(pilot, second)
                await until(pilot, lambda: screen_text(second) == mono, "the same screen")
        for sign in ("━", "╌", "✕", "◆", "▄", "▁"):
            self.assertIn(sign, mono)

    async def test_ascii_draws_with_ascii(self) -> None:
        async with self.opened(ascii_=True) as (app, _):
            self.assertTrue(screen_text(app).isascii())

    async def test_colours_can_be_changed(self) -> None:
        async with self.opened() as (app, pilot):
            for expected in ("light", "contrast", "mono", "dark"):
                await pilot.press("T")
                self.assertEqual(app.palette_name, expected)

    async def test_a_click_chooses_a_trail_line(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.click("#trail", offset=(5, 3))
            self.assertEqual(app.main.view.line, 2)

    async def test_control_c_never_leaves_and_q_does(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("ctrl+c")
            self.assertIn("q leaves", app.main.said)
            self.assertTrue(app.is_running)
            await pilot.press("q")
            await pilot.pause()
            self.assertFalse(app.is_running)

    async def test_the_command_behind_the_screen_is_copied(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("y")
            self.assertIn("whorlograph why", app.clipboard)
            self.assertIn("Raise_Pump --symptom dropped-out", app.clipboard)

    async def test_one_key_goes_to_the_first_root_and_on_to_the_next(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("tab", "semicolon")
            line = app.main.trail.current()
            assert line is not None and app.main.scene is not None
            roots = app.main.scene.answer.roots
            self.assertEqual((app.main.view.strand, line.root), ("trail", roots[0]))
            self.assertIn("LS-12, junction box 3, terminal 14", screen_text(app))
            await pilot.press("semicolon")
            line = app.main.trail.current()
            self.assertIs(line.root if line is not None else None, roots[1 % len(roots)])

    async def test_the_trail_folds(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("down", "space")
            self.assertNotIn("Barriers_Down  reset", screen_text(app))
            await pilot.press("space")
            self.assertIn("Barriers_Down  reset", screen_text(app))

    async def test_values_and_lanes_can_be_added(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("v", "tab", "right", "right", "a")
            self.assertTrue(app.main.view.values)
            self.assertIn("Lower_Valve", app.main.desk.kept.lanes)

    async def test_the_end_of_a_list_says_so(self) -> None:
        async with self.opened() as (app, pilot):
            await pilot.press("G", "down")
            self.assertIn("ends here", app.main.said)


if __name__ == "__main__":
    unittest.main()
