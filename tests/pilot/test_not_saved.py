"""A job that cannot be saved: said while it lasts, tried again by itself, asked about on leaving; one that was not taken up is offered."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from unittest import mock

from textual.pilot import Pilot
from textual.widgets import Input

from tests.pilot import OnScreen
from tests.pilot.walking import answered, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.job import open_desk
from whorlograph.model.question import Question
from whorlograph.ui import board
from whorlograph.ui.app import WhorlographApp


class NotSaved(OnScreen):
    """On the shipped case."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.session = bridge_session()

    def app(self, jobs: Path) -> WhorlographApp:
        return WhorlographApp(self.session, Question(self.session.tag("Raise_Pump")), jobs=jobs)

    @asynccontextmanager
    async def marked_without_room(self, blocker: Path) -> AsyncIterator[tuple[WhorlographApp, Pilot[None]]]:
        """The application with a mark, and a file where the folder of its jobs should be."""
        blocker.write_text("")
        app = self.app(blocker / "jobs")
        with mock.patch.object(board, "SAVE_AGAIN", 0.2):
            async with app.run_test(size=(120, 30)) as pilot:
                await answered(pilot, app)
                await pilot.press("m", "a")
                await until(pilot, lambda: bool(app.main.desk.problem), "the problem")
                await pilot.pause()
                yield app, pilot
                await until(pilot, lambda: app._exit, "the end")

    async def test_it_is_said_until_it_is_saved_and_asked_about_on_leaving(self) -> None:
        async with self.marked_without_room(self.folder / "file") as (app, pilot):
            self.assertIn("not saved: Not a directory", screen_text(app))
            await pilot.press("down")
            await pilot.pause()
            self.assertIn("not saved", screen_text(app))
            await pilot.press("q")
            await pilot.pause()
            self.assertIn("save the job as", screen_text(app))
            await pilot.press("escape")

    async def test_another_place_is_taken_and_no_file_that_is_no_job(self) -> None:
        picture = self.folder / "plan.pdf"
        picture.write_bytes(b"%PDF")
        async with self.marked_without_room(self.folder / "file") as (app, pilot):
            await pilot.press("q")
            await pilot.pause()
            app.screen.query_one(Input).value = str(picture)
            await pilot.press("enter")
        self.assertEqual(picture.read_bytes(), b"%PDF")
        self.assertIn(b'"letter": "a"', (self.folder / "plan.pdf.json").read_bytes())

    async def test_saved_by_itself_once_there_is_room(self) -> None:
        blocker = self.folder / "file"
        async with self.marked_without_room(blocker) as (app, pilot):
            blocker.unlink()
            await until(pilot, lambda: not app.main.desk.problem, "another try")
            self.assertEqual(len(list((blocker / "jobs").glob("*.json"))), 1)
            await pilot.press("q")

    async def test_marks_on_another_state_of_the_program_are_offered_and_taken_over(self) -> None:
        old = open_desk(self.session.paths, "another state", self.folder)[0]
        old.mark("k", 5, "old mark")
        self.assertTrue(old.save())
        app = self.app(self.folder)
        async with app.run_test(size=(120, 30)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: "K takes them over" in app.main.said, "the offer")
            await pilot.press("K")
            await pilot.pause()
            self.assertIsNotNone(app.main.desk.marked("k"))
            self.assertIn("1 mark and 0 notes taken over", app.main.said)
            await pilot.press("K")
            self.assertIn("no job on another state", app.main.said)


if __name__ == "__main__":
    unittest.main()
