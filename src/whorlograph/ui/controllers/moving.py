"""Moving over trail, rungs and lanes."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.desk.timeline import FOLDED

from ..board import Board
from ..state import STRANDS
from .controller import Controller
from .timing import Timing


class Moving(Controller):
    """The keys that move the cursor."""

    def __init__(self, board: Board, timing: Timing) -> None:
        super().__init__(board)
        self.timing = timing

    def _move(self, steps: int) -> None:
        if self.view.strand == "trail":
            if not self._read_card(steps):
                self.to_line(self.view.line + steps)
        elif self.view.strand == "timeline":
            self._to_lane(steps)
        else:
            self._to_element(0, steps)

    def _read_card(self, steps: int) -> bool:
        """Scroll through a root's card that is longer than the strand, before the cursor leaves its line; whether that was done."""
        wanted = max(0, min(self.board.trail.card_room, self.view.card + steps * max(1, self.board.trail.room.height - 2)))
        if wanted == self.view.card:
            return False
        self.view = replace(self.view, card=wanted)
        return True

    def do_down(self) -> None:
        """Next line, element or lane."""
        self._move(self.board.times)

    def do_up(self) -> None:
        """The one before."""
        self._move(-self.board.times)

    def do_root(self) -> None:
        """The first root of the trail, with its card; from there the next."""
        assert self.scene is not None
        lines, roots = self.board.trail.trail_lines, self.scene.answer.roots
        places = {rank: n for n, i in enumerate(self.board.trail.firsts()) for rank, root in enumerate(roots) if lines[i].root is root}
        if not places:
            self.say("this trail has no root")
            return
        here = next((rank for rank, n in places.items() if self.view.strand == "trail" and n == self.view.line), -1)
        later = sorted(rank for rank in places if rank > here)
        self.view = replace(self.view, strand="trail")
        self.to_line(places[later[0] if later else min(places)])

    def do_page_down(self) -> None:
        """Half a page down."""
        self._move(max(1, self.board.trail.room.height // 4))

    def do_page_up(self) -> None:
        """Half a page up."""
        self._move(-max(1, self.board.trail.room.height // 4))

    def to_line(self, number: int) -> None:
        """Choose a line of the trail; the moment goes to when it happened."""
        firsts = self.board.trail.firsts()
        if not firsts:
            return
        wanted = max(0, min(len(firsts) - 1, number))
        if wanted == self.view.line and number != self.view.line:
            self.say("the trail ends here" if number > 0 else "the trail begins here")
        line = self.board.trail.trail_lines[firsts[wanted]]
        scan = line.scan if line.scan > 0 else self.view.scan
        time = line.time if line.time > 0 else self.view.time
        lane = line.tag if line.tag is not None else self.view.lane
        self.view = self.board.in_sight(replace(self.view, line=wanted, scan=scan, time=time, lane=lane, card=0))

    def _to_lane(self, steps: int) -> None:
        assert self.scene is not None
        stops = self.board.timeline.stops()
        at = stops.index(self.view.lane) if self.view.lane in stops else 0
        self.view = replace(self.view, lane=stops[max(0, min(len(stops) - 1, at + steps))])

    def _to_element(self, across: int, down: int) -> None:
        elements = self.board.rungs.elements()
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

    def do_start(self) -> None:
        """First line, or the log's start."""
        self._edge(first=True)

    def do_end(self) -> None:
        """Last line, or the log's end."""
        self._edge(first=False)

    def _edge(self, first: bool) -> None:
        if self.view.strand == "trail":
            self.to_line(0 if first else 10**6)
        elif self.view.strand == "timeline":
            self.timing.to_time(0 if first else self.session.log.end)
        else:
            elements = self.board.rungs.elements()
            if elements:
                self.view = replace(self.view, element=elements[0 if first else -1][2:])

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
        if strand == "rungs" and not any(b.step == element[0] for _, b in self.board.rungs.blocks):
            line = self.board.current_line()
            step = line.step if line is not None and line.step >= 0 else (self.board.rungs.blocks[0][1].step if self.board.rungs.blocks else -1)
            block = next((b for _, b in self.board.rungs.blocks if b.step == step), None)
            chosen = next((s.element for s in block.spots if line is not None and s.element in line.blockers), None) if block else None
            element = (step, chosen if chosen is not None else (block.spots[0].element if block and block.spots else -1))
        lane = self.view.lane if self.scene is None or self.view.lane in self.board.timeline.lanes() else self.scene.answer.tag
        self.view = replace(self.view, strand=strand, element=element, lane=lane)

    def do_follow(self) -> None:
        """Go where the line, element or lane points."""
        if self.view.strand == "trail":
            self.do_fold()
        elif self.view.strand == "rungs":
            self.board.do("why")
        else:
            self.board.do("next_change")

    def do_fold(self) -> None:
        """Fold or unfold: the trail below a line, a lane."""
        if self.view.strand == "trail":
            self._unfold(None)
        elif self.view.strand == "timeline":
            self._fold_lane()
        else:
            self.say("Space folds the trail and lanes; Tab goes there")

    def _fold_lane(self) -> None:
        """A number's lane becomes a tall curve, then goes away like any other into the line that names the folded ones; that line opens all."""
        lane, tall, away = self.view.lane, self.view.tall, self.view.away
        stops = self.board.timeline.stops()
        if lane == FOLDED:
            self.view = replace(self.view, away=frozenset(), lane=next((t for t in self.board.timeline.lanes() if t in away), lane))
            self.say("all lanes are open again")
        elif lane not in stops:
            self.say("Up and Down choose a lane first")
        elif self.board.timeline.is_number(lane) and lane not in tall:
            self.view = replace(self.view, tall=tall | {lane})
            self.say("drawn tall; Space again folds it away")
        elif len(stops) == 1 or stops[1:] == [FOLDED]:
            self.say("one lane stays")
        else:
            at = stops.index(lane)
            following = stops[at + 1] if at + 1 < len(stops) and stops[at + 1] != FOLDED else stops[at - 1]
            self.view = replace(self.view, tall=tall - {lane}, away=away | {lane}, lane=following)
            self.say("folded away; Space on the line at the bottom opens all lanes again")

    def _unfold(self, open_: bool | None) -> None:
        line = self.board.current_line()
        if self.scene is None or line is None or line.link is None:
            self.say("this line has nothing below it to fold")
            return
        number = next((i for i, (_, link) in enumerate(self.scene.answer.links()) if link is line.link), -1)
        is_folded = number in self.view.folded
        if open_ is None or is_folded == open_:
            self.view = replace(self.view, folded=self.view.folded ^ {number})

    def do_right(self) -> None:
        """Next element, or later."""
        if self.view.strand == "rungs":
            self._to_element(1, 0)
        elif self.view.strand == "timeline":
            self.timing.cells(self.board.times)
        else:
            self._unfold(True)

    def do_left(self) -> None:
        """Element before, or earlier."""
        if self.view.strand == "rungs":
            self._to_element(-1, 0)
        elif self.view.strand == "timeline":
            self.timing.cells(-self.board.times)
        else:
            self._unfold(False)
