"""The bench: begun from the moment at hand, asked, saved."""

from __future__ import annotations

from collections.abc import Generator

from whorlograph.desk.asking import answer_to
from whorlograph.desk.bench import Bench
from whorlograph.desk.words import answer_text
from whorlograph.drawing.shapes import Ink
from whorlograph.model.question import Question

from ..board import Board
from ..state import PageState
from ..views.overlay import ListOverlay
from ..views.prompt import Prompt, own_path
from .controller import Controller
from .paging import Paging


class Benching(Controller):
    """The key that goes on by hand, and what the bench asks for."""

    def __init__(self, board: Board, paging: Paging) -> None:
        super().__init__(board)
        self.paging = paging
        self._sure: Bench | None = None  # the bench that was asked about before it is given up

    def do_bench(self) -> None:
        """Go on by hand: the bench as it was left, else from this moment."""
        if self.view.page is not None and self.view.page.name == "bench":
            self._anew()
            return
        if not self.session.journal.complete:
            self.say("the log is still being replayed: the bench goes on from all of it")
            return
        if self.board.bench is None or self.board.bench.session is not self.session:
            self.begin()
        if self.board.bench is not None:
            self.paging.open_page(PageState("bench"))

    def _anew(self) -> None:
        """A fresh bench in place of this one, where nothing was done or that is confirmed."""
        bench = self.board.bench
        if self.board.operator.done and self._sure is not bench:
            self._sure = bench
            self.say("b again begins a fresh bench, and what was done here is gone; e saves it as a log first")
            return
        self.begin()
        if self.board.page is not None and self.board.bench is not None:
            self.board.page.paint()
            self.say("a fresh bench")

    def begin(self) -> None:
        """A fresh bench: from this moment of the replay, or from nothing with the machine of the case."""
        board = self.board
        if board.bench is not None:
            board.bench.close()
        board.operator.runs = False
        board.operator.forces.clear()
        board.operator.done.clear()
        logged = len(self.session.log.times) > 0
        try:
            board.bench = Bench(self.session, self.view.time if logged else None, self.session.plant if not logged else None)
        except (ImportError, OSError) as error:
            board.bench = None
            self.say(f"the bench needs the compiled engine, which does not run here: {error}")

    def why(self, tag: int) -> None:
        """An answer on the bench, over it."""
        bench = self.board.bench
        if bench is None or self.session.running.tags[tag].type.name != "BOOL":
            self.say("only BOOL tags can be asked for here")
            return
        whole = bench.whole()
        answer = answer_to(whole, Question(tag, bench.now))
        lines = [[(f"  {line}", Ink.TEXT)] for line in answer_text(whole, answer).split("\n")]
        self.board.app.push_screen(ListOverlay(f"why {self.session.running.tags[tag].name}, on the bench", lines))

    def save(self) -> None:
        """Ask for a file, and write what was done as a log."""
        bench = self.board.bench
        if bench is None:
            return

        def take(text: str | None) -> None:
            if text:
                path = own_path(text)

                def job() -> Generator[str, None, str]:
                    yield f"writing {path}"
                    bench.save(path)
                    return str(path)

                if not self.board.work.start("export", job):
                    self.say("something else is still running: Ctrl+C stops it")

        name = f"{self.session.paths.program.stem}-bench.csv"
        self.board.app.push_screen(Prompt("save what was done as a log: any other command takes it", "a file name, .csv", name), take)

