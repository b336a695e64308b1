"""A long log on the screen: what is replayed so far can be used, and says so; the whole is taken over without a jump."""

from __future__ import annotations

import asyncio
import unittest
from collections.abc import Generator
from threading import Event
from unittest.mock import patch

from tests.pilot import OnScreen
from tests.pilot.walking import answered, screen_text, until
from whorlograph.desk import kept_logs
from whorlograph.desk import session as session_module
from whorlograph.desk import stages as stages_module
from whorlograph.desk.session import Paths, Session, load
from whorlograph.formats.logs import csv_table
from whorlograph.model.question import Question
from whorlograph.plant.catalog import cases
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.controllers import replaying
from whorlograph.ui.first import FirstScreen, Opening

BRIDGE = cases()["bridge"]
PATHS = Paths(BRIDGE.program, (BRIDGE.log,), BRIDGE.iolist, BRIDGE.profile, title=BRIDGE.title)


class Held:
    """Stages that wait behind each one with something to look at, until they are let go."""

    def __init__(self) -> None:
        self.shown, self.go = 0, Event()

    def __call__(self, session: Session, question: Question | None, stop: object) -> Generator[stages_module.Stage, None, stages_module.Stage]:
        work = stages_module.stages(session, question, stop)  # type: ignore[arg-type]
        while True:
            try:
                stage = next(work)
            except StopIteration as finished:
                last: stages_module.Stage = finished.value
                return last
            yield stage
            if stage.session is not None:
                self.shown += 1
                self.go.wait(120)  # each test lets it go; a slow machine needs long to come there


class LongLogs(OnScreen):
    """The shipped log taken for a long one."""

    def setUp(self) -> None:
        self.held = Held()
        for module, name, value in ((session_module, "LONG", 50_000), (session_module, "HEAD", 20_000), (stages_module, "SHOW_AFTER", 30.0),
                                    (csv_table, "SAMPLES", 600), (kept_logs, "MOST", 0), (replaying, "stages", self.held)):
            patched = patch.object(module, name, value)
            patched.start()
            self.addCleanup(patched.stop)
        self.addCleanup(self.held.go.set)

    def app(self) -> WhorlographApp:
        session = load(PATHS, head=True)
        return WhorlographApp(session, Question(session.tag(BRIDGE.tag)))

    async def whole(self, pilot: object, app: WhorlographApp) -> None:
        self.held.go.set()
        await until(pilot, lambda: not app.main.work.running and app.main.session.journal.complete, "the whole")  # type: ignore[arg-type]
        await pilot.pause()  # type: ignore[attr-defined]

    async def test_untouched_the_answer_comes_anew(self) -> None:
        app = self.app()
        async with app.run_test(size=(160, 47)) as pilot:
            await until(pilot, lambda: self.held.shown == 1 and app.main.scene is not None, "the start")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("so far", text)
            self.assertIn("Ctrl+C stops", text)
            self.assertNotIn("terminal 14", text)
            await self.whole(pilot, app)
            text = screen_text(app)
            self.assertIn("terminal 14", text)
            self.assertIn("Why did Raise_Pump drop out?", text)
            self.assertNotIn("Ctrl+C stops", text)

    async def test_touched_the_view_stays_and_w_asks_again(self) -> None:
        app = self.app()
        async with app.run_test(size=(160, 47)) as pilot:
            await until(pilot, lambda: self.held.shown == 1 and app.main.scene is not None, "the start")
            await pilot.press("full_stop", "full_stop")
            before = app.main.view
            await self.whole(pilot, app)
            self.assertEqual(app.main.view, before)
            self.assertIn("w asks the question again", screen_text(app))
            self.assertTrue(app.main.session.journal.complete)
            await pilot.press("home", "w")
            await pilot.pause()
            self.assertIn("terminal 14", screen_text(app))

    async def test_every_page_opens_on_what_there_is(self) -> None:
        app = self.app()
        async with app.run_test(size=(160, 47)) as pilot:
            await until(pilot, lambda: self.held.shown == 1 and app.main.scene is not None, "the start")
            for key in ("X", "S", "F", "P"):
                await pilot.press(key)
                await pilot.pause()
                self.assertIn("Ctrl+C stops", screen_text(app), key)
                await pilot.press("backspace")
            await pilot.press("slash", *"Open_PB", "enter")
            await pilot.pause()
            self.assertIn("so far", app.main.found.what)
            self.assertRegex(app.main.said, r"^\d+ of \d+ so far")
            before = len(app.main.found.starts)
            await pilot.press("X")
            await self.whole(pilot, app)
            self.assertNotIn("so far", app.main.found.what)
            self.assertGreater(len(app.main.found.starts), before)
            self.assertNotIn("Ctrl+C stops", screen_text(app))
            self.assertGreater(len(app.main.session.journal), 400_000)

    async def test_escape_stops_where_there_is_no_way_back(self) -> None:
        app = self.app()
        async with app.run_test(size=(80, 24)) as pilot:
            await until(pilot, lambda: self.held.shown == 1 and app.main.scene is not None, "the start")
            await pilot.press("escape")
            self.held.go.set()
            await until(pilot, lambda: not app.main.work.running, "the stop")
            await pilot.pause()
            self.assertIn("stopped: replayed up to", screen_text(app))
            self.assertFalse(app.main.session.log.complete)
            self.assertTrue(app.is_running)

    async def test_progress_fits_narrow_screens(self) -> None:
        app = self.app()
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app, early=True)
            app.main.progress = "replaying 43 %, 8 938 331 changes, 83 min of log a second, 3 s left"
            for width in (30, 60, 80, 100, 160):
                for said in ("", "mark a set at 14:02:52.190; ' a comes back here"):
                    if len(said) > width:
                        continue
                    line = "".join(text for text, _ in app.main.hint_runs(said, "Down walks along the trail", width))
                    self.assertLessEqual(len(line), width)
                    self.assertIn(said, line)
                    self.assertEqual("replaying 43 %" in line, width > 60 or not said)
            self.held.go.set()


