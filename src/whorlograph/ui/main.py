"""The main view: rungs, trail and timeline of one question at one moment."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import replace

from textual import events
from textual.app import ComposeResult
from textual.containers import Container
from textual.screen import Screen

from whorlograph.desk.asking import inquiry, prove_root
from whorlograph.desk.command_line import why_command
from whorlograph.desk.finding import steps_with
from whorlograph.desk.scene import RungBlock, Scene, TrailLine
from whorlograph.desk.session import Session
from whorlograph.desk.summary import fault_text
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.inquiry.proof import Proof
from whorlograph.inquiry.trail import Answer
from whorlograph.model.errors import WhorlographError
from whorlograph.model.literals import duration_text
from whorlograph.model.question import Question
from whorlograph.model.times import parse_time

from .keys import BY_KEY, footer_runs, unknown_key
from .rung_cursor import Place, elements_of, with_cursor
from .state import STRANDS, PageState, View
from .strands import Lines
from .views.overlay import ListOverlay, Prompt
from .views.page import ListPage, Page
from .views.program import ProgramPage
from .work import Work, Worked, Working

WIDE = 120
UNREPLAYED = frozenset(("help", "palette", "quit", "close", "stop", "theme", "mouse", "notes", "tags", "points", "survey", "back"))
MOVES = frozenset(("down", "up", "left", "right", "far_left", "far_right", "page_down", "page_up", "start", "end", "next_scan", "previous_scan"))


class TimePrompt(Prompt):
    """Asks for a time; shows how it is understood."""

    def __init__(self, main: MainScreen) -> None:
        super().__init__("go to a time", "14:03:22.15 · 12.5 (seconds from the start) · +2s · -500ms · scan 8123")
        self.main = main

    def reading(self, text: str) -> tuple[str, bool]:
        """The instant that the text stands for."""
        time = self.main.time_of(text)
        if time is None:
            return "not a time yet", False
        scene = self.main.scene
        return (f"{scene.clock(time)}, scan {scene.journal.clock.scan_at(time)}" if scene is not None else ""), True


class MainScreen(Screen[None]):
    """Three strands that always show the same moment."""

    CSS = """
    MainScreen { layout: vertical; }
    #head { height: 2; }
    #middle { height: 1fr; layout: horizontal; }
    #rungs { width: 57%; height: 100%; }
    #right { width: 1fr; height: 100%; padding-left: 1; layout: vertical; }
    #trail { width: 100%; height: 1fr; }
    #hand { width: 100%; height: 12; }
    #timeline { height: 12; }
    #hint { height: 1; }
    #footer { height: 1; }
    MainScreen.narrow #middle { layout: vertical; }
    MainScreen.narrow #rungs { width: 100%; height: 9; }
    MainScreen.narrow #right { width: 100%; height: 1fr; padding-left: 0; }
    MainScreen.narrow #hand { display: none; }
    MainScreen.narrow #timeline { height: 5; }
    MainScreen.tiny #head { height: 1; }
    MainScreen.tiny #footer { height: 0; display: none; }
    """

    def __init__(self, session: Session, question: Question | None) -> None:
        super().__init__()
        self.session = session
        self.first_question = question
        self.scene: Scene | None = None
        self.view = View(question or Question(0))
        self.walk: list[View] = []
        self.answers: dict[Question, Answer] = {}
        self.head, self.rungs, self.trail = Lines("head"), Lines("rungs", "rungs"), Lines("trail", "trail")
        self.hand = Lines("hand", "this rung")
        self.timeline, self.hint, self.footer = Lines("timeline", "timeline"), Lines("hint"), Lines("footer")
        self.trail_lines: list[TrailLine] = []
        self.blocks: list[tuple[int, RungBlock]] = []
        self.owners: list[int] = []
        self.said = ""
        self.work = Work(self)
        self.trial_of: tuple[Question, object] | None = None
        self.last = ""
        self.page: Page | None = None

    def compose(self) -> ComposeResult:
        """Head, strands, hint, footer."""
        yield self.head
        with Container(id="middle"):
            yield self.rungs
            with Container(id="right"):
                yield self.trail
                yield self.hand
        yield self.timeline
        yield self.hint
        yield self.footer

    def on_mount(self) -> None:
        """Paint the frame, then replay beside the screen."""
        self.paint()
        self.work.start("replay", self._replay)

    def _replay(self) -> Generator[str, None, Answer | None]:
        total = max(1, self.session.log.end)
        for progress in self.session.replaying():
            yield f"replaying {100 * progress.done // total} %, {progress.rows:,} changes".replace(",", " ")
        yield "looking for the cause"
        if self.first_question is None:
            return None
        return inquiry(self.session).ask(self.first_question)

    # messages

    def on_working(self, message: Working) -> None:
        """Show how far the work is."""
        self.say(message.text + " · Ctrl+C stops", keep=True)

    def on_worked(self, message: Worked) -> None:
        """Take the result of some work."""
        if message.error is not None:
            self.say(str(message.error) if isinstance(message.error, WhorlographError) else f"{message.what} failed: {message.error!r}")
        elif message.what == "replay" and isinstance(message.result, Answer) and self.first_question is not None:
            self.answers[self.first_question] = message.result
            self.open_answer(self.first_question, message.result)
            self.say("")
        elif message.what == "replay":
            self.say("stopped; nothing is replayed" if not self.session.replayed else "ask why of a tag: : finds one")
            self.paint()
        elif message.what == "prove" and isinstance(message.result, Proof):
            self._proved(message.result)
        elif message.what == "prove":
            self.say("stopped; the proof is not complete")

    def on_resize(self, event: events.Resize) -> None:
        """Side by side where there is room, one above the other where not."""
        self.set_class(event.size.width < WIDE, "narrow")
        tiny = event.size.width < 60 or event.size.height < 16
        self.set_class(tiny, "tiny")
        self._arrange(tiny, event.size.width, event.size.height)
        self.paint()

    def _arrange(self, tiny: bool, width: int, height: int) -> None:
        for piece in (self.rungs, self.trail, self.timeline):
            piece.display = not tiny or piece.id == self.view.strand
        self.timeline.styles.height = None if not tiny else "1fr"
        middle = self.query_one("#middle")
        middle.display = not tiny or self.view.strand != "timeline"
        if tiny:
            self.rungs.styles.height = "1fr"
        else:
            narrow = width < WIDE
            self.rungs.styles.height = (max(7, (height - 11) // 2)) if narrow else "100%"
            lanes = len(self.all_lanes()) if self.scene is not None else 6
            self.hand.styles.height = min(13, max(6, (height - 30) // 2 + 6))
            double = 2 if self.scene is not None and self.scene.trial is not None else 1
            self.timeline.styles.height = min(max(5, height // 4), lanes * double + 2) if narrow else min(height // 3, lanes * double + 2)

    # answers and views

    def open_answer(self, question: Question, answer: Answer) -> None:
        """Show an answer from its complaint on."""
        self.scene = Scene(self.session, answer)
        start, end = self._window(answer)
        self.view = View(question, answer.scan, self.scene.journal.clock.start(answer.scan) if answer.trail is not None else answer.time,
                         "trail", 0, (-1, -1), answer.tag, start, end, values=self.view.values)
        self.rungs.top = self.trail.top = 0
        if self.trial_of is not None and self.trial_of[0] != question:
            self.trial_of = None
        self._arrange(self.size.width < 60 or self.size.height < 16, self.size.width, self.size.height)
        self.paint()

    def _window(self, answer: Answer) -> tuple[int, int]:
        """A stretch of time that shows the complaint and what led to it, but not more."""
        times = [link.since for _, link in answer.links() if link.since is not None and answer.time - link.since < 120_000_000_000]
        times += [r.since for r in answer.roots[:2] if r.since is not None and answer.time - r.since < 120_000_000_000]
        reach = max(0, answer.time - min(times, default=answer.time))
        before = max(1_000_000_000, reach * 3 // 2)
        return max(0, answer.time - before), min(max(self.session.log.end, 1), answer.time + max(600_000_000, before // 2))

    def remember(self) -> None:
        """Put the present view on the way back."""
        if self.walk and self.walk[-1] == self.view:
            return
        self.walk.append(self.view)
        del self.walk[:-500]

    def ask(self, tag: int, at: int | None) -> None:
        """Ask why a tag is as it is."""
        if self.scene is None:
            return
        question = Question(tag, at)
        answer = self.answers.get(question)
        if answer is None:
            answer = inquiry(self.session).ask(question)
            self.answers[question] = answer
        self.walk.append(self.view)
        self._show_page(None)
        self.open_answer(question, answer)
        self.say(answer.text)

    # painting

    def say(self, text: str, keep: bool = False) -> None:
        """A message in the line above the footer."""
        self.said = text
        if self.page is not None:
            self.page.say(text)
            return
        self._paint_hint()

    def paint(self) -> None:
        """Show the present view: in all strands, or on the page over them."""
        if not self.is_mounted:
            return
        if self.page is not None:
            self.page.paint()
            return
        self._paint_hint()
        if self.scene is None:
            title = self.session.paths.title or self.session.program.name
            self.head.show([[(f" {title}", Ink.STRONG)], [(f" {self.session.paths.program.name}", Ink.QUIET)]])
            return
        self.head.show(self.scene.head(self.view.scan, self.view.time, self.size.width))
        self._paint_trail()
        self._paint_rungs()
        self._paint_hand()
        self._paint_timeline()

    def _paint_hint(self) -> None:
        self.hint.show([[(" " + (self.said or self._next_step()), Ink.TEXT)]])
        self.footer.show([footer_runs(self.size.width)])

    def _next_step(self) -> str:
        """The key most likely wanted next."""
        if self.scene is None:
            return ""
        answer = self.scene.answer
        if self.size.width < WIDE and self.view.line == 0 and self.view.strand == "trail" and answer.roots and self.size.height >= 16:
            return self.scene.first_root()
        if self.size.width < 60 or self.size.height < 16:
            return f"the three strands want 60 x 16, this is {self.size.width} x {self.size.height}; Tab changes the strand"
        if answer.rests_on and self.view.line == 0 and not any(r.proved for r in answer.roots):
            return f"rests on: {answer.rests_on[0]}"
        if answer.roots and answer.roots[0].proved is None and self.view.line > 0:
            return "p proves the root: the same log, replayed with it put the other way"
        if self.view.strand == "trail" and self.view.line == 0:
            return "Down walks along the trail, from the complaint to its root"
        if self.view.strand == "timeline":
            return "Left and Right move the moment, + and - zoom, ] next change of this tag"
        if self.view.strand == "rungs":
            return "w asks why the tag under the cursor is as it is"
        return "w asks why of the tag under the cursor, Backspace comes back"

    def _paint_trail(self) -> None:
        assert self.scene is not None
        width = self.trail.room.width - (1 if self.size.width >= WIDE else 0)
        self.trail_lines = self.scene.trail(width, self.view.folded)
        firsts = self.firsts()
        number = firsts[min(self.view.line, len(firsts) - 1)] if firsts else 0
        last = number
        while last + 1 < len(self.trail_lines) and not self.trail_lines[last + 1].first:
            last += 1
        lines: list[list[Run]] = [list(t.runs) for t in self.trail_lines]
        if not lines:
            lines = [[(f" {self.scene.answer.text}", Ink.TEXT)]]
        if self.view.line == 0 and len(lines) <= self.trail.room.height:
            top = 0
        else:
            top = self.trail.reach(number, min(last, number + self.trail.room.height - 1))
        note = f"{min(self.view.line + 1, len(firsts))} of {len(firsts)}" if firsts else ""
        self.trail.show(lines, frozenset({number}) if firsts else frozenset(), top, self.view.strand == "trail", note)

    def firsts(self) -> list[int]:
        """The trail's lines that can be chosen."""
        return [i for i, t in enumerate(self.trail_lines) if t.first]

    def current_line(self) -> TrailLine | None:
        """The chosen line of the trail."""
        firsts = self.firsts()
        return self.trail_lines[firsts[min(self.view.line, len(firsts) - 1)]] if firsts else None

    def _paint_rungs(self) -> None:
        assert self.scene is not None
        width = self.rungs.room.width - 2
        line = self.current_line()
        steps = self.scene.steps()
        wanted = line.step if line is not None and line.step >= 0 else -1
        if wanted >= 0 and wanted not in steps:
            steps = [*steps, wanted]
        if self.size.width >= WIDE and self.scene.answer.trail is not None:
            steps = steps + [s for s in self.scene.steps_beside() if s not in steps]
        if self.size.width < WIDE and wanted in steps and self.view.strand != "rungs":
            steps = steps[steps.index(wanted):] + steps[:steps.index(wanted)]
        lines: list[list[Run]] = []
        self.blocks = []
        first, last = 0, 0
        for step in steps[:24]:
            block = self.scene.rung(step, self.view.scan, width, self.view.values)
            if step == wanted:
                first, last = len(lines), len(lines) + len(block.lines) - 1
            self.blocks.append((len(lines), block))
            for i, content in enumerate(block.lines):
                mark = "▌" if step == wanted else " "
                runs: list[Run] = [(mark, Ink.MOMENT), *content]
                if self.view.strand == "rungs" and step == self.view.element[0]:
                    runs = with_cursor(runs, block, self.view.element[1], i)
                lines.append(runs)
            lines.append([])
        if self.view.strand == "rungs":
            first, last = self._cursor_lines(first, last)
        top = self.rungs.reach(first, min(last, first + self.rungs.room.height - 1))
        place = self.scene.clock(self.view.time) if self.size.width < WIDE else ""
        self.rungs.show(lines, frozenset(), top, self.view.strand == "rungs", place)

    def _cursor_lines(self, first: int, last: int) -> tuple[int, int]:
        for start, block in self.blocks:
            for spot in block.spots:
                if (block.step, spot.element) == self.view.element:
                    return start + max(0, spot.line - 1), start + spot.line + 1
        return first, last

    def _paint_hand(self) -> None:
        """The tags of the rung at hand, where there is room for them."""
        assert self.scene is not None
        if self.size.width < WIDE:
            return
        line = self.current_line()
        step = self.view.element[0] if self.view.strand == "rungs" else line.step if line is not None else -1
        if step < 0 and self.blocks:
            step = self.blocks[0][1].step
        lines = self.scene.at_hand(step, self.view.scan, self.hand.room.width)
        self.hand.show(lines, top=0, note=self.scene.tracer.place(step) if step >= 0 else "")

    def all_lanes(self) -> list[int]:
        """The lanes shown: those of the trail, those added, and on a large screen those of its rungs."""
        assert self.scene is not None
        more = tuple(self.scene.rung_lanes(self.size.height // 3 - 2)) if self.size.width >= WIDE and self.scene.trial is None else ()
        return self.scene.lanes((*self.view.lanes, *more))

    def _paint_timeline(self) -> None:
        assert self.scene is not None
        room = self.timeline.room
        names = 26 if self.size.width >= WIDE else 22
        width = max(10, room.width - names - 1)
        tags = self.all_lanes()
        layout = self.scene.timeline(tags, self.view.start, self.view.end, width, self.view.time, self.view.scan)
        double = 2 if self.scene.trial is not None else 1
        visible = max(1, (room.height - 1) // double)
        at = tags.index(self.view.lane) if self.view.lane in tags else 0
        first = max(0, at - visible + 1)
        lines, self.owners = self.scene.timeline_lines(layout, names, self.view.lane if self.view.strand == "timeline" else None, room.height, first)
        more = len(tags) - visible
        note = f"{more} more lanes" if more > 0 else ""
        self.timeline.show(lines, frozenset(), 0, self.view.strand == "timeline", note)

    # keys

    def on_key(self, event: events.Key) -> None:
        """Every key does something, or says that it does nothing."""
        action = BY_KEY.get(event.key)
        event.stop()
        event.prevent_default()
        if action is None:
            self.say(unknown_key(event))
            return
        self.do(action.name)

    def do(self, name: str) -> None:
        """Carry out an action."""
        if name not in ("stop",):
            self.said = ""
        if self.scene is None and name not in UNREPLAYED:
            self.say("still replaying: the answer comes in a moment" if self.work.running else "ask why of a tag: : finds one")
            return
        before = self.view
        getattr(self, f"do_{name}")()
        if name in MOVES and self.view != before and self.last not in MOVES:
            self.walk.append(before)
        self.last = name

    def do_help(self) -> None:
        """Help for where the focus is."""
        from .views.help import help_overlay

        here = self.view.page.name if self.view.page is not None else self.view.strand
        self.app.push_screen(help_overlay(here, self.size.width))

    def do_palette(self) -> None:
        """Find anything."""
        from .views.palette import palette_overlay

        self.app.push_screen(palette_overlay(self.scene), self._found)

    def _found(self, value: object) -> None:
        if not isinstance(value, tuple):
            return
        kind, what = value
        if kind == "do":
            self.do(what)
        elif kind == "why":
            self.ask(what, None)
        elif kind == "rung" and self.scene is not None:
            self.open_page(PageState("program", step=what))

    def _move(self, steps: int) -> None:
        if self.view.strand == "trail":
            self._to_line(self.view.line + steps)
        elif self.view.strand == "timeline":
            self._to_lane(steps)
        else:
            self._to_element(0, steps)

    def do_down(self) -> None:
        """Next line, element or lane."""
        self._move(1)

    def do_up(self) -> None:
        """The one before."""
        self._move(-1)

    def do_page_down(self) -> None:
        """Half a page down."""
        self._move(max(1, self.trail.room.height // 4))

    def do_page_up(self) -> None:
        """Half a page up."""
        self._move(-max(1, self.trail.room.height // 4))

    def _to_line(self, number: int) -> None:
        """Choose a line of the trail; the moment goes to when it happened."""
        firsts = self.firsts()
        if not firsts:
            return
        wanted = max(0, min(len(firsts) - 1, number))
        if wanted == self.view.line and number != self.view.line:
            self.say("the trail ends here" if number > 0 else "the trail begins here")
        line = self.trail_lines[firsts[wanted]]
        scan = line.scan if line.scan > 0 else self.view.scan
        time = line.time if line.time > 0 else self.view.time
        lane = line.tag if line.tag is not None else self.view.lane
        self.view = self._showing(replace(self.view, line=wanted, scan=scan, time=time, lane=lane))
        self.paint()

    def _showing(self, view: View) -> View:
        """The same view with the moment in sight on the timeline."""
        span = view.end - view.start
        if view.start <= view.time <= view.end:
            return view
        start = max(0, view.time - span // 2)
        return replace(view, start=start, end=start + span)

    def _to_lane(self, steps: int) -> None:
        assert self.scene is not None
        tags = self.all_lanes()
        at = tags.index(self.view.lane) if self.view.lane in tags else 0
        self.view = replace(self.view, lane=tags[max(0, min(len(tags) - 1, at + steps))])
        self.paint()

    def _elements(self) -> list[Place]:
        return elements_of(self.blocks)

    def _to_element(self, across: int, down: int) -> None:
        elements = self._elements()
        if not elements:
            return
        here = next((e for e in elements if e[2:] == self.view.element), None)
        if here is None:
            first = next((e for e in elements if e[2] == self.view.element[0]), elements[0])
            self.view = replace(self.view, element=(first[2], first[3]))
        elif across:
            row = [e for e in elements if e[0] == here[0]]
            self.view = replace(self.view, element=row[max(0, min(len(row) - 1, row.index(here) + across))][2:])
        else:
            rows = sorted({e[0] for e in elements})
            wanted = rows[max(0, min(len(rows) - 1, rows.index(here[0]) + down))]
            row = [e for e in elements if e[0] == wanted]
            self.view = replace(self.view, element=min(row, key=lambda e: abs(e[1] - here[1]))[2:])
        self.paint()

    def _cells(self, count: int) -> None:
        """Move the moment by cells of the timeline."""
        cell = max(1, (self.view.end - self.view.start) // max(10, self.timeline.room.width - 27))
        self.to_time(self.view.time + count * cell)

    def do_right(self) -> None:
        """Next element, or later."""
        if self.view.strand == "rungs":
            self._to_element(1, 0)
        elif self.view.strand == "timeline":
            self._cells(1)
        else:
            self._unfold(True)

    def do_left(self) -> None:
        """Element before, or earlier."""
        if self.view.strand == "rungs":
            self._to_element(-1, 0)
        elif self.view.strand == "timeline":
            self._cells(-1)
        else:
            self._unfold(False)

    def do_far_right(self) -> None:
        """Ten cells later."""
        self._cells(10)

    def do_far_left(self) -> None:
        """Ten cells earlier."""
        self._cells(-10)

    def do_start(self) -> None:
        """First line, or the log's start."""
        self._edge(first=True)

    def do_end(self) -> None:
        """Last line, or the log's end."""
        self._edge(first=False)

    def _edge(self, first: bool) -> None:
        if self.view.strand == "trail":
            self._to_line(0 if first else 10**6)
        elif self.view.strand == "timeline":
            self.to_time(0 if first else self.session.log.end)
        else:
            elements = self._elements()
            if elements:
                self.view = replace(self.view, element=elements[0 if first else -1][2:])
                self.paint()

    def do_next_strand(self) -> None:
        """The next strand."""
        self._strand(1)

    def do_previous_strand(self) -> None:
        """The strand before."""
        self._strand(-1)

    def _strand(self, steps: int) -> None:
        order = STRANDS
        strand = order[(order.index(self.view.strand) + steps) % len(order)]
        element = self.view.element
        if strand == "rungs" and not any(b.step == element[0] for _, b in self.blocks):
            line = self.current_line()
            step = line.step if line is not None and line.step >= 0 else (self.blocks[0][1].step if self.blocks else -1)
            block = next((b for _, b in self.blocks if b.step == step), None)
            chosen = next((s.element for s in block.spots if line is not None and s.element in line.blockers), None) if block else None
            element = (step, chosen if chosen is not None else (block.spots[0].element if block and block.spots else -1))
        lane = self.view.lane if self.scene is None or self.view.lane in self.all_lanes() else self.scene.answer.tag
        self.view = replace(self.view, strand=strand, element=element, lane=lane)
        self._arrange(self.size.width < 60 or self.size.height < 16, self.size.width, self.size.height)
        self.paint()

    def do_follow(self) -> None:
        """Go where the line, element or lane points."""
        if self.view.strand == "trail":
            self.do_fold()
        elif self.view.strand == "rungs":
            self.do_why()
        else:
            self.do_next_change()

    def do_fold(self) -> None:
        """Fold or unfold."""
        self._unfold(None)

    def _unfold(self, open_: bool | None) -> None:
        line = self.current_line()
        if self.scene is None or line is None or line.link is None:
            return
        number = next((i for i, (_, link) in enumerate(self.scene.answer.links()) if link is line.link), -1)
        is_folded = number in self.view.folded
        if open_ is None or is_folded == open_:
            self.view = replace(self.view, folded=self.view.folded ^ {number})
            self.paint()

    def chosen_tag(self) -> int | None:
        """The tag under the cursor."""
        if self.page is not None:
            return self.page.chosen_tag()
        if self.view.strand == "rungs":
            for _, block in self.blocks:
                if block.step == self.view.element[0]:
                    return block.tags.get(self.view.element[1])
            return None
        if self.view.strand == "timeline":
            return self.view.lane if self.view.lane >= 0 else None
        line = self.current_line()
        return line.tag if line is not None else None

    def do_why(self) -> None:
        """Ask why of the tag under the cursor, at this moment."""
        tag = self.chosen_tag()
        if tag is None or tag >= self.session.plant.public:
            self.say("there is no tag under the cursor")
            return
        if self.scene is not None and tag == self.scene.answer.tag and abs(self.view.scan - self.scene.answer.scan) < 2:
            self.say("this is the question already")
            return
        self.ask(tag, self.view.time)

    def do_prove(self) -> None:
        """Prove the root under the cursor, else the first not yet tried."""
        assert self.scene is not None
        line = self.current_line()
        answer = self.scene.answer
        root = line.root if line is not None and line.root is not None else next((r for r in answer.roots if r.proved is None and not r.proof), None)
        if root is None:
            self.say("every root has been tried" if answer.roots else "there is no root to prove")
            return
        session = self.session

        def job() -> Generator[str, None, Proof]:
            yield f"replaying the log with {self.scene.name(root.tag) if self.scene else 'the root'} put the other way"
            return prove_root(session, answer, root)

        if not self.work.start("prove", job):
            self.say("something else is still running: Ctrl+C stops it")

    def _proved(self, proof: Proof) -> None:
        if self.scene is None:
            return
        if proof.journal is not None:
            self.scene.with_trial(proof.journal)
            self._arrange(self.size.width < 60 or self.size.height < 16, self.size.width, self.size.height)
        word = {True: "proved", False: "disproved", None: "not tried"}[proof.proved]
        self.paint()
        self.say(f"{word}: {proof.text}")

    def to_time(self, time: int, jump: bool = False) -> None:
        """Move the moment to a time."""
        assert self.scene is not None
        if jump:
            self.remember()
        clock = self.scene.journal.clock
        time = max(0, min(time, self.session.log.end))
        self.view = self._showing(replace(self.view, time=time, scan=max(1, clock.scan_at(time))))
        self.paint()

    def to_scan(self, scan: int) -> None:
        """Move the moment to a scan."""
        assert self.scene is not None
        clock = self.scene.journal.clock
        scan = max(1, min(scan, clock.last))
        self.view = self._showing(replace(self.view, scan=scan, time=clock.start(scan)))
        self.paint()

    def do_next_scan(self) -> None:
        """One scan on."""
        self.to_scan(self.view.scan + 1)

    def do_previous_scan(self) -> None:
        """One scan back."""
        self.to_scan(self.view.scan - 1)

    def _change(self, tags: list[int], forward: bool) -> None:
        """Go to the next or previous change of some tags."""
        assert self.scene is not None
        journal, scan = self.scene.journal, self.view.scan
        best: int | None = None
        for tag in tags:
            position = journal.settled_position(scan) if forward else journal.settled_position(scan - 1)
            row = journal.next_row(tag, position) if forward else journal.last_row(tag, position)
            if row is not None and (best is None or (row < best) == forward):
                best = row
        if best is None:
            self.say(f"no {'later' if forward else 'earlier'} change in this log")
            return
        self.remember()
        self.to_scan(journal.moment(best).scan)

    def do_next_change(self) -> None:
        """Next change of the tag under the cursor."""
        tag = self.chosen_tag()
        self._change([tag] if tag is not None else [], True)

    def do_previous_change(self) -> None:
        """Previous change of the tag under the cursor."""
        tag = self.chosen_tag()
        self._change([tag] if tag is not None else [], False)

    def do_next_event(self) -> None:
        """Next change of any tag of the trail."""
        assert self.scene is not None
        self._change(self.scene.lanes(), True)

    def do_previous_event(self) -> None:
        """Previous change of any tag of the trail."""
        assert self.scene is not None
        self._change(self.scene.lanes(), False)

    def time_of(self, text: str) -> int | None:
        """The instant a person typed; None where it is none."""
        text = text.strip()
        if self.scene is None or not text:
            return None
        if text.lower().startswith("scan"):
            number = text[4:].strip().replace(" ", "")
            return self.scene.journal.clock.start(int(number)) if number.isdigit() else None
        if text[0] in "+-":
            from whorlograph.model.literals import duration

            try:
                step = duration(text[1:] if text[-1].isalpha() else text[1:] + "s")
            except ValueError:
                return None
            return self.view.time + (step if text[0] == "+" else -step)
        try:
            time = parse_time(text, self.session.log)
        except WhorlographError:
            return None
        return time if 0 <= time <= self.session.log.end else None

    def do_go_time(self) -> None:
        """Ask for a time."""
        def go(text: str | None) -> None:
            time = self.time_of(text) if text else None
            if time is not None:
                self.to_time(time, jump=True)

        self.app.push_screen(TimePrompt(self), go)

    def _zoom(self, numerator: int, denominator: int) -> None:
        view = self.view
        span = max(20_000_000, min(max(self.session.log.end, 1), (view.end - view.start) * numerator // denominator))
        share = (view.time - view.start) / max(1, view.end - view.start)
        start = max(0, int(view.time - span * min(1.0, max(0.0, share))))
        self.view = replace(view, start=start, end=start + span)
        self.paint()
        self.say(f"{duration_text(span)} wide")

    def do_zoom_in(self) -> None:
        """Half the time."""
        self._zoom(1, 2)

    def do_zoom_out(self) -> None:
        """Twice the time."""
        self._zoom(2, 1)

    def do_zoom_fit(self) -> None:
        """The whole log, or back to the complaint."""
        assert self.scene is not None
        if self.view.start == 0 and self.view.end >= self.session.log.end:
            start, end = self._window(self.scene.answer)
        else:
            start, end = 0, max(1, self.session.log.end)
        self.view = self._showing(replace(self.view, start=start, end=end))
        self.paint()

    def do_add_lane(self) -> None:
        """A lane for the tag under the cursor; on the coil under the cursor, lanes for all of its rung."""
        assert self.scene is not None
        wanted: list[int] = []
        if self.view.strand == "rungs":
            block = next((b for _, b in self.blocks if b.step == self.view.element[0]), None)
            wanted = list(dict.fromkeys(block.tags.values())) if block is not None else []
        elif self.chosen_tag() is not None:
            wanted = [self.chosen_tag() or 0]
        known = self.scene.lanes(self.view.lanes)
        fresh = [t for t in wanted if t not in known and t < self.session.plant.public]
        if not fresh:
            self.say("these tags have lanes already" if wanted else "there is no tag under the cursor")
            return
        self.view = replace(self.view, lanes=(*self.view.lanes, *fresh))
        self._arrange(self.size.width < 60 or self.size.height < 16, self.size.width, self.size.height)
        self.paint()
        self.say(f"{len(fresh)} lane{'s' if len(fresh) > 1 else ''} added")

    def do_values(self) -> None:
        """Values under the tags."""
        self.view = replace(self.view, values=not self.view.values)
        self.paint()

    def do_back(self) -> None:
        """The way back."""
        if not self.walk:
            self.say("this is where you began; q leaves")
            return
        before = self.walk.pop()
        if self.scene is None or before.question != self.view.question:
            answer = self.answers[before.question]
            self.open_answer(before.question, answer)
        self._show_page(before.page)
        self.view = before
        self.paint()

    # pages

    def open_page(self, state: PageState) -> None:
        """Lay a page over the strands."""
        self.walk.append(self.view)
        self.view = replace(self.view, page=state)
        self._show_page(state)

    def _show_page(self, state: PageState | None) -> None:
        """Bring up the page of a state, or the strands."""
        if self.page is not None:
            self.page = None
            self.app.pop_screen()
        if state is not None:
            self.page = ProgramPage(self, state) if state.name == "program" else ListPage(self, state)
            self.app.push_screen(self.page)

    def page_head(self, width: int) -> list[Run]:
        """The head line of a page: what runs, and the moment."""
        if self.scene is None:
            return [(f" {self.session.paths.title or self.session.program.name}", Ink.STRONG)]
        return self.scene.head(self.view.scan, self.view.time, width)[0]

    def do_xref(self) -> None:
        """Where the tag under the cursor is used."""
        tag = self.chosen_tag()
        if tag is None or tag >= self.session.plant.public:
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

    def do_program(self) -> None:
        """The whole program, at the rung at hand."""
        line = self.current_line()
        step = self.view.element[0] if self.view.strand == "rungs" else line.step if line is not None else -1
        if self.session.controller.steps.all:
            self.open_page(PageState("program", step=max(0, step)))
        else:
            self.say("the program has no rung")

    def do_search(self) -> None:
        """Search the program's rungs."""
        from .views.search import SearchPrompt

        def take(text: str | None) -> None:
            if text is None:
                return
            hits = steps_with(self.session, text)
            if not hits:
                self.say(f"“{text}” occurs in no rung" if text else "nothing was searched for")
                return
            self.open_page(PageState("program", step=hits[0]))
            assert self.page is not None
            self.page.search(text)

        self.app.push_screen(SearchPrompt(lambda text: f"{len(steps_with(self.session, text))} rungs"), take)

    def do_next_hit(self) -> None:
        """Next place of the search."""
        self.say("nothing is searched for: / searches")

    def do_previous_hit(self) -> None:
        """Place of the search before."""
        self.do_next_hit()

    def do_sort(self) -> None:
        """The next order of a list."""
        self.say("only lists are sorted: X shows all tags, F the field points")

    def do_notes(self) -> None:
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
        self.app.push_screen(ListOverlay("notes", lines))

    def do_copy(self) -> None:
        """Copy the command that prints this answer."""
        assert self.scene is not None
        answer = self.scene.answer
        command = why_command(self.session, answer, self.view.question.at, any(r.proved is not None for r in answer.roots))
        self.app.copy_to_clipboard(command)
        self.say(f"copied: {command}")

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
        self.app.exit()

    def do_quit(self) -> None:
        """Leave."""
        self.app.exit()

    def do_stop(self) -> None:
        """Stop what runs; say how to leave otherwise."""
        self.say("stopping" if self.work.stop() else "nothing runs; q leaves")

    def on_lines_resized(self) -> None:
        """A strand has another size: paint into it."""
        self.paint()

    # mouse

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

