"""Replays of one answer's trials, each from a checkpoint shortly before what it changes."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.engine.checkpoint import Trials
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.errors import Stopped
from whorlograph.model.log import Log

from ..noted import Now
from ..trail import Answer
from .window import decided

WORTH_NS = 10_000_000_000  # of log before a trial: from more on it goes on from a checkpoint
NEAR_NS = 30_000_000_000  # of log that are replayed again rather than standing at a place of its own
MOST_PLACES = 6


class TrialRuns:
    """What is needed to try an answer's roots. Close it when done.

    Args: stop: looked at before each replay, and in long ones; whole: whether journals are wanted from the log's start on, for lanes;
        now: without a log, what the untouched replay holds, and each trial besides its own.
    """

    def __init__(self, answer: Answer, controller: Controller, log: Log, original: Journal, stop: Callable[[], bool] = lambda: False,
                 whole: bool = False, now: Now | None = None) -> None:
        self.answer, self.controller, self.log, self.original = answer, controller, log, original
        self.stop, self.whole = stop, whole
        self.base: Trial = now.trial if now is not None else Trial()
        self.rest: int | None = now.rest if now is not None else None
        self.until = decided(answer, original, log.end)
        self._places: list[Trials] = []

    def run(self, trial: Trial, log: Log | None = None, since: int | None = None, until: int | None = None) -> Journal:
        """Replay with something changed.

        Args: log: instead of the answer's, equal to it before ``since``; since: from when on (ns) anything differs, by default the
            trial's earliest edit.
        Raises: Stopped where ``stop`` says so.
        """
        if self.stop():
            raise Stopped
        if self.base != Trial():
            return self.controller.replay(log or self.log, _with(self.base, trial), self.until if until is None else until, self.stop)
        starts = [h.start for h in (*trial.holds, *trial.forces)]
        begin = min(starts, default=0) if since is None else min(since, *starts) if starts else since
        last = self.until if until is None else until
        counts = any(h.tag in self.controller.fixed for h in (*trial.holds, *trial.forces))
        whole = self.whole or counts or trial.initial or begin <= WORTH_NS or self.controller.plain
        near = self._near(begin) if not whole else None
        if near is not None:
            return near.run(trial, last, log)
        return self.controller.replay(log or self.log, trial, last, self.stop)

    def from_start(self, trial: Trial) -> Journal:
        """Replay with something changed, from the log's start on: trails can be followed in that.

        Raises: Stopped where ``stop`` says so.
        """
        return self.controller.replay(self.log, _with(self.base, trial), self.until, self.stop)

    def _near(self, begin: int) -> Trials | None:
        """A machine that stands before a time, not too long."""
        fitting = [p for p in self._places if begin - NEAR_NS <= p.since <= begin]
        if fitting:
            return max(fitting, key=lambda p: p.since)
        if len(self._places) >= MOST_PLACES:
            self._places.pop(0).close()
        try:
            self._places.append(Trials(self.controller, self.log, begin))
        except (ImportError, OSError):
            return None
        return self._places[-1]

    def close(self) -> None:
        """Free the machines."""
        for place in self._places:
            place.close()
        self._places.clear()

    def __enter__(self) -> TrialRuns:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def _with(base: Trial, trial: Trial) -> Trial:
    """A trial on top of another: what it holds itself counts."""
    mine = {h.tag for h in (*trial.holds, *trial.forces)} | {t for t, _ in trial.initial}
    initial = (*((t, v) for t, v in base.initial if t not in mine), *trial.initial)
    holds = (*(h for h in base.holds if h.tag not in mine), *trial.holds)
    return Trial(holds, initial, (*(f for f in base.forces if f.tag not in mine), *trial.forces))
