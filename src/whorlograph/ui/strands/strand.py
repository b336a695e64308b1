"""What the three strands share: each follows the screen's one view, and is laid out when it is looked at."""

from __future__ import annotations

from collections.abc import Sequence

from textual.reactive import reactive
from textual.strip import Strip

from whorlograph.desk.job_data import Kept
from whorlograph.desk.scene import Scene
from whorlograph.drawing.shapes import Run
from whorlograph.model.question import Question

from ..room import is_wide
from ..state import View
from .lines import Lines


class Strand(Lines):
    """A part of the main view, bound to its view and scene. Until there is a scene it shows what it is given.

    What has changed makes it stale; it is laid out anew at the next look, by whoever looks first: the screen, or a key that needs to know
    what stands where.
    """

    view: reactive[View] = reactive(View(Question(0)), repaint=False)
    scene: reactive[Scene | None] = reactive(None, repaint=False)
    labels: reactive[dict[str, tuple[str, int, int]]] = reactive(dict, repaint=False)
    kept: reactive[Kept] = reactive(Kept(), repaint=False)

    def __init__(self, name: str, title: str) -> None:
        super().__init__(name, title)
        self.stale = False

    @property
    def wide(self) -> bool:
        """Whether the strands stand side by side."""
        return is_wide(self.screen.size)

    @property
    def focused(self) -> bool:
        """Whether the keys go here."""
        return self.view.strand == self.id

    def outdate(self) -> None:
        """Something that it shows has changed."""
        self.stale = True
        self.refresh()

    def watch_view(self) -> None:
        """Another view."""
        self.outdate()

    def watch_scene(self) -> None:
        """Another answer, or a run beside it."""
        self.outdate()

    def watch_labels(self) -> None:
        """Letters come or go."""
        self.outdate()

    def watch_kept(self) -> None:
        """Lanes, marks or notes come or go."""
        self.outdate()

    def bring_up(self) -> None:
        """Lay it out where that is due."""
        if self.stale and self.scene is not None and self.size.width:
            self.stale = False
            self.lay_out(self.scene)

    def lay_out(self, scene: Scene) -> None:
        """Make the lines of the view."""

    def fill(self, lines: Sequence[Sequence[Run]], chosen: frozenset[int] = frozenset(), top: int | None = None, note: str = "") -> None:
        """Take the lines that were laid out; ``top`` is the first one in sight (None: where it was)."""
        self.take(lines, chosen, top, self.focused, note)

    def render_line(self, y: int) -> Strip:
        """One line of the screen."""
        self.bring_up()
        return super().render_line(y)

    def on_resize(self) -> None:
        """Another size: laid out for it."""
        self.outdate()
        super().on_resize()
