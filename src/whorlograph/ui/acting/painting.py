"""The main view as it looks: its pieces, laid out and painted from one frozen view."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec.structs import replace
from textual import events
from textual.app import ComposeResult
from textual.containers import Container
from textual.geometry import Size
from textual.screen import Screen

from whorlograph.desk.finding import Found
from whorlograph.desk.first_look import first_rungs, first_words
from whorlograph.desk.job import Desk, Spot, Watch
from whorlograph.desk.lanes import lane_named
from whorlograph.desk.scene import RungBlock, Scene, TrailLine
from whorlograph.desk.session import Session
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.literals import counted
from whorlograph.model.question import Question

from ..about import about
from ..keys import footer_runs
from ..rung_cursor import with_cursor, with_letter
from ..state import View
from ..strands import Lines
from ..work import Work

if TYPE_CHECKING:
    from ..views.page import Page

WIDE = 120
NEW = 3  # times that a view is told about
SAVE_AFTER = 0.3  # seconds: what a kill can lose
SAVE_AGAIN = 5.0  # seconds until what could not be saved is tried again
Label = tuple[str, int, int]  # "trail", line; or "rungs", step, element
UNREPLAYED = frozenset(("help", "palette", "quit", "close", "stop", "theme", "mouse", "aside", "tags", "points", "survey", "back"))
LOOKING = frozenset(("help", "stop", "theme", "mouse", "quit", "close", "aside"))  # change nothing of what is shown
UNCOUNTED = LOOKING | {"palette", "back", "next_strand", "previous_strand", "follow", "labels", "fresh"}  # nobody looks for these in the palette
MOVES = frozenset(("down", "up", "left", "right", "far_left", "far_right", "page_down", "page_up", "start", "end", "next_scan", "previous_scan"))


def is_tiny(size: Size) -> bool:
    """Whether a screen holds one strand only."""
    return size.width < 60 or size.height < 16


class Painting(Screen[None]):
    """State, layout and painting of the main view."""

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

    def __init__(self, session: Session, question: Question | None, desk: Desk) -> None:
        super().__init__()
        self.session, self.desk = session, desk
        self.first_question = question
        self.scene: Scene | None = None
        self.view = View(question or Question(0))
        self.walk: list[View] = []
        self.head, self.rungs, self.trail = Lines("head"), Lines("rungs", "rungs"), Lines("trail", "trail")
        self.hand = Lines("hand", "this rung")
        self.timeline, self.hint, self.footer = Lines("timeline", "timeline"), Lines("hint"), Lines("footer")
        self.trail_lines: list[TrailLine] = []
        self.blocks: list[tuple[int, RungBlock]] = []
        self.owners: list[int] = []
        self.card_room = 0
        self.said = ""
        self.messages: list[str] = []
        self.work = Work(self)
        self.last = ""
        self.page: Page | None = None
        self.found = Found("")
        self.pending: Callable[[str], None] | None = None
        self.labels: dict[str, Label] = {}
        self.count, self.times = "", 1  # digits typed before a key, and what they came to
        self._saving = False
        self.progress = ""  # of the work beside the screen
        self.acted = False  # whether a key was used since there is something to see
        self.outdated = False  # the answer shown rests on less than is replayed by now

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

    def on_lines_resized(self) -> None:
        """A strand has another size: paint into it."""
        self.paint()

    def on_resize(self, event: events.Resize) -> None:
        """Side by side where there is room, one above the other where not."""
        self.set_class(event.size.width < WIDE, "narrow")
        self.set_class(is_tiny(event.size), "tiny")
        self.allot(event.size)
        self.paint()

    def allot(self, size: Size | None = None) -> None:
        """Give the strands their heights; of a tiny screen one strand has it all."""
        size = size or self.size
        tiny, width, height = is_tiny(size), size.width, size.height
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
            double = 2 if self.scene is not None and self.scene.timeline.trial is not None else 1
            self.timeline.styles.height = min(max(5, height // 4), lanes * double + 2) if narrow else min(height // 3, lanes * double + 2)

    def say(self, text: str) -> None:
        """A message in the line above the footer; the last ones can be read again."""
        self.said = text
        if text and (not self.messages or self.messages[-1] != text):
            self.messages = [*self.messages[-19:], text]
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
            if self.work.running == "replay":
                self.rungs.show(first_rungs(self.session, self.first_question, self.rungs.room.width - 2))
                self.trail.show(first_words(self.session))
            return
        self.head.show(self.scene.head(self.view.scan, self.view.time, self.size.width, self._path()))
        self._paint_trail()
        self._paint_rungs()
        self._paint_hand()
        self._paint_timeline()

    def _path(self) -> str:
        """The questions that led here, the latest first."""
        assert self.scene is not None
        asked = [v.question.tag for v in reversed(self.walk) if v.question != self.view.question]
        return " ‹ ".join(self.scene.name(t) for t in list(dict.fromkeys(asked))[:3])

    def repaint_hint(self) -> None:
        """Show how far the work is, wherever the hint stands now."""
        if self.page is not None:
            self.page.paint_hint()
        else:
            self._paint_hint()

    def first_hint(self, view: str, width: int) -> str:
        """What a view is, while it still is new to somebody; "" from then on, and where there is no room for it."""
        if self.desk.history("opened").count(view) > NEW:
            return ""
        said = about(view)
        return said if len(said) + 2 <= width else ""

    def hint_runs(self, said: str, usual: str, width: int) -> list[Run]:
        """The hint line: what was said or else what to do, and at its right how far the work beside it is."""
        text = said or usual
        if self.desk.problem and "not saved" not in text:
            text = f"not saved: {self.desk.problem} · {text}"
        if not self.progress:
            return [(" " + text, Ink.TEXT)]
        parts, room = self.progress.split(", "), width - 4 - (len(text) if said else 0)
        while len(parts) > 1 and len(", ".join(parts)) + 16 > room:
            del parts[-2 if len(parts) > 2 else -1]
        told = ", ".join(parts) + " · Ctrl+C stops"
        if not said and len(text) + len(told) + 4 > width:
            text = ""
        elif len(text) + len(told) + 4 > width:
            told = parts[0] if len(text) + len(parts[0]) + 4 <= width else ""
        if len(told) + 3 > width:
            told = parts[0]
        gap = max(1, width - len(text) - len(told) - 2)
        return [(" " + text, Ink.TEXT), (" " * gap, Ink.TEXT), (told, Ink.STRONG)]

    def _paint_hint(self) -> None:
        self.hint.show([self.hint_runs(self.said, self._next_step(), self.size.width)])
        self.footer.show([footer_runs(self.size.width)])

    def _next_step(self) -> str:
        """The key most likely wanted next."""
        if self.scene is None:
            return ""
        answer = self.scene.answer
        if self.size.width < WIDE and self.view.line == 0 and self.view.strand == "trail" and answer.roots and self.size.height >= 16:
            return self.scene.first_root(self.size.width - 2)
        if is_tiny(self.size):
            return f"the three strands want 60 x 16, this is {self.size.width} x {self.size.height}; Tab changes the strand"
        if self.found.starts and self.view.strand != "rungs":
            return f"n and N walk through the {counted(len(self.found.starts), 'place')} of {self.found.text}"
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
        for letter, target in self.labels.items():
            if target[0] == "trail" and target[2] < len(lines):
                lines[target[2]] = [(f"[{letter}]", Ink.STRONG), *lines[target[2]]]
        if not lines:
            lines = [[(f" {self.scene.answer.text}", Ink.TEXT)]]
        if self.size.width >= WIDE:
            self._share_right(len(lines))
        height = self.trail.room.height
        self.card_room = max(0, last - number + 1 - height)  # lines of the chosen card that find no room
        if self.view.line == 0 and len(lines) <= height:
            top = 0
        elif self.view.card:
            top = number + min(self.view.card, self.card_room)
        else:
            top = self.trail.reach(number, min(last, number + self.trail.room.height - 1))
        note = f"{min(self.view.line + 1, len(firsts))} of {len(firsts)}" if firsts else ""
        if self.card_room > self.view.card:
            note = f"Down: {counted(self.card_room - self.view.card, 'more line')} · {note}"
        self.trail.show(lines, frozenset({number}) if firsts else frozenset(), top, self.view.strand == "trail", note)

    def _share_right(self, lines: int) -> None:
        """The trail gets the lines it needs, the rung at hand what is left of them, five at least."""
        room = self.query_one("#right").size.height
        wanted = max(5, room - lines - 1)
        if self.hand.styles.height is None or self.hand.styles.height.value != wanted:
            self.hand.styles.height = wanted

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
                for letter, target in self.labels.items():
                    if target[:2] == ("rungs", step):
                        runs = with_letter(runs, block, target[2], i, letter)
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

    def kept_lanes(self) -> tuple[int, ...]:
        """The lanes that were added, as tags."""
        found = (lane_named(self.session, name) for name in self.desk.kept.lanes)
        return tuple(t for t in found if t is not None)

    def keep(self) -> None:
        """Note where the screen stands, and save the job soon."""
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
            self.paint()
        elif saved and before:
            self.say("saved again")
        elif self.desk.problem != before:
            self.say(f"not saved: {self.desk.problem}")
        if self.desk.problem and not self._saving:
            self._saving = True  # it is tried again, with or without a key
            self.set_timer(SAVE_AGAIN, self._save)

    def watched(self) -> Watch | None:
        """The set of lanes that stands on the timeline; None where it is the trail's."""
        return next((w for w in self.desk.kept.watches if w.name == self.view.watch), None) if self.view.watch else None

    def all_lanes(self) -> list[int]:
        """The lanes shown: those of the trail, those added, and on a large screen those of its rungs."""
        assert self.scene is not None
        shown = self.watched()
        if shown is not None:
            named = (lane_named(self.session, name) for name in shown.lanes)
            return [t for t in named if t is not None] or [self.scene.answer.tag]
        more = tuple(self.scene.rung_lanes(self.size.height // 3 - 2)) if self.size.width >= WIDE and self.scene.timeline.trial is None else ()
        return self.scene.lanes((*self.kept_lanes(), *more))

    def _paint_timeline(self) -> None:
        assert self.scene is not None
        room = self.timeline.room
        shown = self.watched()
        self.timeline.title = f"timeline · {shown.name}" if shown is not None else "timeline"
        names = 26 if self.size.width >= WIDE else 22
        width = max(10, room.width - names - 1)
        tags = self.all_lanes()
        layout = self.scene.timeline.layout(tags, self.view.start, self.view.end, width, self.view.time, self.view.scan)
        self.scene.timeline.annotate(layout, width, self.found.starts, {m.time: m.letter for m in self.desk.kept.marks},
                            {n.time: "\"" for n in self.desk.kept.notes})
        double = 2 if self.scene.timeline.trial is not None else 1
        visible = max(1, (room.height - 1) // double)
        at = tags.index(self.view.lane) if self.view.lane in tags else 0
        first = max(0, at - visible + 1)
        lines, self.owners = self.scene.timeline.lines(layout, names, self.view.lane if self.view.strand == "timeline" else None, room.height, first)
        more = len(tags) - visible
        note = f"{more} more lane{'s' if more > 1 else ''}" if more > 0 else ""
        self.timeline.show(lines, frozenset(), 0, self.view.strand == "timeline", note)

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

    def took(self, event: events.Key) -> bool:
        """Whether something waited for this key (a mark's letter, a count's digit): then it has been used."""
        if self.pending is None:
            char = event.character or ""
            if not (char.isdigit() and char.isascii() and (self.count or char != "0")):
                return False
            self.count = (self.count + char)[:6]
            self.say(f"{self.count} times: now a key that moves")
            return True
        take, self.pending = self.pending, None
        if event.character and event.character.isprintable():
            take(event.character)
            self.keep()
        else:
            self.labels = {}
            self.paint()
            self.say("left as it was")
        return True

    def counted(self) -> None:
        """Take the count that was typed, for the action that follows."""
        self.times, self.count = int(self.count or 1), ""

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
        getattr(self, f"do_{name}")()
        if name in MOVES and self.view != before and self.last not in MOVES:
            self.walk.append(before)
        self.last = name
        self.keep()

    def _showing(self, view: View) -> View:
        """The same view with the moment in sight on the timeline."""
        span = view.end - view.start
        if view.start <= view.time <= view.end:
            return view
        start = max(0, view.time - span // 2)
        return replace(view, start=start, end=start + span)

    def remember(self) -> None:
        """Put the present view on the way back."""
        if self.walk and self.walk[-1] == self.view:
            return
        self.walk.append(self.view)
        del self.walk[:-500]

