"""A rung changed on the screen, judged, taken back, written."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from textual.widgets import Input

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.plant.catalog import cases


class OnTheBridge(OnScreen):
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

    async def test_a_whole_rung_is_edited_as_a_line_and_a_comment_taken_away(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(120, 36)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            await pilot.press(*["down"] * 4, "tab", "Y", *"whole rung as", "enter")
            await pilot.pause()
            self.assertEqual(app.screen.query_one(Input).value, "East_Down_LS East_Down_T:TOF(PT := T#25ms) (East_Down)")
            await pilot.press(*" (Own_Lamp", "enter")
            await pilot.pause()
            self.assertIn("the line ends too early", screen_text(app))
            self.assertEqual(app.main.changing.steps, [])  # type: ignore[union-attr]
            await pilot.press(")", "enter")
            await until(pilot, lambda: app.main.compared is not None, "the verdict")
            await until(pilot, lambda: "Own_Lamp" in screen_text(app), "its page")
            last = app.main.compared.new.journal.clock.last  # type: ignore[union-attr]
            lamp, down = (app.main.compared.new.journal.settled(app.main.compared.new.tag(n), last) for n in ("Own_Lamp", "East_Down"))  # type: ignore[union-attr]
            self.assertEqual(lamp, down, app.main.changing.steps[-1].what)
            await pilot.press("u")
            await until(pilot, lambda: app.main.compared is None, "the way back")
            await pilot.press("tab", "tab", "tab") if app.main.view.strand != "rungs" else None
            await pilot.press("Y", *"rung's comment", "enter", "ctrl+u", "enter")
            await until(pilot, lambda: app.main.compared is not None, "the verdict")
            self.assertEqual([s.what for s in app.main.changing.steps], ["the rung's comment"])  # type: ignore[union-attr]

    async def test_versions_are_kept_in_the_job_and_gone_back_to(self) -> None:
        with TemporaryDirectory() as name:
            jobs = Path(name)
            app = bridge_app(session=self.session, jobs=jobs)
            async with app.run_test(size=(120, 36)) as pilot:
                await answered(pilot, app)
                await until(pilot, lambda: not app.main.work.running, "rest")
                await pilot.press(*["down"] * 4, "tab", "Y", *"another PT", "enter", *"T#60ms", "enter")
                await until(pilot, lambda: app.main.compared is not None, "the verdict")
                await pilot.press("Y", *"under a name", "enter", *"longer", "enter")
                await pilot.pause()
                self.assertIn("version longer is kept", app.main.said)
                await pilot.press("Y", *"begin anew", "enter")
                await until(pilot, lambda: app.main.compared is None, "the program as loaded")
                self.assertEqual([v.name for v in app.main.desk.job.versions], ["longer"])
                app.main.desk.save()
            again = bridge_app(session=self.session, jobs=jobs)
            async with again.run_test(size=(120, 36)) as pilot:
                await answered(pilot, again)
                await until(pilot, lambda: not again.main.work.running, "rest")
                while again.main.view.strand != "trail":
                    await pilot.press("tab")
                await pilot.press("home", *["down"] * 4, "tab", "Y", *"another PT", "enter", *"T#40ms", "enter")
                await until(pilot, lambda: again.main.compared is not None, "the verdict")
                await pilot.press("Y", *"beside", "enter")
                await until(pilot, lambda: "version longer beside" in screen_text(again), "both versions")
                self.assertIn("T#60ms -> T#40ms", screen_text(again))
                await pilot.press("Y", *"go to version longer", "enter")
                await until(pilot, lambda: "version longer: another PT" in screen_text(again), "the version")
                self.assertEqual([s.edit.text for s in again.main.changing.steps], ["T#60ms"])  # type: ignore[union-attr]

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
