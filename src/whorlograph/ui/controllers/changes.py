"""Changing the program where the cursor stands, and what that makes of the log; versions of it kept in the job."""

from __future__ import annotations

from collections.abc import Generator

from msgspec import Struct

from whorlograph.desk.changing import Changing, called, judged
from whorlograph.desk.job import Version
from whorlograph.desk.revisions import Compared, other_tag
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.edit.choice import Choice
from whorlograph.model.literals import counted
from whorlograph.model.program import Program

from ..board import Board
from ..state import PageState
from ..views.overlay import ListOverlay
from ..views.prompt import ChoicePrompt, Prompt
from .controller import Controller
from .paging import Paging

Place = tuple[int, int, str]  # step, element, the tag's name there


class Turn(Struct, frozen=True):
    """What can be done with versions: ``keep`` these changes under a name, ``go`` to one, lay one ``beside``, begin ``anew``."""

    what: str
    version: Version = Version("")


class Changes(Controller):
    """The key that changes a rung; the file itself is not touched."""

    def __init__(self, board: Board, paging: Paging) -> None:
        super().__init__(board)
        self.paging = paging
        self._at: Place = (0, 0, "")

    def do_change(self) -> None:
        """Choose what to change at the element under the cursor."""
        board = self.board
        place = board.page.place() if board.page is not None else self.view.element if self.view.strand == "rungs" else None
        on_change = self.view.page is not None and self.view.page.name == "revisions"
        if (place is None or place[0] < 0) and not on_change:
            self.say("Y changes what is under the cursor on rungs: Tab goes to them, P shows all")
            return
        if not self.session.journal.complete:
            self.say("the log is still being replayed: changes are judged by the whole of it")
            return
        if board.changing is None or board.changing.original is not self.session:
            board.changing = Changing(self.session)
        changing = board.changing
        tag = board.chosen_tag()
        choices: list[Choice[Program]] = []
        title = "versions"
        if place is not None and place[0] >= 0:
            step = self.session.controller.steps.all[place[0]]
            name = self.session.running.tags[tag].name if tag is not None and tag < self.session.running.public else ""
            self._at = place[0], place[1], name.removeprefix(f"{step.instance.name}.")
            choices = changing.choices(step, place[1], self._at[2])
            title = f"change {step.pou} {step.rung.number}{f' · {self.scene.name(tag)}' if self.scene is not None and tag is not None else ''}"
        turns = self._turns(changing)
        if not choices and not turns:
            self.say("nothing can be changed here")
            return
        lines: list[list[Run]] = [[(f" {c.label}", Ink.TEXT), (f"  {c.before}"[:60] if c.before else "", Ink.QUIET)] for c in choices]
        lines += [[(f" {words}", Ink.MOMENT)] for words, _ in turns]
        made = f"{len(changing.steps)} made by now" if changing.steps else "the file stays as it is"
        board.app.push_screen(ListOverlay(f"{title} · {made}", lines, [*choices, *(turn for _, turn in turns)], "words of what to change",
                                          "Enter changes · Esc closes"), self._chosen)

    def _turns(self, changing: Changing) -> list[tuple[str, Turn]]:
        """What can be done with versions now, in words."""
        found: list[tuple[str, Turn]] = []
        if changing.steps:
            found.append((f"keep {counted(len(changing.steps), 'change')} under a name", Turn("keep")))
        for one in self.desk.job.versions:
            if one == changing.version:
                continue
            words = f"{called(one.name)} ({counted(len(one.edits), 'change')})"
            if one.name != changing.name or not changing.steps:
                found.append((f"go to {words}" if one.name else f"go on with {words}", Turn("go", one)))
            if changing.steps and one.name != changing.name:
                found.append((f"lay {words} beside {called(changing.name)}", Turn("beside", one)))
        if changing.steps:
            found.append(("begin anew from the program as it was loaded", Turn("anew")))
        return found

    def _chosen(self, value: object) -> None:
        if isinstance(value, Turn):
            self._turned(value)
            return
        if not isinstance(value, Choice):
            return
        if not value.asks:
            self._make(value, "")
            return
        self.board.app.push_screen(ChoicePrompt(value), lambda text: self._make(value, text) if text is not None else None)

    def _turned(self, turn: Turn) -> None:
        changing = self.board.changing
        assert changing is not None
        if turn.what == "keep":
            self.board.app.push_screen(Prompt("keep these changes in the job", "a name for this version", changing.name), self._name)
        elif turn.what == "beside":
            self._compare_with(turn.version)
        elif turn.what == "anew":
            self.board.changing = Changing(self.session)
            self._as_loaded("begun anew: the program is as it was loaded")
        else:
            fresh = Changing(self.session)
            wrong = fresh.again(turn.version)
            self.board.changing = fresh
            if fresh.steps:
                self._judge()
            self.say(wrong or f"{called(fresh.name)}: {counted(len(fresh.steps), 'change')}")

    def _name(self, text: str | None) -> None:
        changing = self.board.changing
        if not text or changing is None:
            return
        if not changing.name:
            self.desk.keep_version(Version(""))  # it has a name now
        changing.name = text.strip()[:60]
        self.desk.keep_version(changing.version)
        self.board.keep()
        self.say(f"{called(changing.name)} is kept in the job; what is changed from here on belongs to it")

    def _make(self, choice: Choice[Program], text: str) -> None:
        changing = self.board.changing
        assert changing is not None
        try:
            changing.apply(choice, text, self._at)
        except ValueError as error:
            self.say(f"not changed: {error}")
            return
        self.desk.step("changed", changing.steps[-1].what)
        if not changing.name and len(changing.steps) == 1:
            self.desk.set_aside_version()
        self._judge()

    def _judge(self) -> None:
        """Replay the changed program on the same log, and compare."""
        changing, answer = self.board.changing, self.scene.answer if self.scene is not None else None
        assert changing is not None
        self.desk.keep_version(changing.version)

        def job() -> Generator[str, None, Compared]:
            yield "replaying the log through the changed program"
            found = changing.compared()
            yield "comparing"
            steps = "; then ".join(s.what for s in changing.steps)
            found.said = (f"{called(changing.name)}: {steps}" if changing.name else f"changed: {steps}", *judged(found, answer))
            return found

        self.start("changed", job)

    def _compare_with(self, version: Version) -> None:
        """Lay a kept version beside this one."""
        changing = self.board.changing
        assert changing is not None

        def job() -> Generator[str, None, Compared]:
            yield "replaying the log through both versions"
            return changing.beside(version)

        self.start("changed", job)

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
        elif board.page is not None:
            board.page.paint()

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
            self.desk.keep_version(changing.version)
            self._as_loaded(f"taken back: {what}; the program is as it was loaded")

    def _as_loaded(self, said: str) -> None:
        """Nothing is changed any more: back from the page that showed it."""
        self.board.compared = None
        if self.scene is not None:
            self.scene.timeline.with_trial(None)
        if self.view.page is not None and self.view.page.name == "revisions":
            self.board.do("back")
        self.board.renew()
        self.say(said)
