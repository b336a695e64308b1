"""What a step saw: values of all cells at a place of the journal, with the step's own writes laid over them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from whorlograph.engine.feed import masks_of
from whorlograph.engine.journal import Journal
from whorlograph.engine.scope.overlap import Shared, changed
from whorlograph.model.tags import Running

IN, PT, Q, ET = range(4)  # a timer's pins, in order


class Beyond(Protocol):
    """Answers what the journal has no rows of."""

    def timer(self, first: int) -> tuple[str, int]:
        """A timer's kind, by the number of its first pin, and the time (ns) up to which it was brought up to date before the step."""

    def now(self) -> int:
        """When the step began, ns."""

    def hidden(self, cell: int) -> int:
        """What a hidden cell begins with."""

    def temporary(self, cell: int) -> int | None:
        """What stands in a temporary; None where a cell is none."""

    def memory(self, cell: int) -> int:
        """What an element remembers without rows."""


class Sight:
    """The cells as one step sees them.

    Args: position: the rows before it had happened when the step began; after: those before it when it was done; beyond: what has no rows.
    """

    def __init__(self, running: Running, journal: Journal, shares: Mapping[int, list[Shared]], scan: int, position: int, after: int,
                 beyond: Beyond) -> None:
        self.running, self.journal, self.shares = running, journal, shares
        self.scan, self.position, self.after, self.beyond = scan, position, after, beyond
        self.own: dict[int, int] = {}
        self.rows: list[tuple[int, int]] = []
        self.supposed = False  # the step was not executed: the journal does not have what its blocks would leave
        self.made: Callable[[], list[tuple[int, int]]] = list  # the rows that the step left, in order, those of functions that it called included
        self.masks = _masks(running, journal, shares, scan - self._between_scans())

    def _between_scans(self) -> bool:
        """Whether the step ran before its scan began: on a task's run between two scans, when forces had not yet come or gone."""
        if not self.journal.forced or self.position >= min(self.after, len(self.journal)):
            return False
        return self.journal.moment(self.position).step < 0

    def read(self, cell: int) -> int:
        """A cell's raw value as the step sees it now."""
        found = self.own.get(cell)
        return found if found is not None else self.before(cell)

    def before(self, cell: int) -> int:
        """A cell's raw value when the step began."""
        if cell >= len(self.running.tags):
            row = self.journal.last_row(cell, self.position)
            return self.journal.raw(row) if row is not None else self.beyond.hidden(cell)
        tag = self.running.tags[cell]
        if tag.silent and not tag.computed:
            found = self.beyond.temporary(cell)
            return found if found is not None else tag.initial
        if tag.computed:
            kind, time = self.beyond.timer(cell - ET)
            return elapsed(kind, self.journal, cell - ET, self.position, time)
        return self.journal.value_at(cell, self.position)

    def left(self, cell: int) -> int:
        """A cell's raw value when the step was done, as the journal has it."""
        if cell < len(self.running.tags) and self.running.tags[cell].computed:
            return elapsed(self.beyond.timer(cell - ET)[0], self.journal, cell - ET, self.after, self.beyond.now())
        return self.journal.value_at(cell, self.after)

    def write(self, cell: int, bits: int) -> None:
        """Write a raw value, through forces, and to the cells that share its bits."""
        mask, forced = self.masks.get(cell, (0, 0))
        bits = (bits & ~mask) | forced
        if self.read(cell) == bits:
            return
        self._change(cell, bits)
        for share in self.shares.get(cell, ()):
            other = changed(bits, self.read(share.other), share, self.running.tags[share.other].type)
            if other != self.read(share.other):
                self._change(share.other, other)

    def _change(self, cell: int, bits: int) -> None:
        self.own[cell] = bits
        if cell >= len(self.running.tags) or (cell < self.running.public and not self.running.tags[cell].silent):
            self.rows.append((cell, bits))


def _masks(running: Running, journal: Journal, shares: Mapping[int, list[Shared]], scan: int) -> dict[int, tuple[int, int]]:
    """By tag: the bits that are forced in a scan, and what they are forced to."""
    found: dict[int, tuple[int, int]] = {}
    for force in journal.forced:
        for tag, mask, value in masks_of(force.tag, force.value or 0, running, shares) if force.scan <= scan else ():
            old, bits = found.get(tag, (0, 0))
            found[tag] = (old | mask, bits & ~mask | value) if force.value is not None else (old & ~mask, bits & ~mask)
    return found


def elapsed(kind: str, journal: Journal, first: int, position: int, now: int) -> int:
    """A timer's ET, ns, which has no rows: counted from when its input, of a pulse its output, last changed.

    Args: kind: TON, TOF or TP; first: the number of its first pin; now: the time up to which it has been brought up to date.
    """
    on, preset = bool(journal.value_at(first + IN, position)), max(0, journal.value_at(first + PT, position))
    turned = journal.last_row(first + (Q if kind == "TP" else IN), position)
    if turned is None:
        return 0
    since = min(max(0, now - journal.time(turned)), preset)
    if kind == "TP":
        return since if journal.raw(turned) else preset if on else 0
    return since if on == (kind == "TON") else 0
