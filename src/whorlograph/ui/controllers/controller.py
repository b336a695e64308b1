"""What all controllers are: the keys of one kind, as an object over the board's one view."""

from __future__ import annotations

from collections.abc import Callable, Generator
from pathlib import Path

from whorlograph.desk.job import Desk
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session

from ..board import Board
from ..state import View
from ..views.prompt import Prompt, own_path
from ..work import Job


class Controller:
    """Carries out actions: a method ``do_NAME`` for each action NAME of the table of keys."""

    def __init__(self, board: Board) -> None:
        self.board = board

    @property
    def view(self) -> View:
        """What the screen shows; putting another one shows that."""
        return self.board.view

    @view.setter
    def view(self, view: View) -> None:
        self.board.view = view

    @property
    def scene(self) -> Scene | None:
        """The answer on the screen; None while there is none."""
        return self.board.scene

    @property
    def session(self) -> Session:
        """What everything rests on."""
        return self.board.session

    @property
    def desk(self) -> Desk:
        """The job."""
        return self.board.desk

    def say(self, text: str) -> None:
        """A message in the line above the footer."""
        self.board.say(text)

    def start(self, what: str, job: Job) -> None:
        """Begin work beside the screen; where other work still runs, say so."""
        if not self.board.work.start(what, job):
            self.say("something else is still running: Ctrl+C stops it")

    def write_where(self, title: str, asks: str, name: str, write: Callable[[Path], str | None]) -> None:
        """Ask for a file, and write it beside the screen; one that is there already only when that is confirmed.

        Args: title, asks: what the line says; name: the file's name to begin with; write: writes it, and says what is told of it, None: its path.
        """
        def take(text: str | None) -> None:
            if not text:
                return
            path = own_path(text)

            def job() -> Generator[str, None, str]:
                yield f"writing {path}"
                return write(path) or str(path)

            if path.exists():
                sure = Prompt(f"{path.name} is there already: Enter replaces it, Esc leaves it", "", "replace")
                self.board.app.push_screen(sure, lambda answer: self.start("export", job) if answer is not None else None)
            else:
                self.start("export", job)

        self.board.app.push_screen(Prompt(title, asks, name), take)

    def results(self) -> dict[str, Callable[[object], None]]:
        """What takes the results of work, by the work's name: a method ``take_NAME`` each; None stands for work that was stopped."""
        return {name[5:]: getattr(self, name) for name in dir(type(self)) if name.startswith("take_")}

    def actions(self) -> dict[str, Callable[[], None]]:
        """Its actions by name."""
        return {name[3:]: getattr(self, name) for name in dir(type(self)) if name.startswith("do_")}
