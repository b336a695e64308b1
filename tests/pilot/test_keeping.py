"""Marks, notes, undo, the kept job, search, letters, export."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from textual.pilot import Pilot
from textual.widgets import Input

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.model.question import Question
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.main import MainScreen
from whorlograph.ui.views.page import ListPage


class Keeping(OnScreen):
    """On the shipped case, jobs kept in a folder of the test's own."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    @asynccontextmanager
    async def opened(self, resume: bool = True, size: tuple[int, int] = (160, 47)) -> AsyncIterator[tuple[WhorlographApp, Pilot[None]]]:
        app = WhorlographApp(self.session, Question(self.session.tag("Raise_Pump")), jobs=self.folder, resume=resume)
        async with app.run_test(size=size) as pilot:
            await answered(pilot, app)
            await pilot.pause()
            yield app, pilot

    async def keys(self, pilot: Pilot[None], *keys: str) -> None:
        for key in keys:
            await pilot.press(key)
            await pilot.pause()

    async def typed(self, app: WhorlographApp, pilot: Pilot[None], key: str, text: str) -> None:
        await self.keys(pilot, key)
        app.screen.query_one(Input).value = text
        await self.keys(pilot, "enter")

    async def test_a_mark_is_set_shown_and_gone_to(self) -> None:
        async with self.opened() as (app, pilot):
            time = app.main.view.time
            await self.keys(pilot, "m", "a")
            self.assertIn("mark a set", app.main.said)
            marks = next(x for x in screen_text(app).splitlines() if x.startswith(" marks"))
            self.assertIn("a", marks[7:])
            await self.keys(pilot, *["left_square_bracket"] * 3)
            self.assertNotEqual(app.main.view.time, time)
            await self.keys(pilot, "apostrophe", "a")
            self.assertEqual(app.main.view.time, time)
            await self.keys(pilot, "apostrophe", "b")
            self.assertIn("there is no mark b", app.main.said)
            self.assertEqual(app.main.timing.time_of("a"), time)

    async def test_undo_and_redo_name_what_they_do(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "m", "a", "u")
            self.assertIn("undone: mark a", app.main.said)
            self.assertNotIn("\n marks", screen_text(app))
            await self.keys(pilot, "ctrl+r")
            self.assertIn("done again: mark a", app.main.said)
            await self.keys(pilot, "u", "u")
            self.assertIn("nothing to undo", app.main.said)

    async def test_notes_and_marks_stand_on_their_page_and_lead_back(self) -> None:
        async with self.opened() as (app, pilot):
            time = app.main.view.time
            await self.keys(pilot, "m", "k")
            await self.typed(app, pilot, "c", "keeper heard a click")
            await self.keys(pilot, "0", "G", "apostrophe", "apostrophe")
            self.assertIsInstance(app.screen, ListPage)
            self.assertIn("keeper heard a click", screen_text(app))
            await self.keys(pilot, "enter")
            self.assertIsInstance(app.screen, MainScreen)
            self.assertEqual(app.main.view.time, time)

    async def test_the_job_is_saved_and_restored_with_one_line(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "down", "down", "w", "m", "a", "comma", "comma")
            view = app.main.view
            await until(pilot, lambda: not app.main.desk.dirty, "the save")
        async with self.opened() as (app, pilot):
            self.assertIn("restored from", app.main.said)
            self.assertIn("R starts fresh", app.main.said)
            self.assertEqual((app.main.view.question, app.main.view.time), (view.question, view.time))
            self.assertEqual([m.letter for m in app.main.desk.kept.marks], ["a"])
            await self.keys(pilot, "R")
            self.assertEqual(app.main.desk.kept.marks, ())
            self.assertIn("Why did Raise_Pump drop out?", screen_text(app))
            await self.keys(pilot, "u")
            self.assertEqual([m.letter for m in app.main.desk.kept.marks], ["a"])

    async def test_the_demo_begins_at_the_complaint_but_keeps_marks(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "down", "w", "m", "a")
            await until(pilot, lambda: not app.main.desk.dirty, "the save")
        async with self.opened(resume=False) as (app, _):
            self.assertIn("Why did Raise_Pump drop out?", screen_text(app))
            self.assertEqual([m.letter for m in app.main.desk.kept.marks], ["a"])

    async def test_searching_by_condition_walks_through_the_day(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "slash")
            app.screen.query_one(Input).value = "East_Down_LS falls for < 50ms"
            await pilot.pause()
            self.assertIn("28 places in the log", screen_text(app))
            await self.keys(pilot, "enter")
            self.assertIn("of 28", app.main.said)
            first = app.main.view.time
            await self.keys(pilot, "N")
            self.assertLess(app.main.view.time, first)
            await self.keys(pilot, "n")
            self.assertEqual(app.main.view.time, first)
            await self.keys(pilot, "0")
            row = next(x for x in screen_text(app).splitlines() if x.startswith(" 28 hits"))
            self.assertGreater(sum(c in "▽23456789#" for c in row[26:]), 4)
            for _ in range(28):
                await self.keys(pilot, "n")
            self.assertEqual(app.main.view.time, first)

    async def test_a_wrong_condition_says_why_and_moves_nothing(self) -> None:
        async with self.opened() as (app, pilot):
            view = app.main.view
            await self.typed(app, pilot, "slash", "Raise_Pump = 1 and")
            self.assertIn("too early", app.main.said)
            self.assertEqual(app.main.view, view)
            await self.keys(pilot, "slash", "escape")
            self.assertEqual(app.main.view, view)

    async def test_up_brings_former_searches(self) -> None:
        async with self.opened() as (app, pilot):
            await self.typed(app, pilot, "slash", "Raise_Pump")
            await self.typed(app, pilot, "slash", "Lower_Valve")
            await self.keys(pilot, "slash", "up")
            self.assertEqual(app.screen.query_one(Input).value, "Lower_Valve")
            await self.keys(pilot, "up")
            self.assertEqual(app.screen.query_one(Input).value, "Raise_Pump")
            await self.keys(pilot, "escape")

    async def test_letters_lead_to_everything_in_sight(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "f")
            labels = dict(app.main.labels)
            self.assertGreater(len(labels), 15)
            text = screen_text(app)
            for letter in list(labels)[:15]:
                self.assertIn(f"[{letter}]", text)
            letter = next(k for k, v in labels.items() if v[0] == "rungs")
            await self.keys(pilot, letter)
            self.assertEqual(app.main.view.strand, "rungs")
            self.assertNotIn("[a]", screen_text(app))
            await self.keys(pilot, "x")
            self.assertIsInstance(app.screen, ListPage)
            await self.keys(pilot, "backspace", "f", "escape")
            self.assertEqual(app.main.labels, {})

    async def test_the_answer_is_exported(self) -> None:
        async with self.opened() as (app, pilot):
            for suffix in (".pdf", ".svg", ".md"):
                path = self.folder / f"answer{suffix}"
                await self.typed(app, pilot, "e", str(path))
                await until(pilot, lambda: "written" in app.main.said, "the export")
                self.assertGreater(path.stat().st_size, 500)
                app.main.said = ""
            await self.typed(app, pilot, "e", "/no/such/folder/x.pdf")
            await until(pilot, lambda: "cannot be written" in app.main.said, "the refusal")

    async def test_the_palette_goes_to_times_and_marks(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "m", "z", "ctrl+p")
            app.screen.query_one(Input).value = "14:02:00"
            await self.keys(pilot, "enter")
            self.assertEqual(app.main.view.scan, 2_712_001)
            await self.keys(pilot, "ctrl+p")
            app.screen.query_one(Input).value = "mark z"
            await self.keys(pilot, "enter")
            self.assertEqual(app.main.view.scan, 2_717_220)
            await self.keys(pilot, "ctrl+p", "up")
            self.assertEqual(app.screen.query_one(Input).value, "mark z")
            app.screen.query_one(Input).value = "whole pro"
            await self.keys(pilot, "tab")
            self.assertEqual(app.screen.query_one(Input).value, "whole program")
            await self.keys(pilot, "escape")

    async def test_the_walk_tells_what_was_done(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "down", "w", "m", "q", "J")
            text = screen_text(app)
            for word in ("asked", "Leaf_Free", "marked", "whorlograph why"):
                self.assertIn(word, text)


class Messages(OnScreen):
    """What was said can be read again."""

    async def test_long_messages_can_be_read_whole(self) -> None:
        app = bridge_app()
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app)
            await pilot.press("m", "k")
            app.main.say("a message that goes on " * 8 + "to its very end")
            await pilot.press("exclamation_mark")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("Said lately", text)
            self.assertIn("to its very end", text)
            self.assertIn("mark k set at 14:02:52.190", text)
            self.assertLess(text.index("to its very end"), text.index("mark k set"), "the last one first")
            await pilot.press("escape")
            self.assertIs(app.screen, app.main)


if __name__ == "__main__":
    unittest.main()
