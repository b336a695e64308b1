"""The timeline: lanes of the trail's tags, or of a set of one's own, with the moment as cursor."""

from __future__ import annotations

from textual.reactive import reactive

from whorlograph.desk.finding import Found
from whorlograph.desk.job_data import Watch
from whorlograph.desk.lanes import lane_named, lane_tag
from whorlograph.desk.scene import Scene
from whorlograph.desk.timeline import FOLDED, names_width
from whorlograph.drawing.timeline_layout import CURVE_ROWS
from whorlograph.model.literals import counted
from whorlograph.model.types import Family

from .strand import Strand


class TimelineStrand(Strand):
    """Lanes over the view's stretch of time, places that were found as ticks above them."""

    found: reactive[Found] = reactive(Found(""), repaint=False)

    def __init__(self) -> None:
        super().__init__("timeline", "timeline")
        self.owners: list[int] = []  # by line of the screen: whose lane it is, -1 nobody's

    def watch_found(self) -> None:
        """Other places of a search."""
        self.outdate()

    @property
    def names(self) -> int:
        """Columns of the lanes' names."""
        return names_width(self.size.width)

    @property
    def cells(self) -> int:
        """Columns of time."""
        return max(10, self.room.width - self.names - 1)

    def watched(self) -> Watch | None:
        """The set of lanes that is shown; None where it is the trail's."""
        return next((w for w in self.kept.watches if w.name == self.view.watch), None) if self.view.watch else None

    def added(self) -> tuple[int, ...]:
        """The lanes that were added to the trail's, as tags."""
        assert self.scene is not None
        found = (lane_named(self.scene.session, name) for name in self.kept.lanes)
        return tuple(t for t in found if t is not None)

    def lanes(self) -> list[int]:
        """The lanes shown: those of the trail, those added, and on a large screen those of its rungs."""
        if self.scene is None:
            return []
        shown = self.watched()
        if shown is not None:
            named = (lane_named(self.scene.session, name) for name in shown.lanes)
            return [t for t in named if t is not None] or [self.scene.answer.tag]
        free = self.screen.size.height // 3 - 2
        more = tuple(self.scene.rung_lanes(free)) if self.wide and self.scene.timeline.trial is None else ()
        return self.scene.lanes((*self.added(), *more))

    def drawn(self) -> list[int]:
        """The lanes that are not folded away."""
        return [t for t in self.lanes() if t not in self.view.away]

    def stops(self) -> list[int]:
        """What can be chosen, from above: the lanes drawn, then the line that names the others."""
        drawn = self.drawn()
        return drawn if len(drawn) == len(self.lanes()) else [*drawn, FOLDED]

    def is_number(self, lane: int) -> bool:
        """Whether a lane is drawn by height."""
        return self.scene is not None and lane >= 0 and lane_tag(self.scene.session, lane).type.family not in (Family.BOOL, Family.STRING)

    def height_of(self, lane: int) -> int:
        """Lines of a lane, with that of a second run that goes along."""
        second = self.scene is not None and self.scene.timeline.trial is not None and lane != FOLDED
        return (CURVE_ROWS if lane in self.view.tall else 1) + second

    def height_wanted(self) -> int:
        """Lines for all lanes, the title and the axis."""
        return sum(map(self.height_of, self.stops())) + 2

    def lay_out(self, scene: Scene) -> None:
        """Draw the lanes, the chosen one in sight."""
        view, shown, tags = self.view, self.watched(), self.drawn()
        self.title = f"timeline · {shown.name}" if shown is not None else "timeline"
        layout = scene.timeline.layout(tags, view.start, view.end, self.cells, view.time, view.scan)
        letters, notes = {m.time: m.letter for m in self.kept.marks}, {n.time: "\"" for n in self.kept.notes}
        scene.timeline.annotate(layout, self.cells, self.found.starts, letters, notes)
        folded = [t for t in self.lanes() if t in view.away]
        first = self._first(tags, self.room.height - 1 - bool(folded) - bool(layout.marks or layout.named))
        chosen = view.lane if self.focused else None
        lines, self.owners = scene.timeline.lines(layout, self.names, chosen, self.room.height, first, view.tall, folded)
        more = len(set(tags) - set(self.owners))
        self.fill(lines, frozenset(), 0, counted(more, "more lane") if more else "")

    def _first(self, tags: list[int], room: int) -> int:
        """The first lane drawn, so that the chosen one has room."""
        at = tags.index(self.view.lane) if self.view.lane in tags else 0
        first = at
        while first > 0 and sum(map(self.height_of, tags[first - 1:at + 1])) <= room:
            first -= 1
        return first

    def time_at(self, column: int) -> int | None:
        """The time (ns) under a column; None over the names."""
        if column < self.names:
            return None
        return self.view.start + (column - self.names) * (self.view.end - self.view.start) // self.cells
