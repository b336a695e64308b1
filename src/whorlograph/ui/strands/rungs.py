"""The rungs that the question runs through, with power flow at the moment; and the tags of the one at hand."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.desk.scene import RungBlock, Scene, TrailLine
from whorlograph.drawing.shapes import Ink, Run

from ..rung_cursor import Place, elements_of, with_cursor, with_letter
from .strand import Strand

MOST = 24  # rungs that are drawn


class RungsStrand(Strand):
    """Rungs one below the other, that of the trail's chosen line in sight.

    Args: line: tells the trail's chosen line.
    """

    def __init__(self, line: Callable[[], TrailLine | None]) -> None:
        super().__init__("rungs", "rungs")
        self.line = line
        self._blocks: list[tuple[int, RungBlock]] = []

    def _order(self, scene: Scene, wanted: int) -> list[int]:
        """Which rungs, in which order: on a narrow screen the wanted one first."""
        steps = scene.steps()
        if wanted >= 0 and wanted not in steps:
            steps = [*steps, wanted]
        if self.wide and scene.answer.trail is not None:
            steps = steps + [s for s in scene.steps_beside() if s not in steps]
        if not self.wide and wanted in steps and not self.focused:
            steps = steps[steps.index(wanted):] + steps[:steps.index(wanted)]
        return steps[:MOST]

    def lay_out(self, scene: Scene) -> None:
        """Draw them."""
        width, line = self.room.width - 2, self.line()
        wanted = line.step if line is not None and line.step >= 0 else -1
        lines: list[list[Run]] = []
        self._blocks = []
        first, last = 0, 0
        for step in self._order(scene, wanted):
            block = scene.rung(step, self.view.scan, width, self.view.values)
            if step == wanted:
                first, last = len(lines), len(lines) + len(block.lines) - 1
            self._blocks.append((len(lines), block))
            for i, content in enumerate(block.lines):
                runs: list[Run] = [("▌" if step == wanted else " ", Ink.MOMENT), *content]
                for letter, target in self.labels.items():
                    if target[:2] == ("rungs", step):
                        runs = with_letter(runs, block, target[2], i, letter)
                if self.focused and step == self.view.element[0]:
                    runs = with_cursor(runs, block, self.view.element[1], i)
                lines.append(runs)
            lines.append([])
        if self.focused:
            first, last = self._cursor_lines(first, last)
        top = self.reach(first, min(last, first + self.room.height - 1))
        self.fill(lines, frozenset(), top, "" if self.wide else scene.clock(self.view.time))

    def _cursor_lines(self, first: int, last: int) -> tuple[int, int]:
        for start, block in self._blocks:
            for spot in block.spots:
                if (block.step, spot.element) == self.view.element:
                    return start + max(0, spot.line - 1), start + spot.line + 1
        return first, last

    @property
    def blocks(self) -> list[tuple[int, RungBlock]]:
        """What is drawn, each with its first line."""
        self.bring_up()
        return self._blocks

    def elements(self) -> list[Place]:
        """Where each element stands."""
        return elements_of(self.blocks)

    def block_at_hand(self) -> RungBlock | None:
        """The rung with the cursor."""
        return next((b for _, b in self.blocks if b.step == self.view.element[0]), None)

    def step_at_hand(self) -> int:
        """The rung of the cursor, or else of the trail's chosen line, or else the first; -1 where there is none."""
        line = self.line()
        step = self.view.element[0] if self.focused else line.step if line is not None else -1
        return step if step >= 0 or not self.blocks else self.blocks[0][1].step

    def element_at(self, line: int, column: int) -> tuple[int, int] | None:
        """The element (step, element) that is drawn at a place."""
        for start, block in self.blocks:
            for spot in block.spots:
                if start + spot.line == line and spot.left <= column - 1 < spot.right:
                    return block.step, spot.element
        return None


class HandStrand(Strand):
    """What the trail's chosen line says in whole sentences; the tags of the rung at hand, with their values and descriptions.

    Args: step: tells which rung that is; line: the chosen line.
    """

    def __init__(self, step: Callable[[], int], line: Callable[[], TrailLine | None]) -> None:
        super().__init__("hand", "this rung")
        self.step, self.line = step, line

    def lay_out(self, scene: Scene) -> None:
        """List them."""
        step, line = self.step(), self.line() if self.view.strand == "trail" else None
        said = [list(one.runs) for one in scene.told(line, self.room.width, below=False)] if line is not None else []
        self.fill([*said, *scene.at_hand(step, self.view.scan, self.room.width)], top=0, note=scene.tracer.place(step) if step >= 0 else "")
