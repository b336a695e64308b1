"""All that trials can tell of an answer: each root, roots together, single rows, phases; then its roots ranked anew."""

from __future__ import annotations

from whorlograph.model.question import LinkKind, RootKind, Symptom
from whorlograph.model.types import Family

from ..generators import runs_freely
from ..lingering import lingering
from ..links.field_input import input_root
from ..ranking import rank
from ..tracer import Tracer
from ..trail import Answer, Link, Root
from .further import further
from .orders import orders
from .partly import partly
from .phases import phases, rests_on_a_short_change
from .proof import prove
from .rows import by_rows
from .runs import TrialRuns
from .together import together
from .verdict import Proof
from .would_now import WouldNow, would_now


def note(root: Root, proof: Proof) -> None:
    """Note at a root what trials showed."""
    root.proved, root.proof, root.trial, root.turns, root.ended = proof.proved, proof.text, proof.trial, proof.turns, proof.ended
    root.earlier = proof.earlier
    root.changed = root.changed and not proof.begins  # what began it did not end it


def prove_answer(runs: TrialRuns, tracer: Tracer) -> None:
    """Try everything, noting each thing as it is known.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    answer = runs.answer
    if answer.symptom is Symptom.VALUE:
        return
    if tracer.now is None:
        tracer.asked = tracer.time(max(1, answer.asked))
    try:
        for root in answer.roots:
            note(root, prove(runs, root))
        if not any(r.proved for r in answer.roots):
            _jointly(runs, tracer)
        # An end that is overdue, and would have been an end: that is what it lacks, whatever else would only have delayed it.
        lacking = any(r.overdue and (r.ended or not isinstance(r.value, bool)) for r in answer.roots)
        commands = list(would_now(runs, tracer))
        waits = bool(commands) and _only_waits(answer)
        untold = not lacking and not waits and not any(r.proved for r in answer.roots)
        if untold and answer.symptom in (Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN):
            _by_rows(runs, tracer)
        if not any(r.proved and not r.as_ever for r in answer.roots):
            partly(runs, tracer)
        for root in answer.roots:
            if root.lets and not root.proved:
                root.blocked = 0
        answer.roots = rank(answer.roots, answer.symptom)
        if answer.roots and answer.phases is None and rests_on_a_short_change(answer, answer.roots[0], runs):
            found = phases(answer, answer.roots[0], runs)
            if found.seen < found.of or not _measured(answer.roots[0], tracer):
                answer.phases = found.seen, found.of
        _add_missing_commands(answer, tracer, commands, waits)
        answer.rests_on += [said for said in orders(runs, tracer) if said not in answer.rests_on]
        answer.proofs = True
    finally:
        answer.roots = rank(answer.roots, answer.symptom)


def _only_waits(answer: Answer) -> bool:
    """Whether the last attempt met a delay only that ran on then: there is nothing to check in that."""
    delays = [one for _, one in answer.links() if one.kind is LinkKind.TIMER_RUNNING and one.value is True]
    waited = {root.key for one in delays for root in one.all_roots()}
    return bool(waited) and all(root.key in waited for root in answer.roots if root.last and root.proved)


def _add_missing_commands(answer: Answer, tracer: Tracer, commands: list[WouldNow], lead: bool) -> None:
    """Where an attempt would succeed by the moment asked for: that it has not come, as a root behind what stood in the way of the last one.

    Args: lead: before that.
    """
    for found in commands:
        answer.would_now = answer.would_now or found.text
        others = [root for root in answer.roots if root.tag != found.command or root.proved]
        if any(root.tag == found.command for root in others):
            continue
        root = input_root(tracer, found.command, tracer.journal.settled_position(max(1, answer.asked)))
        stuck = lingering(tracer, root) if found.anew else ""
        lacks = f"only its coming counts, and it has not gone {tracer.state_word(not root.value)} since" if found.anew else \
            f"nothing has come from it{' since' if root.since is not None else ''}"
        root.text += "".join(f"; {said}" for said in (lacks, stuck) if said)
        first = lead or bool(stuck)
        root.leads = root.overdue = first
        root.last = first or not any(r.last and r.proved for r in others)
        note(root, found.proof)
        answer.roots = [*others, root]


def _measured(root: Root, tracer: Tracer) -> bool:
    """Whether a root is a number that scans saw: it is never still for two of them, so only trying shows whether anything rests on that."""
    return not root.missed and root.tag is not None and tracer.running.tags[root.tag].type.family is not Family.BOOL


def _jointly(runs: TrialRuns, tracer: Tracer) -> None:
    answer = runs.answer
    commands = answer.commands if answer.symptom is Symptom.WILL_NOT_PULL_IN else frozenset()
    joint = together(runs, rank(answer.roots, answer.symptom), commands) or further(runs, tracer)
    if joint is None:
        return
    names = [f"bit {r.bit} of {tracer.name(r.tag)}" if r.bit >= 0 else tracer.name(r.tag) for r in joint.roots]
    for root in joint.roots:
        note(root, joint.proof)
        root.together = tuple(r.tag for r in joint.roots if r is not root and r.tag is not None)
        if len(names) > 1:
            root.proof = f"{', '.join(names[:-1])} and {names[-1]} together: {joint.proof.text}"


def _by_rows(runs: TrialRuns, tracer: Tracer) -> None:
    answer = runs.answer
    if answer.trail is None or any(r.kind in (RootKind.MISMATCH, RootKind.FAULT, RootKind.FORCE) for r in answer.roots):
        return
    if any(one.tag is not None and one.kind is LinkKind.BLOCK and runs_freely(tracer, one.tag) for _, one in answer.links()):
        return  # whatever puts off what comes and goes by itself would seem to be its cause
    found = by_rows(runs, answer.commands if answer.symptom is Symptom.WILL_NOT_PULL_IN else frozenset())
    if found is None:
        return
    scan = tracer.journal.clock.scan_at(found.since) + 1
    root = input_root(tracer, found.tag, tracer.journal.settled_position(scan))
    root.value, root.since, root.leads, root.changed = found.value, found.since, True, True
    name, at, word = tracer.name(found.tag), tracer.at(found.since), tracer.state_word(found.value)
    several = f"the {found.changes} changes of {name} from {at} to {tracer.at(found.last)}"
    without = several if found.changes > 1 else f"the change of {name} to {word} at {at}"
    root.text = f"without {without} it does not come: found by trying, not by following rungs; {root.text}"
    root.kind = RootKind.FIELD_INPUT
    note(root, found.proof)
    text = f"{several if found.changes > 1 else f'{name} went {word} at {at}'}: found by trying, not by following rungs"
    answer.trail.children.append(Link(LinkKind.ROW, found.tag, found.value, found.since, -1, scan, text, roots=[root]))
    answer.roots = [root, *(r for r in answer.roots if r.key != root.key)]
