"""The cycles on the screen."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.model.question import Symptom


class OnTheScreen(OnScreen):
    """The bridge's shift."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    async def test_the_odd_one_stands_first_and_enter_asks_about_it(self) -> None:
        for size in ((160, 47), (80, 24)):
            app = bridge_app(tag="Bell", session=self.session)
            async with app.run_test(size=size) as pilot:
                await answered(pilot, app)
                await until(pilot, lambda app=app: not app.main.work.running, "rest")  # type: ignore[misc]
                await pilot.press("Z")
                await until(pilot, lambda app=app: "6 whole cycles" in screen_text(app), "the cycles")  # type: ignore[misc]
                text = screen_text(app)
                rows = [line for line in text.splitlines() if line.startswith((" !", "!"))]
                self.assertIn("44.921 s", rows[0])
                self.assertIn("East_Down_LS off for 46 ms at 43.381 s", text)
                self.assertIn("✕", rows[0])
                if size[0] == 80:  # as many parts of the hint as fit, each whole
                    hint = next(line for line in text.splitlines() if line.startswith(" Enter asks about the first deviation"))
                    self.assertTrue(hint.rstrip().endswith(" · Space another lane"), hint)
                await pilot.press("enter")
                await until(pilot, lambda app=app: app.main.page is None, "the question")  # type: ignore[misc]
                question = app.main.view.question
                self.assertEqual((self.session.running.tags[question.tag].name, question.symptom), ("Raise_Pump", Symptom.DROPPED_OUT))
                root = app.main.scene.answer.roots[0]  # type: ignore[union-attr]
                self.assertEqual(self.session.running.tags[root.tag or 0].name, "East_Down_LS")
                await pilot.press("backspace")
                await until(pilot, lambda app=app: app.main.page is not None, "the way back")  # type: ignore[misc]

    async def test_lanes_a_time_in_all_orders_another_beginning_and_the_whorl(self) -> None:
        app = bridge_app(session=self.session)
        with TemporaryDirectory() as name:
            path = Path(name) / "whorl.svg"
            async with app.run_test(size=(160, 47)) as pilot:
                await answered(pilot, app)
                await until(pilot, lambda: not app.main.work.running, "rest")
                await pilot.press("Z")
                await until(pilot, lambda: "6 whole cycles" in screen_text(app), "the cycles")
                await pilot.press("space")
                await pilot.pause()
                self.assertIn("typical · East_Down_LS on", screen_text(app))
                self.assertGreater(screen_text(app).count("▄"), 200)
                await pilot.press("s")
                await pilot.pause()
                order = [line.split()[0 if line.split()[0].isdigit() else 1] for line in screen_text(app).splitlines()
                         if line[2:7].strip().isdigit() and line[:2].strip() in ("", "!")]
                self.assertEqual(order, ["1", "2", "3", "4", "5", "6"])
                await pilot.press("down", *["right"] * 11)
                await pilot.pause()
                self.assertIn("at ", screen_text(app))
                cursor = app.screen.state.element  # type: ignore[attr-defined]
                self.assertEqual(cursor, 10)
                await pilot.press("enter")
                await until(pilot, lambda: app.main.page is None, "the moment")
                start = self.session.cycles.judged[1].turn.start  # type: ignore[union-attr]
                self.assertTrue(30e9 < app.main.view.time - start < 45e9, (app.main.view.time - start) / 1e9)
                await pilot.press("backspace")
                await pilot.pause()
                await pilot.press("e", "ctrl+u", *str(path), "enter")
                await until(pilot, lambda: path.exists() and "written" in app.main.said, "the whorl")
                written = path.stat().st_mtime_ns
                await pilot.press("e", "ctrl+u", *str(path), "enter")
                await until(pilot, lambda: "is there already" in screen_text(app), "what is there already")
                await pilot.press("escape")
                await pilot.pause()
                self.assertEqual(path.stat().st_mtime_ns, written, "not replaced unasked")
                await pilot.press("t", "ctrl+u", *"Seq_Step = 20", "enter")
                await until(pilot, lambda: "each begins where Seq_Step = 20 comes" in screen_text(app), "the other beginning")
                await pilot.press("t", "ctrl+u", *"No_Such_Tag", "enter")
                await until(pilot, lambda: "is no condition" in screen_text(app), "what is wrong")
                await pilot.press("t", "ctrl+u", "enter")
                await until(pilot, lambda: "(proposed)" in screen_text(app), "the proposed one")
            self.assertIn("cycle 6", path.read_text())


if __name__ == "__main__":
    unittest.main()
