"""The whole program by POU: every rung with power flow at the moment; rungs that did not run look different."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.desk.finding import steps_with
from whorlograph.desk.scene import RungBlock
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.model.literals import counted

from ..host import Host
from ..rung_cursor import beside, elements_of, first_element, with_cursor
from ..state import PageState
from ..strands import Lines
from .page import Page


class ProgramPage(Page):
    """Draws only the rungs in sight, whatever the size of the program."""

    FOOTER = ("help", "palette", "back", "why", "xref", "search", "next_hit", "next_strand", "next_change", "close")

    def __init__(self, main: Host, state: PageState) -> None:
        super().__init__(main, state if state.step >= 0 else replace(state, step=0))
        self.blocks: list[tuple[int, RungBlock]] = []
        self.hits: list[int] = []

    def _draw(self, step: int, width: int) -> RungBlock:
        assert self.main.scene is not None
        return self.main.scene.rung(step, self.main.view.scan, width, self.main.view.values)

    def _siblings(self) -> range:
        """The steps of the POU instance at hand."""
        steps = self.main.session.controller.steps
        one = steps.all[self.state.step].instance
        first = steps.first[id(one)]
        return range(first, first + len(steps.of(one)))

    def paint(self) -> None:
        """Draw the chosen rung and as many around it as fit."""
        if not self.is_mounted or not self.body.size.width or self.main.scene is None:
            return
        width, height = self.body.room.width - 2, self.body.room.height
        steps = self._siblings()
        blocks = {self.state.step: self._draw(self.state.step, width)}
        above, first = 0, self.state.step
        while first - 1 in steps and above < height // 3:
            first -= 1
            blocks[first] = self._draw(first, width)
            above += len(blocks[first].lines) + 1
        below, last = len(blocks[self.state.step].lines), self.state.step
        while last + 1 in steps and below < height:
            last += 1
            blocks[last] = self._draw(last, width)
            below += len(blocks[last].lines) + 1
        if self.state.element < 0 or self.state.element not in {s.element for s in blocks[self.state.step].spots}:
            self.state = replace(self.state, element=first_element(blocks[self.state.step]))
        lines: list[list[Run]] = []
        self.blocks = []
        at = 0
        for step in range(first, last + 1):
            block = blocks[step]
            if step == self.state.step:
                at = len(lines)
            self.blocks.append((len(lines), block))
            for i, content in enumerate(block.lines):
                hit = "›" if step in self.hits and i == 0 else " "
                mark: Run = ("▌", Ink.MOMENT) if step == self.state.step else (hit, Ink.STRONG)
                runs: list[Run] = [mark, *content]
                if step == self.state.step:
                    runs = with_cursor(runs, block, self.state.element, i)
                lines.append(runs)
            lines.append([])
        one = self.main.session.controller.steps.all[self.state.step]
        name = one.pou if one.instance.name in (one.pou, "") else f"{one.pou} ({one.instance.name})"
        found = f" · {counted(len(self.hits), 'hit')} of “{self.state.filter}”" if self.state.filter else ""
        self.body.title = f"whole program · {name}{found}"
        top = max(0, at - height // 3)
        place = f"line {one.rung.number}" if one.rung.statement is not None else f"rung {one.rung.number} of {len(steps)}"
        self.body.show(lines, frozenset(), top, True, place)
        self._paint_edges("")

    def default_hint(self) -> str:
        """What to do here."""
        return "Up and Down: rungs · Left and Right: elements · Tab: next POU · / searches"

    def chosen_tag(self) -> int | None:
        """The tag of the element under the cursor."""
        block = next((b for _, b in self.blocks if b.step == self.state.step), None)
        return block.tags.get(self.state.element) if block is not None else None

    def place(self) -> tuple[int, int] | None:
        """The step and element under the cursor."""
        return self.state.step, self.state.element

    def move(self, steps: int) -> None:
        """Move from rung to rung within the POU."""
        rungs = self._siblings()
        wanted = max(rungs.start, min(rungs.stop - 1, self.state.step + steps))
        if wanted == self.state.step:
            self.said = "the POU ends here, Tab shows the next" if steps > 0 else "the POU begins here, Shift+Tab shows the one before"
        self.change(step=wanted, element=-1)

    def do_page_down(self) -> None:
        """Four rungs on."""
        self.move(4)

    def do_page_up(self) -> None:
        """Four rungs back."""
        self.move(-4)

    def _across(self, steps: int) -> None:
        block = next((b for _, b in self.blocks if b.step == self.state.step), None)
        if block is not None:
            self.change(element=beside(elements_of([(0, block)]), (self.state.step, self.state.element), steps)[1])

    def do_right(self) -> None:
        """Next element."""
        self._across(1)

    def do_left(self) -> None:
        """Element before."""
        self._across(-1)

    def _pou(self, forward: bool) -> None:
        steps = self.main.session.controller.steps
        firsts = sorted(steps.first.values())
        here = self._siblings().start
        at = firsts.index(here) + (1 if forward else -1)
        self.change(step=firsts[at % len(firsts)], element=-1)

    def do_next_strand(self) -> None:
        """The next POU."""
        self._pou(True)

    def do_previous_strand(self) -> None:
        """The POU before."""
        self._pou(False)

    def do_values(self) -> None:
        """Values under the tags, or not."""
        self.main.do("values")

    def do_follow(self) -> None:
        """Where the tag under the cursor is used."""
        self.main.do("xref")

    def _found(self, text: str) -> list[int]:
        """The steps in whose comment, tags or blocks every word occurs."""
        return steps_with(self.main.session, text)

    def counted(self, text: str) -> str:
        """How many rungs hold every word."""
        return f"{counted(len(self._found(text)), 'rung')}"

    def search(self, text: str) -> None:
        """Go to the first rung at or after this one that holds every word."""
        self.hits = self._found(text) if text else []
        self.change(filter=text)
        if text and not self.hits:
            self.say(f"“{text}” occurs in no rung")
        elif self.hits:
            self._hit(0 if self.state.step in self.hits else 1)

    def _hit(self, direction: int) -> None:
        if not self.hits:
            self.say("nothing is searched for: / searches")
            return
        here = self.state.step
        later = [s for s in self.hits if s > here] if direction > 0 else [s for s in self.hits if s < here]
        wrapped = False
        if direction == 0:
            step = here
        elif later:
            step = later[0] if direction > 0 else later[-1]
        else:
            step, wrapped = (self.hits[0] if direction > 0 else self.hits[-1]), True
        self.said = f"{self.hits.index(step) + 1} of {len(self.hits)}" + (", from the other end" if wrapped else "") + " · n and N go on"
        self.change(step=step, element=-1)

    def do_next_hit(self) -> None:
        """Next rung of the search."""
        self._hit(1)

    def do_previous_hit(self) -> None:
        """Rung of the search before."""
        self._hit(-1)

    def on_lines_clicked(self, event: Lines.Clicked) -> None:
        """A click chooses an element, or a rung."""
        event.stop()
        for start, block in reversed(self.blocks):
            if start <= event.line:
                spot = next((s for s in block.spots if start + s.line == event.line and s.left <= event.column - 1 < s.right), None)
                self.change(step=block.step, element=spot.element if spot is not None else -1)
                return
