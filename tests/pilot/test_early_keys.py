"""Keys in bursts, as a slow line hands them over: none is lost, none acts on the wrong screen."""

from __future__ import annotations

import asyncio
import unittest

from textual import events
from textual.pilot import Pilot

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.early import Field

NAMES = {" ": "space", ".": "full_stop", "/": "slash", "_": "underscore", "<": "less_than_sign", ":": "colon", "?": "question_mark", "'": "apostrophe",
         "\r": "enter", "\x1b": "escape", "\x7f": "backspace"}


def burst(app: WhorlographApp, text: str) -> None:
    """Hand all keys to the application at once."""
    for char in text:
        app.post_message(events.Key(NAMES.get(char, char), char if char.isprintable() else None))


def typed(app: WhorlographApp) -> str:
    """What stands in the field that is open; nothing where none is."""
    return "".join(field.value for field in app.screen.query(Field))


class EarlyKeys(OnScreen):
    """On the shipped case."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    async def settled(self, pilot: Pilot[None]) -> None:
        for _ in range(6):
            await pilot.pause()
            await asyncio.sleep(0.02)

    async def test_a_search_typed_at_once(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            burst(app, "/East_Down_LS falls for < 50ms\rnn")
            await until(pilot, lambda: len(app.main.found.starts) == 28, "the hits")
            await self.settled(pilot)
            self.assertIs(app.screen, app.main)
            starts = app.main.found.starts
            first = next(i for i, t in enumerate(starts) if t >= 27_172_160_000_000)
            self.assertEqual(app.main.found.text, "East_Down_LS falls for < 50ms")
            self.assertEqual(app.main.view.time // 10**7, max(starts[(first + 2) % 28], app.main.session.journal.clock.start(app.main.view.scan)) // 10**7)
            self.assertIn("of 28", screen_text(app))

    async def test_a_page_and_its_keys_at_once(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            line = app.main.view.line
            burst(app, "Xjjj")
            await until(pilot, lambda: app.main.page is not None, "the page")
            await self.settled(pilot)
            self.assertEqual(app.main.view.line, line)
            assert app.main.view.page is not None
            row = app.main.view.page.row
            await pilot.press("backspace", "X", "j", "j", "j")
            await pilot.pause()
            assert app.main.view.page is not None
            self.assertEqual(row, app.main.view.page.row)

    async def test_the_palette_takes_what_follows_it_and_the_screen_what_follows_enter(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            burst(app, ":all tags\rjj")
            await until(pilot, lambda: app.main.page is not None, "the page")
            await self.settled(pilot)
            assert app.main.view.page is not None
            self.assertEqual(app.main.view.page.name, "tags")
            self.assertGreater(app.main.view.page.row, 1)

    async def test_a_time_that_cannot_be_read_keeps_its_field(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            before = app.main.view
            burst(app, "tsoon\r")
            await self.settled(pilot)
            self.assertIsNot(app.screen, app.main)
            burst(app, "\x7f" * 4 + "13:00\r..")
            await until(pilot, lambda: app.screen is app.main, "the time")
            await self.settled(pilot)
            self.assertEqual(app.main.session.journal.clock.scan_at(app.main.view.time), app.main.view.scan)
            self.assertNotEqual(app.main.view.time, before.time)
            self.assertIn("13:00:00.02", screen_text(app))

    async def test_help_and_out_again_at_once(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            burst(app, "?q.")
            scan = app.main.view.scan
            await until(pilot, lambda: app.screen is app.main and app.main.view.scan == scan + 1, "one scan on")
            self.assertTrue(app.is_running)

    async def test_a_letter_that_comes_at_any_moment_in_which_a_field_opens_or_closes(self) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(160, 47)) as pilot:
            await answered(pilot, app)
            for turns in range(24):
                with self.subTest(turns=turns):
                    burst(app, "/")
                    for _ in range(turns):
                        await asyncio.sleep(0)
                    burst(app, "Eas")
                    await until(pilot, lambda: len(typed(app)) == 3, "three letters")
                    self.assertEqual(typed(app), "Eas")
                    app.main.said = ""
                    burst(app, "\x1b")
                    for _ in range(turns):
                        await asyncio.sleep(0)
                    burst(app, "°")
                    await until(pilot, lambda: app.screen is app.main and "°" in app.main.said, "the key below")


if __name__ == "__main__":
    unittest.main()
