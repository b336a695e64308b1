"""The stretch of time in which a trial must take another course (ANSWERS.md, Proof)."""

from __future__ import annotations

from whorlograph.engine.journal import Journal
from whorlograph.model.question import Symptom

from ..symptoms import course
from ..trail import Answer

AFTER = 60_000_000_000  # ns behind a drop, in which it is seen how long a trial holds


def stretch_begins(answer: Answer, original: Journal) -> int:
    """The scan in which the window of a symptom begins: the attempt, or when the tag last turned to what it is."""
    if answer.symptom is Symptom.WILL_NOT_PULL_IN and answer.attempts:
        return answer.attempts[-1]
    if answer.symptom is Symptom.WILL_NOT_PULL_IN and answer.missed:
        return answer.scan
    turned = course(original, answer.tag).last_change(answer.asked or answer.scan, answer.symptom is Symptom.WILL_NOT_DROP_OUT)
    return turned if turned is not None else 1


def decided(answer: Answer, original: Journal, end: int) -> int:
    """The time (ns) by which a trial has told: the asked moment; of a drop a while behind it."""
    clock = original.clock
    asked = clock.start(max(1, answer.asked))
    if answer.symptom is Symptom.DROPPED_OUT:
        return min(end, max(answer.time, 0) + AFTER)
    return min(end, max(answer.time, asked, 0) + 2 * clock.period(max(1, answer.asked)))
