"""Moving through time: scans, changes, times; zoom and lanes."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.desk.job import Watch
from whorlograph.desk.lanes import lane_tag
from whorlograph.desk.timeline import window
from whorlograph.drawing.timeline_layout import SCAN_LANES, TASK_LANES, TaskLane
from whorlograph.engine.runs import TaskRuns
from whorlograph.model.errors import WhorlographError
from whorlograph.model.literals import counted, duration, duration_text
from whorlograph.model.times import parse_time

from ..views.prompt import Prompt
from .controller import Controller


class TimePrompt(Prompt):
    """Asks for a time; shows how it is understood."""

    def __init__(self, timing: Timing, title: str = "go to a time",
                 hint: str = "14:03:22.15 · 12.5 (seconds from the start) · +2s · -500ms · scan 8123 · a mark's letter") -> None:
        super().__init__(title, hint)
        self.timing = timing

    def reading(self, text: str) -> tuple[str, bool]:
        """The instant that the text stands for."""
        time = self.timing.time_of(text)
        if time is None:
            return self.timing.outside(text) or "not a time yet", False
        scene = self.timing.scene
        return (f"{scene.clock(time)}, scan {scene.journal.clock.scan_at(time)}" if scene is not None else ""), True


class Timing(Controller):
    """The keys that move the moment."""

    def cells(self, count: int) -> None:
        """Move the moment by cells of the timeline."""
        cell = max(1, (self.view.end - self.view.start) // self.board.timeline.cells)
        self.to_time(self.view.time + count * cell)

    def do_far_right(self) -> None:
        """Ten cells later."""
        self.cells(10)

    def do_far_left(self) -> None:
        """Ten cells earlier."""
        self.cells(-10)

    def to_time(self, time: int, jump: bool = False) -> None:
        """Move the moment to a time."""
        assert self.scene is not None
        if jump:
            self.board.remember()
        clock = self.scene.journal.clock
        time = max(0, min(time, self.session.log.end))
        self.view = self.board.in_sight(replace(self.view, time=time, scan=max(1, clock.scan_at(time))))

    def to_scan(self, scan: int) -> None:
        """Move the moment to a scan."""
        assert self.scene is not None
        clock = self.scene.journal.clock
        scan = max(1, min(scan, clock.last))
        self.view = self.board.in_sight(replace(self.view, scan=scan, time=clock.start(scan)))

    def do_next_scan(self) -> None:
        """One scan on."""
        self.to_scan(self.view.scan + self.board.times)

    def do_previous_scan(self) -> None:
        """One scan back."""
        self.to_scan(self.view.scan - self.board.times)

    def _run_of_task(self, lane: int, forward: bool) -> None:
        """Go to the next or previous run of a task."""
        assert self.scene is not None
        runs = self.scene.journal.tasks.get((lane - TASK_LANES) // len(TaskLane), TaskRuns())
        time = self.view.time
        found = next(runs.starts(time + 1, 1 << 62, 1), None) if forward else runs.last_start(time - 1)
        if found is None:
            self.say(f"no {'later' if forward else 'earlier'} run in this log")
            return
        self.board.remember()
        self.to_time(found, jump=False)

    def _change_of_scans(self, lane: int, forward: bool) -> None:
        """Go to the next or previous scan that took another time, or in which a loop went round another number of times."""
        assert self.scene is not None
        scans = self.scene.journal.series(lane - SCAN_LANES)[0]
        found = scans[scans > self.view.scan][:1] if forward else scans[scans < self.view.scan][-1:]
        if not len(found):
            self.say(f"no {'later' if forward else 'earlier'} change in this log")
            return
        self.board.remember()
        self.to_scan(int(found[0]))

    def _change(self, tags: list[int], forward: bool) -> None:
        """Go to the next or previous change of some tags."""
        assert self.scene is not None
        if len(tags) == 1 and tags[0] >= SCAN_LANES:
            self._change_of_scans(tags[0], forward)
            return
        if len(tags) == 1 and tags[0] >= TASK_LANES:
            self._run_of_task(tags[0], forward)
            return
        journal, scan = self.scene.journal, self.view.scan
        for _ in range(self.board.times):
            best: int | None = None
            for tag in tags:
                position = journal.settled_position(scan) if forward else journal.settled_position(scan - 1)
                row = journal.next_row(tag, position) if forward else journal.last_row(tag, position)
                if row is not None and (best is None or (row < best) == forward):
                    best = row
            if best is None:
                break
            scan = journal.moment(best).scan
        if scan != self.view.scan:
            self.board.remember()
            self.to_scan(scan)
        if best is None:
            self.say(f"no {'later' if forward else 'earlier'} change in this log")

    def do_next_change(self) -> None:
        """Next change of the tag under the cursor."""
        tag = self.board.chosen_tag()
        self._change([tag] if tag is not None else [], True)

    def do_previous_change(self) -> None:
        """Previous change of the tag under the cursor."""
        tag = self.board.chosen_tag()
        self._change([tag] if tag is not None else [], False)

    def do_next_event(self) -> None:
        """Next change of any tag of the trail."""
        assert self.scene is not None
        self._change(self.scene.lanes(), True)

    def do_previous_event(self) -> None:
        """Previous change of any tag of the trail."""
        assert self.scene is not None
        self._change(self.scene.lanes(), False)

    def time_of(self, text: str) -> int | None:
        """The instant a person typed; None where it is none."""
        text = text.strip()
        if self.scene is None or not text:
            return None
        mark = self.desk.marked(text.removeprefix("mark").strip()) if len(text.removeprefix("mark").strip()) == 1 and not text.isdecimal() else None
        if mark is not None:
            return mark.time
        if text.lower().startswith("scan"):
            number = text[4:].strip().replace(" ", "")
            clock = self.scene.journal.clock
            return clock.start(int(number)) if number.isdecimal() and len(number) < 20 and 1 <= int(number) <= clock.last else None
        if text[0] in "+-":
            try:
                step = duration(text[1:] if text[-1].isalpha() else text[1:] + "s")
            except ValueError:
                return None
            time = self.view.time + (step if text[0] == "+" else -step)
            return max(0, min(self.session.log.end, time))
        try:
            time = parse_time(text, self.session.log)
        except WhorlographError:
            return None
        return time if 0 <= time <= self.session.log.end else None

    def outside(self, text: str) -> str:
        """Why what was typed is no instant of this log; "" where it is no instant at all."""
        if self.scene is None or not text.strip():
            return ""
        clock, end = self.scene.journal.clock, self.session.log.end
        if text.strip().lower().startswith("scan"):
            number = text.strip()[4:].strip().replace(" ", "")
            return f"there are scans 1 to {clock.last:,}".replace(",", " ") if number.isdecimal() else ""
        try:
            parse_time(text, self.session.log)
        except WhorlographError:
            return ""
        return f"outside the log, which goes from {self.scene.clock(0)} to {self.scene.clock(end)}"

    def do_go_time(self) -> None:
        """Ask for a time."""
        def go(text: str | None) -> None:
            time = self.time_of(text) if text else None
            if time is not None:
                self.to_time(time, jump=True)

        self.board.app.push_screen(TimePrompt(self), go)

    def zoom(self, numerator: int, denominator: int) -> None:
        view = self.view
        span = max(20_000_000, min(max(self.session.log.end, 1), (view.end - view.start) * numerator // denominator))
        share = (view.time - view.start) / max(1, view.end - view.start)
        start = max(0, int(view.time - span * min(1.0, max(0.0, share))))
        self.view = replace(view, start=start, end=start + span)
        self.say(f"{duration_text(span)} wide")

    def do_zoom_in(self) -> None:
        """Half the time."""
        self.zoom(1, 2)

    def do_zoom_out(self) -> None:
        """Twice the time."""
        self.zoom(2, 1)

    def do_zoom_fit(self) -> None:
        """The whole log, or back to the complaint."""
        assert self.scene is not None
        if self.view.start == 0 and self.view.end >= self.session.log.end:
            start, end = window(self.session, self.scene.answer)
        else:
            start, end = 0, max(1, self.session.log.end)
        self.view = self.board.in_sight(replace(self.view, start=start, end=end))

    def do_add_lane(self) -> None:
        """A lane for the tag under the cursor; on the coil under the cursor, lanes for all of its rung."""
        assert self.scene is not None
        wanted: list[int] = []
        if self.view.strand == "rungs":
            block = next((b for _, b in self.board.rungs.blocks if b.step == self.view.element[0]), None)
            wanted = list(dict.fromkeys(block.tags.values())) if block is not None else []
        elif self.board.chosen_tag() is not None:
            wanted = [self.board.chosen_tag() or 0]
        known = self.board.timeline.lanes() if self.board.timeline.watched() is not None else self.scene.lanes(self.board.timeline.added())
        fresh = [t for t in wanted if t not in known and (t < self.session.running.public or t >= TASK_LANES)]
        if len(fresh) == 1 and TASK_LANES <= fresh[0] < SCAN_LANES:
            fresh += [fresh[0] + i for i in (1, 2) if fresh[0] + i not in known]
        if not fresh:
            self.say("these tags have lanes already" if wanted else "there is no tag under the cursor")
            return
        names = [lane_tag(self.session, t).name for t in fresh]
        self._add_lanes(tuple(names), f"lane{'s' * (len(names) > 1)} {', '.join(names[:3])}")
        seen = "; Backspace goes back to the timeline" if self.board.page is not None else ""
        self.say(f"{counted(len(fresh), 'lane')} added{seen}")

    def _add_lanes(self, names: tuple[str, ...], what: str) -> None:
        """To the set that stands on the timeline, else to those of the trail."""
        shown = self.board.timeline.watched()
        if shown is None:
            self.desk.change(what, lanes=(*self.desk.kept.lanes, *names))
            return
        sets = self.desk.kept.watches
        self.desk.change(what, watches=tuple(Watch(w.name, (*w.lanes, *names)) if w is shown else w for w in sets))

    def do_values(self) -> None:
        """Values under the tags."""
        self.view = replace(self.view, values=not self.view.values)
