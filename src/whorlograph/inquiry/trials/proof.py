"""The proof of one root: its trials, until one tells."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Trial
from whorlograph.model.profile import Overflow
from whorlograph.model.question import RootKind
from whorlograph.model.types import Family

from ..trail import Root
from .edits import Attempted, trials_of
from .runs import TrialRuns
from .verdict import Proof, judge, judged


def prove(runs: TrialRuns, root: Root) -> Proof:
    """Try a root the other way until a trial tells.

    Raises: Stopped where the runs' ``stop`` says so before that is known.
    """
    if root.kind is RootKind.FAULT:
        return _without_fault(runs)
    first: Proof | None = None
    earlier: Proof | None = None
    for one in trials_of(runs.answer, root, runs.controller, runs.log, runs.original, runs.rest):
        found = judged(runs, one)
        found = replace(found, ended=found.ended and root.overdue)
        if found.proved and not found.earlier:
            return found
        if found.earlier:
            earlier = earlier or found
            continue
        first = found if first is None or (found.ended and not first.ended) else first
    return earlier or first or Proof(None, _untried(runs, root), None, None)


def _untried(runs: TrialRuns, root: Root) -> str:
    if root.tag is None:
        return "there is nothing to hold"
    if runs.rest is not None and runs.answer.mismatch and root.tag != runs.answer.tag:
        return "the output is taken as it is seen"
    tag = runs.controller.running.tags[root.tag]
    if root.kind is RootKind.FIELD_INPUT and tag.type.family is not Family.BOOL:
        return f"{tag.name} is no BOOL and had no other value before: try one on it yourself"
    return "this root cannot be put the other way"


def _without_fault(runs: TrialRuns) -> Proof:
    controller = runs.controller
    other = Controller(controller.program, replace(controller.profile, on_overflow=Overflow.SATURATE), controller.resource, controller.plain)
    journal = other.replay(runs.log, None, runs.until, runs.stop)
    if journal.fault is not None:
        return Proof(None, "the fault is no overflow, so nothing could be tried", None, None)
    return judge(runs, journal, Attempted(Trial(), "results held at their limits"))
