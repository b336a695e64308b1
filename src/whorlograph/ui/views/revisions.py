"""What differs between this program and another revision, with the old rung and the new one below."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.desk.listings import Line, Listing
from whorlograph.desk.revision_page import ChangeLine, both_rungs, revisions_page
from whorlograph.desk.revisions import Compared
from whorlograph.desk.scene import Scene, plain_scene
from whorlograph.drawing.shapes import Ink, Run

from ..host import Host
from ..room import is_low
from ..state import PageState
from .page import ListPage


class RevisionsPage(ListPage):
    """Changes, what they make of the log, comments."""

    FOOTER = ("help", "palette", "back", "follow", "why", "xref", "search", "export", "close")

    def __init__(self, main: Host, state: PageState) -> None:
        super().__init__(main, state)
        self._scenes: tuple[Scene, Scene] | None = None

    @property
    def compared(self) -> Compared:
        """The comparison that is shown."""
        assert self.main.compared is not None
        return self.main.compared

    def laid_out(self, width: int) -> Listing:
        """The comparison in lines; of a changed program also whether it is written."""
        found, changing = revisions_page(self.compared, self.main.session, width), self.main.changing
        if not self.compared.is_change or changing is None:
            return found
        return replace(found, head=(*found.head, Line(((f" {changing.state}", Ink.QUIET),))))

    def _paint_rung(self) -> None:
        """Below a change: the old rung, and the new one."""
        line = self.chosen()
        if not isinstance(line, ChangeLine) or is_low(self.size) or max(line.change.steps) < 0:
            super()._paint_rung()
            return
        if self._scenes is None:
            self._scenes = plain_scene(self.compared.old), plain_scene(self.compared.new)
        lines: list[list[Run]] = []
        for word, block in both_rungs(self.compared, self._scenes, line.change, self.main.view.time, self.rung.size.width - 2):
            lines.append([(f" {word}", Ink.STRONG), ("" if block is not None else "  not there, or not executed", Ink.QUIET)])
            lines += [[(" ", Ink.TEXT), *runs] for runs in block.lines] if block is not None else []
        self.rung.styles.height = min(len(lines) + 1, self.size.height // 2)
        self.rung.show(lines, top=0, note="each in its own replay, at the moment")

    def do_export(self) -> None:
        """The comparison on paper; of a changed program the program too."""
        self.main.export_revisions()

    def do_undo(self) -> None:
        """Take the last change of the program back."""
        self.main.undo_change(True)

    def do_redo(self) -> None:
        """Make it again."""
        self.main.undo_change(False)
