"""By rows: single changes of inputs left out of the log, until the symptom does not come (ANSWERS.md, By rows)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial, input_tags
from whorlograph.engine.scope.overlap import Shared, shared_bits
from whorlograph.model.literals import cooked, value_text
from whorlograph.model.question import Symptom
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from ..symptoms import course
from ..trail import Value
from .edits import Attempted
from .runs import TrialRuns
from .verdict import Proof, judged
from .window import stretch_begins

MOST_ROWS = 200
MOST_STRETCHES = 50
APART = 1_000_000_000  # ns between the changes of one stretch, at most


class RowFound(Struct, frozen=True):
    """A change without which the symptom does not come: tag, its value from then on, when (ns); of a stretch of ``changes`` the first, and
    when the ``last`` was."""

    tag: int
    value: Value
    since: int
    proof: Proof
    changes: int = 1
    last: int = 0


def by_rows(runs: TrialRuns, commands: frozenset[int]) -> RowFound | None:
    """The latest change before the symptom without which it does not come; None where there is none among those looked at.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    for tag, since, value, hold, changes, last in _candidates(runs, commands):
        one = runs.controller.running.tags[tag]
        word = value_text(hold.value, one.type) if one.type.family is not Family.BOOL else "on" if hold.value else "off"
        proof = judged(runs, Attempted(Trial((hold,)), f"{one.name} left {word} at {clock_text(runs.log, since)}"))
        if proof.proved and _pulls_in(runs, proof):
            return RowFound(tag, value, since, proof, changes, last)
    return None


def _pulls_in(runs: TrialRuns, proof: Proof) -> bool:
    """Whether a tag that will not pull in comes on in a trial, not merely stays on from before it went off."""
    answer = runs.answer
    if answer.symptom is not Symptom.WILL_NOT_PULL_IN or proof.journal is None or proof.turns is None:
        return True
    came = course(proof.journal, answer.tag).last_change(proof.journal.clock.scan_at(proof.turns), True)
    went = course(runs.original, answer.tag).last_change(stretch_begins(answer, runs.original), False)
    return came is not None and (went is None or came > went)


def _candidates(runs: TrialRuns, commands: frozenset[int]) -> Iterator[tuple[int, int, Value, Hold, int, int]]:
    """(tag, time, new value, hold that leaves the change out, 1, time), the latest first; then stretches of one input: how many changes, and
    when the last was."""
    controller, log, answer = runs.controller, runs.log, runs.answer
    given = input_tags(controller.running, log, controller.written, controller.profile) - commands - {answer.tag}
    shares = shared_bits(controller.running.tags[:controller.running.public], controller.profile.addressing)
    fed = {tag for tag in given if not _only_under_another_name(controller, tag, shares.get(tag, ()), given)}
    last = max(answer.time, runs.original.clock.start(max(1, answer.asked)) if answer.asked and not answer.value else answer.time)
    high = int(np.searchsorted(log.times, last, side="right"))
    listed: list[tuple[int, int, int, int]] = []  # row, tag, value before, new value
    values: dict[int, int] = {t: controller.running.tags[t].initial for t in fed}
    tags, raws = log.tags[:high], log.values[:high]
    for row in np.nonzero(np.isin(tags, np.array(sorted(fed), np.int32)))[0].tolist():
        tag, value = int(tags[row]), int(raws[row])
        if values[tag] != value:
            if log.times[row] > 0:
                listed.append((row, tag, values[tag], value))
            values[tag] = value
    following: dict[int, int] = {}
    stretches: list[tuple[int, int, Value, Hold, int, int]] = []
    for n, (row, tag, before, value) in enumerate(listed[::-1][:MOST_ROWS]):
        since, until = int(log.times[row]), following.get(tag)
        following[tag] = since
        type_ = controller.running.tags[tag].type
        yield tag, since, cooked(value, type_), Hold(tag, before, since, until), 1, since
        run = _run(listed, len(listed) - 1 - n, log.times)
        if run > 1 and len(stretches) < MOST_STRETCHES:
            first = [r for r in listed[:len(listed) - n] if r[1] == tag][-run]
            begun = int(log.times[first[0]])
            stretches.append((tag, begun, cooked(first[3], type_), Hold(tag, first[2], begun, until), run, since))
    yield from stretches


def _only_under_another_name(controller: Controller, tag: int, shares: Sequence[Shared], given: set[int]) -> bool:
    """Whether nothing of the program looks at an input but by other inputs that have bits of it."""
    return any(share.other in given for share in shares) and all(use.writes for use in controller.access.of_tag(tag))


def _run(listed: list[tuple[int, int, int, int]], at: int, times: np.ndarray[tuple[int], np.dtype[np.int64]]) -> int:
    """How many changes of one tag up to one follow one another within a second."""
    tag, last, count = listed[at][1], int(times[listed[at][0]]), 0
    for row, other, _, _ in listed[at::-1]:
        if other == tag:
            if last - int(times[row]) > APART:
                break
            last, count = int(times[row]), count + 1
    return count
