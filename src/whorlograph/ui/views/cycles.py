"""The cycles of the log: a row a cycle, the odd one marked."""

from __future__ import annotations

from types import MappingProxyType

from whorlograph.desk.cycles_page import CycleLine, asked_of, cells, chosen_words, cycles_page, lanes_of, time_at
from whorlograph.desk.listings import Listing
from whorlograph.desk.scene import Scene

from .page import ListPage


class CyclesPage(ListPage):
    """Cycles by line; Enter asks about the first thing that went otherwise."""

    STEADY = False
    RUNG_NOTE = "where it goes otherwise"
    FOOTER = ("help", "back", "follow", "fold", "left", "sort", "go_time", "export", "close")
    LABELS = MappingProxyType({"follow": "ask about it", "fold": "another lane", "left": "a time in all", "go_time": "other beginning",
                               "export": "the whorl"})

    def laid_out(self, width: int) -> Listing:
        """The cycles as far as they are found."""
        return cycles_page(self.main.session, width, self.state.order, self.state.tag, min(self.state.element, cells(width) - 1))

    def rung_scene(self) -> tuple[Scene | None, int]:
        """The rung of what Enter asks about, at that time."""
        scene, line = self.main.scene, self.chosen()
        if scene is None or not isinstance(line, CycleLine):
            return scene, self.main.view.scan
        question = asked_of(self.main.session, line.judged)
        first = line.judged.first
        time = first.time if first is not None else line.judged.turn.start
        if question is not None and question.at is not None:
            time = question.at
        return scene, scene.session.journal.clock.scan_at(time)

    def in_a_line(self, tag: int) -> str:
        """The chosen cycle, where there is no room for its words below it."""
        line = self.chosen()
        return chosen_words(self.main.session, line.judged) if isinstance(line, CycleLine) else super().in_a_line(tag)

    def do_fold(self) -> None:
        """The on-times of the next tag, after the last all changes again."""
        found = self.main.session.cycles
        lanes: list[int | None] = [None, *(lanes_of(self.main.session, found) if found is not None else ())]
        at = lanes.index(self.state.tag) if self.state.tag in lanes else 0
        self.change(tag=lanes[(at + 1) % len(lanes)])
        if len(lanes) == 1:
            self.say("there is no lane to show")

    def do_right(self) -> None:
        """A cell later in all cycles."""
        self._move(self.main.times)

    def do_left(self) -> None:
        """A cell earlier in all cycles."""
        self._move(-self.main.times)

    def do_far_right(self) -> None:
        """Ten cells later."""
        self._move(10)

    def do_far_left(self) -> None:
        """Ten cells earlier."""
        self._move(-10)

    def _move(self, by: int) -> None:
        last = cells(self.body.room.width - 1) - 1
        at = self.state.element + by if self.state.element >= 0 else (0 if by > 0 else last)
        self.change(element=max(-1, min(last, at)))

    def do_follow(self) -> None:
        """Ask about the chosen cycle's first deviation; with a time chosen go there."""
        line, session = self.chosen(), self.main.session
        if not isinstance(line, CycleLine):
            super().do_follow()
            return
        if self.state.element >= 0:
            self.main.leave_page_for(min(session.log.end, time_at(session, line.judged.turn, self.state.element, self.body.room.width - 1)))
            return
        question = asked_of(session, line.judged)
        if question is not None:
            self.main.ask_question(question)
        else:
            self.main.leave_page_for(line.judged.first.time if line.judged.first is not None else line.judged.turn.start)

    def do_go_time(self) -> None:
        """Say what a cycle begins with."""
        self.main.begin_cycles()

    def do_export(self) -> None:
        """The whorl on paper."""
        self.main.export_cycles()
