"""What is kept: marks, notes, the walk; undo, the job taken up again; letters on everything in sight."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable
from pathlib import Path
from string import ascii_letters

from msgspec.structs import replace

from whorlograph.desk.asking import answer_to
from whorlograph.desk.finding import Found, find
from whorlograph.desk.job import Kept, age_text
from whorlograph.model.literals import duration_text
from whorlograph.model.question import Question

from ..board import Board
from ..state import PageState
from ..views.prompt import Prompt
from ..views.search import SearchPrompt
from .asking import Asking
from .controller import Controller
from .moving import Moving
from .paging import Paging
from .timing import Timing


class Keeping(Controller):
    """The keys that keep things, and those that find them again."""

    def __init__(self, board: Board, timing: Timing, moving: Moving, paging: Paging, asking: Asking) -> None:
        super().__init__(board)
        self.timing, self.moving, self.paging, self.asking = timing, moving, paging, asking

    # marks and notes

    def do_mark(self) -> None:
        """Mark this moment with the next letter."""
        self.say("mark: press a letter")
        self.board.pending = self._mark

    def _mark(self, letter: str) -> None:
        assert self.scene is not None
        what = f"{self.scene.name(self.view.lane)} at {self.scene.clock(self.view.time)}" if self.view.lane >= 0 else self.scene.clock(self.view.time)
        self.desk.mark(letter, self.view.time, what)
        self.desk.step("marked", f"{letter}: {what}")
        self.say(f"mark {letter} set at {self.scene.clock(self.view.time)}; ' {letter} comes back here")

    def do_go_mark(self) -> None:
        """Go to the mark of the next letter."""
        known = ", ".join(m.letter for m in self.desk.kept.marks)
        self.say(f"go to mark {known}: press its letter, or ' for the list" if known else "no mark is set: m and a letter sets one; ' lists notes")
        self.board.pending = self._go_mark

    def _go_mark(self, letter: str) -> None:
        if letter == "'":
            self.paging.open_page(PageState("marks"))
            return
        mark = self.desk.marked(letter)
        if mark is None:
            self.say(f"there is no mark {letter}")
            return
        self.timing.to_time(mark.time, jump=True)
        self.say(f"mark {letter}: {mark.text}")

    def do_note(self) -> None:
        """Write a note at this moment."""
        def take(text: str | None) -> None:
            if text:
                self.desk.note(self.view.time, text.strip())
                self.desk.step("noted", text.strip())
                self.board.keep()
                self.say("noted; it goes into the report")

        self.board.app.push_screen(Prompt("note", "a sentence for this moment"), take)

    def do_walk(self) -> None:
        """The walk so far."""
        self.paging.open_page(PageState("walk"))

    def do_export(self) -> None:
        """The answer on paper."""
        assert self.scene is not None
        session, answer, kept, stop = self.session, self.scene.answer, self.desk.kept, self.board.work.asked_to_stop

        def write(path: Path) -> None:
            from whorlograph.desk.report import write_report

            write_report(session, answer, path, kept, stop)

        self.export("the answer", f"{self.scene.name(answer.tag).replace('.', '_') or 'answer'}.pdf", write)

    def export(self, what: str, name: str, write: Callable[[Path], None], more: str = "") -> None:
        """Put something on paper. Args: more: another ending."""
        self.write_where(f"export {what}: {f'{more}, ' if more else ''}.pdf, .svg or .md", "a file name", name, write)

    def take_export(self, result: object) -> None:
        """It stands on paper."""
        if result is None:
            self.say("stopped; nothing was written")
            return
        self.desk.step("exported", str(result))
        self.board.keep()
        if self.board.page is not None:
            self.board.page.paint()
        self.say(f"written: {result}")

    # undo

    def do_undo(self) -> None:
        """Take the last change back."""
        what = self.desk.undo()
        self.say(f"undone: {what}; Ctrl+R does it again" if what else "there is nothing to undo")

    def do_redo(self) -> None:
        """Do again what was undone."""
        what = self.desk.redo()
        self.say(f"done again: {what}" if what else "there is nothing to do again")

    def do_fresh(self) -> None:
        """Forget what was kept; begin at the complaint."""
        if self.desk.kept != Kept():
            self.desk.change("starting fresh", marks=(), notes=(), lanes=(), watches=())
        self.desk.job.walk.clear()
        self.board.walk.clear()
        self.board.found = Found("")
        if self.board.first_question is not None:
            self.paging.show_page(None)
            self.board.open_answer(self.board.first_question, answer_to(self.session, self.board.first_question))
        self.say("started fresh; u brings marks, notes and lanes back")

    def restored(self, age: float, resume: bool) -> None:
        """Take a kept job up: where it stood, and one line that says so."""
        place = self.desk.job.place
        kept = self.desk.kept
        if resume and place is not None:
            tag = self.session.running.by_name.get(place.tag.lower())
            if tag is not None:
                question = Question(tag, place.at)
                if question != self.view.question:
                    self.asking.ask(tag, place.at)
                self.view = replace(self.view, strand=place.strand, line=place.line, start=place.start, end=max(place.end, place.start + 1))
                self.timing.to_time(place.time)
            self.say(f"restored from {age_text(age)}; R starts fresh")
        elif kept.marks or kept.notes or kept.lanes:
            self.say(f"marks, notes and lanes of {age_text(age)} are here; R starts fresh")

    # search

    def do_search(self) -> None:
        """Search: a tag, a condition, words."""
        here = self.view

        def counted(text: str) -> str:
            found = find(self.session, text)
            return found.wrong or found.what

        def take(text: str | None) -> None:
            if text is None:
                self.view = here
            elif text.lower() == "marks":
                self.paging.open_page(PageState("marks"))
            elif text.lower() == "findings":
                self.paging.open_page(PageState("findings"))
            else:
                self._take(find(self.session, text))

        examples = "a tag · Pump = 0 and Raise_Req · East_Down_LS falls for < 50ms · words on rungs"
        self.board.app.push_screen(SearchPrompt(counted, self.board.found.text, examples, self.desk.history("search")), take)

    def _take(self, found: Found) -> None:
        if found.wrong and not found.steps:
            self.say(found.wrong)
            return
        if not found.times:
            if not found.steps:
                self.say("nothing was searched for" if not found.text else f"“{found.text}” occurs in no rung")
                return
            self.paging.open_page(PageState("program", step=found.steps[0]))
            assert self.board.page is not None
            self.board.page.search(found.text)
            return
        self.board.found = found
        self.desk.typed("search", found.text)
        self.desk.step("searched", f"{found.text}: {found.what}")
        if not found.starts:
            self.say(f"{found.text}: nowhere in this log")
            return
        self._hit(min(bisect_left(found.starts, self.view.time), len(found.starts) - 1), "")

    def _hit(self, number: int, tail: str) -> None:
        assert self.scene is not None
        self.timing.to_time(self.board.found.starts[number], jump=True)
        end = self.board.found.ends[number]
        lasting = f", for {duration_text(end - self.board.found.starts[number])}" if end >= 0 else ""
        so_far = "" if self.session.journal.complete else " so far"
        self.say(f"{number + 1} of {len(self.board.found.starts)}{so_far}{lasting}{tail} · n and N go on")

    def _next_hit(self, forward: bool) -> None:
        starts = self.board.found.starts
        if not starts:
            self.say("nothing is searched for: / searches")
            return
        time = self.view.time
        if forward:
            later = bisect_right(starts, time)
            self._hit(later % len(starts), "" if later < len(starts) else ", from the start again")
        else:
            earlier = bisect_left(starts, time) - 1
            self._hit(earlier % len(starts), "" if earlier >= 0 else ", from the end again")

    def do_next_hit(self) -> None:
        """Next place of the search."""
        self._next_hit(True)

    def do_previous_hit(self) -> None:
        """Place of the search before."""
        self._next_hit(False)

    # letters

    def do_labels(self) -> None:
        """A letter on everything in sight."""
        targets = []
        if self.board.trail.display:
            firsts = self.board.trail.firsts()
            seen = range(self.board.trail.top, self.board.trail.top + self.board.trail.room.height)
            targets += [("trail", n, i) for n, i in enumerate(firsts) if i in seen]
        if self.board.rungs.display:
            seen = range(self.board.rungs.top, self.board.rungs.top + self.board.rungs.room.height)
            targets += [("rungs", step, element) for line, _, step, element in self.board.rungs.elements() if line in seen]
        self.board.labels = dict(zip(ascii_letters, targets, strict=False))
        self.board.pending = self._label
        self.say("press the letter of what you want to stand on, then w asks why, x shows its uses, a adds a lane")

    def _label(self, letter: str) -> None:
        target = self.board.labels.get(letter)
        self.board.labels = {}
        if target is None:
            self.say(f"no letter {letter} is in sight")
            return
        before = self.view
        if target[0] == "trail":
            self.view = replace(self.view, strand="trail")
            self.moving.to_line(target[1])
        else:
            self.view = replace(self.view, strand="rungs", element=(target[1], target[2]))
        if self.view != before:
            self.board.remember(before)
        tag = self.board.chosen_tag()
        if tag is not None and self.scene is not None:
            self.say(f"{self.scene.name(tag)}: w asks why, x shows its uses, a adds a lane")
