"""Another revision on the screen."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.plant.catalog import cases


class Revisions(OnScreen):
    """The bridge, and the bridge with two changes."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.other = Path(folder.name) / "other.xml"
        text = cases()["bridge"].program.read_text(encoding="utf-8")
        self.other.write_text(text.replace("T#25ms", "T#60ms", 1).replace("pump contactor did not pull in", "contactor stayed out", 1), encoding="utf-8")

    async def test_what_differs_old_and_new_rung_and_the_way_to_them(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            await pilot.press("B", *str(self.other), "enter")
            await until(pilot, lambda: app.main.page is not None and "acts otherwise" in screen_text(app), "the comparison")
            text = screen_text(app)
            for said in ("1 rung changed, 1 comment changed", "rung 1: East_Down_T.PT: T#60ms -> T#25ms", "take another course", "comments, which do nothing",
                         "contactor stayed out", " old", " new", "each in its own replay"):
                self.assertIn(said, text)
            self.assertRegex(text, r"(?s) old.*T#60ms.* new.*T#25ms")
            await pilot.press("enter")
            await pilot.pause()
            self.assertIn("whole program · Permits", screen_text(app))
            await pilot.press("backspace", "down", "enter")
            await pilot.pause()
            self.assertIsNone(app.main.page)
            pump = next(e for e in app.main.compared.effects if e.output)  # type: ignore[union-attr]
            self.assertEqual(app.main.view.time // 10_000_000, pump.difference.first // 10_000_000)
            self.assertIn("new program" if app.main.compared.old is app.main.session else "old program", screen_text(app))  # type: ignore[union-attr]
            await pilot.press("B")
            await pilot.pause()
            self.assertIn("acts otherwise", screen_text(app))

    async def test_a_file_that_is_no_program_is_said(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            self.other.write_text("nothing", encoding="utf-8")
            await pilot.press("B", *str(self.other), "enter")
            await until(pilot, lambda: "other.xml" in app.main.said, "the word")
            self.assertIsNone(app.main.page)


if __name__ == "__main__":
    unittest.main()
