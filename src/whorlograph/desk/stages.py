"""From a log to an answer in stages: what has been replayed by then can be looked at while the rest goes on."""

from __future__ import annotations

import time
from collections.abc import Callable, Generator

from msgspec import Struct

from whorlograph.inquiry.trail import Answer
from whorlograph.model.question import Question
from whorlograph.model.times import clock_text

from .asking import answer_to
from .session import Session, read_on

SHOW_AFTER = 0.8  # seconds: until then the whole answer may well be there
GROWTH = 1.6  # by how much more must have been replayed to be worth another look


class Stage(Struct, frozen=True):
    """How far the work has come, in words; and now and then a session to look at, with the question's answer so far."""

    text: str
    session: Session | None = None
    answer: Answer | None = None


def stages(session: Session, question: Question | None, stop: Callable[[], bool]) -> Generator[Stage, None, Stage]:
    """Read what is left of the log, replay it and ask.

    Args: session: with its log, or the start of it; question: None asks nothing; stop: looked at about ten times
        a second: what there is by then comes back, and says so.
    """
    if session.replayed and session.journal.complete:
        return Stage("", session, _answer(session, question))
    head: Stage | None = None
    if not session.log.complete:
        head = yield from _replayed(session, question, stop, None)
        if stop():
            return head
        yield head
        whole = yield from _read(session, stop)
        if not whole.log.complete:
            return head
        session = whole
    last = yield from _replayed(session, question, stop, head)
    return last


def _read(session: Session, stop: Callable[[], bool]) -> Generator[Stage, None, Session]:
    began = time.monotonic()
    reading = read_on(session, stop)
    while True:
        try:
            done, size = next(reading)
        except StopIteration as finished:
            whole: Session = finished.value
            return whole
        share = min(1.0, done / max(1, size))
        yield Stage(f"reading the log {100 * share:.0f} %{_left(began, share)}")


def _replayed(session: Session, question: Question | None, stop: Callable[[], bool], shown: Stage | None) -> Generator[Stage, None, Stage]:
    """Replay and ask.

    Args: shown: what can be looked at already; it stays where the replay is stopped before there is much more.
    """
    began = time.monotonic()
    due = began + SHOW_AFTER
    work = session.controller.replaying(session.log, stop=stop)
    while True:
        try:
            progress = next(work)
        except StopIteration as finished:
            if stop() and shown is not None and len(finished.value) < GROWTH * _rows(shown):
                return shown
            session.take(finished.value)
            break
        now = time.monotonic()
        share = progress.done / max(1, progress.total)
        rate = f"{progress.done / 6e10 / max(now - began, 0.001):.0f} min of log a second"
        changes = f"{progress.rows:,}".replace(",", " ")
        text = f"replaying {100 * share:.0f} %, {changes} changes, {rate}{_left(began, share)}"
        if now > due and progress.rows > GROWTH * _rows(shown):
            part = session.with_journal(progress.so_far())
            shown = Stage(_upto(part), part, _answer(part, question))
            yield shown
            due = time.monotonic() + SHOW_AFTER
        else:
            yield Stage(text)
    return Stage(_upto(session), session, _answer(session, question))


def _rows(stage: Stage | None) -> int:
    return len(stage.session.journal) if stage is not None and stage.session is not None else 0


def _upto(session: Session) -> str:
    """How far a session is replayed, in words; "" where to its end."""
    clock = session.journal.clock
    full = ", where the memory was full" if session.journal.full else ""
    return "" if session.journal.complete else f"replayed up to {clock_text(session.log, clock.start(clock.last))}{full}; answers say so far"


def _answer(session: Session, question: Question | None) -> Answer | None:
    return answer_to(session, question) if question is not None else None


def _left(began: float, share: float) -> str:
    """What is left of a work's time, once that can be told."""
    took = time.monotonic() - began
    return f", {took * (1 - share) / share:.0f} s left" if took > 1 and share > 0 else ""
