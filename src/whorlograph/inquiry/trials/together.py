"""Roots in series, each disproved alone, tried together (ANSWERS.md, Together)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.feed import Trial

from ..trail import Root
from .bits import of_bits
from .edits import Attempted, earliest, trials_of
from .runs import TrialRuns
from .verdict import Proof, judged


class Joint(Struct, frozen=True):
    """Roots that together prove: no one of them can be left out."""

    roots: tuple[Root, ...]
    proof: Proof


def together(runs: TrialRuns, roots: list[Root], commands: frozenset[int]) -> Joint | None:
    """The smallest set of roots that proves; None where all of them do not.

    Args: roots: ranked; commands: tags of the attempt's commands, which are no members.
    Raises: Stopped where the runs' ``stop`` says so.
    """
    tried: list[tuple[Root, list[Attempted]]] = []
    for root in roots:
        own = list(trials_of(runs.answer, root, runs.controller, runs.log, runs.original, runs.rest))
        if own and root.tag not in commands and (root.tag, root.bit) not in {(r.tag, r.bit) for r, _ in tried}:
            tried.append((root, own))
    if len(tried) < 2:
        return None
    # What starts earliest may leave a pulse out by which the tag came on: then what undoes the change itself; numbers as they were then.
    ways = [[(root, earliest(own)) for root, own in tried], [(root, own[0]) for root, own in tried],
            [(root, own[-1] if own[-1].as_then else earliest(own)) for root, own in tried]]
    awaited = [(root, own[0]) for root, own in tried if root.overdue or root.leads]  # the others let the tag come on
    ways += [awaited] if len(awaited) > 1 else []
    for n, trials in enumerate(ways):
        proof = judged(runs, _all(runs, trials)) if trials not in ways[:n] else None
        if proof is not None and proof.proved:
            break
    else:
        return None
    for one in trials[::-1]:
        fewer = [t for t in trials if t is not one]
        if not fewer:
            break
        found = judged(runs, _all(runs, fewer))
        if found.proved:
            trials, proof = fewer, found
    return Joint(tuple(r for r, _ in trials), proof)


def _all(runs: TrialRuns, trials: list[tuple[Root, Attempted]]) -> Attempted:
    """Several trials as one; those of several bits of one word become one of that."""
    words: dict[int, list[tuple[int, Trial]]] = {}
    for root, tried in trials:
        if root.tag is not None and tried.bits:
            words.setdefault(root.tag, []).extend(tried.bits)
    holds = (*(h for _, t in trials if not t.bits for h in t.trial.holds),
             *(h for tag, bits in words.items() for h in of_bits(bits, runs.log, runs.controller.running.tags[tag]).holds))
    initial = tuple(i for _, t in trials for i in t.trial.initial)
    return Attempted(Trial(holds, initial), "all of them put the other way" if len(trials) > 1 else trials[0][1].what)
