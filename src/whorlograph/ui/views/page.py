"""Pages over the strands: lists of tags, uses, points; the whole program. One moment and one way back with the main view."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import overload

from msgspec.structs import replace
from textual import events
from textual.app import ComposeResult
from textual.screen import Screen

from whorlograph.desk.comparing import compared_page, right_page
from whorlograph.desk.listings import JOB_PAGES, Line, Listing, deciding_step, tag_line
from whorlograph.desk.pages import PAGES
from whorlograph.desk.question_pages import explain_page
from whorlograph.desk.scene import Scene
from whorlograph.desk.timeline import Timeline
from whorlograph.drawing.shapes import Ink, Run

from ..early import again, elsewhere
from ..host import Host
from ..keys import AT_THE_END, BY_KEY, CURSOR, footer_runs, key_text, unknown_key
from ..room import is_low
from ..rung_cursor import with_cursor
from ..state import PageState, View
from ..strands import Lines
from .search import SearchPrompt

# What acts on the strands alone: nobody would see it from a page.
OF_STRANDS = frozenset(("zoom_in", "zoom_out", "zoom_fit", "values", "fold", "left", "right", "far_left", "far_right",
                        "next_strand", "previous_strand", "watch", "drop_lane", "lane_up", "lane_down"))


class Page(Screen[None]):
    """What all pages share: head line, body, hint, footer; keys they do not know go to the main view."""

    DEFAULT_CSS = """
    Page { layout: vertical; }
    Page #pagehead { height: 1; }
    Page #pagebody { height: 1fr; }
    Page #pagehint, Page #pagefooter { height: 1; }
    """
    FOOTER: tuple[str, ...] = ("help", "palette", "back", "why", "xref", "search", "next_change", "close")
    LABELS: Mapping[str, str] = MappingProxyType({})  # where a key does something else here

    def __init__(self, main: Host, state: PageState) -> None:
        super().__init__()
        self.main, self.state = main, state
        self.head, self.body = Lines("pagehead"), Lines("pagebody", " ")
        self.hint, self.footer = Lines("pagehint"), Lines("pagefooter")
        self.followed: View | None = None  # the view that it was painted for
        self.said = self.usual = ""
        self.resizing = False  # told of another size, and not yet painted
        self.waiting: list[events.Key] | None = []  # keys that came before the page stood; None once it does

    def compose(self) -> ComposeResult:
        """Head, body, hint, footer."""
        yield self.head
        yield self.body
        yield self.hint
        yield self.footer

    def on_mount(self) -> None:
        """Show the page."""
        self.paint()

    def on_lines_resized(self) -> None:
        """Another size: show it anew, once for all its parts."""
        if not self.resizing:
            self.resizing = True
            self.call_later(self._resized)

    def _resized(self) -> None:
        self.resizing = False
        self.paint()

    def change(self, **what: object) -> None:
        """Take another state, and let the main view know it for the way back."""
        self.state = replace(self.state, **what)
        self.main.view = self.followed = replace(self.main.view, page=self.state)
        self.paint()

    def follow(self, view: View) -> None:
        """The screen's view is another one: show it, unless the page itself made it so."""
        if view != self.followed:
            self.followed = view
            self.paint()

    def say(self, text: str) -> None:
        """A message in the line above the footer."""
        self.said = text
        self._paint_edges("")

    def paint(self) -> None:
        """Show the state."""

    def _paint_edges(self, hint: str) -> None:
        if self.waiting is not None:
            waiting, self.waiting = self.waiting, None
            for event in waiting:
                again(self.app, event)
        self.head.show([self.head_runs()])
        self.usual = self.main.first_hint(self.state.name, self.size.width) or hint or self.default_hint()
        self.paint_hint()
        self.footer.show([footer_runs(self.size.width, self.FOOTER, self.LABELS)])

    def head_runs(self) -> list[Run]:
        """The line at the top."""
        return self.main.page_head(self.size.width)

    def paint_hint(self) -> None:
        """The line above the footer: what was said, or what to do, and how far the work is."""
        self.hint.show([self.main.hint_runs(self.said, self.usual, self.size.width)])

    def default_hint(self) -> str:
        """What to do here."""
        return "Backspace comes back"

    def chosen_tag(self) -> int | None:
        """The tag under the cursor."""
        return None

    def place(self) -> tuple[int, int] | None:
        """The step and element under the cursor; None where no rung is drawn."""
        return None

    def search(self, text: str) -> None:
        """Take a search text."""

    def take(self, result: object) -> None:
        """Take the result of work that the page began."""

    def on_key(self, event: events.Key) -> None:
        """Every key does something here, or says that it does nothing."""
        if elsewhere(self, event):
            return
        if self.waiting is not None:
            self.waiting.append(event)
            event.stop()
            event.prevent_default()
            return
        action = BY_KEY.get(event.key)
        event.stop()
        event.prevent_default()
        if self.main.took(event):
            return
        if action is None:
            self.say(unknown_key(event))
            return
        self.said = ""
        own = getattr(self, f"do_{action.name}", None)
        if own is not None:
            before = self.state
            self.main.counted()
            own()
            if action.name in CURSOR and self.state == before and not self.said:
                self.say(AT_THE_END)
        elif action.name in OF_STRANDS:
            self.say(f"{key_text(event.key)} ({action.label}) acts on trail, rungs and timeline; Backspace goes back to them")
        else:
            self.main.do(action.name)

    def do_close(self) -> None:
        """Back to where it was opened."""
        self.main.do("back")

    def on_lines_wheeled(self, event: Lines.Wheeled) -> None:
        """The wheel moves the choice."""
        event.stop()
        self.move(3 * event.steps)

    def move(self, steps: int) -> None:
        """Move the choice."""

    def do_down(self) -> None:
        """Next line."""
        self.move(self.main.times)

    def do_up(self) -> None:
        """Line before."""
        self.move(-self.main.times)

    def do_page_down(self) -> None:
        """Half a page on."""
        self.move(max(1, self.body.room.height // 2))

    def do_page_up(self) -> None:
        """Half a page back."""
        self.move(-max(1, self.body.room.height // 2))

    def do_start(self) -> None:
        """First line."""
        self.move(-10**7)

    def do_end(self) -> None:
        """Last line."""
        self.move(10**7)

    def do_labels(self) -> None:
        """Letters belong to the strands."""
        self.say("letters stand on trail and rungs; here the arrows and / do")

    def do_search(self) -> None:
        """Ask for a text."""
        self.app.push_screen(SearchPrompt(self.counted, self.state.filter), lambda text: self.search(text) if text is not None else None)

    def counted(self, text: str) -> str:
        """How many places a text has here, for the prompt."""
        return ""


class _Shown(Sequence[Sequence[Run]]):
    """Lines as what shows them takes them, each made when it comes in sight."""

    def __init__(self, lines: list[Line]) -> None:
        self.all = lines

    def __len__(self) -> int:
        return len(self.all)

    @overload
    def __getitem__(self, at: int) -> Sequence[Run]: ...

    @overload
    def __getitem__(self, at: slice) -> Sequence[Sequence[Run]]: ...

    def __getitem__(self, at: int | slice) -> Sequence[Run] | Sequence[Sequence[Run]]:
        return [x.runs for x in self.all[at]] if isinstance(at, slice) else self.all[at].runs


class ListPage(Page):
    """A page of lines to choose from, filter and sort."""

    DEFAULT_CSS = """
    ListPage #pagerung { height: 0; }
    """
    RUNG_NOTE = "at the moment"
    STEADY = True  # whether its lines stay the same while another of them is chosen

    def __init__(self, main: Host, state: PageState) -> None:
        super().__init__(main, state)
        self.listing = Listing("", (), ())
        self.shown: list[Line] = []
        self.rung = Lines("pagerung", "its rung")

    def compose(self) -> ComposeResult:
        """The list, and below it the rung that the chosen line stands for."""
        yield self.head
        yield self.body
        yield self.rung
        yield self.hint
        yield self.footer

    def _paint_rung(self) -> None:
        """Where there is room: the rung of the chosen use, or the one that writes the chosen tag."""
        line, (scene, scan) = self.chosen(), self.rung_scene()
        step = -1
        if line is not None and scene is not None and not is_low(self.size):
            step = line.step if line.step >= 0 else deciding_step(scene.session, line.tag)
        lines: list[list[Run]] = []
        if step >= 0 and scene is not None:
            block = scene.rung(step, scan, self.rung.size.width - 2)
            at = line.element if line is not None else -1
            lines = [with_cursor([(" ", Ink.TEXT), *runs], block, at, i) for i, runs in enumerate(block.lines)]
        more = self.below_rung(step)
        if not lines and not more:
            self.rung.styles.height = 0
            return
        self.rung.styles.height = min(len(lines) + len(more) + 2, self.size.height // (2 if more else 3))
        self.rung.show([*lines, *more], top=0, note=self.RUNG_NOTE)

    def in_a_line(self, tag: int) -> str:
        """All about a chosen tag, where there is no room for columns."""
        return tag_line(self.main.session, tag)

    def below_rung(self, step: int) -> list[list[Run]]:
        """What stands below the rung (-1: none)."""
        return []

    def _lines(self, text: str) -> list[Line]:
        words = text.lower().split()
        return [x for x in self.listing.lines if not words or (x.stands and all(w in x.text.lower() for w in words))]

    def laid_out(self, width: int) -> Listing:
        """The page's lines for the moment and a width."""
        if self.state.name in JOB_PAGES:
            return JOB_PAGES[self.state.name](self.main.session, self.main.desk.kept, self.main.desk.job.walk)
        if self.state.name == "explain":
            return explain_page(self.main.session, self.state.word, width)
        scene = self.main.scene
        if self.state.name == "right" and scene is not None:
            return right_page(self.main.session, scene.answer, width, Timeline(self.main.session, scene.name))
        if self.state.name == "compared" and scene is not None:
            return compared_page(self.main.session, scene.answer.tag, int(self.state.word or 0), self.main.view.scan, width)
        return PAGES[self.state.name](self.main.session, self._moment(), width, self.state.order, self.state.tag)

    def _moment(self) -> int:
        """The scan that the page tells of: the view's; of what else can be asked, while the view stands where an answer went, the one asked for."""
        scan, scene = self.main.view.scan, self.main.scene
        if self.state.name != "asking" or scene is None or scene.answer.tag != self.state.tag or abs(scan - scene.answer.scan) > 1:
            return scan
        return scene.answer.asked or scan

    def rung_scene(self) -> tuple[Scene | None, int]:
        """What draws the rung below the list, and the scan that it is drawn at."""
        return self.main.scene, self.main.view.scan

    def paint(self) -> None:
        """Lay the page out for the moment and the size."""
        if not self.is_mounted or not self.body.size.width:
            return
        self.listing = self.laid_out(self.body.room.width - 1)
        self._show()

    def change(self, **what: object) -> None:
        """Take another state; lines stay as they are laid out where only another of them is chosen, or fewer are asked for."""
        self.state = replace(self.state, **what)
        self.main.view = self.followed = replace(self.main.view, page=self.state)
        if self.is_mounted and self.body.size.width and self.STEADY and what.keys() <= {"row", "filter"}:
            self._show()
        else:
            self.paint()

    def _show(self) -> None:
        """Show what is laid out: the lines that the filter leaves, the chosen one among them."""
        self.shown = self._lines(self.state.filter)
        row = self._nearest(self.state.row, 1)
        if row != self.state.row:
            self.state = replace(self.state, row=row)
        count = sum(x.stands for x in self.shown)
        order = f" · {self.listing.orders[self.state.order % len(self.listing.orders)]}" if self.listing.orders else ""
        found = f" · {count} with “{self.state.filter}”" if self.state.filter else ""
        self.body.title = self.listing.title + order + found
        place = sum(x.stands for x in self.shown[:row + 1])
        lines = [*self.listing.head, *self.shown]
        if not self.shown:
            lines.append(Line(((" nothing fits; Esc shows all again, Ctrl+P finds anything", Ink.QUIET),)))
        keep = len(self.listing.head)
        self.body.pinned = keep
        at = keep + row
        top = self.body.reach(at - 1 if at > keep else at, at) if self.shown else 0
        self.body.show(_Shown(lines), frozenset({at}) if count else frozenset(), top, True, f"{place} of {count}" if count else "")
        self._paint_rung()
        line = self.chosen()
        narrow = self.size.width < 110 and line is not None and line.tag is not None and self.state.row > 1
        self._paint_edges(self.in_a_line(line.tag) if narrow and line is not None and line.tag is not None else self.listing.hint)

    def _nearest(self, row: int, step: int) -> int:
        """The row itself, or the next that can be chosen, in a direction first."""
        rows = [i for i, x in enumerate(self.shown) if x.stands]
        if not rows:
            return 0
        ahead = [i for i in rows if (i >= row if step > 0 else i <= row)]
        if ahead:
            return ahead[0] if step > 0 else ahead[-1]
        return rows[-1] if step > 0 else rows[0]

    def move(self, steps: int) -> None:
        """Move the choice over lines that stand for something."""
        rows = [i for i, x in enumerate(self.shown) if x.stands]
        if not rows:
            self.say("there is no line to choose")
            return
        at = rows.index(self.state.row) if self.state.row in rows else 0
        wanted = max(0, min(len(rows) - 1, at + steps))
        if wanted == at:
            self.said = "the list ends here" if steps > 0 else "the list begins here"
        self.change(row=rows[wanted])

    def chosen(self) -> Line | None:
        """The line under the cursor."""
        return self.shown[self.state.row] if 0 <= self.state.row < len(self.shown) and self.shown[self.state.row].stands else None

    def chosen_tag(self) -> int | None:
        """The tag that the line stands for, else the page's."""
        line = self.chosen()
        if line is not None and line.tag is not None:
            return line.tag
        return self.state.tag

    def do_follow(self) -> None:
        """Go where the line points: a rung in the whole program, or a tag's uses."""
        line = self.chosen()
        if line is None:
            self.say("there is nothing here to go to")
            return
        if line.question is not None:
            self.main.ask_question(line.question)
        elif line.word and line.step < 0:
            self.main.open_page(PageState("explain", word=line.word))
        elif line.time is not None and self.state.name == "right":
            self.main.leave_page_for(line.time)
        elif line.step >= 0:
            self.main.open_page(PageState("program", step=line.step, element=line.element))
        elif line.time is not None:
            self.main.leave_page_for(line.time)
        elif line.tag is not None:
            self.main.open_page(PageState("tag", tag=line.tag))

    def do_explain(self) -> None:
        """The page on what the line stands for."""
        line = self.chosen()
        self.main.open_page(PageState("explain", word=line.word if line is not None else ""))

    def do_sort(self) -> None:
        """The next order."""
        if self.listing.orders:
            self.change(order=(self.state.order + 1) % len(self.listing.orders), row=0)
        else:
            self.say("this page has one order only")

    def search(self, text: str) -> None:
        """Show the lines that hold every word."""
        self.change(filter=text, row=0)

    def counted(self, text: str) -> str:
        """How many lines hold every word."""
        return f"{sum(x.stands for x in self._lines(text))} of {sum(x.stands for x in self.listing.lines)}"

    def do_next_hit(self) -> None:
        """Next line of the search."""
        self.move(1)

    def do_previous_hit(self) -> None:
        """Line of the search before."""
        self.move(-1)

    def do_back(self) -> None:
        """Take the filter away first, then go back."""
        if self.state.filter:
            self.change(filter="", row=0)
        else:
            self.main.do("back")

    def on_lines_clicked(self, event: Lines.Clicked) -> None:
        """A click chooses; a click on the chosen line follows it."""
        event.stop()
        row = event.line - len(self.listing.head)
        if 0 <= row < len(self.shown) and self.shown[row].stands:
            if row == self.state.row:
                self.do_follow()
            else:
                self.change(row=row)
