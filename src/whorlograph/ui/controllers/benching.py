"""The bench: begun from the moment at hand, asked, saved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from whorlograph.desk.asking import answer_to
from whorlograph.desk.bench import NUMBERS, Bench
from whorlograph.desk.bench_again import again, deeds, ramp
from whorlograph.desk.bench_restart import after_power, log_goes_on, with_changes
from whorlograph.desk.changing import called, without_rungs
from whorlograph.desk.session import Session
from whorlograph.desk.words import answer_text
from whorlograph.drawing.shapes import Ink
from whorlograph.formats.logs.values import value_reader
from whorlograph.model.literals import counted, duration, duration_text
from whorlograph.model.question import Question

from ..board import Board
from ..state import PageState
from ..views.overlay import ListOverlay
from ..views.prompt import Prompt
from .controller import Controller
from .paging import Paging


class Benching(Controller):
    """The key that goes on by hand, and what the bench asks for."""

    def __init__(self, board: Board, paging: Paging) -> None:
        super().__init__(board)
        self.paging = paging
        self._begun_from: Session | None = None  # the session that the bench is of, also without its rungs
        self._sure: Bench | None = None  # the bench that was asked about before it is given up

    def do_bench(self) -> None:
        """Go on by hand: the bench as it was left, else from this moment."""
        if self.view.page is not None and self.view.page.name == "bench":
            self._anew()
            return
        if not self.session.journal.complete:
            self.say("the log is still being replayed: the bench goes on from all of it")
            return
        if self.board.bench is None or self._begun_from is not self.session:
            self.begin()
        if self.board.bench is not None:
            self.paging.open_page(PageState("bench"))

    def _anew(self) -> None:
        """A fresh bench in place of this one, where nothing was done or that is confirmed."""
        bench = self.board.bench
        if self.board.operator.done and self._sure is not bench:
            self._sure = bench
            self.say("b again begins a fresh bench, and what was done here is gone; e saves it as a log first")
            return
        self.begin()
        if self.board.page is not None and self.board.bench is not None:
            self.board.page.paint()
            self.say("a fresh bench")

    def begin(self) -> None:
        """A fresh bench: from this moment of the replay, or from nothing with the machine of the case."""
        board = self.board
        if board.bench is not None:
            board.bench.close()
        board.operator.runs = False
        board.operator.forces.clear()
        board.operator.done.clear()
        self._begun_from = self.session
        logged = len(self.session.log.times) > 0
        try:
            board.bench = Bench(self.session, self.view.time if logged else None, self.session.plant if not logged else None)
        except (ImportError, OSError) as error:
            board.bench = None
            self.say(f"the bench needs the compiled engine, which does not run here: {error}")

    def more(self, tag: int | None) -> None:
        """What is done less often at the bench, to choose."""
        bench = self.board.bench
        if bench is None:
            return
        acts: list[tuple[str, Callable[[], None]]] = []
        count = len(deeds(bench))
        if count:
            what = counted(count, "thing") + " done by hand"
            acts += [(f"once more: {what}, as it was", lambda: self._again(1, False)),
                     ("once more, ten times slower", lambda: self._again(10, False)),
                     ("once more in the opposite order: the last thing first", lambda: self._again(1, True))]
        known = bench.session.running.tags
        if tag is not None and tag in bench.inputs and known[tag].type.family in NUMBERS:
            acts.append((f"let {known[tag].name} run to a value in a time", lambda: self._ramp(tag)))
        acts += [("power fails and returns: warm, retained tags keep their values", lambda: self._power(True)),
                 ("power fails and returns: cold, all tags as declared", lambda: self._power(False))]
        changing = self.board.changing
        if changing is not None and changing.steps:
            acts += [(f"go on with {called(changing.name)}: memory kept, timers begin anew", lambda: self._with_changes(True))]
            if bench.session is self.session and bench.now < bench.session.log.end:
                acts.append((f"go on with {called(changing.name)}, memory kept, and the log goes on", lambda: self._with_changes(True, True)))
            acts.append((f"restart with {called(changing.name)}: all tags as declared", lambda: self._with_changes(False)))
        if bench.session is self.session:
            acts.append(("without the program: outputs by hand, to test the wiring", self._without))
        lines = [[(f" {words}", Ink.TEXT)] for words, _ in acts]

        def take(value: object) -> None:
            if callable(value):
                value()
                if self.board.page is not None:
                    self.board.page.paint()

        overlay = ListOverlay("at the bench", lines, [act for _, act in acts], "words of what to do", "Enter does it · Esc closes")
        self.board.app.push_screen(overlay, take)

    def _again(self, slower: int, turned: bool) -> None:
        bench = self.board.bench
        assert bench is not None
        self.board.operator.done.append(bench.now)
        lasts = again(bench, slower, turned)
        self.say(f"from the next scan on, for {duration_text(max(0, lasts))}: p runs, . goes scan by scan")

    def _ramp(self, tag: int) -> None:
        bench = self.board.bench
        assert bench is not None
        one = bench.session.running.tags[tag]
        read = value_reader(one)

        def take(text: str | None) -> None:
            value, _, time = (text or "").partition(" in ")
            try:
                bits, lasts = read(value.strip()), duration(time.strip())
            except ValueError:
                bits, lasts = None, 0
            if bits is None or lasts <= 0:
                self.say(f"{text} is no ramp: 50 in 10s" if text else "no ramp")
                return
            self.board.operator.done.append(bench.now)
            ramp(bench, tag, bits, lasts)
            self.say(f"{one.name} runs to {value.strip()} from the next scan on: p runs")

        self.board.app.push_screen(Prompt(f"{one.name} runs to a value", "a value and a time: 50 in 10s"), take)

    def _power(self, warm: bool) -> None:
        bench = self.board.bench
        assert bench is not None
        fresh = after_power(bench, warm)
        self._take(fresh)
        kept = counted(sum(t.retain for t in fresh.session.running.tags[:fresh.session.running.public]), "retained tag") if warm else "nothing"
        self.say(f"power has returned, {'warm' if warm else 'cold'}: {kept} kept; time counts from 0, this is the first scan")

    def _take(self, fresh: Bench) -> None:
        """Go on at another bench."""
        board = self.board
        if board.bench is not None:
            board.bench.close()
        board.bench = fresh
        board.operator.runs = False
        board.operator.forces.clear()
        board.operator.done.clear()

    def _with_changes(self, kept: bool, log: bool = False) -> None:
        changing, bench = self.board.changing, self.board.bench
        assert changing is not None and bench is not None
        fresh = with_changes(bench, changing.session(), kept)
        rows = log_goes_on(bench, fresh) if log else 0
        self._take(fresh)
        if log:
            self.say(f"{called(changing.name)} goes on here, memory kept, {counted(rows, 'row')} of the log to come: p runs, ] and t go on")
            return
        self.say(f"{called(changing.name)} {'goes on here, memory kept' if kept else 'has started'}; time counts from 0, b twice goes back")

    def _without(self) -> None:
        session = without_rungs(self.session)
        session.plant = self.session.plant
        self._take(Bench(session, None, session.plant))
        self.say("no rung is executed: Space prepares outputs too; b, then b again goes back to the program")

    def why(self, tag: int) -> None:
        """An answer on the bench, over it."""
        bench = self.board.bench
        if bench is None or bench.session.running.tags[tag].type.name != "BOOL":
            self.say("only BOOL tags can be asked for here")
            return
        whole = bench.whole()
        answer = answer_to(whole, Question(tag, bench.now))
        lines = [[(f"  {line}", Ink.TEXT)] for line in answer_text(whole, answer).split("\n")]
        self.board.app.push_screen(ListOverlay(f"why {bench.session.running.tags[tag].name}, on the bench", lines))

    def save(self) -> None:
        """Ask for a file, and write what was done as a log."""
        bench = self.board.bench
        if bench is None:
            return

        def write(path: Path) -> str | None:
            bench.save(path)
            return f"{path}, to be read with --profile {path.with_suffix('.toml')}" if bench.needs_profile else None

        name = f"{self.session.paths.program.stem}-bench.csv"
        self.write_where("save what was done as a log: any other command takes it", "a file name, .csv", name, write)

