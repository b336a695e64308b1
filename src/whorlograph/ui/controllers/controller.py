"""What all controllers are: the keys of one kind, as an object over the board's one view."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.desk.job import Desk
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session

from ..board import Board
from ..state import View


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

    def results(self) -> dict[str, Callable[[object], None]]:
        """What takes the results of work, by the work's name: a method ``take_NAME`` each; None stands for work that was stopped."""
        return {name[5:]: getattr(self, name) for name in dir(type(self)) if name.startswith("take_")}

    def actions(self) -> dict[str, Callable[[], None]]:
        """Its actions by name."""
        return {name[3:]: getattr(self, name) for name in dir(type(self)) if name.startswith("do_")}
