"""Where nothing proves: the trial that went furthest, and what is missing then (ANSWERS.md, Partly)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.question import LinkKind, RootKind, Symptom

from ..ranking import merge
from ..symptoms import course
from ..tracer import LAST, Tracer, Vantage
from ..trail import Root
from .runs import TrialRuns
from .window import stretch_begins


class Waypoint(Struct, frozen=True):
    """A tag on the trail, how far from the asked one, and what it should be; None: a number that should move on."""

    tag: int
    depth: int
    wanted: bool | None


class Far(Struct, frozen=True):
    """How far one trial went."""

    root: Root
    trial: Trial
    way: Waypoint
    value: int


def partly(runs: TrialRuns, tracer: Tracer) -> None:
    """Note at the root whose trial went furthest what it reached, and what stands in the way then.

    Raises: Stopped where the runs' ``stop`` says so.
    """
    answer = runs.answer
    if answer.symptom is not Symptom.WILL_NOT_PULL_IN or answer.trail is None or not any(r.proved is False for r in answer.roots):
        return
    ways = _waypoints(tracer, runs)
    tried = [(r, r.trial) for r in answer.roots if r.proved is False and r.trial is not None]
    found = [far for root, trial in tried if (far := _reached(runs, root, trial, ways)) is not None]
    if not found:
        return
    best = min(found, key=lambda f: f.way.depth)
    name = tracer.name(best.way.tag)
    went = f"reaches {tracer.value(best.way.tag, best.value)}" if best.way.wanted is None else "comes on" if best.way.wanted else "goes off"
    best.root.proof += f", but {name} {went}{_missing(runs, tracer, best)}"


def _waypoints(tracer: Tracer, runs: TrialRuns) -> list[Waypoint]:
    """The tags on the trail that should be otherwise, nearest to the asked one first."""
    answer, found = runs.answer, dict[int, Waypoint]()
    for depth, link in answer.trail.walk() if answer.trail is not None else ():
        if link.tag is not None and link.tag != answer.tag and isinstance(link.value, bool) and tracer.writers.get(link.tag):
            found.setdefault(link.tag, Waypoint(link.tag, depth, not link.value))
        if link.kind is LinkKind.NOT_MET and link.step >= 0:
            for use in tracer.controller.access.of_step(link.step):
                for tag in use.tags() if not use.writes else ():
                    if tag < tracer.running.public and tracer.writers.get(tag) and tracer.tag(tag).type.whole:
                        found.setdefault(tag, Waypoint(tag, depth, None))
    return sorted(found.values(), key=lambda w: w.depth)


def _reached(runs: TrialRuns, root: Root, trial: Trial, ways: list[Waypoint]) -> Far | None:
    """The waypoint nearest to the asked tag that a trial reaches and the untouched replay does not."""
    journal, answer = runs.run(trial), runs.answer
    begins = stretch_begins(answer, runs.original)
    for way in ways:
        if way.tag == root.tag:
            continue
        before, after = _values(runs.original, way.tag, begins, answer.asked), _values(journal, way.tag, begins, answer.asked)
        fresh = [v for v in after if v not in before] if way.wanted is None else [v for v in after if bool(v) == way.wanted]
        if fresh and (way.wanted is None or not any(bool(v) == way.wanted for v in before)):
            return Far(root, trial, way, fresh[-1])
    return None


def _values(journal: Journal, tag: int, first: int, last: int) -> list[int]:
    """The settled raw values of a tag in a stretch of scans."""
    path = course(journal, tag)
    inside = (path.scans > first) & (path.scans <= last)
    return [path.at(first), *path.values[inside].tolist()]


def _missing(runs: TrialRuns, tracer: Tracer, far: Far) -> str:
    """What stands in the way in the trial; "" where that cannot be said."""
    answer, controller = runs.answer, runs.controller
    journal = controller.replay(runs.log, far.trial, runs.until, runs.stop)
    beside = Tracer(controller, journal, runs.log, tracer.iolist, tracer.links)
    beside.written = tracer.written
    if course(journal, answer.tag).at(answer.asked):
        return ""
    link = beside.explain(answer.tag, Vantage(answer.asked, LAST), False, 0)
    held = {h.tag for h in far.trial.holds}
    roots = merge(link.all_roots()) if link is not None else []
    boolean = [r for r in roots if r.kind is RootKind.FIELD_INPUT and r.tag is not None and r.tag not in held and tracer.boolean(r.tag)]
    lacking, blocking = ([tracer.name(r.tag) for r in boolean if bool(r.value) == on][:3] for on in (False, True))
    parts = [f"{' and '.join(lacking)} {'are' if len(lacking) > 1 else 'is'} missing"] if lacking else []
    parts += [f"{' and '.join(blocking)} {'are' if len(blocking) > 1 else 'is'} in the way"] if blocking else []
    return f"; then {' and '.join(parts)}" if parts else ""
