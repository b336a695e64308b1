"""The pages over the strands, key by key."""

from __future__ import annotations

import unittest
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from textual.pilot import Pilot
from textual.widgets import Input

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.main import MainScreen
from whorlograph.ui.views.page import ListPage, Page
from whorlograph.ui.views.program import ProgramPage


class Pages(OnScreen):
    """Tags, uses, points, survey, whole program: on the shipped case."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    @asynccontextmanager
    async def opened(self, width: int = 160, height: int = 47, ascii_: bool = False) -> AsyncIterator[tuple[WhorlographApp, Pilot[None]]]:
        app = bridge_app(session=self.session, ascii_=ascii_)
        async with app.run_test(size=(width, height)) as pilot:
            await answered(pilot, app)
            yield app, pilot

    async def keys(self, pilot: Pilot[None], *keys: str) -> None:
        for key in keys:
            await pilot.press(key)
            await pilot.pause()

    async def search(self, app: WhorlographApp, pilot: Pilot[None], text: str) -> None:
        await self.keys(pilot, "slash")
        app.screen.query_one(Input).value = text
        await self.keys(pilot, "enter")

    async def test_cross_reference_goes_to_the_rung_and_comes_back(self) -> None:
        async with self.opened() as (app, pilot):
            before = app.main.view
            await self.keys(pilot, "down", "x")
            self.assertIn("uses of Leaf_Free", screen_text(app))
            self.assertIn("Leaf_Drive 7", screen_text(app))
            await self.keys(pilot, "down", "enter")
            self.assertIsInstance(app.screen, ProgramPage)
            self.assertIn("whole program · Leaf_Drive", screen_text(app))
            self.assertEqual(self.session.running.tags[app.main.chosen_tag() or 0].name, "Leaf_Free")
            await self.keys(pilot, "backspace")
            self.assertIsInstance(app.screen, ListPage)
            self.assertEqual(app.main.view.page and app.main.view.page.row, 3)
            await self.keys(pilot, "backspace", "backspace")
            self.assertIsInstance(app.screen, MainScreen)
            self.assertEqual(app.main.view, before)

    async def test_every_page_shows_what_it_is_for_at_both_sizes(self) -> None:
        words = {"X": ("all tags · name", "Ack_PB", "%IX0.5"), "F": ("field points · by module", "Desk_Key", "S-01", "keeper's desk"),
                 "S": ("survey", "every scan", "3,998 rows", "Nothing was set aside"), "P": ("whole program · Leaf_Drive", "✕")}
        for width, height in ((160, 47), (80, 24)):
            async with self.opened(width, height) as (app, pilot):
                for key, expected in words.items():
                    await self.keys(pilot, key)
                    text = screen_text(app)
                    for word in expected:
                        with self.subTest(key=key, width=width, word=word):
                            self.assertIn(word, text)
                    self.assertIn("14:02:52.190", text.splitlines()[0])
                    await self.keys(pilot, "q")
                    self.assertIsInstance(app.screen, MainScreen)

    async def test_lists_are_filtered_and_sorted(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "X")
            await self.search(app, pilot, "barrier switch")
            text = screen_text(app)
            self.assertIn("4 with “barrier switch”", text)
            self.assertNotIn("Ack_PB", text)
            await self.keys(pilot, "n", "n")
            self.assertEqual(self.session.running.tags[app.main.chosen_tag() or 0].name, "West_Down_LS")
            await self.keys(pilot, "escape")
            self.assertIn("Ack_PB", screen_text(app))
            await self.keys(pilot, "s", "s", "s")
            self.assertIn("odd first", screen_text(app))
            self.assertEqual(self.session.running.tags[app.main.chosen_tag() or 0].name, "Batt_OK")

    async def test_a_filter_that_fits_nothing_says_so(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "F")
            await self.search(app, pilot, "no such thing")
            self.assertIn("nothing fits", screen_text(app))
            await self.keys(pilot, "down", "enter", "escape")
            self.assertIn("Desk_Key", screen_text(app))

    async def test_points_stand_by_terminal_strip_too(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "F", "s")
            text = screen_text(app)
            self.assertIn("by terminal strip", text)
            self.assertLess(text.index("junction box 3"), text.index("junction box 4"))

    async def test_the_moment_moves_under_a_page(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "F")
            await self.search(app, pilot, "East_Down_LS")
            await self.keys(pilot, "left_square_bracket")
            self.assertIn("14:02:52.160", screen_text(app).splitlines()[0])
            self.assertIn("off", screen_text(app))
            await self.keys(pilot, "left_square_bracket")
            line = next(x for x in screen_text(app).splitlines() if "%IX2.0" in x)
            self.assertIn(" on ", line)

    async def test_ask_why_from_a_page(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "X")
            await self.search(app, pilot, "Lamp_Wind")
            await self.keys(pilot, "w")
            self.assertIsInstance(app.screen, MainScreen)
            self.assertIn("Why did Lamp_Wind", screen_text(app))
            await self.keys(pilot, "backspace")
            self.assertIsInstance(app.screen, Page)
            self.assertIn("Lamp_Wind", screen_text(app))

    async def test_the_program_is_walked_and_searched(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "P", "g")
            self.assertIn("rung 1 of 9", screen_text(app))
            await self.keys(pilot, "tab")
            self.assertIn("whole program · Signals", screen_text(app))
            await self.keys(pilot, "shift+tab", "shift+tab", "G")
            self.assertIn("rung 11 of 11", screen_text(app))
            await self.search(app, pilot, "nose bolts")
            page = app.screen
            assert isinstance(page, ProgramPage)
            self.assertGreater(len(page.hits), 3)
            first = page.state.step
            await self.keys(pilot, "n")
            self.assertGreater(page.state.step, first)
            await self.keys(pilot, "N")
            self.assertEqual(page.state.step, first)
            for _ in page.hits:
                await self.keys(pilot, "n")
            self.assertEqual(page.state.step, first)

    async def test_a_skipped_rung_says_since_when_and_because_of_what(self) -> None:
        async with self.opened() as (app, pilot):
            maintenance = self.session.tag("Maint_Mode")
            journal = self.session.journal
            on = next(r for r in journal.rows(maintenance).tolist() if journal.raw(r))
            app.main.timing.to_scan(journal.scan(on) + 1)
            await self.keys(pilot, "P")
            await self.search(app, pilot, "Sequence 5")
            text = screen_text(app)
            self.assertIn("not evaluated since", text)
            self.assertIn("jumped over by Sequence 1", text)

    async def test_searching_from_the_strands_opens_the_program(self) -> None:
        async with self.opened() as (app, pilot):
            await self.search(app, pilot, "wind alarm until")
            self.assertIsInstance(app.screen, ProgramPage)
            self.assertIn("Guards 9", screen_text(app))
            await self.keys(pilot, "backspace")
            await self.search(app, pilot, "nowhere at all")
            self.assertIn("occurs in no rung", screen_text(app))

    async def test_pages_draw_with_ascii(self) -> None:
        async with self.opened(ascii_=True) as (app, pilot):
            for key in "XFSP":
                await self.keys(pilot, key)
                with self.subTest(key):
                    self.assertTrue(screen_text(app).isascii())
                    self.assertNotIn("?????", screen_text(app))
                await self.keys(pilot, "q")

    async def test_no_page_tells_anything_by_colour_alone(self) -> None:
        texts: dict[str, dict[str, str]] = {}
        for palette in ("dark", "light", "mono"):
            app = bridge_app(session=self.session, palette=palette)
            async with app.run_test(size=(160, 47)) as pilot:
                await answered(pilot, app)
                for key in "XFSP":
                    await self.keys(pilot, key)
                    texts.setdefault(key, {})[palette] = screen_text(app)
                    await self.keys(pilot, "q")
        for key, shown in texts.items():
            with self.subTest(key):
                self.assertEqual(len(set(shown.values())), 1)
        self.assertIn("● ", texts["F"]["mono"])
        self.assertIn("○ ", texts["F"]["mono"])
        self.assertIn("! never read", texts["X"]["mono"])
        self.assertIn("✕", texts["P"]["mono"])

    async def test_a_key_without_meaning_says_so_on_a_page_too(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "X", "Q")
            self.assertIn("Q does nothing here", screen_text(app))

    async def test_help_of_a_page_comes_first(self) -> None:
        async with self.opened() as (app, pilot):
            await self.keys(pilot, "F", "question_mark")
            self.assertIn("The points of the I/O", screen_text(app))
            await self.keys(pilot, "escape")
            self.assertIsInstance(app.screen, ListPage)


if __name__ == "__main__":
    unittest.main()
