"""The screen on other programs than the demo's: no log, an empty one, no rung, a stopped replay; every key pressed everywhere."""

from __future__ import annotations

import asyncio
import tempfile
import unittest
from pathlib import Path
from random import Random

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Paths, load
from whorlograph.model.question import Question
from whorlograph.plant.catalog import cases
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.keys import ACTIONS
from whorlograph.ui.main import MainScreen

BRIDGE = cases()["bridge"]
NO_RUNG = ('<project xmlns="http://www.plcopen.org/xml/tc6_0201"><types><pous><pou name="P" pouType="program"><interface/><body><ST><p>A := B;</p></ST>'
           "</body></pou></pous></types></project>")
LEAVES = ("close", "quit", "mouse", "export")


class OtherPrograms(OnScreen):
    """Nothing that can be opened brings the screen down."""

    def app(self, paths: Paths) -> WhorlographApp:
        session = load(paths)
        first = session.first_output()
        return WhorlographApp(session, Question(first) if first is not None else None)

    async def walk(self, app: WhorlographApp, presses: int, seed: int) -> None:
        """Press keys at random, all of them, wherever they lead."""
        keys = [k for a in ACTIONS if a.name not in LEAVES for k in a.keys]
        random = Random(seed)
        async with app.run_test(size=random.choice(((160, 47), (80, 24)))) as pilot:
            await until(pilot, lambda: not app.main.work.running, "the replay")
            await pilot.pause()
            for _ in range(presses):
                await pilot.press(random.choice(keys))
            await pilot.pause()
            self.assertTrue(app.is_running)
            self.assertTrue(screen_text(app).strip())

    async def test_keys_at_random_never_bring_it_down(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            empty, bare = Path(folder) / "empty.csv", Path(folder) / "bare.xml"
            empty.write_text("time,tag,value\n")
            bare.write_text(NO_RUNG)
            for i, paths in enumerate((Paths(BRIDGE.program), Paths(BRIDGE.program, (empty,)), Paths(bare))):
                for seed in range(1):
                    with self.subTest(program=i, seed=seed):
                        await self.walk(self.app(paths), 40, 10 * i + seed)
        for seed in range(3):
            with self.subTest(program="bridge", seed=seed):
                await self.walk(bridge_app(session=bridge_session()), 40, 100 + seed)

    async def test_without_a_log_the_screen_says_so(self) -> None:
        app = self.app(Paths(BRIDGE.program))
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await pilot.pause()
            self.assertIn("no log: every input is taken as declared", screen_text(app))
            await pilot.press("y")
            self.assertIn("whorlograph why", app.clipboard)

    async def test_a_program_without_a_rung_opens(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bare.xml"
            path.write_text(NO_RUNG)
            app = self.app(Paths(path))
            async with app.run_test(size=(100, 30)) as pilot:
                await until(pilot, lambda: not app.main.work.running, "the replay")
                await pilot.press("X", "S", "q", "q")
                await pilot.pause()
                self.assertIsInstance(app.screen, MainScreen)

    async def test_a_stopped_replay_keeps_what_there_is_and_says_so(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            log = Path(folder) / "long.csv"
            log.write_text("time,tag,value\n0,Raise_PB,0\n" + "".join(f"{i},Open_PB,{i & 1}\n" for i in range(1, 8)) + "90000000,Raise_PB,0\n")
            session = load(Paths(BRIDGE.program, (log,), BRIDGE.iolist, BRIDGE.profile))
            app = WhorlographApp(session, Question(session.tag("Raise_Pump")))
            async with app.run_test(size=(160, 47)) as pilot:
                await until(pilot, lambda: "replaying" in app.main.progress, "the progress")
                self.assertRegex(app.main.progress, r"replaying \d+ %, [\d ]+ changes")
                await pilot.press("ctrl+c")
                asked = asyncio.get_running_loop().time()
                await until(pilot, lambda: app.main.scene is not None, "what there is")
                self.assertLess(asyncio.get_running_loop().time() - asked, 3)
                await until(pilot, lambda: not app.main.work.running, "the end")
                self.assertFalse(app.main.session.journal.complete)
                await pilot.pause()
                self.assertIn("so far", app.main.said + screen_text(app))


if __name__ == "__main__":
    unittest.main()
