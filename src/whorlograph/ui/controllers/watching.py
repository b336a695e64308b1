"""Sets of lanes under a name, kept in the job: watched instead of the trail's, put in order, added to, taken from."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.desk.job import Watch
from whorlograph.desk.lanes import lane_tag
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.literals import counted

from ..views.overlay import ListOverlay
from .controller import Controller


class Watching(Controller):
    """The keys that keep lanes together."""

    def do_watch(self) -> None:
        """Choose a set of lanes, or give those in sight a name."""
        if self.scene is None:
            return
        sets = self.desk.kept.watches
        lines: list[list[Run]] = [[(" the trail's lanes".ljust(28), Ink.STRONG), ("what the question runs through", Ink.QUIET)]]
        values: list[object] = [("show", "")]
        for one in sets:
            lines.append([(f" {one.name}".ljust(28), Ink.STRONG), (f"{counted(len(one.lanes), 'lane')}  ", Ink.TEXT),
                          (", ".join(one.lanes[:6]), Ink.QUIET)])
            values.append(("show", one.name))

        def reads(text: str) -> tuple[list[Run], object] | None:
            name = text.strip()
            if not name or any(one.name.lower().startswith(name.lower()) for one in sets):
                return None
            said = f"keep the {counted(len(self.board.timeline.lanes()), 'lane')} in sight under this name"
            return [(f" {name}".ljust(28), Ink.STRONG), (said, Ink.TEXT)], ("keep", name)

        def take(value: object) -> None:
            if isinstance(value, tuple):
                self._watch(*value)

        hint = "Enter shows it · a new name keeps the lanes in sight · Esc closes"
        self.board.app.push_screen(ListOverlay("watch", lines, values, "a name", hint, reads), take)

    def _watch(self, what: str, name: str) -> None:
        """Show a set, or keep the lanes in sight as one."""
        if what == "keep":
            names = tuple(lane_tag(self.session, t).name for t in self.board.timeline.lanes())
            self._change_watch(Watch(name[:60], names), f"watch {name}")
        self.view = replace(self.view, watch=name[:60])
        self.board.keep()
        keys = "z shows the trail's lanes again · a adds a lane, Delete takes one away, Ctrl+Up moves it"
        self.say(f"{name}: {keys}" if name else "the lanes of the trail")

    def _change_watch(self, fresh: Watch, what: str) -> None:
        others = tuple(w for w in self.desk.kept.watches if w.name.lower() != fresh.name.lower())
        self.desk.change(what, watches=tuple(sorted((*others, fresh), key=lambda w: w.name.lower())))

    def _lanes_at_hand(self) -> tuple[str, ...]:
        """The names of the lanes that can be moved and taken away: the set's in sight, else those that were added."""
        shown = self.board.timeline.watched()
        return shown.lanes if shown is not None else self.desk.kept.lanes

    def _with_lanes(self, names: tuple[str, ...], what: str) -> None:
        shown = self.board.timeline.watched()
        if shown is not None:
            self._change_watch(Watch(shown.name, names), what)
        else:
            self.desk.change(what, lanes=names)

    def _at_hand(self) -> int:
        """Where the chosen lane stands among those at hand; -1 and a word where it is none of them."""
        name = lane_tag(self.session, self.view.lane).name if self.scene is not None and self.view.lane >= 0 else ""
        names = self._lanes_at_hand()
        if name in names:
            return names.index(name)
        self.say("this lane belongs to the trail: z gives the lanes in sight a name, and then they are yours")
        return -1

    def do_drop_lane(self) -> None:
        """Take the chosen lane away."""
        at, names = self._at_hand(), self._lanes_at_hand()
        if at >= 0:
            self._with_lanes((*names[:at], *names[at + 1:]), f"taking lane {names[at]} away")
            self.say(f"{names[at]} taken away; u brings it back")

    def do_lane_up(self) -> None:
        """The chosen lane one up."""
        self._shift_lane(-1)

    def do_lane_down(self) -> None:
        """The chosen lane one down."""
        self._shift_lane(1)

    def _shift_lane(self, steps: int) -> None:
        at, names = self._at_hand(), list(self._lanes_at_hand())
        if at < 0:
            return
        to = at + steps
        if not 0 <= to < len(names):
            self.say("it stands at the end already" if steps > 0 else "it stands at the top already")
            return
        names[at], names[to] = names[to], names[at]
        self._with_lanes(tuple(names), f"moving lane {names[to]}")
