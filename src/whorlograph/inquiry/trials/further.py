"""What else has a say: where all that the trail names is put the other way and the symptom stays, the trial's own trail names what keeps it then."""

from __future__ import annotations

from whorlograph.engine.feed import Trial
from whorlograph.model.question import LinkKind, RootKind, Symptom

from ..links.field_input import input_root
from ..ranking import merge, rank
from ..tracer import LAST, Tracer, Vantage
from ..trail import Link, Root
from .edits import earliest, trials_of
from .runs import TrialRuns
from .together import Joint, together

MOST_ROUNDS = 3
MOST_NEW = 6


def further(runs: TrialRuns, tracer: Tracer) -> Joint | None:
    """Inputs that the trail of a tag that will not drop out does not name, and that prove together with those it does; None where that
    leads to no proof.

    The trail is that of what happened: of a loop one pass, of a choice the branch that was taken. What would take its place is seen only where
    it does. Adds roots and links for what was found, if it proves.
    Raises: Stopped where the runs' ``stop`` says so.
    """
    answer = runs.answer
    if answer.symptom is not Symptom.WILL_NOT_DROP_OUT or answer.trail is None:
        return None
    known = [r for r in answer.roots if r.proved is False]
    added: list[Root] = []
    for _ in range(MOST_ROUNDS if known else 0):
        fresh = _then(runs, tracer, [*known, *added])
        if not fresh:
            return None
        added += fresh
        joint = together(runs, [*rank(known, answer.symptom), *added], frozenset())
        if joint is None:
            continue
        for root in added:
            if root in joint.roots:
                text = f"{tracer.name(root.tag)} keeps it on as well: found by trying, not by following rungs"
                answer.trail.children.append(Link(LinkKind.ROW, root.tag, root.value, root.since, -1, answer.asked, text, roots=[root]))
                answer.roots.append(root)
        return joint
    return None


def _then(runs: TrialRuns, tracer: Tracer, known: list[Root]) -> list[Root]:
    """The inputs that the trail ends in where all known roots are put the other way, without these."""
    answer = runs.answer
    holds = {}
    for root in known:
        own = list(trials_of(answer, root, runs.controller, runs.log, runs.original, runs.rest))
        if own:
            holds[root.tag] = earliest(own).trial.holds
    journal = runs.from_start(Trial(tuple(h for some in holds.values() for h in some)))
    beside = tracer.beside(journal)
    link = beside.explain(answer.tag, Vantage(min(answer.asked, journal.clock.last), LAST), False, 0)
    there = {r.tag for r in known}
    found = [r.tag for r in merge(link.all_roots())] if link is not None else []
    position = tracer.journal.settled_position(answer.asked)
    fresh = [input_root(tracer, t, position) for t in found if t is not None and t not in there and tracer.boolean(t)]
    return [r for r in fresh if r.kind is RootKind.FIELD_INPUT][:MOST_NEW]
