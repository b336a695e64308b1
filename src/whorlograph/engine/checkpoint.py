"""Trials: stretches of one log replayed again with something changed, each going on from a checkpoint instead of from the start."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.feed import Trial
from whorlograph.model.log import Log

from .journal import Journal
from .schedule import MOST_STEPS
from .scope.overlap import shared_bits

if TYPE_CHECKING:
    from .controller import Controller
    from .feed import Feed
    from .wasm.machine import Checkpoint


class Trials:
    """One machine that stands at a checkpoint before a time, and goes on from there as often as asked.

    Args: since: ns; no trial changes anything before it.
    Raises: ImportError or OSError where wasmtime does not load.
    """

    def __init__(self, controller: Controller, log: Log, since: int) -> None:
        self.controller, self.log, self.since = controller, log, since
        feed = controller.feed(log)
        self.machine = controller.machine(feed)
        near = controller.checkpoint_before(log, since)
        if near is not None:
            self.machine.restore(near, feed)
        self.checkpoint = self._stand(feed, since)
        state = next(data for address, data in self.checkpoint.parts if address == 0)
        cells = controller.code.cells
        self._values: list[int] = np.frombuffer(state, np.int64, cells, self.machine.module.layout.cells).tolist()

    def _stand(self, feed: Feed, since: int) -> Checkpoint:
        """The last state between two scans at which nothing of the time or later was taken: a long scan, or a task behind it, may have."""
        machine, near = self.machine, self.machine.checkpoint()
        back = since - 1
        apart = back - self.controller.profile.watchdog - 2 * self.controller.scan_time
        if apart > near.start:
            machine.run(apart)
            near = machine.checkpoint() if machine.checkpoint().taken < since else near
        while back > near.start or (back == 0 and not near.scan):
            machine.restore(near, feed)
            machine.run(back)
            found = machine.checkpoint()
            if found.taken < since:
                return found
            back = found.start - 1
        machine.restore(near, feed)
        return near

    def run(self, trial: Trial, until: int, log: Log | None = None) -> Journal:
        """Replay from the checkpoint up to a time (ns). The journal begins at the checkpoint, with the values that stood there.

        Args: log: another one, which is the same before ``since``.
        Raises: ValueError for a trial that changes what was before.
        """
        edits = (*trial.holds, *trial.forces)
        if trial.initial or any(e.start < self.since for e in edits):
            raise ValueError("a trial changes something before its checkpoint")
        if any(e.tag in self.controller.fixed for e in edits):
            raise ValueError("a trial holds what counts a loop: that is replayed from the start")
        feed = self.controller.feed(self._stretch(log or self.log, frozenset(e.tag for e in edits), until), trial, until)
        self.machine.restore(self.checkpoint, feed)
        self.machine.run(until)
        journal = self.controller.journal_of(self.machine, feed, until)
        journal.initial = self._values
        return journal

    def _stretch(self, log: Log, edited: frozenset[int], until: int) -> Log:
        """The log from the checkpoint to where a scan that starts at a time may end.

        Of edited tags what they were before: the edit gives it back at its end. Of those whose edges start tasks too.
        """
        controller = self.controller
        last = until + MOST_STEPS * controller.profile.rung_time
        low = int(np.searchsorted(log.times, self.checkpoint.taken, side="right"))
        high = int(np.searchsorted(log.times, last, side="right"))
        picked = np.arange(low, high)
        near = shared_bits(controller.running.tags[:controller.running.public], controller.profile.addressing)
        edited |= {s.other for t in edited for s in near.get(t, ())}
        for tag in edited | {t.single for t in controller.schedule.tasks if t.single is not None}:
            before = np.nonzero(log.tags[:low] == tag)[0]
            if len(before):
                picked = np.insert(picked, 0, before[-1])
        picked.sort()
        return Log(log.times[picked], log.tags[picked], log.values[picked], end=log.end, rows=len(picked))

    def close(self) -> None:
        """Free the machine."""
        self.machine.close()
