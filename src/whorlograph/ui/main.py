"""The main view: rungs, trail and timeline of one question at one moment, and the controllers that act on them."""

from __future__ import annotations

from msgspec.structs import replace
from textual import events

from whorlograph.desk.job import Desk
from whorlograph.desk.session import Session
from whorlograph.drawing.shapes import Run
from whorlograph.model.question import Question

from .board import Board
from .controllers.asking import Asking
from .controllers.benching import Benching
from .controllers.changes import Changes
from .controllers.cycling import Cycling
from .controllers.keeping import Keeping
from .controllers.leaving import Leaving
from .controllers.moving import Moving
from .controllers.paging import Paging
from .controllers.replaying import Replaying
from .controllers.revising import Revising
from .controllers.timing import Timing
from .controllers.watching import Watching
from .early import elsewhere
from .keys import BY_KEY, unknown_key
from .state import PageState
from .strands import Lines
from .work import Worked, Working


class MainScreen(Board):
    """Three strands that always show the same moment: hands keys, clicks and results to whoever acts on them.

    Args: taken_up: the desk holds a job of an earlier run; resume: stand where it stood, not only with its marks.
    """

    def __init__(self, session: Session, question: Question | None, desk: Desk, taken_up: bool = False, resume: bool = True) -> None:
        super().__init__(session, question, desk)
        self.timing = Timing(self)
        self.moving = Moving(self, self.timing)
        self.paging = Paging(self, self, self.timing)
        self.asking = Asking(self, self.paging)
        self.keeping = Keeping(self, self.timing, self.moving, self.paging, self.asking)
        self.revising = Revising(self, self.paging, self.keeping)
        self.benching = Benching(self, self.paging)
        self.changes = Changes(self, self.paging)
        self.cycling = Cycling(self, self.paging)
        self.replaying = Replaying(self, self.asking, self.keeping, self.revising, taken_up, resume)
        leaving = Leaving(self, self.timing, self.paging, self.asking)
        for one in (self.timing, self.moving, self.paging, self.asking, self.keeping, self.replaying, self.revising, self.benching, self.changes,
                    self.cycling, Watching(self), leaving):
            self.actions |= one.actions()
            self.results |= one.results()

    def on_mount(self) -> None:
        """Replay beside the screen, unless that has been done."""
        self.replaying.begin()

    def on_working(self, message: Working) -> None:
        """Some work has come so far."""
        self.replaying.working(message)

    def on_worked(self, message: Worked) -> None:
        """Some work is done."""
        self.replaying.worked(message)

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

    # what pages ask for

    def ask_question(self, question: Question) -> None:
        """Ask a question from a page."""
        self.asking.ask_question(question)

    def open_page(self, state: PageState) -> None:
        """Lay a page over the strands."""
        self.paging.open_page(state)

    def leave_page_for(self, time: int) -> None:
        """Close the page and go to a time (ns)."""
        self.paging.leave_page_for(time)

    def page_head(self, width: int) -> list[Run]:
        """The line at the top of a page."""
        return self.paging.page_head(width)

    def export_revisions(self) -> None:
        """Put the comparison with another revision on paper."""
        self.revising.export()

    def why_on_bench(self, tag: int) -> None:
        """Ask why of a tag as the bench stands."""
        self.benching.why(tag)

    def bench_more(self, tag: int | None) -> None:
        """Choose what is done less often at the bench."""
        self.benching.more(tag)

    def begin_cycles(self) -> None:
        """Ask what a cycle begins with."""
        self.cycling.begin()

    def export_cycles(self) -> None:
        """Put the whorl on paper."""
        self.cycling.export()

    def save_bench(self) -> None:
        """Save what was done on the bench."""
        self.benching.save()

    def undo_change(self, back: bool) -> None:
        """Take the last change of the program back, or make it again."""
        self.changes.undo(back)

    # the mouse

    def on_lines_clicked(self, event: Lines.Clicked) -> None:
        """A click chooses a trail line, an element, a lane and its time."""
        event.stop()
        if self.scene is None:
            return
        if event.piece is self.trail:
            before = [n for n, i in enumerate(self.trail.firsts()) if i <= event.line]
            self.view = replace(self.view, strand="trail")
            if before:
                self.moving.to_line(before[-1])
        elif event.piece is self.rungs:
            element = self.rungs.element_at(event.line, event.column)
            if element is not None:
                self.view = replace(self.view, strand="rungs", element=element)
        elif event.piece is self.timeline and 0 <= event.line < len(self.timeline.owners):
            owner, time = self.timeline.owners[event.line], self.timeline.time_at(event.column)
            self.view = replace(self.view, strand="timeline", lane=owner if owner >= 0 else self.view.lane)
            if time is not None:
                self.timing.to_time(time)

    def on_lines_wheeled(self, event: Lines.Wheeled) -> None:
        """The wheel scrolls; over the timeline it zooms."""
        event.stop()
        if self.scene is None:
            return
        if event.piece is self.timeline:
            self.timing.zoom(*((2, 1) if event.steps > 0 else (1, 2)))
        else:
            piece = event.piece
            piece.show(piece.lines, piece.chosen, piece.top + 3 * event.steps, piece.active, piece.note)
