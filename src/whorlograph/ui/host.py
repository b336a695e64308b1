"""What a page asks of the main view that it lies over."""

from __future__ import annotations

from typing import Protocol

from textual import events

from whorlograph.desk.bench import Bench
from whorlograph.desk.bench_page import Operator
from whorlograph.desk.changing import Changing
from whorlograph.desk.job import Desk
from whorlograph.desk.revisions import Compared
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.drawing.shapes import Run
from whorlograph.model.question import Question

from .state import PageState, View
from .work import Work


class Host(Protocol):
    """The main view, as far as pages know it."""

    view: View
    scene: Scene | None
    desk: Desk
    work: Work
    compared: Compared | None
    changing: Changing | None
    bench: Bench | None
    operator: Operator

    @property
    def session(self) -> Session:
        """What everything rests on."""

    @property
    def times(self) -> int:
        """How often the key just pressed counts."""

    def do(self, action: str) -> None:
        """Do an action of the table of keys."""

    def counted(self) -> None:
        """Take the count that was typed, for the action that follows."""

    def took(self, event: events.Key) -> bool:
        """Whether something waited for this key."""

    def ask_question(self, question: Question) -> None:
        """Ask a question from a page."""

    def open_page(self, state: PageState) -> None:
        """Open another page."""

    def leave_page_for(self, time: int) -> None:
        """Close the page and go to a time (ns)."""

    def export_revisions(self) -> None:
        """Put the comparison with another revision on paper."""

    def why_on_bench(self, tag: int) -> None:
        """Ask why of a tag as the bench stands."""

    def bench_more(self, tag: int | None) -> None:
        """Choose what is done less often at the bench."""

    def begin_cycles(self) -> None:
        """Ask what a cycle begins with."""

    def export_cycles(self) -> None:
        """Put the whorl on paper."""

    def save_bench(self) -> None:
        """Save what was done on the bench."""

    def undo_change(self, back: bool) -> None:
        """Take the last change of the program back, or make it again."""

    def first_hint(self, view: str, width: int) -> str:
        """What a view is, while it still is new to somebody; "" from then on."""

    def hint_runs(self, said: str, usual: str, width: int) -> list[Run]:
        """The line at the bottom."""

    def page_head(self, width: int) -> list[Run]:
        """The line at the top."""
