"""The application: one session, one main view, the colours."""

from __future__ import annotations

import os
from pathlib import Path
from typing import ClassVar

from textual.app import App

from whorlograph.desk.job import jobs_folder, open_desk
from whorlograph.desk.session import Session
from whorlograph.drawing.palette import PALETTES
from whorlograph.model.question import Question

from .main import MainScreen


class WhorlographApp(App[None], inherit_bindings=False):
    """Full screen over a session; nothing is computed here."""

    ENABLE_COMMAND_PALETTE: ClassVar[bool] = False
    TITLE = "Whorlograph"

    def __init__(self, session: Session, question: Question | None, palette: str = "dark", ascii_: bool = False,
                 jobs: Path | None = None, resume: bool = True) -> None:
        super().__init__()
        self.jobs, self.resume = jobs, resume
        self.session, self.question = session, question
        plain = bool(os.environ.get("NO_COLOR")) or os.environ.get("TERM", "") in ("vt100", "vt220", "dumb")
        self.palette_name = "mono" if plain else palette
        self.ascii = ascii_

    def on_mount(self) -> None:
        """Open the main view."""
        desk, taken_up = open_desk(self.session.paths, self.session.controller.source, self.jobs)
        self.main = MainScreen(self.session, self.question, desk, taken_up, self.resume)
        self.push_screen(self.main)
        self._ground()

    def _ground(self) -> None:
        palette = PALETTES[self.palette_name]
        if palette.ground:
            self.theme = "textual-dark" if palette.dark else "textual-light"
            self.screen.styles.background = palette.ground

    def next_palette(self) -> str:
        """Take the next set of colours."""
        names = list(PALETTES)
        self.palette_name = names[(names.index(self.palette_name) + 1) % len(names)]
        self._ground()
        self.screen.refresh(layout=True)
        self.main.say(f"colours: {self.palette_name}")
        return self.palette_name

    def toggle_mouse(self) -> bool:
        """Switch the terminal's mouse reports; whether they are on now."""
        driver = self._driver
        self._mouse_on = not getattr(self, "_mouse_on", True)
        if driver is not None:
            switch = getattr(driver, "_enable_mouse_support" if self._mouse_on else "_disable_mouse_support", None)
            if switch is not None:
                switch()
        return self._mouse_on

    def show_help(self) -> None:
        """Help from inside an overlay."""
        self.main.do_help()


def run(session: Session, question: Question | None, palette: str = "dark", ascii_: bool = False, resume: bool = True) -> None:
    """Run the application until it is left; the job is kept in the state folder."""
    WhorlographApp(session, question, palette, ascii_, jobs_folder(), resume).run()
