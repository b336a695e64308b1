"""The cycles of the log: looked for beside the screen, shown, put on paper."""

from __future__ import annotations

from collections.abc import Generator

from whorlograph.desk.asking import inquiry_beside
from whorlograph.desk.cycles import find_cycles
from whorlograph.desk.cycles_paper import write_cycles
from whorlograph.model.errors import UsageError

from ..board import Board
from ..state import PageState
from ..views.prompt import Prompt
from .controller import Controller
from .paging import Paging


class Cycling(Controller):
    """The key for cycles, and what their page asks for."""

    def __init__(self, board: Board, paging: Paging) -> None:
        super().__init__(board)
        self.paging = paging

    def do_cycles(self) -> None:
        """Cycle beside cycle."""
        self.paging.open_page(PageState("cycles"))
        if self.session.cycles is None:
            self._look("")

    def _look(self, start: str) -> None:
        session = self.session
        if not session.replayed or not session.journal.complete:
            session.cycles_wrong = "the log is still being replayed: Z again when it is done"
            return

        def job() -> Generator[object, None, bool]:
            yield "looking for cycles"
            try:
                session.cycles, session.cycles_wrong = find_cycles(session, start, inquiry_beside(session)), ""
            except UsageError as error:
                session.cycles, session.cycles_wrong = None, f"{error.what}; t says what a cycle begins with"
            yield "cycles"
            return True

        self.board.work.start("cycles", job, beside=True)

    def begin(self) -> None:
        """Ask what a cycle begins with."""
        def take(text: str | None) -> None:
            if text is not None:
                self.session.cycles, self.session.cycles_wrong = None, ""
                self._look(text.strip())
                if self.board.page is not None:
                    self.board.page.paint()

        found = self.session.cycles
        before = found.start if found is not None else ""
        asks = "a tag that comes on, or a condition: Step = 10; nothing: proposed"
        self.board.app.push_screen(CyclePrompt("what a cycle begins with", asks, before), take)

    def export(self) -> None:
        """Put the whorl on paper."""
        session, found = self.session, self.session.cycles
        if found is None:
            self.say("no cycles are found yet")
            return

        name = f"{session.paths.program.stem}-cycles.pdf"
        self.write_where("the whorl on paper", "a file name, .pdf or .svg", name, lambda path: write_cycles(session, found, path))


class CyclePrompt(Prompt):
    """An empty line is an answer too."""

    def reading(self, text: str) -> tuple[str, bool]:
        """Whatever is typed."""
        return text, True