class Opened(OnScreen):
    """From the first frame on."""

    async def test_the_first_frame_stands_while_files_are_read(self) -> None:
        go = Event()
        self.addCleanup(go.set)

        def loads() -> tuple[Session, Question | None]:
            go.wait(20)
            session = load(PATHS)
            return session, Question(session.tag(BRIDGE.tag))

        app = WhorlographApp(None, None, opening=Opening(BRIDGE.title, "skerrow_bridge.xml, shift.csv", loads))
        async with app.run_test(size=(100, 30)) as pilot:
            await pilot.pause()
            self.assertIsInstance(app.screen, FirstScreen)
            self.assertIn("skerrow_bridge.xml, shift.csv", screen_text(app))
            await pilot.press("question_mark")
            await pilot.pause()
            self.assertIn("still reading", screen_text(app))
            go.set()
            await until(pilot, lambda: hasattr(app, "main") and app.main.scene is not None, "the answer")
            await until(pilot, lambda: app.screen is not app.main, "help, asked for before the main view stood")
            await pilot.press("escape")
            await pilot.pause()
            self.assertIn("terminal 14", screen_text(app))

    async def test_the_rung_is_there_before_the_replay(self) -> None:
        go = Event()
        self.addCleanup(go.set)

        def waiting(session: Session, question: Question | None, stop: object) -> Generator[stages_module.Stage, None, stages_module.Stage]:
            yield stages_module.Stage("replaying 0 %")
            go.wait(20)
            last = yield from stages_module.stages(session, question, stop)  # type: ignore[arg-type]
            return last

        session = load(PATHS)
        with patch.object(replaying, "stages", waiting):
            app = WhorlographApp(session, Question(session.tag(BRIDGE.tag)))
            async with app.run_test(size=(160, 47)) as pilot:
                await until(pilot, lambda: "comes next" in screen_text(app), "the first look")
                text = screen_text(app)
                for word in ("Leaf_Drive 7", "Raise_Req", "76 rungs"):
                    self.assertIn(word, text)
                await pilot.press("w")
                await asyncio.sleep(0.05)
                self.assertIn("still replaying", screen_text(app))
                go.set()
                await answered(pilot, app)

    async def test_a_file_that_cannot_be_read_ends_the_screen(self) -> None:
        def fails() -> tuple[Session, Question | None]:
            raise OSError("gone")

        app = WhorlographApp(None, None, opening=Opening("x", "y", fails))
        async with app.run_test(size=(80, 24)) as pilot:
            for _ in range(200):
                if app.failure is not None:
                    break
                await pilot.pause(0.01)
        self.assertIsInstance(app.failure, OSError)


if __name__ == "__main__":
    unittest.main()
