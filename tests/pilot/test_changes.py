"""A rung changed on the screen, judged, taken back, written."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.plant.catalog import cases


class OnTheBridge(unittest.IsolatedAsyncioTestCase):
    """The demo's complaint, tried away."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    async def test_a_preset_is_changed_judged_written_and_taken_back(self) -> None:
        app = bridge_app(session=self.session)
        with TemporaryDirectory() as name:
            path = Path(name) / "mine.xml"
            async with app.run_test(size=(160, 47)) as pilot:
                await answered(pilot, app)
                await until(pilot, lambda: not app.main.work.running, "rest")
                await pilot.press("Y")
                await pilot.pause()
                self.assertIn("Tab goes to them", screen_text(app))
                await pilot.press(*["down"] * 4, "tab", "Y", *"another PT", "enter")
                await pilot.press(*"T#60ms", "enter")
                await until(pilot, lambda: "the complaint is gone" in screen_text(app), "the verdict")
                text = screen_text(app)
                for said in ("as changed acts otherwise", "changed: another PT of East_Down_T: T#60ms", "Raise_Pump stays on at 14:02:52.190",
                             "rung 1: East_Down_T.PT: T#25ms -> T#60ms"):
                    self.assertIn(said, text)
                await pilot.press("e", *str(path), "enter")
                await until(pilot, lambda: path.exists() and "written" in app.main.said, "the file")
                await pilot.press("u")
                await until(pilot, lambda: app.main.page is None, "the way back")
                self.assertIn("as it was loaded", app.main.said)
                self.assertIsNone(app.main.compared)
            self.assertEqual(path.read_bytes(), cases()["bridge"].program.read_bytes().replace(b"T#25ms", b"T#60ms", 1))

    async def test_what_cannot_be_is_said_and_changes_nothing(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            await pilot.press(*["down"] * 4, "tab", "Y", *"another address", "enter")
            await pilot.press(*"nowhere", "enter")
            await pilot.pause()
            self.assertIn("not changed: nowhere is no address", app.main.said)
            self.assertEqual(app.main.changing.steps, [])  # type: ignore[union-attr]


if __name__ == "__main__":
    unittest.main()
