"""Questions put to a session, and their proofs."""

from __future__ import annotations

import time
from collections.abc import Callable

from whorlograph.inquiry.now import make_timeless
from whorlograph.inquiry.trail import Answer, Root
from whorlograph.inquiry.trials.all import note, prove_answer
from whorlograph.inquiry.trials.proof import prove
from whorlograph.inquiry.trials.runs import TrialRuns
from whorlograph.inquiry.trials.verdict import Proof
from whorlograph.inquiry.why import Inquiry
from whorlograph.model.errors import Stopped
from whorlograph.model.question import Question, Symptom
from whorlograph.model.times import parse_moment

from .session import Session

PROVING = 5.0  # seconds for all roots of an answer


def inquiry(session: Session) -> Inquiry:
    """The session's inquiry, made once."""
    if session.inquiry is None:
        session.inquiry = Inquiry(session.controller, session.journal, session.log, session.iolist, session.now)
    return session.inquiry


def inquiry_beside(session: Session) -> Inquiry:
    """An inquiry of its own, for work in a thread beside the screen."""
    return Inquiry(session.controller, session.journal, session.log, session.iolist, session.now)


def answer_to(session: Session, question: Question) -> Answer:
    """The answer to a question from what is replayed, worked out once."""
    if question not in session.answers:
        session.answers[question] = inquiry(session).ask(question)
    return session.answers[question]


def ask(session: Session, name: str, at: str | None = None, symptom: Symptom | None = None) -> Answer:
    """Ask why a tag is as it is.

    Raises: UsageError for an unknown tag, or what is no time within the log.
    """
    tag = session.tag(name)
    return answer_to(session, Question(tag, parse_moment(at, session.log) if at else None, symptom))


def prove_root(session: Session, answer: Answer, root: Root, stop: Callable[[], bool] = lambda: False) -> Proof:
    """Try one root the other way and note what came of it; the trial's journal begins at the log's start, for lanes.

    Raises: Stopped where ``stop`` says so before that is known; then nothing is noted.
    """
    with TrialRuns(answer, session.controller, inquiry(session).log, session.journal, stop, whole=True, now=session.now) as runs:
        proof = prove(runs, root)
    note(root, proof)
    return proof


def prove_all(session: Session, answer: Answer, stop: Callable[[], bool] = lambda: False, beside: Inquiry | None = None) -> None:
    """Try the roots one by one, then together, then single rows of the log, as long as there is time; disproved ones sink.

    Args: beside: asked instead of the session's own, in a thread.
    Raises: Stopped where ``stop`` says so; what was found out by then is noted.
    """
    begun = time.monotonic()

    def late() -> bool:
        return stop() or time.monotonic() - begun > PROVING

    asked = beside or inquiry(session)
    with TrialRuns(answer, session.controller, asked.log, session.journal, late, now=session.now) as runs:
        try:
            prove_answer(runs, asked.tracer)
        except Stopped:
            if stop():
                raise
            for root in answer.roots:
                root.proof = root.proof or f"not within {PROVING:g} s: the log is long; p on the screen takes the time it needs"
    if session.now is not None:
        make_timeless(answer)
