"""Keys in bursts that open one thing over another: whatever is on the screen then, Esc and q lead out, and so does Ctrl+Q alone."""

from __future__ import annotations

import asyncio
import os
import time
import unittest
from random import Random

from textual import events
from textual.pilot import Pilot

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.keys import ACTIONS

SEED = int(os.environ.get("WHORLOGRAPH_SEED", time.strftime("%Y%m%d")))
TURNS = int(os.environ.get("WHORLOGRAPH_TURNS", "7"))
OPENERS = ("c", "slash", "colon", "t", "e", "question_mark", "X", "P", "S", "x", "f1", "J", "exclamation_mark")
CONTROL = ("f1", "enter", "escape", "ctrl+c", "ctrl+p", "up", "tab", "backspace", "down")
LETTERS = tuple("xqw1Yn")


def give(app: WhorlographApp, keys: list[str]) -> None:
    """Hand keys to the application within one read."""
    for key in keys:
        app.post_message(events.Key(key, key if len(key) == 1 else None))


class Bursts(OnScreen):
    """On the shipped case, at random, and the one that once locked the screen."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    async def settled(self, pilot: Pilot[None]) -> None:
        for _ in range(5):
            await pilot.pause()
            await asyncio.sleep(0.015)

    async def leads_out(self, keys: list[str], last: list[str]) -> None:
        app = bridge_app(session=self.session)
        async with app.run_test(size=(100, 30)) as pilot:
            await answered(pilot, app)
            give(app, keys)
            await self.settled(pilot)
            for key in last:
                if app._exit:
                    break
                give(app, [key])
                await self.settled(pilot)
            for _ in range(100):  # keys that wait for a screen to close are patient for two seconds
                if app._exit:
                    break
                await asyncio.sleep(0.03)
                await pilot.pause()
            self.assertTrue(app._exit, f"{keys} and then {last}: still on {app.screen!r}; seed {SEED}")

    async def test_help_and_enter_in_a_field_within_one_read(self) -> None:
        for opener in ("c", "t", "slash", "colon", "e"):
            with self.subTest(opener=opener):
                await self.leads_out([opener, "x", "f1", "enter"], ["escape"] * 4 + ["q"] * 3)

        await self.leads_out(["c", "x", "f1", "enter"], ["ctrl+q"])
        await self.leads_out(["colon", "f1", "escape", "enter", "f1", "q"], ["escape"] * 4 + ["q"] * 3)

    async def test_bursts_at_random_leave_a_way_out(self) -> None:
        random = Random(SEED)
        names = [k for a in ACTIONS for k in a.keys if a.name not in ("quit", "close", "export")]
        for turn in range(TURNS):
            keys = []
            for _ in range(random.randint(1, 4)):
                keys += [random.choice(OPENERS), *random.choices([*LETTERS, *CONTROL, *names], k=random.randint(0, 6))]
            with self.subTest(turn=turn, keys=keys):
                await self.leads_out(keys, ["escape"] * 6 + ["q"] * 4 if turn % 2 else ["ctrl+q"])


if __name__ == "__main__":
    unittest.main()
