"""The application: one session, one main view, the colours."""

from __future__ import annotations

import asyncio
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from textual import events
from textual.app import App
from textual.screen import Screen

from whorlograph.drawing.palette import PALETTES
from whorlograph.model.errors import ColumnsError, LogError, UsageError, WhorlographError

from .early import Overlaid, again, order_of
from .first import FirstScreen, Opening
from .leaving import leave_on_signals
from .mishap import ScreenError, collected
from .noise import bear_noise

if TYPE_CHECKING:
    from whorlograph.desk.session import Session
    from whorlograph.model.question import Question

    from .main import MainScreen


MOUSE_MODES = (1000, 1003, 1006, 1015)  # of xterm: clicks, moves, coordinates beyond 223 in two forms


class WhorlographApp(App[None], inherit_bindings=False):
    """Full screen over a session; nothing is computed here.

    Args: session: loaded already, or None with an ``opening`` that loads it once the first frame stands;
        jobs: the folder where the job is kept (None: nowhere), job: a file of its own for it; resume: stand where the kept job stood.
    """

    ENABLE_COMMAND_PALETTE: ClassVar[bool] = False
    TITLE = "Whorlograph"
    main: MainScreen

    def __init__(self, session: Session | None, question: Question | None, palette: str = "dark", ascii_: bool = False,
                 jobs: Path | None = None, resume: bool = True, opening: Opening | None = None, job: Path | None = None) -> None:
        super().__init__()
        self.jobs, self.resume, self.opening, self.job = jobs, resume, opening, job
        self.session, self.question = session, question
        self.failure: BaseException | None = None
        self.mouse_on = True
        self.columns: dict[str, str] | None = None  # of the log, where they were asked for
        self.doubt: ColumnsError | None = None
        plain = bool(os.environ.get("NO_COLOR")) or os.environ.get("TERM", "") in ("vt100", "vt220", "dumb")
        self.palette_name = "mono" if plain else palette
        self.ascii = ascii_

    def get_default_screen(self) -> Screen[None]:
        """The first frame, where files are still to be read."""
        return FirstScreen(self.opening) if self.session is None and self.opening is not None else Screen()

    async def on_event(self, event: events.Event) -> None:
        """Keys act in the order in which they were typed: one that comes before an earlier one that waits goes to the back.

        Ctrl+Q leaves whatever is open.
        """
        if isinstance(event, events.Key) and event.key == "ctrl+q":
            self.leave()
            return
        if isinstance(event, events.Key):
            if not order_of(self).due(event):
                again(self, event)
                return
            top = self.screen if self.screen_stack else None
            if isinstance(top, Overlaid) and top.keeps(event):  # here and now: on its way to the screen it would pass the field that opens meanwhile
                return
        await super().on_event(event)

    def on_mount(self) -> None:
        """Read while the first frame stands; or open the main view at once."""
        if self.session is not None:
            self._open()
        elif self.opening is not None:
            self.run_worker(self._read, thread=True, exit_on_error=False)
        self._ground()

    def _read(self) -> None:
        """Read the files in a thread; what they say of themselves comes out when the screen is left."""
        assert self.opening is not None
        try:
            from . import main  # noqa: F401 -- its imports are done beside the first frame, and beside a process ahead

            load = self.opening.load
            self.session, self.question = load() if self.columns is None or self.opening.again is None else self.opening.again(self.columns)
        except LogError as error:
            doubt = error if isinstance(error, ColumnsError) else self.doubt
            if self.opening.again is not None and doubt is not None:
                self.doubt = ColumnsError(error.place, error.what, error.remedy, doubt.names, doubt.rows, doubt.time)
                self.call_from_thread(self._ask_columns, self.doubt)
                return
            self.failure = error
            self.call_from_thread(self.exit)
            return
        except Exception as error:
            self.failure = error
            self.call_from_thread(self.exit)
            return
        self.call_from_thread(self._open)

    def _ask_columns(self, error: ColumnsError) -> None:
        """Ask which column of the log is which, then read again."""
        from .views.columns import ColumnsScreen

        def answered(columns: dict[str, str] | None) -> None:
            if columns is None:
                self.failure = error
                self.exit()
                return
            self.columns = columns
            self.run_worker(self._read, thread=True, exit_on_error=False)

        self.push_screen(ColumnsScreen(error), answered)

    def _open(self) -> None:
        from whorlograph.desk.job import open_desk

        from .main import MainScreen

        assert self.session is not None
        desk, taken_up = open_desk(self.session.paths, self.session.controller.source, self.jobs, self.job)
        if self.columns is not None:
            desk.say_columns(self.columns)
        self.main = MainScreen(self.session, self.question, desk, taken_up, self.resume)
        first = self.screen
        self.push_screen(self.main)
        if isinstance(first, FirstScreen):
            for event in first.waiting:
                again(self, event)
        self._ground()

    def save(self) -> None:
        """Save the job, where there is one."""
        if getattr(self, "main", None) is not None:
            self.main.desk.save()

    def leave(self) -> None:
        """Save what there is, and leave."""
        if getattr(self, "main", None) is not None:
            self.main.work.stop()
        self.save()
        self.exit()

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
        return self.palette_name

    def toggle_mouse(self) -> bool:
        """Switch the terminal's mouse reports; whether they are on now."""
        self.mouse_on = not self.mouse_on
        out = sys.__stderr__  # where the screen is written to
        if out is not None and out.isatty() and not self.is_headless:
            out.write("".join(f"\x1b[?{mode}{'h' if self.mouse_on else 'l'}" for mode in MOUSE_MODES))
            out.flush()
        return self.mouse_on

    def show_help(self) -> None:
        """Help from inside an overlay."""
        self.main.do("help")


def run(opening: Opening, palette: str = "dark", ascii_: bool = False, resume: bool = True, job: Path | None = None) -> None:
    """Run the application until it is left; the job is kept in the state folder, or in a file of its own.

    Raises: WhorlographError for a file that cannot be read, after the screen is the terminal's again.
    """
    import platformdirs

    if not (sys.stdin is not None and sys.stdin.isatty() and sys.stdout is not None and sys.stdout.isatty()):
        raise UsageError("", "the screen needs a terminal to read from and write to", "run it in a terminal, or ask with whorlograph why")
    app = WhorlographApp(None, None, palette, ascii_, Path(platformdirs.user_state_dir("whorlograph")) / "jobs", resume, opening, job)
    leave_on_signals(app.save)
    bear_noise()
    found = collected(app)
    # Not app.run(): it would wait for the threads of work that nobody wants any more; the process ends at once after this.
    asyncio.new_event_loop().run_until_complete(app.run_async())
    if app.failure is None and app.return_code:
        app.save()
        raise ScreenError(found.getvalue())
    if isinstance(app.failure, WhorlographError):
        raise app.failure
    if app.failure is not None:
        raise RuntimeError("while opening") from app.failure
