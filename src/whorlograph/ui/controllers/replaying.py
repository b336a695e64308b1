"""What the work beside the screen brings: the replay's stages, proofs, what was compared, what was written."""

from __future__ import annotations

import time
from collections.abc import Generator

from whorlograph.desk.asking import answer_to
from whorlograph.desk.command_line import why_command
from whorlograph.desk.finding import find
from whorlograph.desk.job_data import VERSION, Kept, count
from whorlograph.desk.scene import Scene
from whorlograph.desk.stages import Stage, stages
from whorlograph.model.errors import WhorlographError

from ..board import Board
from ..work import Worked, Working
from .asking import Asking
from .controller import Controller
from .keeping import Keeping
from .revising import Revising

QUIET = ("proofs", "odd", "drops", "findings", "cycles")


class Replaying(Controller):
    """Begins the replay, and takes what it and all other work comes to.

    Args: taken_up: the desk holds a job of an earlier run; resume: stand where it stood, not only with its marks.
    """

    def __init__(self, board: Board, asking: Asking, keeping: Keeping, revising: Revising, taken_up: bool, resume: bool) -> None:
        super().__init__(board)
        self.asking, self.keeping, self.revising = asking, keeping, revising
        self.taken_up, self.resume = taken_up, resume

    def begin(self) -> None:
        """Replay beside the screen, unless that has been done."""
        question = self.board.first_question
        if self.session.replayed and question is not None:
            self._last_stage(Stage("", self.session, answer_to(self.session, question)))
            return
        self.board.work.start("replay", self._replay, ends_itself=True)
        self.board.settle_soon()

    def _replay(self) -> Generator[Stage, None, Stage]:
        return stages(self.session, self.board.first_question, self.board.work.asked_to_stop)

    def working(self, message: Working) -> None:
        """Show how far some work is, and what it has come to so far."""
        told = message.told
        if message.what in QUIET:
            self.board.renew()
            return
        if isinstance(told, Stage) and told.session is not None:
            self._take_stage(told)
        self.board.progress = told.text if isinstance(told, Stage) else str(told)

    def worked(self, message: Worked) -> None:
        """Take the result of some work."""
        self.board.progress = ""
        self.board.work.go_on()
        if message.error is not None:
            wrong = message.error
            self.say(wrong.line() if isinstance(wrong, WhorlographError) else f"{message.what} failed: {wrong!r}")
        elif message.what in QUIET:
            self.board.renew()
        else:
            self.board.results[message.what](message.result)

    def take_replay(self, result: object) -> None:
        """The replay is over."""
        if isinstance(result, Stage):
            self._last_stage(result)
        else:
            self.say("stopped; nothing is replayed")
            self.board.settle_soon()

    def _take_stage(self, stage: Stage) -> None:
        """Show what there is by now: anew where nobody has touched anything, else under the same view."""
        assert stage.session is not None
        board, before = self.board, self.scene
        board.session = stage.session
        if board.first_question is None or stage.answer is None:
            board.renew()
            return
        if before is None or not board.acted:
            board.open_answer(board.first_question, stage.answer)
            return
        same = self.view.question == board.first_question and before.answer.text == stage.answer.text
        board.outdated = not same
        fresh = Scene(stage.session, stage.answer if same else before.answer)
        fresh.timeline.with_trial(before.timeline.trial, before.timeline.trial_until)
        board.scene = fresh
        board.renew()

    def _last_stage(self, stage: Stage) -> None:
        board = self.board
        self._take_stage(stage)
        if board.found.text and self.session.replayed:
            board.found = find(self.session, board.found.text)
        if board.first_question is None or stage.answer is None:
            self.say("ask why of a tag: : finds one")
            return
        self.desk.step("asked", stage.answer.text, why_command(self.session, stage.answer, board.first_question.at, False))
        if not self.session.journal.complete:
            self.say(f"stopped: {stage.text}")
        elif board.outdated:
            self.say("the whole log is replayed; w asks the question again")
        elif not len(self.session.log.times) and not self.session.paths.logs:
            self.say("no log: every input is taken as declared; V gives what the lamps of the cards show now")
        if self.taken_up and not board.acted:
            self.keeping.restored(time.time() - self.desk.job.saved, self.resume)
        self._say_of_others()
        board.keep()
        if self.session.begin_odd and not board.acted and not self.taken_up and self.session.journal.complete:
            self.session.begin_odd = False
            self.asking.do_odd()
        elif self.session.begin_bench:
            self.session.begin_bench = False
            self.board.do("bench")
        elif self.session.begin_against is not None:
            against, self.session.begin_against = self.session.begin_against, None
            self.revising.compare_with(against)
        else:
            self.asking.prove_beside()

    def _say_of_others(self) -> None:
        """One line on a kept job that was not taken up: where it is, and what of it can be had."""
        other = self.desk.other
        if self.desk.said:
            self.say(self.desk.said)
        if other is not None and other.kept != Kept():
            kept = f"{count(len(other.kept.marks), 'mark')}, {count(len(other.kept.notes), 'note')}"
            state = "was saved by a newer version" if other.version > VERSION else "is on another state of this program"
            self.say(f"a job with {kept} {state} and stays as it is; K takes them over")
