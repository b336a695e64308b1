"""Another revision of the program: compared with the one that is open, on the same log."""

from __future__ import annotations

from collections.abc import Generator
from pathlib import Path

from msgspec.structs import replace

from whorlograph.desk.revisions import Compared, compare, other_tag, sentence
from whorlograph.desk.session import load

from ..board import Board
from ..state import PageState
from ..views.prompt import Prompt, own_path
from .controller import Controller
from .keeping import Keeping
from .paging import Paging


class Revising(Controller):
    """The keys that lay revisions beside one another."""

    def __init__(self, board: Board, paging: Paging, keeping: Keeping) -> None:
        super().__init__(board)
        self.paging, self.keeping = paging, keeping

    def do_revisions(self) -> None:
        """What differs from another revision: the one compared with before, else one that is asked for."""
        if self.board.compared is not None and (self.view.page is None or self.view.page.name != "revisions"):
            self.paging.open_page(PageState("revisions"))
            return

        def take(text: str | None) -> None:
            if text:
                self.compare_with(own_path(text))

        title = "compare with another revision of this program" if self.board.compared is None else "compare with yet another revision"
        self.board.app.push_screen(Prompt(title, "its file: the older one by its date is the old one"), take)

    def compare_with(self, path: Path) -> None:
        """Load another revision and compare, beside the screen: by their dates the younger of the two is the new one, without dates this one."""
        here = self.session

        def job() -> Generator[str, None, Compared]:
            yield f"comparing with {path.name}"
            other = load(replace(here.paths, program=path))
            yield f"comparing with {path.name}: replaying"
            later = bool(here.program.date) and other.program.date > here.program.date
            return compare(here, other) if later else compare(other, here)

        self.start("revisions", job)

    def take_revisions(self, result: object) -> None:
        """Show what differs; the other program's course goes along on the timeline."""
        if not isinstance(result, Compared):
            self.say("stopped; nothing was compared")
            return
        self.board.compared = result
        here, other = (result.new, result.old) if result.new is self.session else (result.old, result.new)
        if self.scene is not None and result.revision.acting and other.paths.logs:
            name = "old program" if other is result.old else "new program"
            self.scene.timeline.with_second(other.journal, name, tag_of=other_tag(result, here))
            self.board.renew()
        self.desk.step("compared", sentence(result))
        self.board.keep()
        self.paging.open_page(PageState("revisions"))

    def export(self) -> None:
        """The comparison on paper."""
        found = self.board.compared
        if found is None:
            return

        source, changing = self.session.paths.program, self.board.changing if found.is_change else None

        def write(path: Path) -> None:
            from whorlograph.desk.revision_paper import write_revisions

            if changing is not None and path.suffix.lower() == source.suffix.lower():
                changing.written(path, replaces=True)  # it was asked for
            else:
                write_revisions(found, path)

        if changing is not None:
            self.keeping.export("what differs on paper, or the changed program", f"{source.stem}-changed{source.suffix}", write, source.suffix)
        else:
            self.keeping.export("what differs", f"{source.stem}-revisions.pdf", write)
