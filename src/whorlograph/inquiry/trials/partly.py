"""Where nothing proves: the trial that went furthest, and what is missing then (ANSWERS.md, Partly)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.code import Call, Edge, Load, Op
from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.question import LinkKind, RootKind, Symptom

from ..charts import Part
from ..circuit import MIRRORED
from ..ranking import merge
from ..symptoms import course
from ..tracer import LAST, Tracer, Vantage
from ..trail import Root
from .edits import Attempted, trials_of
from .runs import TrialRuns
from .verdict import judged
from .window import stretch_begins


class Waypoint(Struct, frozen=True):
    """A tag on the trail, how far from the asked one, and what it should be; of a number None, and with what it is compared."""

    tag: int
    depth: int
    wanted: bool | None
    code: str = ""
    limit: int = 0

    def missing(self, value: int) -> int:
        """How far a value is from what is wanted; 0 where it is that."""
        if self.wanted is not None:
            return int(bool(value) != self.wanted)
        short = self.limit - value
        return abs(short) if self.code == "EQ" else max(0, short) if self.code in ("GE", "GT") else max(0, -short)


class Far(Struct, frozen=True):
    """How far one trial went."""

    root: Root
    tried: Attempted
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
    found = [far for root in answer.roots if root.proved is False and root.trial is not None
             for one in _followed(runs, root, root.trial) if (far := _reached(runs, root, one, ways)) is not None]
    if not found:
        return
    best = min(found, key=lambda f: f.way.depth)
    name, went = _went(tracer, best)
    if best.tried.trial != best.root.trial:
        shown = judged(runs, best.tried)
        best.root.trial, best.root.proof = shown.trial, shown.text
    best.root.proof += f", but {name} {went}{_missing(runs, tracer, best)}"


def _went(tracer: Tracer, far: Far) -> tuple[str, str]:
    """What a trial reached, and how that is said: of a chart its steps and transitions by name."""
    tag, wanted = far.way.tag, far.way.wanted
    place = tracer.charts.get(tag)
    if place is not None and place.part is Part.STEP:
        return f"step {place.name}", "becomes active" if wanted else "ends"
    fired = next((n for one in tracer.charts.values() for n, t in one.tags.transitions.items() if t == tag), None)
    if fired is not None:
        return tracer.name(tag).rpartition(".")[2], "fires" if wanted else "does not fire"
    return tracer.name(tag), f"reaches {tracer.value(tag, far.value)}" if wanted is None else "comes on" if wanted else "goes off"


def _waypoints(tracer: Tracer, runs: TrialRuns) -> list[Waypoint]:
    """The tags on the trail that should be otherwise, nearest to the asked one first."""
    answer, found = runs.answer, dict[int, Waypoint]()
    for depth, link in answer.trail.walk() if answer.trail is not None else ():
        if link.tag is not None and link.tag != answer.tag and isinstance(link.value, bool) and tracer.writers.get(link.tag):
            found.setdefault(link.tag, Waypoint(link.tag, depth, not link.value))
        if link.kind is LinkKind.NOT_MET and link.step >= 0:
            for way in _compared(tracer, link.step, link.element, depth):
                found.setdefault(way.tag, way)
    return sorted(found.values(), key=lambda w: w.depth)


def _compared(tracer: Tracer, step: int, element: int, depth: int) -> list[Waypoint]:
    """The numbers that an element of a step compares with literals, which something writes."""
    circuit, seen, found = tracer.circuit(step), tracer.seen(step, 1), []
    for leaf in circuit.leaves.values():
        made = circuit.made(leaf) if not isinstance(leaf, (Edge, Call)) else None
        if not isinstance(made, Op) or len(made.args) != 2 or tracer.origin(step, made.at).element != element:
            continue
        for code, first, second in ((made.code, *made.args), (MIRRORED.get(made.code, ""), *made.args[::-1])):
            literal = circuit.literal(second)
            cells = [tracer.cell(one, seen) for one in circuit.loads(first) if isinstance(one, Load)]
            if code == "NE" or code not in MIRRORED or literal is None or not isinstance(literal.value, int):
                continue
            if len(cells) == 1 and cells[0] is not None:
                tag = cells[0].number
                if tracer.writers.get(tag) and tracer.tag(tag).type.whole:
                    found.append(Waypoint(tag, depth, None, code, literal.value))
    return found


def _followed(runs: TrialRuns, root: Root, first: Trial) -> list[Attempted]:
    """Of a root's trials the one that its proof tells of, and what lets an input go on as it did before."""
    return [one for one in trials_of(runs.answer, root, runs.controller, runs.log, runs.original, runs.rest) if one.trial == first or one.as_then]


def _reached(runs: TrialRuns, root: Root, tried: Attempted, ways: list[Waypoint]) -> Far | None:
    """The waypoint nearest to the asked tag that a trial reaches and the untouched replay does not."""
    journal, answer = runs.run(tried.trial), runs.answer
    begins = stretch_begins(answer, runs.original)
    for way in ways:
        if way.tag == root.tag:
            continue
        before, after = _values(runs.original, way.tag, begins, answer.asked), _values(journal, way.tag, begins, answer.asked)
        nearest = min(after, key=way.missing)
        if way.missing(nearest) < min(map(way.missing, before)):
            return Far(root, tried, way, nearest)
    return None


def _values(journal: Journal, tag: int, first: int, last: int) -> list[int]:
    """The settled raw values of a tag in a stretch of scans."""
    path = course(journal, tag)
    inside = (path.scans > first) & (path.scans <= last)
    return [path.at(first), *path.values[inside].tolist()]


def _missing(runs: TrialRuns, tracer: Tracer, far: Far) -> str:
    """What stands in the way in the trial, but for the commands of the attempts; "" where that cannot be said.

    At the asked moment; where nothing but a command is missing then, when the last attempt was made.
    """
    answer, journal = runs.answer, runs.from_start(far.tried.trial)
    beside = tracer.beside(journal)
    known = {h.tag for h in far.tried.trial.holds} | answer.commands
    for scan in dict.fromkeys((answer.asked, *answer.attempts[-1:])):
        if course(journal, answer.tag).at(scan):
            continue
        link = beside.explain(answer.tag, Vantage(scan, LAST), False, 0)
        roots = merge(link.all_roots()) if link is not None else []
        boolean = [r for r in roots if r.kind is RootKind.FIELD_INPUT and r.tag is not None and r.tag not in known and tracer.boolean(r.tag)]
        lacking, blocking = ([tracer.name(r.tag) for r in boolean if bool(r.value) == on][:3] for on in (False, True))
        parts = [f"{' and '.join(lacking)} {'are' if len(lacking) > 1 else 'is'} missing"] if lacking else []
        parts += [f"{' and '.join(blocking)} {'are' if len(blocking) > 1 else 'is'} in the way"] if blocking else []
        if parts:
            return f"; then {' and '.join(parts)}"
    return ""
