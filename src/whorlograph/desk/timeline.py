"""The timeline strand: lanes of a replay over a stretch of time as lines, with hits, marks and the thin lanes of a trial."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Sequence
from itertools import groupby

from whorlograph.drawing import timeline_layout
from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.drawing.timeline_layout import CURVE_ROWS, Cell, CellKind, Lane, TimelineLayout, Window, cell_glyph, curve
from whorlograph.engine.journal import Journal
from whorlograph.inquiry.trail import Answer
from whorlograph.model.cells import cut, padded
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .lanes import lane_tag
from .session import Session

_CELL_INKS = {CellKind.ON: Ink.LIVE, CellKind.RISE: Ink.LIVE, CellKind.FALL: Ink.LIVE, CellKind.CROWDED: Ink.LIVE,
              CellKind.NOTCH: Ink.STRONG, CellKind.SPIKE: Ink.STRONG}


def names_width(width: int) -> int:
    """Columns for the names of lanes, of a timeline of a width."""
    return 26 if width >= 110 else 22


FOLDED = -2  # the line that names the lanes folded away, as a lane


class Timeline:
    """Draws lanes of one session.

    Args: name: gives a tag's name as the other strands write it.
    """

    def __init__(self, session: Session, name: Callable[[int | None], str]) -> None:
        self.session, self.name = session, name
        self.trial: Journal | None = None
        self.trial_until: int | None = None
        self.trial_name = ""
        self.trial_shift = 0
        self.trial_tag: Callable[[int], Tag | None] | None = None
        self.window = Window(session.journal, 0, 1, 1)
        self.trial_window: Window | None = None
        self._lane_runs: dict[int, list[Run]] = {}

    def with_trial(self, journal: Journal | None, until: int | None = None) -> None:
        """Show a second replay as thin lanes, hatched from a time on (ns; None: from its end); None takes them away."""
        self.with_second(journal, "without the fault", until)

    def with_second(self, journal: Journal | None, name: str, until: int | None = None, shift: int = 0,
                    tag_of: Callable[[int], Tag | None] | None = None) -> None:
        """Show another course as thin lanes.

        Args: name: what it is; until: as for a trial; shift: ns from a time here to the one beside it; tag_of: of another program, its tag for
        a tag here, None where it has none.
        """
        self.trial, self.trial_until, self.trial_window, self.trial_name, self.trial_shift = journal, until, None, name, shift
        self.trial_tag = tag_of

    def layout(self, tags: list[int], start: int, end: int, width: int, moment: int, scan: int) -> TimelineLayout:
        """Lanes of the replay over a stretch of time."""
        position = self.session.journal.settled_position(scan)
        drawn = [lane_tag(self.session, t) for t in tags]
        clock = self.session.journal.clock
        if not self.window.shows(self.session.journal, start, end, width):
            unknown = None if self.session.journal.complete else clock.start(clock.last)
            self.window, self._lane_runs = Window(self.session.journal, start, end, width, unknown), {}
        return timeline_layout.lay_out(self.window, drawn, moment, position)

    def annotate(self, layout: TimelineLayout, width: int, hits: tuple[int, ...], *signs: dict[int, str]) -> None:
        """Put search hits and marks (time to character) on the cells they fall into."""
        span = max(1, layout.end - layout.start)
        counts: dict[int, int] = {}
        first, last = bisect_left(hits, layout.start), bisect_right(hits, layout.end)
        for time in hits[first:last]:
            cell = min(width - 1, (time - layout.start) * width // span)
            counts[cell] = counts.get(cell, 0) + 1
        layout.hits = set(counts)
        layout.marks = {cell: "▽" if count == 1 else str(count) if count < 10 else "#" for cell, count in counts.items()}
        for sign in signs:
            for time, letter in sign.items():
                if layout.start <= time <= layout.end:
                    layout.marks[min(width - 1, (time - layout.start) * width // span)] = letter
        layout.named = f"{counted(len(hits), 'hit')}" if hits else "marks" if layout.marks else ""

    def second_cells(self, tag: int, start: int, end: int, width: int) -> list[Cell]:
        """The cells of the second course over a stretch of time; [] where there is none."""
        if self.trial is None:
            return []
        start, end = start + self.trial_shift, end + self.trial_shift
        if self.trial_window is None or not self.trial_window.shows(self.trial, start, end, width):
            clock = self.trial.clock
            ends = clock.start(clock.last) if clock.last < self.session.journal.clock.last else None
            self.trial_window = Window(self.trial, start, end, width, min((t for t in (self.trial_until, ends) if t is not None), default=None))
        other = self.trial_tag(tag) if self.trial_tag is not None else lane_tag(self.session, tag)
        return self.trial_window.cells(other)[0] if other is not None else [Cell(CellKind.UNKNOWN)] * width

    def _trial_cells(self, tag: int, start: int, end: int, width: int) -> str:
        """The thin lane of the second course."""
        cells = self.second_cells(tag, start, end, width)
        if lane_tag(self.session, tag).type.family is not Family.BOOL:
            return "".join(cell_glyph(c, False) for c in cells)
        drawn = {CellKind.ON: "─", CellKind.OFF: "·", CellKind.UNKNOWN: cell_glyph(Cell(CellKind.UNKNOWN), True)}
        return "".join(drawn.get(c.kind, "╌") for c in cells)

    def lines(self, layout: TimelineLayout, names: int, chosen: int | None, rows: int, first: int = 0, tall: frozenset[int] = frozenset(),
              folded: Sequence[int] = ()) -> tuple[list[list[Run]], list[int]]:
        """The timeline as lines: lanes, thin lanes of a trial, the folded ones in one line, the axis; and the tag of each line (-1: none).

        Args: first: the first lane that is drawn; tall: numbers drawn as curves of several lines; folded: lanes that are only named.
        """
        lines: list[list[Run]] = []
        owners: list[int] = []
        rows -= bool(layout.marks or layout.named) + bool(folded)
        for lane in layout.lanes[first:]:
            if len(lines) >= rows - 1:
                break
            picked = lane.tag == chosen
            value = fitted(lane.value, 8)
            room = max(6, len(value) + 1)
            label = fitted(self.name(lane.tag), names - room - 1)
            scale = f" {lane.low} to {lane.high}" if lane.low and lane.low != lane.high else ""
            label += scale if len(label) + len(scale) < names - room - 1 else ""
            ink = Ink.CHOSEN if picked else Ink.TEXT
            runs: list[Run] = [(("▸" if picked else " ") + padded(label, names - room - 1), ink), (value.rjust(room - 1) + " ", Ink.STRONG)]
            runs += self._cells(lane, layout.moment)
            if lane.tag in tall and not lane.boolean:
                self._tall(lane, runs, names, layout.moment, lines, owners)
            else:
                lines.append(runs)
                owners.append(lane.tag)
            if self.trial is not None and len(lines) < rows - 1:
                text = self._trial_cells(lane.tag, layout.start, layout.end, len(lane.cells))
                lines.append([(" " + f"  {self.trial_name}".ljust(names - 1)[:names - 1], Ink.PROVED), (text, Ink.PROVED)])
                owners.append(-1)
        if folded:
            text = f"{'▸' if chosen == FOLDED else ' '}{len(folded)} folded: {', '.join(self.name(t) for t in folded)}"
            lines.append([(text, Ink.CHOSEN if chosen == FOLDED else Ink.QUIET)])
            owners.append(FOLDED)
        if layout.marks or layout.named:
            cells = [" "] * (len(layout.lanes[0].cells) if layout.lanes else 0)
            for cell, sign in layout.marks.items():
                if cell < len(cells):
                    cells[cell] = sign
            lines.append([(cut(padded(f" {layout.named}", names), names), Ink.QUIET), ("".join(cells), Ink.STRONG)])
            owners.append(-1)
        lines.append(self._axis(layout, names, len(layout.lanes[0].cells) if layout.lanes else 0))
        owners.append(-1)
        return lines, owners

    def _tall(self, lane: Lane, runs: list[Run], names: int, moment: int | None, lines: list[list[Run]], owners: list[int]) -> None:
        """A number as a curve of several lines, with the highest and lowest value beside them."""
        scale = ["", f"highest {lane.high}", *[""] * (CURVE_ROWS - 3), f"lowest {lane.low}"]
        for i, row in enumerate(curve(lane.cells)):
            head = runs[:2] if i == 0 else [(fitted(scale[i], names - 1).rjust(names - 1) + " ", Ink.QUIET)]
            drawn: list[Run] = [(row, Ink.LIVE)]
            if moment is not None:
                drawn = [(row[:moment], Ink.LIVE), (row[moment] if row[moment] != " " else "│", Ink.MOMENT), (row[moment + 1:], Ink.LIVE)]
            lines.append([*head, *drawn])
            owners.append(lane.tag)

    def _cells(self, lane: Lane, moment: int | None) -> list[Run]:
        """A lane's cells, with the cursor on them."""
        runs = self._lane_runs.get(lane.tag)
        if runs is None:
            drawn = [(cell_glyph(cell, lane.boolean), _CELL_INKS.get(cell.kind, Ink.DEAD)) for cell in lane.cells]
            runs = self._lane_runs[lane.tag] = [("".join(c for c, _ in part), ink) for ink, part in groupby(drawn, key=lambda d: d[1])]
        if moment is None:
            return runs
        found: list[Run] = []
        at = 0
        for text, ink in runs:
            if at <= moment < at + len(text):
                i, kind = moment - at, lane.cells[moment].kind
                char = "┴" if kind is CellKind.OFF else "█" if kind is CellKind.ON else text[i]
                found += [(text[:i], ink), (char, Ink.MOMENT), (text[i + 1:], ink)]
            else:
                found.append((text, ink))
            at += len(text)
        return [run for run in found if run[0]]

    def _axis(self, layout: TimelineLayout, names: int, width: int) -> list[Run]:
        span = layout.end - layout.start
        decimals = 3 if span < 20_000_000_000 else 0
        cells = [" "] * width
        for cell, time in layout.ticks:
            text = "╷" + clock_text(self.session.log, time, decimals)
            if layout.moment is not None and cell <= layout.moment <= cell + len(text):
                continue
            if cell + len(text) <= width and all(c == " " for c in cells[cell:cell + len(text) + 1]):
                cells[cell:cell + len(text)] = list(text)
        label = f" {duration_text(span)} wide"
        runs: list[Run] = [(padded(fitted(label, names - 1), names), Ink.QUIET)]
        if layout.moment is not None and layout.moment < width:
            cells[layout.moment] = "▲"
            at = layout.moment
            runs += [("".join(cells[:at]), Ink.QUIET), ("▲", Ink.MOMENT), ("".join(cells[at + 1:]), Ink.QUIET)]
        else:
            runs.append(("".join(cells), Ink.QUIET))
        return runs


def window(session: Session, answer: Answer) -> tuple[int, int]:
    """A stretch of time that shows the complaint and what led to it, but not more (ns)."""
    near = 120_000_000_000
    times = [link.since for _, link in answer.links() if link.since is not None and answer.time - link.since < near]
    times += [r.since for r in answer.roots[:2] if r.since is not None and answer.time - r.since < near]
    reach = max(0, answer.time - min(times, default=answer.time))
    before = max(1_000_000_000, reach * 3 // 2)
    return max(0, answer.time - before), min(max(session.log.end, 1), answer.time + max(600_000_000, before // 2))
