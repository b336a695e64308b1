"""The bench: a panel to operate, scan by scan or running, with the rung of the chosen point below."""

from __future__ import annotations

from collections.abc import Callable
from types import MappingProxyType

from textual.timer import Timer

from whorlograph.desk.bench import Bench
from whorlograph.desk.bench_page import (
    SPEEDS,
    Manner,
    Operator,
    bench_lanes,
    bench_page,
    force_turned,
    head_runs,
    manner_of,
    release_words,
    springs,
    turned,
    value_words,
)
from whorlograph.desk.listings import Listing, tag_line
from whorlograph.desk.scene import Scene, plain_scene
from whorlograph.drawing.shapes import Run
from whorlograph.formats.logs.values import value_reader
from whorlograph.model.literals import counted, duration
from whorlograph.model.types import Family

from ..host import Host
from ..room import is_low
from ..state import PageState
from .page import ListPage
from .prompt import Prompt
from .standing import ValuePrompt

TICK = 0.1  # seconds between two looks while it runs


class BenchPage(ListPage):
    """Points by line; Space prepares, Enter applies everything in one scan."""

    STEADY = False
    FOOTER = ("help", "back", "fold", "follow", "next_scan", "previous_scan", "next_change", "prove", "labels", "why", "change", "export", "close")
    LABELS = MappingProxyType({"fold": "prepare", "follow": "apply all", "next_scan": "scan on", "next_change": "until an output turns",
                               "prove": "run", "labels": "force", "export": "save", "change": "more"})
    RUNG_NOTE = "as the last scan left it"

    def __init__(self, main: Host, state: PageState) -> None:
        super().__init__(main, state)
        self._scene: tuple[object, Scene] | None = None
        self._timer: Timer | None = None
        self._sure = ""

    @property
    def bench(self) -> Bench:
        """The bench that is operated."""
        assert self.main.bench is not None
        return self.main.bench

    @property
    def operator(self) -> Operator:
        """What is prepared besides inputs, and how fast it runs."""
        return self.main.operator

    def on_mount(self) -> None:
        """Go on running where it ran."""
        super().on_mount()
        self._timer = self.set_interval(TICK, self._tick, pause=not self.operator.runs)

    def on_unmount(self) -> None:
        """Away from it, it stands still."""
        self.operator.runs = False

    def laid_out(self, width: int) -> Listing:
        """The panel."""
        return bench_page(self.bench, self.operator, width)

    def head_runs(self) -> list[Run]:
        """The bench's own time."""
        return head_runs(self.bench, self.operator, self.size.width)

    def rung_scene(self) -> tuple[Scene | None, int]:
        """The rung as the last scan left it."""
        journal = self.bench.journal
        if self._scene is None or self._scene[0] is not journal:
            scene = plain_scene(self.bench.view())
            scene.forced = frozenset(self.bench.forced())
            self._scene = journal, scene
        return self._scene[1], self.bench.scan

    def in_a_line(self, tag: int) -> str:
        """All about a chosen point, as the bench's own program has it."""
        return tag_line(self.bench.session, tag)

    def below_rung(self, step: int) -> list[list[Run]]:
        """Where there is room: the last seconds of the rung's tags, and of what turned by then."""
        scene, _ = self.rung_scene()
        if is_low(self.size) or scene is None:
            return []
        return [[], *bench_lanes(self.bench, self.operator, scene, step, self.rung.size.width - 1)]

    def _tick(self) -> None:
        if self.operator.runs and self.app.screen is self:
            self.bench.run(int(TICK * self.operator.speed * 1e9))
            if self.bench.journal.fault is not None:
                self.do_prove()
            self.paint()

    # what is done to a point

    def _tag(self) -> int | None:
        tag = self.chosen_tag()
        if tag is None:
            self.say("Up and Down choose a point first")
        return tag

    def do_fold(self) -> None:
        """Prepare the chosen point: on, off, nothing; a number is typed."""
        tag, bench = self._tag(), self.bench
        if tag is None:
            return
        one = bench.session.running.tags[tag]
        if tag in bench.numbers and tag not in bench.inputs:
            self._ask_value(tag, f"{one.name}, written in the next scan", "leave it", lambda value: self._edit(tag, value))
        elif tag not in bench.inputs:
            self.say(f"{one.name} is written by the program: f forces it")
        elif one.type.family is Family.BOOL:
            bench.prepare(tag, turned(bench, tag))
            self.paint()
        else:
            self._ask_value(tag, f"{one.name}, prepared", "leave it", lambda value: bench.prepare(tag, value))

    def _edit(self, tag: int, value: int | None) -> None:
        """Write a number that the program writes too."""
        if value is None:
            return
        self.operator.done.append(self.bench.now)
        self.bench.edit(tag, value)
        self.bench.step()
        one = self.bench.session.running.tags[tag]
        self.say(f"{one.name} is {value_words(one, self.bench.value(tag))} after scan {self.bench.scan:,}".replace(",", " "))

    def _ask_value(self, tag: int, title: str, nothing: str, give: Callable[[int | None], None]) -> None:
        """Ask for a value of a tag. Args: nothing: what an empty line means; give: takes the raw value, None for an empty line."""
        one = self.bench.session.running.tags[tag]
        read = value_reader(one)

        def take(text: str | None) -> None:
            if text is not None:
                give(read(text) if text else None)
                self.paint()

        def reads(text: str) -> str | None:
            return text if not text or read(text) is not None else None

        self.app.push_screen(ValuePrompt(title, f"a value of {one.type.name}; nothing: {nothing}", reads), take)

    def do_follow(self) -> None:
        """Apply everything prepared in the next scan; with nothing prepared the chosen point is actuated."""
        bench, operator, tag = self.bench, self.operator, self.chosen_tag()
        if not bench.prepared and not operator.forces:
            if tag is None or tag not in bench.inputs or bench.session.running.tags[tag].type.family is not Family.BOOL:
                self.say("nothing is prepared: Space prepares the chosen point")
                return
            bench.prepare(tag, turned(bench, tag))
        operator.done.append(bench.now)
        count = len(bench.prepared) + len(operator.forces)
        bench.apply(springs(bench, operator), dict(operator.forces))
        operator.forces.clear()
        bench.step()
        self.paint()
        self.say(f"{counted(count, 'change')} in scan {bench.scan:,}".replace(",", " "))

    def do_sort(self) -> None:
        """The other manner of the chosen point."""
        tag = self._tag()
        if tag is not None and tag in self.bench.inputs:
            now = manner_of(self.bench, self.operator, tag)
            self.operator.manners[tag] = Manner.STAYS if now is Manner.SPRINGS else Manner.SPRINGS
            self.paint()
            self.say(f"{self.bench.session.running.tags[tag].name} {self.operator.manners[tag].value}")

    def do_labels(self) -> None:
        """Prepare a force of the chosen tag: on, off, its release; Enter applies it."""
        tag, bench = self._tag(), self.bench
        if tag is None:
            return
        one = bench.session.running.tags[tag]
        if one.type.family is not Family.BOOL:
            self._ask_value(tag, f"force {one.name}", "release it", lambda value: self.operator.forces.__setitem__(tag, value))
            return
        force_turned(bench, self.operator, tag)
        self.paint()
        if tag in self.operator.forces and self.operator.forces[tag] is None:
            self.say(f"{release_words(bench, bench.released([tag]))}; Enter releases")
        elif tag in self.operator.forces:
            means = "whatever is operated" if tag in bench.inputs else "the program goes on, what it writes is kept apart"
            self.say(f"Enter forces {one.name} {value_words(one, self.operator.forces[tag] or 0)}; {means}")

    def do_fresh(self) -> None:
        """Release all forces, after it was shown what happens then."""
        bench = self.bench
        if not bench.forced():
            self.say("nothing is forced")
        elif self._sure != "release":
            self._sure = "release"
            self.say(f"{release_words(bench, bench.released())}; R again releases all")
            return
        else:
            self.operator.done.append(bench.now)
            bench.release()
            bench.step()
            self.paint()
            self.say("all forces are released")
        self._sure = ""

    # time

    def do_next_scan(self) -> None:
        """So many scans on."""
        self.bench.step(self.main.times)
        self.paint()

    def do_previous_scan(self) -> None:
        """So many scans back."""
        if not self.bench.back(self.main.times):
            self.say("here the bench began")
        self.paint()

    def do_next_change(self) -> None:
        """On until an output turns."""
        self._until(self.bench.outputs, "no output turns")

    def do_next_event(self) -> None:
        """On until anything turns that the program or the machine writes."""
        running = self.bench.session.running
        self._until([t.index for t in running.tags[:running.public] if t.type.family is Family.BOOL], "nothing turns")

    def do_previous_event(self) -> None:
        """Back to before what was done last."""
        self.do_undo()

    def _until(self, tags: list[int], nothing: str) -> None:
        found = self.bench.until_change(tags)
        self.paint()
        name = self.bench.session.running.tags[found].name if found is not None else ""
        self.say(f"{name} turned" if name else f"{nothing} within an hour; it stands where it stood")

    def do_previous_change(self) -> None:
        """Back to the scan before the last that was operated."""
        self.do_undo()

    def do_undo(self) -> None:
        """Back to before what was done last."""
        operator, bench = self.operator, self.bench
        while operator.done and operator.done[-1] > bench.now:
            operator.done.pop()
        if not operator.done:
            self.say("nothing was done by hand before this")
            return
        wanted = operator.done.pop()
        bench.back(bench.scan - bench.journal.clock.scan_at(wanted))
        self.paint()
        self.say("back to before the last change by hand; doing something else goes on from here")

    def do_go_time(self) -> None:
        """On by a time, or until a condition holds."""
        def take(text: str | None) -> None:
            if text:
                self._go(text.strip())

        self.app.push_screen(Prompt("go on", "+2s · 500ms · until a condition holds: Leaf_Top_LS and not Raise_Pump"), take)

    def _go(self, text: str) -> None:
        try:
            self.bench.run(duration(text.removeprefix("+") if text[-1:].isalpha() else text.removeprefix("+") + "s"))
            self.paint()
            return
        except ValueError:
            pass
        said = self.bench.until(text)
        self.paint()
        self.say(said)

    def do_prove(self) -> None:
        """Run, or stand still."""
        self.operator.runs = not self.operator.runs and self.bench.journal.fault is None
        if self._timer is not None:
            (self._timer.resume if self.operator.runs else self._timer.pause)()
        self.paint()

    def do_zoom_in(self) -> None:
        """Ten times faster."""
        self._speed(1)

    def do_zoom_out(self) -> None:
        """Ten times slower."""
        self._speed(-1)

    def _speed(self, steps: int) -> None:
        at = SPEEDS.index(self.operator.speed) + steps
        self.operator.speed = SPEEDS[max(0, min(len(SPEEDS) - 1, at))]
        self.paint()
        self.say(f"speed {self.operator.speed:g}: {'as fast as real time' if self.operator.speed == 1 else 'p runs'}")

    # what is asked and kept

    def do_explain(self) -> None:
        """What the bench is."""
        self.main.open_page(PageState("explain", word="bench"))

    def do_why(self) -> None:
        """Why the chosen point is as it is now."""
        tag = self._tag()
        if tag is not None:
            self.main.why_on_bench(tag)

    def do_change(self) -> None:
        """What else can be done here."""
        self.main.bench_more(self.chosen_tag())

    def do_export(self) -> None:
        """Save what was done as a log."""
        self.main.save_bench()
