"""Changing the program where the cursor stands, and what that makes of the log."""

from __future__ import annotations

from collections.abc import Generator

from whorlograph.desk.changing import Changing, judged
from whorlograph.desk.revisions import Compared, other_tag
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.edit.choice import Choice
from whorlograph.model.program import Program

from ..board import Board
from ..state import PageState
from ..views.overlay import ListOverlay
from ..views.prompt import Prompt
from .controller import Controller
from .paging import Paging


class Changes(Controller):
    """The key that changes a rung; the file itself is not touched."""

    def __init__(self, board: Board, paging: Paging) -> None:
        super().__init__(board)
        self.paging = paging

    def do_change(self) -> None:
        """Choose what to change at the element under the cursor."""
        board = self.board
        place = board.page.place() if board.page is not None else self.view.element if self.view.strand == "rungs" else None
        if place is None or place[0] < 0:
            self.say("Y changes what is under the cursor on rungs: Tab goes to them, P shows all")
            return
        if not self.session.journal.complete:
            self.say("the log is still being replayed: changes are judged by the whole of it")
            return
        if board.changing is None or board.changing.original is not self.session:
            board.changing = Changing(self.session)
        changing, step = board.changing, self.session.controller.steps.all[place[0]]
        tag = board.chosen_tag()
        name = self.session.running.tags[tag].name if tag is not None and tag < self.session.running.public else ""
        choices = changing.choices(step, place[1], name.removeprefix(f"{step.instance.name}."))
        if not choices:
            self.say("nothing can be changed here")
            return
        lines: list[list[Run]] = [[(f" {c.label}", Ink.TEXT), (f"  {c.before}"[:60] if c.before else "", Ink.QUIET)] for c in choices]
        made = f"{len(changing.steps)} made by now" if changing.steps else "the file stays as it is"
        what = f" · {self.scene.name(tag)}" if self.scene is not None and tag is not None else ""
        title, hint = f"change {step.pou} {step.rung.number}{what} · {made}", "Enter changes · Esc closes"
        board.app.push_screen(ListOverlay(title, lines, list(choices), "words of what to change", hint), self._chosen)

    def _chosen(self, value: object) -> None:
        if not isinstance(value, Choice):
            return
        if not value.asks:
            self._make(value, "")
            return
        board = self.board
        board.app.push_screen(Prompt(value.label, value.asks, value.before), lambda text: self._make(value, text) if text is not None else None)

    def _make(self, choice: Choice[Program], text: str) -> None:
        assert self.board.changing is not None
        try:
            self.board.changing.apply(choice, text)
        except ValueError as error:
            self.say(f"not changed: {error}")
            return
        self.desk.step("changed", self.board.changing.steps[-1].what)
        self._judge()

    def _judge(self) -> None:
        """Replay the changed program on the same log, and compare."""
        changing, answer = self.board.changing, self.scene.answer if self.scene is not None else None
        assert changing is not None

        def job() -> Generator[str, None, Compared]:
            yield "replaying the log through the changed program"
            found = changing.compared()
            yield "comparing"
            steps = "; then ".join(s.what for s in changing.steps)
            found.said = (f"changed: {steps}", *judged(found, answer))
            return found

        if not self.board.work.start("changed", job):
            self.say("something else is still running: Ctrl+C stops it")

    def take_changed(self, result: object) -> None:
        """Show what the change has done."""
        if not isinstance(result, Compared):
            self.say("stopped; the change is made, and not judged")
            return
        board = self.board
        board.compared = result
        if self.scene is not None and result.new.paths.logs:
            self.scene.timeline.with_second(result.new.journal, "with the change", tag_of=other_tag(result, result.old))
            board.renew()
        board.keep()
        if self.view.page is None or self.view.page.name != "revisions":
            self.paging.open_page(PageState("revisions"))

    def undo(self, back: bool) -> None:
        """Take the last change back, or make it again."""
        shown = self.board.compared
        changing = self.board.changing if shown is not None and shown.is_change else None
        what = (changing.undo() if back else changing.redo()) if changing is not None else ""
        if changing is None or not what:
            self.say("there is no change to take back" if back else "there is no change to make again")
        elif changing.steps:
            self.say(f"{'taken back' if back else 'made again'}: {what}")
            self._judge()
        else:
            self.board.compared = None
            if self.scene is not None:
                self.scene.timeline.with_trial(None)
            self.board.do("back")
            self.board.renew()
            self.say(f"taken back: {what}; the program is as it was loaded")
