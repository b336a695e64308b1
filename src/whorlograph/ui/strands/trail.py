"""The trail: the causes in words, a line each, with the card of the chosen root."""

from __future__ import annotations

from whorlograph.desk.scene import Scene, TrailLine
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.inquiry.trail import Root
from whorlograph.model.literals import counted

from .strand import Strand


class TrailStrand(Strand):
    """Causes, of which one is chosen."""

    def __init__(self) -> None:
        super().__init__("trail", "trail")
        self._lines: list[TrailLine] = []
        self._card_room = 0  # lines of the chosen card that find no room

    def lay_out(self, scene: Scene) -> None:
        """The trail's lines, with the chosen one and its card in sight."""
        width = self.room.width - self.wide
        self._lines = scene.trail(width, self.view.folded)
        firsts = [i for i, t in enumerate(self._lines) if t.first]
        number = firsts[min(self.view.line, len(firsts) - 1)] if firsts else 0
        if firsts and not self.wide and self.view.line and self.focused:  # on a wide screen it stands at the rung at hand
            self._lines[number + 1:number + 1] = scene.told(self._lines[number], width)
        last = number
        while last + 1 < len(self._lines) and not self._lines[last + 1].first:
            last += 1
        lines: list[list[Run]] = [list(t.runs) for t in self._lines]
        for letter, target in self.labels.items():
            if target[0] == "trail" and target[2] < len(lines):
                lines[target[2]] = [(f"[{letter}]", Ink.STRONG), *lines[target[2]]]
        if not lines:
            lines = [[(f" {scene.answer.text}", Ink.TEXT)]]
        height = self.room.height
        self._card_room = max(0, last - number + 1 - height)
        if self.view.line == 0 and len(lines) <= height:
            top = 0
        elif self.view.card:
            top = number + min(self.view.card, self._card_room)
        else:
            top = self.reach(number, min(last, number + height - 1))
        note = f"{min(self.view.line + 1, len(firsts))} of {len(firsts)}" if firsts else ""
        if self._card_room > self.view.card:
            note = f"Down: {counted(self._card_room - self.view.card, 'more line')} · {note}"
        self.fill(lines, frozenset({number}) if firsts else frozenset(), top, note)

    @property
    def trail_lines(self) -> list[TrailLine]:
        """All its lines."""
        self.bring_up()
        return self._lines

    @property
    def card_room(self) -> int:
        """Lines of the chosen root's card that find no room."""
        self.bring_up()
        return self._card_room

    def shows(self, root: Root) -> bool:
        """Whether a root is in sight."""
        line = next((i for i, one in enumerate(self.trail_lines) if one.root is root), -1)
        return self.top <= line < self.top + self.room.height

    def firsts(self) -> list[int]:
        """The lines that can be chosen."""
        return [i for i, t in enumerate(self.trail_lines) if t.first]

    def current(self) -> TrailLine | None:
        """The chosen line."""
        firsts = self.firsts()
        return self.trail_lines[firsts[min(self.view.line, len(firsts) - 1)]] if firsts else None
