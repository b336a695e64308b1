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
SHORTEST = 5  # scans that a command is held, and let go before that
MOST = 3  # other commands that are tried


class WouldNow(Struct, frozen=True):
    """That an attempt would succeed: in words, by which command, and the trial that showed it; ``anew``: the command stands, and would have to
    go and come.
    """

    text: str
    command: int
    proof: Proof
    anew: bool


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
    stands = bool(journal.settled(last, max(1, answer.asked))) == value
    if not _usable(tracer, last) or (stands and not answer.anew):
        return
    for command, wanted in tried:
        anew = stands and command == last
        if _usable(tracer, command) and (anew or bool(journal.settled(command, max(1, answer.asked))) != wanted):
            found = _tried(runs, tracer, command, wanted, anew)
            if found is not None:
                yield found


def _usable(tracer: Tracer, command: int) -> bool:
    """Whether a command is one of a device or a person."""
    return command >= 0 and tracer.boolean(command) and not tracer.writers.get(command) and tracer.tag(command).address is not None


def _tried(runs: TrialRuns, tracer: Tracer, command: int, value: bool, anew: bool) -> WouldNow | None:
    """A command held for as long as the last time, for longer, and briefly, where what stood in its way went a moment ago.

    Args: anew: it stands, and is let go before that.
    """
    answer = runs.answer
    asked, last = max(1, answer.asked), tracer.time(answer.attempts[-1])
    found, at = stays(runs.log, command, tracer.tag(command).initial), tracer.time(asked)
    lengths = found.lengths[found.ended & ((found.values != 0) == value) & (found.starts <= at)].tolist()
    shortest = SHORTEST * runs.controller.scan_time
    usual = max(lengths[-1] if lengths else 0, shortest)
    for lasting in dict.fromkeys((usual, max(usual, LONGER), shortest)):
        begun = at - lasting
        freed = begun - shortest if anew else begun
        if freed <= last:
            continue
        name, word, when = tracer.name(command), tracer.state_word(value), tracer.at(begun)
        hold = Hold(command, int(not value), freed, begun) if anew else Hold(command, int(value), begun)
        proof = judged(runs, Attempted(Trial((hold,)), f"{name} {f'coming {word} anew at {when}' if anew else f'{word} from {when} on'}"))
        stays_on = proof.journal is not None and proof.journal.settled(answer.tag, min(asked, proof.journal.clock.last))
        if proof.proved and proof.turns is not None and proof.turns >= begun and stays_on:
            return WouldNow(f"at {tracer.at(at)} nothing stands in the way any more: {proof.text}", command, proof, anew)
    return None
