"""The pages beside the question: what was unusual, disagreements, ways, findings, explanations, asking otherwise; proofs beside the screen."""

from __future__ import annotations

import unittest

from tests.building import program_of, session_of
from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from tests.texts import text_session
from whorlograph.desk.session import Session
from whorlograph.model.parts import Ladder, coil, compare, either, nc, no
from whorlograph.model.question import Question, Symptom
from whorlograph.ui.app import WhorlographApp


def _two(ladder: Ladder) -> None:
    ladder.rung(no("X1"), nc("X2"), coil("Y1"))
    ladder.rung(no("X1"), coil("Y1"))


class QuestionPages(OnScreen):
    """On the shipped case, key by key."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    def app(self) -> WhorlographApp:
        """The application on the bridge."""
        return bridge_app(session=self.session)

    async def test_what_was_unusual_leads_to_the_question(self) -> None:
        for size in ((160, 47), (80, 24)):
            app = self.app()
            async with app.run_test(size=size) as pilot:
                await answered(pilot, app)
                await pilot.press("U")
                await until(pilot, lambda: self.session.odd_known, "the odd ones")
                await pilot.pause()
                text = screen_text(app)
                self.assertIn("what was unusual", text)
                self.assertIn("East_Down_LS", text)
                await pilot.press("down", "enter")
                await pilot.pause()
                assert app.main.scene is not None
                self.assertEqual(app.main.scene.answer.symptom, Symptom.DROPPED_OUT)
                self.assertIsNone(app.main.view.page)
                root = app.main.scene.answer.roots[0]
                self.assertEqual(self.session.running.tags[root.tag or 0].name, "East_Down_LS")
                await pilot.press("backspace")
                self.assertEqual(app.main.view.page and app.main.view.page.name, "odd")

    async def test_a_program_opened_without_a_tag_begins_with_what_was_unusual(self) -> None:
        session = bridge_session()
        session.begin_odd = True
        app = bridge_app(session=session)
        async with app.run_test(size=(160, 47)) as pilot:
            await until(pilot, lambda: app.main.view.page is not None, "the page")
            self.assertEqual(app.main.view.page and app.main.view.page.name, "odd")
            await pilot.press("q")
            self.assertIsNone(app.main.view.page)

    async def test_proofs_come_by_themselves_with_how_usual_it_is(self) -> None:
        app = bridge_app()
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await until(pilot, lambda: "1 proved" in screen_text(app), "the proof")
            assert app.main.scene is not None
            answer = app.main.scene.answer
            await until(pilot, lambda: answer.usual is not None, "how usual it is")
            self.assertEqual(answer.usual and answer.usual.text, "only this time; 5 of 6 times Leaf_Top_LS stops it")
            card = " ".join("".join(t for t, _ in line.runs) for line in app.main.scene.trail(300))
            self.assertIn("5 of 6 times Leaf_Top_LS stops it", card)
            await pilot.press("p")
            await until(pilot, lambda: "without the fault" in screen_text(app), "the lanes of the trial")

    async def test_other_work_goes_before_quiet_work(self) -> None:
        app = bridge_app()
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await pilot.press("U", "q", "p")
            await until(pilot, lambda: "proved:" in app.main.said, "the proof that was asked for")

    async def test_ways_findings_and_explanations(self) -> None:
        app = self.app()
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            await pilot.press("W")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("what Raise_Pump needs: 1 way", text)
            self.assertIn("✗ Leaf_Free on", text)
            await pilot.press("s")
            await pilot.pause()
            self.assertIn("down to the inputs", screen_text(app))
            await pilot.press("q", "C")
            await pilot.pause()
            self.assertIn("findings: ", screen_text(app))
            await pilot.press("E")
            await pilot.pause()
            self.assertIn("A latch that a broken wire cannot drop", screen_text(app))
            await pilot.press("q", "enter")
            self.assertEqual(app.main.view.page and app.main.view.page.name, "program")
            await pilot.press("q", "q", "E")
            await pilot.pause()
            self.assertIn("explained: rung-false", screen_text(app))

    async def test_explanations_of_what_stands_under_the_cursor(self) -> None:
        app = self.app()
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            for _ in range(6):
                await pilot.press("down")
            await pilot.press("E")
            await pilot.pause()
            self.assertIn("explained: field-input", screen_text(app))
            await pilot.press("q", "home", "tab", "E")
            await pilot.pause()
            self.assertIn("explained: ", screen_text(app))

    async def test_asking_otherwise_lists_the_drop_outs(self) -> None:
        app = self.app()
        async with app.run_test(size=(100, 30)) as pilot:
            await answered(pilot, app)
            await pilot.press("A")
            await until(pilot, lambda: "its drop-outs: 6" in screen_text(app), "the drop-outs")
            text = screen_text(app)
            self.assertIn("why does it not pull in?", text)
            self.assertIn("only this time", text)
            self.assertEqual(text.count("as usual"), 5)
            await pilot.press("enter")
            await pilot.pause()
            assert app.main.scene is not None
            self.assertEqual(app.main.scene.answer.symptom, Symptom.WILL_NOT_PULL_IN)

    async def test_asking_otherwise_asks_of_the_moment_asked_for_until_another_is_chosen(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (1500, "X1", 0), (3000, "X2", 0), (3100, "X2", 1), (6000, "X1", 1), (9000, "X3", 0)]
        app = bridge_app("Y1", text_session("Y1 := (X1 OR Y1) AND X2 AND N1 < 5;", [*rows, (5000, "N1", 7)]))
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            self.assertEqual(app.main.view.time, 3_000_000_000)
            await until(pilot, lambda: "why it does not pull in (A on the trail's first line)" in " ".join(screen_text(app).split()), "that it was tried again")
            await pilot.press("A")
            await until(pilot, lambda: "Y1 is off at 9.000 s; ask" in screen_text(app), "the moment asked for")
            await pilot.press("enter")
            await pilot.pause()
            assert app.main.scene is not None
            self.assertEqual((app.main.scene.answer.symptom, len(app.main.scene.answer.attempts)), (Symptom.WILL_NOT_PULL_IN, 1))
            await pilot.press("backspace", ".", ".", ".", "A")
            await until(pilot, lambda: "Y1 is off at 3.0" in screen_text(app), "the moment that was gone to")

    async def test_disagreements_and_findings_of_another_program(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "Y1", 0), (1000, "X1", 1), (1010, "Y1", 1), (3000, "Y1", 0), (5000, "X1", 0)]
        session = session_of(program_of(_two, "X1 X2 Y1"), rows)
        app = bridge_app("Y1", session)
        async with app.run_test(size=(80, 24)) as pilot:
            await answered(pilot, app)
            await pilot.press("D")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("log and program disagree once", text)
            self.assertIn("recorded off, computed on", text)
            await pilot.press("enter")
            self.assertEqual(app.main.view.time, 3_000_000_000)
            await pilot.press("C")
            await pilot.pause()
            self.assertIn("plain coils in Main 1 and Main 2", screen_text(app))


class AsItStandsNow(OnScreen):
    """The form of what the lamps show, without a log."""

    def app(self) -> WhorlographApp:
        """A pump that holds itself, with a level in a number, and no log."""
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), no("X2"), compare("GE", "N1", "5"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 N1 Y1"), [])
        return WhorlographApp(session, Question(session.tag("Y1")), jobs=None)

    async def test_values_by_space_and_the_answer_by_enter(self) -> None:
        for size in ((160, 47), (80, 24)):
            await self._through(self.app(), size)

    async def _through(self, app: WhorlographApp, size: tuple[int, int]) -> None:
        async with app.run_test(size=size) as pilot:
            await answered(pilot, app)
            self.assertIn("V gives what the lamps", screen_text(app))
            await pilot.press("V", "space", "down", "space", "space", "down", "space", "down", "space", "9", "9", "enter")
            await pilot.pause()
            text = screen_text(app)
            self.assertIn("why is Y1 as it is now: 4 given", text)
            self.assertIn("99", text)
            await pilot.press("enter")
            await until(pilot, lambda: "is on and stays on" in screen_text(app), "the answer")
            text = screen_text(app)
            self.assertIn("X2 is on (given)", text)
            self.assertNotIn("0.000 s,", text)
            await pilot.press("y")
            self.assertIn("--now Y1=1,X1=0,X2=1,N1=99", app.clipboard)
            await pilot.press("end", "space", "x", "enter")
            await pilot.pause()
            self.assertIn("x is no value here", screen_text(app))
            await pilot.press("escape", "up", "space")
            await pilot.pause()
            self.assertNotIn("is on and stays on", screen_text(app), "the answer belonged to other values")
            self.assertIn("4 given", screen_text(app))
            await pilot.press("enter")
            await until(pilot, lambda: "the fault lies behind the output" in " ".join(screen_text(app).split()), "another answer")
            await pilot.press("backspace")
            self.assertIsNone(app.main.view.page)

    async def test_another_tag_with_the_same_values(self) -> None:
        app = self.app()
        async with app.run_test(size=(120, 40)) as pilot:
            await answered(pilot, app)
            await pilot.press("V", "down", "space", "w")
            await pilot.pause()
            self.assertIn("why is X1 as it is now: 1 given", screen_text(app))
            await pilot.press("backspace")
            await pilot.pause()
            self.assertIn("why is Y1 as it is now: 1 given", screen_text(app))


if __name__ == "__main__":
    unittest.main()
