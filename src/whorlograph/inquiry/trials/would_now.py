"""Whether an attempt would succeed now: of a tag that did not pull in, and whose command does not stand any more."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.question import Symptom

from ..pulses import stays
from ..tracer import Tracer
from .edits import Attempted
from .runs import TrialRuns
from .verdict import Proof, judged

LONGER = 3_000_000_000  # ns that a command is held where a press as long as the last does nothing


class WouldNow(Struct, frozen=True):
    """That an attempt would succeed: in words, by which command, and the trial that showed it."""

    text: str
    command: int
    proof: Proof


def would_now(runs: TrialRuns, tracer: Tracer) -> WouldNow | None:
    """What the last attempt, made once more at the moment asked for, would do; None where it would do nothing, or somebody is still trying.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    answer, journal = runs.answer, runs.original
    asked = max(1, answer.asked)
    if answer.symptom is not Symptom.WILL_NOT_PULL_IN or not answer.attempts or answer.missed or len(answer.commands) != 1 or tracer.now is not None:
        return None
    command = next(iter(answer.commands))
    if command < 0 or not tracer.boolean(command) or tracer.writers.get(command) or tracer.tag(command).address is None:
        return None
    value = journal.settled(command, answer.attempts[-1])
    if journal.settled(command, asked) == value:
        return None
    stay, at = stays(runs.log, command, tracer.tag(command).initial).at(tracer.time(answer.attempts[-1])), tracer.time(asked)
    usual = max(stay.length if stay is not None and stay.ended else 0, 5 * runs.controller.scan_time)
    for lasting in dict.fromkeys((usual, max(usual, LONGER))):
        begun = at - lasting
        if begun <= tracer.time(answer.attempts[-1]):
            continue
        name, word = tracer.name(command), tracer.state_word(bool(value))
        proof = judged(runs, Attempted(Trial((Hold(command, value, begun),)), f"{name} {word} from {tracer.at(begun)} on"))
        stays_on = proof.journal is not None and proof.journal.settled(answer.tag, min(asked, proof.journal.clock.last))
        if proof.proved and proof.turns is not None and proof.turns >= begun and stays_on:
            return WouldNow(f"at {tracer.at(at)} nothing stands in the way any more: {proof.text}", command, proof)
    return None
