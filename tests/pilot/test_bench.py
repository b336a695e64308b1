"""The bench on the screen."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Paths, Session, load
from whorlograph.model.question import Question
from whorlograph.plant.catalog import cases
from whorlograph.plant.hands_on import machines
from whorlograph.ui.app import WhorlographApp


def hands_on(case: str, machine: bool = True) -> WhorlographApp:
    """A case to be operated."""
    one = cases()[case]
    session = load(Paths(one.program, (), one.iolist, one.profile, title=one.title))
    session.plant, session.begin_bench = machines()[case] if machine else None, True
    return WhorlographApp(session, Question(session.tag(one.tag)))


class OnTheScreen(OnScreen):
    """By keys."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    async def test_from_the_moment_at_hand_scan_by_scan_and_back(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            scan, time = app.main.view.scan, app.main.view.time
            await pilot.press("b")
            await pilot.pause()
            bench = app.main.bench
            assert bench is not None
            self.assertEqual((bench.scan, bench.begin // 10_000_000), (scan, time // 10_000_000))
            self.assertIn("Skerrow Bridge · bench", screen_text(app))
            self.assertEqual(bench.value(self.session.tag("Raise_Pump")), 0)
            await pilot.press("1", "0", "full_stop")
            await pilot.pause()
            self.assertEqual(bench.scan, scan + 10)
            await pilot.press("comma")
            await pilot.pause()
            self.assertEqual(bench.scan, scan + 9)
            await pilot.press("slash", *"Raise_PB", "enter")
            await pilot.pause()
            await pilot.press("space")
            await pilot.pause()
            self.assertIn("→ on", screen_text(app))
            self.assertEqual(bench.value(self.session.tag("Raise_PB")), 0)
            await pilot.press("enter")
            await pilot.pause()
            self.assertEqual((bench.value(self.session.tag("Raise_PB")), bench.scan), (1, scan + 10))
            await pilot.press("u")
            await pilot.pause()
            self.assertEqual((bench.value(self.session.tag("Raise_PB")), bench.scan), (0, scan + 9))
            await pilot.press("space", "enter", "b")
            await pilot.pause()
            self.assertIs(app.main.bench, bench)
            self.assertIn("what was done here is gone", screen_text(app))
            await pilot.press("b")
            await pilot.pause()
            self.assertIsNot(app.main.bench, bench)
            self.assertEqual(app.main.bench.scan, scan)  # type: ignore[union-attr]
            await pilot.press("backspace", "backspace")
            await pilot.pause()
            self.assertEqual((app.main.page, app.main.view.time), (None, time))

    async def test_forces_are_prepared_applied_and_their_release_shown_before(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: not app.main.work.running, "rest")
            await pilot.press("b", "slash", *"Road_Red", "enter")
            await pilot.pause()
            bench = app.main.bench
            assert bench is not None
            red = self.session.tag("Road_Red")
            before = bench.value(red)
            await pilot.press("space")
            self.assertIn("f forces it", screen_text(app))
            await pilot.press("f", "f") if before else await pilot.press("f")
            await pilot.press("enter")
            await pilot.pause()
            self.assertEqual((bench.value(red), bench.forced()), (1 - before, {red: 1 - before}))
            self.assertIn("forced, program", screen_text(app))
            await pilot.press("f")
            await pilot.pause()
            self.assertIn("on release at once: Road_Red", screen_text(app))
            await pilot.press("f", "f", "R")
            await pilot.pause()
            self.assertIn("R again releases all", screen_text(app))
            await pilot.press("R")
            await pilot.pause()
            self.assertEqual((bench.forced(), bench.value(red)), ({}, before))

    async def test_a_machine_answers_and_what_was_done_is_saved_as_a_log(self) -> None:
        app = hands_on("bridge")
        with TemporaryDirectory() as name:
            path = Path(name) / "mine.csv"
            async with app.run_test(size=(80, 24)) as pilot:
                await until(pilot, lambda: app.main.page is not None and "bench" in screen_text(app), "the bench")
                bench = app.main.bench
                assert bench is not None
                self.assertEqual(bench.value(bench.session.tag("Desk_Key")), 1)
                await pilot.press("slash", *"Open_PB", "enter", "enter")
                await pilot.pause()
                await pilot.press("t", *"40s", "enter")
                await pilot.pause()
                self.assertEqual([bench.value(bench.session.tag(n)) for n in ("Open_PB", "East_Down_LS", "West_Down_LS", "Bolt_Out_LS")], [0, 1, 1, 1])
                await pilot.press("t", *"Leaf_Top_LS", "enter")
                await pilot.pause()
                self.assertIn("does not come true", screen_text(app))
                await pilot.press("slash", *"Raise_PB", "enter", "enter", "right_square_bracket")
                await pilot.pause()
                await pilot.press("t", *"Leaf_Top_LS", "enter")
                await until(pilot, lambda: "Leaf_Top_LS: here" in app.screen.said, "the top")  # type: ignore[attr-defined]
                await pilot.press("w")
                await pilot.pause()
                self.assertIn("why Raise_PB, on the bench", screen_text(app))
                await pilot.press("escape", "e", *str(path), "enter")
                await until(pilot, lambda: "written" in app.main.said, "the log")
                app.main.say("")
                saved = path.read_bytes()
                path.write_text("what was there\n")
                await pilot.press("e", *str(path), "enter")
                await until(pilot, lambda: "is there already" in screen_text(app), "what is there already")
                self.assertEqual(path.read_text(), "what was there\n", "not replaced unasked")
                await pilot.press("enter")
                await until(pilot, lambda: "written" in app.main.said, "the log, replaced")
                self.assertEqual(path.read_bytes(), saved)
            again = load(Paths(cases()["bridge"].program, (path,), cases()["bridge"].iolist, cases()["bridge"].profile))
            top = again.journal.settled(again.tag("Leaf_Top_LS"), again.journal.clock.last)
            self.assertEqual(top, 1)

    async def test_numbers_things_once_more_power_and_outputs_by_hand(self) -> None:
        app = hands_on("glasshouse", machine=False)
        with TemporaryDirectory() as name:
            path = Path(name) / "mine.csv"
            async with app.run_test(size=(160, 47)) as pilot:
                await until(pilot, lambda: app.main.page is not None and "bench" in screen_text(app), "the bench")
                await pilot.press("slash", *"step of the day", "enter", "space", *"2", "enter")
                await pilot.pause()
                step = app.main.session.tag("Step")
                assert app.main.bench is not None
                self.assertEqual(app.main.bench.value(step), 2)
                self.assertIn("Step is 2 after scan", app.screen.said)  # type: ignore[attr-defined]
                await pilot.press("escape", "slash", *"Next_PB", "enter", "enter", ".")
                await pilot.pause()
                self.assertEqual(app.main.bench.value(step), 3)
                self.assertTrue(any(line.startswith(" Step 0 to 3") for line in screen_text(app).splitlines()), "a lane")
                await pilot.press("Y", *"once more", "enter")
                await pilot.pause()
                self.assertIn("from the next scan on", app.screen.said)  # type: ignore[attr-defined]
                await pilot.press("slash", *"vents in service", "enter", "Y", *"run to a value", "enter", *"7 in 1s", "enter", "t", *"2s", "enter")
                await pilot.pause()
                self.assertEqual(app.main.bench.value(app.main.session.tag("Mask")), 7)
                await pilot.press("e", *str(path), "enter")
                await until(pilot, lambda: "mine.toml" in app.main.said, "the log and its profile")
                await pilot.press("Y", *"power fails and returns: cold", "enter")
                await pilot.pause()
                self.assertIn("power has returned, cold", app.main.said)
                self.assertEqual((app.main.bench.value(step), app.main.bench.scan), (0, 1))
                await pilot.press("Y", *"without the program", "enter")
                await pilot.press("slash", *"North_Vent", "enter", "space", "enter")
                await pilot.pause()
                vent = app.main.bench.session.tag("North_Vent")
                self.assertEqual(app.main.bench.value(vent), 1)
                await pilot.press("b", "b")
                await pilot.pause()
                self.assertNotIn(vent, app.main.bench.inputs)
            case = cases()["glasshouse"]
            again = load(Paths(case.program, (path,), case.iolist, path.with_suffix(".toml")))
            self.assertEqual(again.journal.settled(again.tag("Mask"), again.journal.clock.last), 7)

    async def test_it_runs_at_a_speed_and_stands_still(self) -> None:
        app = hands_on("bridge")
        async with app.run_test(size=(160, 47)) as pilot:
            await until(pilot, lambda: app.main.page is not None and "bench" in screen_text(app), "the bench")
            bench = app.main.bench
            assert bench is not None
            await pilot.press("plus", "plus", "p")
            await until(pilot, lambda: bench.now > 30_000_000_000, "half a minute")
            await pilot.press("p")
            await pilot.pause()
            still = bench.now
            await pilot.pause(0.4)
            self.assertEqual(bench.now, still)
            self.assertIn("stands still; speed 100", screen_text(app))


if __name__ == "__main__":
    unittest.main()
