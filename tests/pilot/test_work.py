"""Jobs beside the screen: which gives way to which, and that none that somebody waits for is lost."""

from __future__ import annotations

import unittest
from collections.abc import Generator
from threading import Event

from textual.app import App
from textual.screen import Screen

from tests.pilot import OnScreen
from tests.pilot.walking import until
from whorlograph.ui.work import Work, Worked


class Bench(Screen[None]):
    """A screen that begins what waits as soon as a job has ended, as the main view does."""

    def __init__(self) -> None:
        super().__init__()
        self.work = Work(self)
        self.done: list[tuple[str, object]] = []

    def on_worked(self, message: Worked) -> None:
        """Note it; begin what waits."""
        self.done.append((message.what, message.result))
        self.work.go_on()


class Jobs(OnScreen):
    """Jobs that wait for their release, and yield once before."""

    def setUp(self) -> None:
        self.release = Event()

    def quiet(self) -> Generator[object, None, object]:
        """A job that goes on until it is released."""
        self.release.wait(20)
        yield "on the way"
        return "quiet"

    @staticmethod
    def asked() -> Generator[object, None, object]:
        """A job that somebody waits for."""
        yield "on the way"
        return "asked"

    async def test_a_job_that_somebody_waits_for_is_never_pushed_out(self) -> None:
        app: App[None] = App()
        async with app.run_test() as pilot:
            screen = Bench()
            await app.push_screen(screen)
            work = screen.work
            for second in (True, False):  # what is asked for while another waits: quiet, or waited for too
                with self.subTest(beside=second):
                    self.release.clear()
                    screen.done.clear()
                    self.assertTrue(work.start("proofs", self.quiet, beside=True))
                    self.assertEqual(work.told, "")
                    self.assertTrue(work.start("export", self.asked))
                    self.assertFalse(work.start("odd" if second else "standing", self.asked, beside=second))
                    self.release.set()
                    await until(pilot, lambda: len(screen.done) == 2 and not work.running, "both")
                    self.assertEqual(screen.done, [("proofs", None), ("export", "asked")])

    async def test_the_quiet_one_asked_last_takes_the_place_of_one_that_waits(self) -> None:
        app: App[None] = App()
        async with app.run_test() as pilot:
            screen = Bench()
            await app.push_screen(screen)
            for name in ("proofs", "odd", "drops"):
                self.assertTrue(screen.work.start(name, self.quiet, beside=True))
            self.release.set()
            await until(pilot, lambda: len(screen.done) == 2 and not screen.work.running, "both")
            self.assertEqual(screen.done, [("proofs", None), ("drops", "quiet")])


if __name__ == "__main__":
    unittest.main()
