"""Questions put to a session, and their proofs."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from whorlograph.formats.logs.values import value_reader
from whorlograph.inquiry.trail import Answer, Root
from whorlograph.inquiry.trials.all import note, prove_answer
from whorlograph.inquiry.trials.proof import prove
from whorlograph.inquiry.trials.runs import TrialRuns
from whorlograph.inquiry.trials.verdict import Proof
from whorlograph.inquiry.why import Inquiry
from whorlograph.model.errors import Stopped, UsageError
from whorlograph.model.log import Log
from whorlograph.model.question import Question, Symptom
from whorlograph.model.times import parse_moment

from .session import Session

SETTLE = 60_000_000_000
PROVING = 5.0  # seconds for all roots of an answer


def inquiry(session: Session) -> Inquiry:
    """The session's inquiry, made once."""
    if session.inquiry is None:
        session.inquiry = Inquiry(session.controller, session.journal, session.log, session.iolist)
    return session.inquiry


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
    with TrialRuns(answer, session.controller, session.log, session.journal, stop, whole=True) as runs:
        proof = prove(runs, root)
    note(root, proof)
    return proof


def prove_all(session: Session, answer: Answer, stop: Callable[[], bool] = lambda: False) -> None:
    """Try the roots one by one, then together, then single rows of the log, as long as there is time; disproved ones sink.

    Raises: Stopped where ``stop`` says so; what was found out by then is noted.
    """
    begun = time.monotonic()

    def late() -> bool:
        return stop() or time.monotonic() - begun > PROVING

    with TrialRuns(answer, session.controller, session.log, session.journal, late) as runs:
        try:
            prove_answer(runs, inquiry(session).tracer)
        except Stopped:
            if stop():
                raise
            for root in answer.roots:
                root.proof = root.proof or f"not within {PROVING:g} s: the log is long; p on the screen takes the time it needs"


def settled_now(session: Session, text: str) -> Session:
    """A session whose log is one instant: the values read off the input lamps, and time for all to settle.

    Args: text: "A=1,B=0"; "" takes every input as declared.
    Raises: UsageError for an unknown tag or value.
    """
    tags, values = [], []
    for part in text.split(",") if text.strip() else ():
        name, equals, value = part.partition("=")
        if not equals:
            raise UsageError("--now", f"{part!r} is not TAG=VALUE", "write --now Start=0,Stop=1")
        tag = session.tag(name)
        bits = value_reader(session.running.tags[tag])(value)
        if bits is None:
            raise UsageError("--now", f"{value!r} is no value of {session.running.tags[tag].name}", "write 0 or 1, or a number")
        tags.append(tag)
        values.append(bits)
    log = Log(np.zeros(len(tags), np.int64), np.array(tags, np.int32), np.array(values, np.int64), end=SETTLE, rows=len(tags))
    return replace(session, log=log, _journal=None, inquiry=None, answers={})
