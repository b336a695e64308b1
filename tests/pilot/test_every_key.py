"""Every key in every view does something that is seen, or says that it does nothing; some of them in each run, all with
``WHORLOGRAPH_EVERY_KEY=1``."""

from __future__ import annotations

import datetime
import os
import unittest
from random import Random

from tests.pilot import OnScreen
from tests.pilot.walking import answered, bridge_app, screen_text, until
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.session import Session
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.keys import ACTIONS
from whorlograph.ui.state import PageState

ONLY = tuple(filter(None, os.environ.get("WHORLOGRAPH_VIEWS", "").split()))  # views, by default all
ALL = bool(os.environ.get("WHORLOGRAPH_EVERY_KEY"))
SOME = 3  # keys of a view in a usual run
LEAVING = ("q", "ctrl+q", "M", "e", "ctrl+c")  # these end it, write files, or change the terminal


class EveryKey(OnScreen):
    """The bridge."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    def views(self) -> list[PageState | str]:
        """All that can be looked at."""
        pump = self.session.tag("Raise_Pump")
        listed = ("tags", "points", "survey", "odd", "disagreements", "findings", "walk", "marks")
        return ["trail", "rungs", "timeline", *(PageState(n) for n in listed), PageState("program", step=3), PageState("explain", word="latch"),
                PageState("bench"), *(PageState(n, tag=pump) for n in ("tag", "ways", "asking", "standing", "right")), PageState("compared", word="0")]

    async def stand(self, app: WhorlographApp, pilot: object, view: PageState | str) -> None:
        """Go to a view from wherever it is."""
        main = app.main
        for _ in range(12):
            if app.screen is main:
                break
            await pilot.press("escape")  # type: ignore[attr-defined]
            await pilot.pause()  # type: ignore[attr-defined]
        await until(pilot, lambda: not main.work.told, "rest")  # type: ignore[arg-type]
        if isinstance(view, str):
            for _ in range(3):
                if main.view.strand != view:
                    await pilot.press("tab")  # type: ignore[attr-defined]
        else:
            if view.name == "bench" and main.bench is None:
                main.benching.begin()
            main.open_page(view)
        await pilot.pause()  # type: ignore[attr-defined]

    async def test_it_is_seen_or_said(self) -> None:
        random = Random(datetime.date.today().toordinal())
        keys = [k for a in ACTIONS for k in a.keys if k not in LEAVING]
        pressed = 0
        for view in self.views():
            name = view if isinstance(view, str) else view.name
            if ONLY and name not in ONLY:
                continue
            app = bridge_app(session=self.session)
            async with app.run_test(size=(120, 36)) as pilot:
                await answered(pilot, app)
                await until(pilot, lambda app=app: not app.main.work.running, "rest")  # type: ignore[misc]
                for key in keys if ALL else random.sample(keys, SOME):
                    await self.stand(app, pilot, view)
                    app.main.pending = None
                    app.main.said = ""
                    before, top = screen_text(app), app.screen
                    element = app.main.view.element, getattr(top, "state", None)
                    await pilot.press(key)
                    await pilot.pause()
                    pressed += 1
                    with self.subTest(view=name, key=key):
                        said = bool(app.main.said) or bool(getattr(app.screen, "said", ""))
                        # The cursor on rungs is a ground, no letters.
                        moved = (app.main.view.element, getattr(top, "state", None)) != element
                        seen = app.screen is not top or screen_text(app) != before or said or moved
                        self.assertTrue(seen, f"{key} does nothing on {name}")
        self.assertGreater(pressed, 45)


if __name__ == "__main__":
    unittest.main()
