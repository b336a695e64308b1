"""Whether an attempt would succeed now: of a tag that did not pull in, and whose command does not stand any more."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.question import Symptom

from ..pulses import stays
from ..tracer import Tracer
from .edits import Attempted
from .runs import TrialRuns
from .verdict import Proof, judged

LONGER = 3_000_000_000  # ns that a command is held where a press as long as the last does nothing
MOST = 3  # other commands that are tried


class WouldNow(Struct, frozen=True):
    """That an attempt would succeed: in words, by which command, and the trial that showed it."""

    text: str
    command: int
    proof: Proof


def would_now(runs: TrialRuns, tracer: Tracer) -> Iterator[WouldNow]:
    """What the last attempt, made once more at the moment asked for, would do, or another command; nothing where somebody is still trying.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    answer, journal = runs.answer, runs.original
    if answer.symptom is not Symptom.WILL_NOT_PULL_IN or not answer.attempts or answer.missed or len(answer.commands) != 1 or tracer.now is not None:
        return
    last = next(iter(answer.commands))
    value = bool(journal.settled(last, answer.attempts[-1])) if last >= 0 else True
    tried = [(last, value), *((one, True) for one in answer.other_commands[:MOST])]
    if any(not _usable(tracer, one) or bool(journal.settled(one, max(1, answer.asked))) == wanted for one, wanted in tried[:1]):
        return
    for command, wanted in tried:
        if _usable(tracer, command) and bool(journal.settled(command, max(1, answer.asked))) != wanted:
            found = _tried(runs, tracer, command, wanted)
            if found is not None:
                yield found


def _usable(tracer: Tracer, command: int) -> bool:
    """Whether a command is one of a device or a person."""
    return command >= 0 and tracer.boolean(command) and not tracer.writers.get(command) and tracer.tag(command).address is not None


def _tried(runs: TrialRuns, tracer: Tracer, command: int, value: bool) -> WouldNow | None:
    answer = runs.answer
    asked, last = max(1, answer.asked), tracer.time(answer.attempts[-1])
    found, at = stays(runs.log, command, tracer.tag(command).initial), tracer.time(asked)
    lengths = found.lengths[found.ended & ((found.values != 0) == value) & (found.starts <= at)].tolist()
    usual = max(lengths[-1] if lengths else 0, 5 * runs.controller.scan_time)
    for lasting in dict.fromkeys((usual, max(usual, LONGER))):
        begun = at - lasting
        if begun <= last:
            continue
        name, word = tracer.name(command), tracer.state_word(value)
        proof = judged(runs, Attempted(Trial((Hold(command, int(value), begun),)), f"{name} {word} from {tracer.at(begun)} on"))
        stays_on = proof.journal is not None and proof.journal.settled(answer.tag, min(asked, proof.journal.clock.last))
        if proof.proved and proof.turns is not None and proof.turns >= begun and stays_on:
            return WouldNow(f"at {tracer.at(at)} nothing stands in the way any more: {proof.text}", command, proof)
    return None
