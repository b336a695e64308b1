"""The main view: rungs, trail and timeline of one question at one moment."""

from __future__ import annotations

import time
from collections.abc import Generator

from msgspec.structs import replace
from textual import events

from whorlograph.desk.asking import answer_to
from whorlograph.desk.command_line import why_command
from whorlograph.desk.finding import find
from whorlograph.desk.job import Desk
from whorlograph.desk.job_data import VERSION, Kept, count
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.desk.stages import Stage, stages
from whorlograph.model.errors import WhorlographError
from whorlograph.model.question import Question

from .acting.painting import WIDE
from .acting.watching import Watching
from .early import elsewhere
from .keys import BY_KEY, unknown_key
from .state import PageState
from .strands import Lines
from .views.prompt import Prompt, own_path
from .work import Worked, Working

QUIET = ("proofs", "odd", "drops", "findings")


class MainScreen(Watching):
    """Three strands that always show the same moment.

    Args: taken_up: the desk holds a job of an earlier run; resume: stand where it stood, not only with its marks.
    """

    def __init__(self, session: Session, question: Question | None, desk: Desk, taken_up: bool = False, resume: bool = True) -> None:
        super().__init__(session, question, desk)
        self.taken_up, self.resume = taken_up, resume

    def on_mount(self) -> None:
        """Paint the frame, then replay beside the screen, unless that has been done."""
        if self.session.replayed and self.first_question is not None:
            self._last_stage(Stage("", self.session, answer_to(self.session, self.first_question)))
            return
        self.work.start("replay", self._replay, ends_itself=True)
        self.paint()

    def _replay(self) -> Generator[Stage, None, Stage]:
        return stages(self.session, self.first_question, self.work.asked_to_stop)

    def on_working(self, message: Working) -> None:
        """Show how far the work is, and what it has come to so far."""
        told = message.told
        if message.what in QUIET:
            self._look_again()
            return
        if isinstance(told, Stage) and told.session is not None:
            self._take_stage(told)
        self.progress = told.text if isinstance(told, Stage) else str(told)
        self.repaint_hint()

    def on_worked(self, message: Worked) -> None:
        """Take the result of some work."""
        self.progress = ""
        self.work.go_on()
        if message.what in QUIET and message.error is None:
            self._look_again()
        elif message.error is not None:
            self.say(message.error.line() if isinstance(message.error, WhorlographError) else f"{message.what} failed: {message.error!r}")
        elif message.what == "replay" and isinstance(message.result, Stage):
            self._last_stage(message.result)
        elif message.what == "replay":
            self.say("stopped; nothing is replayed")
            self.paint()
        elif message.what == "standing":
            if self.page is not None:
                self.page.take(message.result)
        elif message.what == "prove" and isinstance(message.result, tuple):
            self._proved(*message.result)
        elif message.what == "export" and message.result is None:
            self.say("stopped; nothing was written")
        elif message.what == "export":
            self.desk.step("exported", str(message.result))
            self.keep()
            self.say(f"written: {message.result}")
        elif message.what == "prove":
            self.say("stopped; the proof is not complete")

    def _look_again(self) -> None:
        """Show what quiet work has found out by now."""
        if self.page is not None:
            self.page.paint()
        elif self.scene is not None:
            self.paint()

    def _take_stage(self, stage: Stage) -> None:
        """Show what there is by now: anew where nobody has touched anything, else under the same view."""
        assert stage.session is not None
        before = self.scene
        self.session = stage.session
        if self.first_question is None or stage.answer is None:
            self.paint()
            return
        if before is None or not self.acted:
            self.open_answer(self.first_question, stage.answer)
            return
        same = self.view.question == self.first_question and before.answer.text == stage.answer.text
        self.outdated = not same
        self.scene = Scene(stage.session, stage.answer if same else before.answer)
        self.scene.timeline.with_trial(before.timeline.trial, before.timeline.trial_until)
        self.paint()

    def _last_stage(self, stage: Stage) -> None:
        self._take_stage(stage)
        if self.found.text and self.session.replayed:
            self.found = find(self.session, self.found.text)
        if self.first_question is None or stage.answer is None:
            self.say("ask why of a tag: : finds one")
            return
        self.desk.step("asked", stage.answer.text, why_command(self.session, stage.answer, self.first_question.at, False))
        if not self.session.journal.complete:
            self.say(f"stopped: {stage.text}")
        elif self.outdated:
            self.say("the whole log is replayed; w asks the question again")
        elif not len(self.session.log.times) and not self.session.paths.logs:
            self.say("no log: every input is taken as declared; V gives what the lamps of the cards show now")
        if self.taken_up and not self.acted:
            self.restored(time.time() - self.desk.job.saved, self.resume)
        self._say_of_others()
        self.keep()
        if self.session.begin_odd and not self.acted and not self.taken_up and self.session.journal.complete:
            self.session.begin_odd = False
            self.do_odd()
        else:
            self.prove_beside()

    def _say_of_others(self) -> None:
        """One line on a kept job that was not taken up: where it is, and what of it can be had."""
        other = self.desk.other
        if self.desk.said:
            self.say(self.desk.said)
        if other is not None and other.kept != Kept():
            kept = f"{count(len(other.kept.marks), 'mark')}, {count(len(other.kept.notes), 'note')}"
            state = "was saved by a newer version" if other.version > VERSION else "is on another state of this program"
            self.say(f"a job with {kept} {state} and stays as it is; K takes them over")

    def on_key(self, event: events.Key) -> None:
        """Every key does something, or says that it does nothing."""
        if elsewhere(self, event):
            return
        action = BY_KEY.get(event.key)
        event.stop()
        event.prevent_default()
        if self.took(event):
            return
        if action is None:
            self.say(unknown_key(event))
            return
        self.do(action.name)

    def do_help(self) -> None:
        """Help for where the focus is."""
        from .views.help import help_overlay

        here = self.view.page.name if self.view.page is not None else self.view.strand
        self.app.push_screen(help_overlay(here, self.size.width))

    def do_palette(self) -> None:
        """Find anything."""
        from .views.palette import palette_overlay

        overlay = palette_overlay(self.scene, self.desk.kept.marks, self.time_of, self.desk.history("palette"),
                                  self.desk.by_use("done"), self.size.width)

        def take(value: object) -> None:
            self.desk.typed("palette", overlay.typed)
            self._chosen(value)

        self.app.push_screen(overlay, take)

    def _chosen(self, value: object) -> None:
        if not isinstance(value, tuple):
            return
        kind, what = value
        if kind == "do":
            self.do(what)
        elif kind == "why":
            self.ask(what, None)
        elif kind == "rung" and self.scene is not None:
            self.open_page(PageState("program", step=what))
        elif kind == "time" and self.scene is not None:
            self.to_time(what, jump=True)

    def do_theme(self) -> None:
        """The next set of colours."""
        self.app.next_palette()  # type: ignore[attr-defined]
        self.paint()

    def do_mouse(self) -> None:
        """Give the mouse to the terminal, or take it back."""
        on = self.app.toggle_mouse()  # type: ignore[attr-defined]
        self.say("the mouse works here again" if on else "the mouse is the terminal's now: select and copy as usual; M takes it back")

    def do_close(self) -> None:
        """Close; at the top, leave."""
        self.do_quit()

    def do_quit(self) -> None:
        """Leave; everything is saved already, or is now. What still runs is left to itself."""
        self.work.stop()
        self.desk.save()
        if not self.desk.problem:
            self.app.exit()
            return

        def elsewhere(text: str | None) -> None:
            path = own_path(text) if text else None
            if path is not None and path.suffix.lower() != ".json":
                path = path.with_name(f"{path.name}.json")
            if path is not None and not self.desk.save_to(path):
                self.do_quit()
                return
            self.app.exit()

        self.app.push_screen(Prompt(f"not saved: {self.desk.problem}; save the job as, or Esc leaves without", "a file name; open --job takes it up",
                                    f"~/{self.session.paths.program.stem}.json"), elsewhere)

    def do_take_over(self) -> None:
        """Marks, notes and lanes of the job on another state of the program."""
        what = self.desk.adopt(self.session)
        if what:
            self.keep()
            self._changed(what)
        else:
            self.say("there is no job on another state of this program")

    def do_stop(self) -> None:
        """Stop what runs; say how to leave otherwise."""
        self.say("stopping" if self.work.stop() else "nothing runs; q leaves")

    def on_lines_clicked(self, event: Lines.Clicked) -> None:
        """A click chooses a trail line, an element, a lane and its time."""
        event.stop()
        if self.scene is None:
            return
        if event.piece is self.trail:
            firsts = self.firsts()
            before = [n for n, i in enumerate(firsts) if i <= event.line]
            self.view = replace(self.view, strand="trail")
            if before:
                self._to_line(before[-1])
        elif event.piece is self.rungs:
            for start, block in self.blocks:
                for spot in block.spots:
                    if start + spot.line == event.line and spot.left <= event.column - 1 < spot.right:
                        self.view = replace(self.view, strand="rungs", element=(block.step, spot.element))
                        self.paint()
                        return
        elif event.piece is self.timeline and 0 <= event.line < len(self.owners):
            names = 26 if self.size.width >= WIDE else 22
            width = max(10, self.timeline.room.width - names - 1)
            lane = self.owners[event.line] if self.owners[event.line] >= 0 else self.view.lane
            self.view = replace(self.view, strand="timeline", lane=lane)
            if event.column >= names:
                self.to_time(self.view.start + (event.column - names) * (self.view.end - self.view.start) // width)
            else:
                self.paint()

    def on_lines_wheeled(self, event: Lines.Wheeled) -> None:
        """The wheel scrolls; over the timeline it zooms."""
        event.stop()
        if self.scene is None:
            return
        if event.piece is self.timeline:
            self._zoom(*((2, 1) if event.steps > 0 else (1, 2)))
        else:
            piece = event.piece
            piece.show(piece.lines, piece.chosen, piece.top + 3 * event.steps, piece.active, piece.note)
