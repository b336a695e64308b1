"""The pages over the strands, and searching."""

from __future__ import annotations

from collections.abc import Generator

from msgspec.structs import replace

from whorlograph.desk.asking import inquiry_beside
from whorlograph.desk.checking import check, takes_long
from whorlograph.desk.comparing import right_of, right_sentences, shift
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.inquiry.languages import words_of

from ..board import Board
from ..host import Host
from ..state import PageState
from .controller import Controller
from .timing import TimePrompt, Timing


class Paging(Controller):
    """The keys that open pages.

    Args: host: what pages are given to work on.
    """

    def __init__(self, board: Board, host: Host, timing: Timing) -> None:
        super().__init__(board)
        self.host, self.timing = host, timing

    def open_page(self, state: PageState) -> None:
        """Lay a page over the strands."""
        self.board.remember(self.view)
        self.desk.did("opened", state.name)
        self.view = replace(self.view, page=state)
        self.show_page(state)

    def show_page(self, state: PageState | None) -> None:
        """Bring up the page of a state, or the strands."""
        if self.board.page is not None:
            self.board.page = None
            self.board.app.pop_screen()
        if state is not None:
            from ..views.bench import BenchPage
            from ..views.cycles import CyclesPage
            from ..views.page import ListPage
            from ..views.program import ProgramPage
            from ..views.revisions import RevisionsPage
            from ..views.standing import StandingPage

            kinds: dict[str, type[ProgramPage | ListPage]] = {"program": ProgramPage, "standing": StandingPage, "revisions": RevisionsPage,
                                                                 "bench": BenchPage, "cycles": CyclesPage}
            self.board.page = kinds.get(state.name, ListPage)(self.host, state)
            self.board.app.push_screen(self.board.page)

    def take_standing(self, result: object) -> None:
        """What the page without a log asked for."""
        if self.board.page is not None:
            self.board.page.take(result)

    def leave_page_for(self, time: int) -> None:
        """Go back to the strands, at a time."""
        self.board.remember(self.view)
        self.show_page(None)
        self.view = replace(self.view, page=None)
        self.timing.to_time(time)

    def page_head(self, width: int) -> list[Run]:
        """The head line of a page: what runs, and the moment."""
        if self.scene is None:
            return [(f" {self.session.paths.title or self.session.program.name}", Ink.STRONG)]
        head = self.scene.head(self.view.scan, self.view.time, width)[0]
        room = len(head[2][0]) - 3
        warn = self.scene.warning(room)
        if not warn:
            return head
        loud = Ink.BLOCK if self.scene.journal.fault is not None else Ink.STRONG
        return [*head[:2], (f"  {warn}", loud), (" " * (room + 1 - len(warn)), Ink.TEXT), *head[3:]]

    def do_xref(self) -> None:
        """Where the tag under the cursor is used."""
        tag = self.board.chosen_tag()
        if tag is None or tag >= self.session.running.public:
            self.say("there is no tag under the cursor")
        elif self.view.page is not None and self.view.page.name == "tag" and self.view.page.tag == tag:
            self.say("this is its cross-reference already")
        else:
            self.open_page(PageState("tag", tag=tag))

    def do_tags(self) -> None:
        """All tags."""
        self.open_page(PageState("tags"))

    def do_points(self) -> None:
        """All points."""
        self.open_page(PageState("points"))

    def do_survey(self) -> None:
        """The survey."""
        self.open_page(PageState("survey"))

    def do_ways(self) -> None:
        """What the tag under the cursor needs."""
        tag = self.board.chosen_tag()
        if tag is None or tag >= self.session.running.public:
            self.say("there is no tag under the cursor")
        else:
            self.open_page(PageState("ways", tag=tag))

    def do_standing(self) -> None:
        """Why the tag under the cursor is as it is now, by what the lamps show."""
        tag = self.board.chosen_tag()
        if tag is None or tag >= self.session.running.public:
            self.say("there is no tag under the cursor")
        else:
            self.open_page(PageState("standing", tag=tag))

    def do_disagreements(self) -> None:
        """Where log and program disagree."""
        self.open_page(PageState("disagreements"))

    def do_last_right(self) -> None:
        """When the question's tag was last right; its course then goes along on the timeline."""
        if self.scene is None:
            return
        answer = self.scene.answer
        found = right_of(self.session, answer)
        if found is None:
            self.say(right_sentences(self.session, answer, None)[0])
            return
        then = self.scene.clock(self.scene.journal.clock.start(found.then))
        self.scene.timeline.with_second(self.scene.journal, f"from {then}", shift=shift(self.session, found))
        self.board.renew()
        self.open_page(PageState("right", tag=answer.tag))

    def do_compare(self) -> None:
        """What differs between another time and this moment."""
        def take(text: str | None) -> None:
            time = self.timing.time_of(text) if text else None
            if time is not None:
                self.open_page(PageState("compared", word=str(time)))

        marks = [m.letter for m in self.desk.kept.marks]
        if self.scene is None:
            return
        known = f" ({' '.join(marks[:8])})" if marks else ""
        hint = f"a mark's letter{known} · 14:03:22.15 · -20s · scan 8123"
        self.board.app.push_screen(TimePrompt(self.timing, "compare this moment with", hint), take)

    def do_findings(self) -> None:
        """What looks suspicious: a large program is looked through beside the screen."""
        self.open_page(PageState("findings"))
        session = self.session
        if takes_long(session):
            def job() -> Generator[str, None, int]:
                yield ""
                return len(check(session, inquiry_beside(session)))

            self.board.work.start("findings", job, beside=True)

    def do_explain(self) -> None:
        """A page on what stands under the cursor."""
        self.open_page(PageState("explain", word=self._word()))

    def _word(self) -> str:
        """Under which word what stands under the cursor is explained."""
        if self.scene is None:
            return ""
        step, element = self.view.element
        if self.view.strand == "rungs" and step >= 0:
            one = self.session.controller.steps.all[step]
            return words_of(one).explained(one, element)
        line = self.board.current_line()
        if self.view.strand == "trail" and line is not None and line.root is not None:
            return line.root.kind.value
        if self.view.strand == "trail" and line is not None and line.link is not None:
            return line.link.kind.value
        return self.scene.answer.symptom.value

    def do_program(self) -> None:
        """The whole program, at the rung at hand."""
        line = self.board.current_line()
        step = self.view.element[0] if self.view.strand == "rungs" else line.step if line is not None else -1
        if self.session.controller.steps.all:
            self.open_page(PageState("program", step=max(0, step)))
        else:
            self.say("the program has no rung")

    def do_sort(self) -> None:
        """The next order of a list."""
        self.say("only lists are sorted: X shows all tags, F the field points")
