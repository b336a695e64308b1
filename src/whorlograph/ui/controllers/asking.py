"""Questions, answers, proofs, and the way back."""

from __future__ import annotations

from collections.abc import Generator
from textwrap import wrap

from whorlograph.desk.asking import answer_to, inquiry_beside, prove_all, prove_root
from whorlograph.desk.command_line import why_command
from whorlograph.desk.summary import fault_text
from whorlograph.desk.tables import xref_of
from whorlograph.desk.unusual import ON_SCREEN, add_usual, find_drops, find_odd
from whorlograph.desk.words import verdict_word
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.inquiry.trail import Answer
from whorlograph.inquiry.trials.verdict import Proof
from whorlograph.model.question import Question
from whorlograph.model.types import Family

from ..board import Board
from ..state import PageState
from ..views.overlay import ListOverlay
from .controller import Controller
from .paging import Paging


class Asking(Controller):
    """The keys that ask."""

    def __init__(self, board: Board, paging: Paging) -> None:
        super().__init__(board)
        self.paging = paging

    def ask(self, tag: int, at: int | None) -> None:
        """Ask why a tag is as it is."""
        self.ask_question(Question(tag, at))

    def ask_question(self, question: Question) -> None:
        """Ask a question, and show its answer."""
        if self.scene is None:
            return
        fresh = question not in self.session.answers
        answer = answer_to(self.session, question)
        if fresh:
            self.desk.step("asked", answer.text, why_command(self.session, answer, question.at, False))
        self.board.remember(self.view)
        self.paging.show_page(None)
        self.board.outdated = False
        self.board.open_answer(question, answer)
        self.say(answer.text)
        self.prove_beside()

    def prove_beside(self) -> None:
        """Make the proofs of the answer quietly, and find out whether it is as always: nobody waits for them."""
        scene, session = self.scene, self.session
        if scene is None or not session.replayed or not session.journal.complete or (scene.answer.proofs and scene.answer.usual is not None):
            return
        answer, stop = scene.answer, self.board.work.asked_to_stop

        def job() -> Generator[str, None, Answer]:
            yield ""
            other = inquiry_beside(session)
            if not answer.proofs:
                prove_all(session, answer, stop, other)
            yield ""
            add_usual(session, answer, stop, other)
            yield ""
            xref_of(session).entries()  # of a large program the list of all tags takes a while: it is there when it is asked for
            return answer

        self.board.work.start("proofs", job, beside=True)

    def do_odd(self) -> None:
        """What was unusual in this log."""
        self.paging.open_page(PageState("odd"))
        self.find_odd()

    def find_odd(self) -> None:
        """Compare the drop-outs of the log, beside the screen."""
        session, stop = self.session, self.board.work.asked_to_stop
        if session.odd_known or not session.replayed or not session.journal.complete:
            return

        def job() -> Generator[object, None, bool]:
            for found in find_odd(session, stop, inquiry_beside(session), ON_SCREEN):
                if session.odd is None or found.looked >= session.odd.looked:  # begun anew it shows what was known until it is as far
                    session.odd = found
                yield f"comparing drop-outs: {found.looked}"
            session.odd_known = not stop()
            return session.odd_known

        self.board.work.start("odd", job, beside=True)

    def do_asking(self) -> None:
        """What else can be asked of the tag under the cursor."""
        tag = self.board.chosen_tag()
        if tag is None or tag >= self.session.running.public or self.session.running.tags[tag].type.family is not Family.BOOL:
            self.say("there is no BOOL tag under the cursor")
            return
        self.paging.open_page(PageState("asking", tag=tag))
        session, stop, number = self.session, self.board.work.asked_to_stop, tag
        if tag not in session.drops and session.replayed:
            def job() -> Generator[str, None, int]:
                yield ""
                find_drops(session, number, stop, inquiry_beside(session))
                return number

            self.board.work.start("drops", job, beside=True)

    def do_why(self) -> None:
        """Ask why of the tag under the cursor, at this moment."""
        tag = self.board.chosen_tag()
        if tag is None or tag >= self.session.running.public:
            self.say("there is no tag under the cursor")
            return
        if self.scene is not None and tag == self.scene.answer.tag and abs(self.view.scan - self.scene.answer.scan) < 2:
            if self.board.outdated:
                self.ask(tag, self.view.question.at)
                return
            self.say("this is the question already")
            return
        self.ask(tag, self.view.time)

    def do_prove(self) -> None:
        """Prove the root under the cursor, else the first not yet tried, else the first; its trial shows on the timeline."""
        assert self.scene is not None
        line = self.board.current_line()
        answer = self.scene.answer
        untried = next((r for r in answer.roots if r.proved is None and not r.proof), None)
        root = line.root if line is not None and line.root is not None else untried or next(iter(answer.roots), None)
        if root is None:
            self.say("there is no root to prove")
            return
        session = self.session

        stop = self.board.work.asked_to_stop

        def job() -> Generator[str, None, tuple[Answer, Proof]]:
            yield f"replaying the log with {self.scene.name(root.tag) if self.scene else 'the root'} put the other way"
            return answer, prove_root(session, answer, root, stop)

        self.start("prove", job)

    def take_prove(self, result: object) -> None:
        """A proof is there."""
        if isinstance(result, tuple):
            self._proved(*result)
        else:
            self.say("stopped; the proof is not complete")

    def _proved(self, answer: Answer, proof: Proof) -> None:
        if self.scene is None:
            return
        if self.scene.answer is not answer:
            # It belongs to the question it was asked for, where it is noted; what is on the screen is another's.
            word = verdict_word(proof.proved, proof.ended)
            self.say(f"{word}, for {self.scene.name(answer.tag)}, asked before: {proof.text}; Backspace goes back to it")
            return
        if proof.journal is not None:
            self.scene.timeline.with_trial(proof.journal, proof.fits_until)
            self.board.renew()
        word = verdict_word(proof.proved, proof.ended)
        self.say(f"{word}: {proof.text}")
        self.desk.step("tried", f"{word}: {proof.text}", why_command(self.session, self.scene.answer, self.view.question.at, True))
        self.board.keep()

    def do_back(self) -> None:
        """The way back."""
        if not self.board.walk and self.board.work.told:
            self.board.do("stop")
            return
        if not self.board.walk:
            self.say("this is where you began; q leaves")
            return
        before = self.board.walk.pop()
        self.paging.show_page(before.page)
        self.board.return_to(before)

    def do_copy(self) -> None:
        """Copy the command that prints this answer."""
        assert self.scene is not None
        answer = self.scene.answer
        command = why_command(self.session, answer, self.view.question.at, any(r.proved is not None for r in answer.roots))
        self.board.app.copy_to_clipboard(command)
        self.say(f"copied: {command}")

    def do_aside(self) -> None:
        """What was set aside, and what the answer rests on."""
        lines: list[list[Run]] = [[("", Ink.TEXT)]]
        if self.session.replayed:
            fault = fault_text(self.session, self.session.journal)
            if fault:
                lines += [[(f"  {fault}", Ink.BLOCK)], [("", Ink.TEXT)]]
        if self.scene is not None:
            lines += [[(f"  The answer rests on: {said}", Ink.STRONG)] for said in self.scene.answer.rests_on]
        lines += [[(f"  {notice}", Ink.TEXT)] for notice in self.session.notices]
        lines += [[(f"  {example}", Ink.QUIET)] for example in self.session.log.examples]
        if len(lines) == 1:
            lines.append([("  Nothing was set aside.", Ink.TEXT)])
        if self.board.messages:
            lines += [[("", Ink.TEXT)], [("  Said lately", Ink.STRONG)]]
            width = max(30, min(120, self.board.size.width - 6))
            lines += [[(f"  {part}", Ink.TEXT)] for said in reversed(self.board.messages) for part in wrap(said, width, subsequent_indent="  ")]
        self.board.app.push_screen(ListOverlay("set aside, what the answer rests on, what was said", lines))
