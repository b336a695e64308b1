"""The board: what the main view's controllers and pages work on. One frozen view that the strands follow, and the lines around them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec.structs import replace
from textual import events
from textual.app import ComposeResult
from textual.containers import Container
from textual.geometry import Size
from textual.reactive import reactive
from textual.screen import Screen

from whorlograph.desk.asking import answer_to
from whorlograph.desk.bench import Bench
from whorlograph.desk.bench_page import Operator
from whorlograph.desk.changing import Changing
from whorlograph.desk.finding import Found
from whorlograph.desk.first_look import first_rungs, first_words
from whorlograph.desk.job import Desk, Kept, Spot
from whorlograph.desk.revisions import Compared
from whorlograph.desk.scene import Scene, TrailLine
from whorlograph.desk.session import Session
from whorlograph.desk.timeline import window
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.inquiry.trail import Answer
from whorlograph.model.question import Question

from .about import about
from .hints import hint_runs, next_step
from .keys import AT_THE_END, CURSOR, footer_runs
from .room import is_tiny, is_wide
from .state import View
from .strands import Lines
from .strands.rungs import HandStrand, RungsStrand
from .strands.timeline import TimelineStrand
from .strands.trail import TrailStrand
from .work import Work

if TYPE_CHECKING:
    from .views.page import Page

NEW = 3  # times that a view is told about
SAVE_AFTER = 0.3  # seconds: what a kill can lose
SAVE_AGAIN = 5.0  # seconds until what could not be saved is tried again
WALK = 500  # views that the way back remembers
UNREPLAYED = frozenset(("help", "palette", "quit", "close", "stop", "theme", "mouse", "aside", "tags", "points", "survey", "back"))
LOOKING = frozenset(("help", "stop", "theme", "mouse", "quit", "close", "aside"))  # change nothing of what is shown
UNCOUNTED = LOOKING | {"palette", "back", "next_strand", "previous_strand", "follow", "labels", "fresh"}  # nobody looks for these in the palette
MOVES = CURSOR | {"next_scan", "previous_scan"}
Label = tuple[str, int, int]  # "trail", line; or "rungs", step, element


class Board(Screen[None]):
    """State and layout of the main view: changing ``view`` is replacing it, and everything that shows it follows."""

    DEFAULT_CSS = """
    Board { layout: vertical; }
    Board #head { height: 2; }
    Board #middle { height: 1fr; layout: horizontal; }
    Board #rungs { width: 57%; height: 100%; }
    Board #right { width: 1fr; height: 100%; padding-left: 1; layout: vertical; }
    Board #trail { width: 100%; height: 1fr; }
    Board #hand { width: 100%; height: 12; }
    Board #timeline { height: 12; }
    Board #hint { height: 1; }
    Board #footer { height: 1; }
    Board.narrow #middle { layout: vertical; }
    Board.narrow #rungs { width: 100%; height: 9; }
    Board.narrow #right { width: 100%; height: 1fr; padding-left: 0; }
    Board.narrow #hand { display: none; }
    Board.narrow #timeline { height: 5; }
    Board.tiny #head { height: 1; }
    Board.tiny #footer { height: 0; display: none; }
    """

    view: reactive[View] = reactive(View(Question(0)), repaint=False)
    scene: reactive[Scene | None] = reactive(None, repaint=False)
    found: reactive[Found] = reactive(Found(""), repaint=False)
    labels: reactive[dict[str, Label]] = reactive(dict, repaint=False)
    kept: reactive[Kept] = reactive(Kept(), repaint=False)
    progress: reactive[str] = reactive("", repaint=False)  # of the work beside the screen

    def __init__(self, session: Session, question: Question | None, desk: Desk) -> None:
        super().__init__()
        self.session, self.desk = session, desk
        self.first_question = question
        self.head, self.hint, self.footer = Lines("head"), Lines("hint"), Lines("footer")
        self.trail = TrailStrand()
        self.rungs = RungsStrand(self.trail.current)
        self.hand = HandStrand(self.rungs.step_at_hand, self.trail.current)
        self.timeline = TimelineStrand()
        self.set_reactive(Board.view, View(question or Question(0)))
        self.set_reactive(Board.kept, desk.kept)
        self.walk: list[View] = []
        self.said = ""
        self.messages: list[str] = []
        self.work = Work(self)
        self.page: Page | None = None
        self.bench: Bench | None = None
        self.operator = Operator()
        self.changing: Changing | None = None
        self.compared: Compared | None = None  # with another revision of the program
        self.pending: Callable[[str], None] | None = None  # what waits for the next letter
        self.actions: dict[str, Callable[[], None]] = {}  # by name in the table of keys
        self.results: dict[str, Callable[[object], None]] = {}  # by name of some work: what takes what it came to
        self._count, self.times = "", 1  # digits typed before a key, and what they came to
        self._last = ""
        self.acted = False  # whether a key was used since there is something to see
        self.outdated = False  # the answer shown rests on less than is replayed by now
        self._settling = self._saving = False

    def compose(self) -> ComposeResult:
        """Head, strands, hint, footer; in the room that there is from the first frame on."""
        self._take_room(self.app.size)
        shared = Board.view, Board.scene, Board.kept
        yield self.head
        with Container(id="middle"):
            yield self.rungs.data_bind(*shared, Board.labels)
            with Container(id="right"):
                yield self.trail.data_bind(*shared, Board.labels)
                yield self.hand.data_bind(*shared)
        yield self.timeline.data_bind(*shared, Board.found)
        yield self.hint
        yield self.footer

    # what follows a change

    def watch_view(self) -> None:
        """Another view: at once in the heights it wants, so that nothing is seen in others."""
        if self.is_mounted and self.page is None:
            self._allot(self.size)
        self.settle_soon()

    def watch_scene(self) -> None:
        """Another answer, or another run beside it."""
        self.settle_soon()

    def watch_found(self) -> None:
        """Another search."""
        self.settle_soon()

    def watch_kept(self) -> None:
        """Lanes come or go."""
        self.settle_soon()

    def watch_progress(self) -> None:
        """How far the work is, wherever the hint stands now."""
        if self.page is not None:
            self.page.paint_hint()
        else:
            self._paint_hint()

    def settle_soon(self) -> None:
        """Bring the lines around the strands and the heights up to date, once for all that a key has changed."""
        if not self._settling and self.is_mounted:
            self._settling = True
            self.call_next(self._settle)

    def _settle(self) -> None:
        self._settling = False
        if self.page is not None:
            self.page.follow(self.view)
            return
        self._allot(self.size)
        self._paint_hint()
        if self.scene is None:
            title = self.session.paths.title or self.session.program.name
            self.head.show([[(f" {title}", Ink.STRONG)], [(f" {self.session.paths.program.name}", Ink.QUIET)]])
            if self.work.running == "replay":
                self.rungs.show(first_rungs(self.session, self.first_question, self.rungs.room.width - 2))
                self.trail.show(first_words(self.session))
            return
        self.head.show(self.scene.head(self.view.scan, self.view.time, self.size.width, self._path()))

    def on_lines_resized(self) -> None:
        """A strand has another size."""
        self.settle_soon()

    def on_resize(self, event: events.Resize) -> None:
        """Another size."""
        self._take_room(event.size)
        self._allot(event.size)
        self.settle_soon()

    def _take_room(self, size: Size) -> None:
        """Side by side where there is room, one above the other where not."""
        self.set_class(not is_wide(size), "narrow")
        self.set_class(is_tiny(size), "tiny")

    def _allot(self, size: Size) -> None:
        """Give the strands their heights; of a tiny screen one strand has it all."""
        tiny, wide, height = is_tiny(size), is_wide(size), size.height
        for piece in (self.rungs, self.trail, self.timeline):
            piece.display = not tiny or piece.id == self.view.strand
        middle = self.query_one("#middle")
        middle.display = not tiny or self.view.strand != "timeline"
        if tiny:
            self.timeline.styles.height = self.rungs.styles.height = "1fr"
            return
        self.rungs.styles.height = "100%" if wide else max(7, (height - 11) // 2)
        lines = self.timeline.height_wanted() if self.scene is not None else 8
        self.timeline.styles.height = min(height // 3 if wide else max(5, height // 4), lines)
        if wide and self.scene is not None:
            # the trail gets the lines it needs, the rung at hand what is left of them, five at least
            room = self.query_one("#right").size.height
            self.hand.styles.height = max(5, room - max(1, len(self.trail.trail_lines)) - 1)

    def renew(self) -> None:
        """Show everything anew: something that lies below the view has changed."""
        if self.page is not None:
            self.page.paint()
        for strand in (self.trail, self.rungs, self.hand, self.timeline):
            strand.outdate()
        self.settle_soon()

    def _path(self) -> str:
        """The questions that led here, the latest first."""
        assert self.scene is not None
        asked = [v.question.tag for v in reversed(self.walk) if v.question != self.view.question]
        return " ‹ ".join(self.scene.name(t) for t in list(dict.fromkeys(asked))[:3])

    # what is said

    def say(self, text: str) -> None:
        """A message in the line above the footer; the last ones can be read again."""
        self.said = text
        if text and (not self.messages or self.messages[-1] != text):
            self.messages = [*self.messages[-19:], text]
        if self.page is not None:
            self.page.say(text)
            return
        self._paint_hint()

    def first_hint(self, view: str, width: int) -> str:
        """What a view is, while it still is new to somebody; "" from then on, and where there is no room for it."""
        if self.desk.history("opened").count(view) > NEW:
            return ""
        said = about(view)
        return said if len(said) + 2 <= width else ""

    def hint_runs(self, said: str, usual: str, width: int) -> list[Run]:
        """The hint line; what could not be saved stands before all."""
        if self.desk.problem and "not saved" not in said:
            said = f"not saved: {self.desk.problem} · {said or usual}"
        return hint_runs(said, usual, self.progress, width)

    def _first_root_hidden(self) -> bool:
        """Whether the first root stands further down the trail, which shows its beginning."""
        roots = self.scene.answer.roots if self.scene is not None and self.view.line == 0 and self.view.strand == "trail" else []
        return bool(roots) and not self.trail.shows(roots[0])

    def _paint_hint(self) -> None:
        usual = next_step(self.scene, self.view, self.found, self.size, self._first_root_hidden()) if self.scene is not None else ""
        self.hint.show([self.hint_runs(self.said, usual, self.size.width)])
        self.footer.show([footer_runs(self.size.width)])

    # what is shown

    def open_answer(self, question: Question, answer: Answer) -> None:
        """Show an answer from its complaint on."""
        self.scene = Scene(self.session, answer)
        start, end = window(self.session, answer)
        self.rungs.top = self.trail.top = 0
        self.view = View(question, answer.scan, self.scene.journal.clock.start(answer.scan) if answer.trail is not None else answer.time,
                         "trail", 0, (-1, -1), answer.tag, start, end, values=self.view.values)

    def return_to(self, view: View) -> None:
        """Show a former view again, with its question and its page."""
        if view.question != self.view.question:
            self.open_answer(view.question, answer_to(self.session, view.question))
        self.view = view

    def remember(self, view: View | None = None) -> None:
        """Put a view, by default the present one, on the way back."""
        view = view or self.view
        if not self.walk or self.walk[-1] != view:
            self.walk.append(view)
            del self.walk[:-WALK]

    def in_sight(self, view: View) -> View:
        """A view with its moment in sight on the timeline."""
        if view.start <= view.time <= view.end:
            return view
        span = view.end - view.start
        start = max(0, view.time - span // 2)
        return replace(view, start=start, end=start + span)

    def current_line(self) -> TrailLine | None:
        """The chosen line of the trail."""
        return self.trail.current()

    def chosen_tag(self) -> int | None:
        """The tag under the cursor."""
        if self.page is not None:
            return self.page.chosen_tag()
        if self.view.strand == "rungs":
            block = self.rungs.block_at_hand()
            return block.tags.get(self.view.element[1]) if block is not None else None
        if self.view.strand == "timeline":
            return self.view.lane if self.view.lane >= 0 else None
        line = self.current_line()
        return line.tag if line is not None else None

    # keys

    def took(self, event: events.Key) -> bool:
        """Whether something waited for this key (a mark's letter, a count's digit): then it has been used."""
        if self.pending is None:
            char = event.character or ""
            if not (char.isdigit() and char.isascii() and (self._count or char != "0")):
                return False
            self._count = (self._count + char)[:6]
            self.say(f"{self._count} times: now a key that moves")
            return True
        take, self.pending = self.pending, None
        if event.character and event.character.isprintable():
            take(event.character)
            self.keep()
        else:
            self.labels = {}
            self.say("left as it was")
        return True

    def counted(self) -> None:
        """Take the count that was typed, for the action that follows."""
        self.times, self._count = int(self._count or 1), ""

    def do(self, name: str) -> None:
        """Carry out an action."""
        self.counted()
        if name not in ("stop",):
            self.said = ""
        if self.scene is None and name not in UNREPLAYED:
            self.say("still replaying: the answer comes in a moment" if self.work.told else "ask why of a tag: : finds one")
            return
        if name not in UNCOUNTED and name not in MOVES:
            self.desk.did("done", name)
        before = self.view
        self.acted = self.acted or (self.scene is not None and name not in LOOKING)
        self.actions[name]()
        if name in MOVES and self.view == before and not self.said and self.page is None:
            self.say(AT_THE_END)
        elif name in MOVES and self.view != before and self._last not in MOVES:
            self.remember(before)
        self._last = name
        self.keep()
        self.settle_soon()

    # what is kept

    def keep(self) -> None:
        """Note where the screen stands, and save the job soon."""
        self.kept = self.desk.kept
        if self.scene is not None:
            question = self.view.question
            self.desk.stand(Spot(self.session.running.tags[question.tag].name, question.at, self.view.time, self.view.strand, self.view.line,
                                 self.view.start, self.view.end))
        if self.desk.dirty and not self._saving and self.is_running:
            self._saving = True
            self.set_timer(SAVE_AFTER, self._save)

    def _save(self) -> None:
        self._saving = False
        before = self.desk.problem
        saved = self.desk.save()
        if self.desk.news:
            self.say(self.desk.news)
            self.desk.news = ""
            self.kept = self.desk.kept
        elif saved and before:
            self.say("saved again")
        elif self.desk.problem != before:
            self.say(f"not saved: {self.desk.problem}")
        if self.desk.problem and not self._saving:
            self._saving = True  # it is tried again, with or without a key
            self.set_timer(SAVE_AGAIN, self._save)
