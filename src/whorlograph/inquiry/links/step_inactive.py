"""``step-inactive``: a chart's step is not active, and what keeps the active one; why a step became active, was left, stays active."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Load
from whorlograph.model.chart import Transition
from whorlograph.model.question import LinkKind, RootKind
from whorlograph.model.steps import PathFlag

from ..charts import ChartTags, Part, Place
from ..how_often import how_often
from ..tracer import Vantage
from ..trail import Link, Root
from ..writers import Writer
from .rung_false import unpowered
from .rung_true import powered
from .too_late import LEAST, MOST_BEFORE, came, overdue

if TYPE_CHECKING:
    from ..tracer import Tracer


def action_of(tracer: Tracer, flag: PathFlag) -> tuple[int, Place] | None:
    """The action that a chart passes over by a flag while none of its steps asks for it, and the tag that says so; None of any other jump."""
    power, seen = tracer.written.flag_power(flag.step, flag.element), tracer.seen(flag.step, 1)
    for load in tracer.circuit(flag.step).loads(power) if tracer.charts else ():
        cell = tracer.cell(load, seen) if isinstance(load, Load) else None
        place = tracer.charts.get(cell.number) if cell is not None else None
        if cell is not None and place is not None and place.part is Part.ACTION:
            return cell.number, place
    return None


def change(tracer: Tracer, place: Place, tag: int, row: int, depth: int) -> Link | None:
    """Why a step became active or was left; why an action began or ended."""
    view = Vantage(tracer.scan_of(row))
    if place.part is Part.ACTION:
        return _as_action(tracer, place, tag, view, depth, True)
    if place.part is Part.TIME:
        return _time(tracer, place, tag, view, depth)
    return _turned(tracer, place, tag, row, depth)


def state(tracer: Tracer, place: Place, tag: int, view: Vantage, depth: int) -> Link | None:
    """Why a step is active or not; an action is by its flag."""
    if place.part is Part.ACTION:
        return _as_action(tracer, place, tag, view, depth, False)
    if place.part is Part.TIME:
        return _time(tracer, place, tag, view, depth)
    if tracer.journal.fault is not None and view.scan > tracer.journal.fault.scan:
        return None
    return _stays(tracer, place, tag, view, depth) if tracer.raw(tag, view) else _inactive(tracer, place, tag, view, depth)


def _as_action(tracer: Tracer, place: Place, tag: int, view: Vantage, depth: int, changed: bool) -> Link | None:
    """The flag's link, said of what follows it; None where the tag does not follow it now."""
    if bool(tracer.raw(tag, view)) != bool(tracer.raw(place.flag, view)) and tracer.boolean(tag):
        return None
    since = tracer.since(tag, view)
    if tracer.boolean(tag) and since is not None and since != tracer.since(place.flag, view):
        child = tracer.explain(place.flag, view, changed, depth + 1)
        word, once_more = ("on", "") if tracer.raw(tag, view) else ("off", ", and the action ran once more")
        text = f"{tracer.name(tag)} went {word} at {tracer.at(since)}: it follows {tracer.name(place.flag)}{once_more}"
        return Link(LinkKind.BLOCK, tag, word == "on", since, _step(tracer, place), tracer.journal.clock.scan_at(since), text,
                    children=[child] if child is not None else [])
    found = tracer.explain(place.flag, view, changed, depth)
    if found is not None and found.tag == place.flag:
        found.tag, found.text = tag, found.text.replace(tracer.name(place.flag), tracer.name(tag), 1)
        return found
    return None


def _time(tracer: Tracer, place: Place, tag: int, view: Vantage, depth: int) -> Link | None:
    """How long a step has been active: it began to count when the step became so."""
    since = tracer.since(place.flag, view)
    active = bool(tracer.raw(place.flag, view))
    word = f"step {place.name} has been active since {tracer.at(since)}" if active else f"step {place.name} is not active, its time stands still"
    found = Link(LinkKind.TIMER_RUNNING, tag, None, since, _step(tracer, place), view.scan, f"{tracer.name(tag)} counts: {word}" if active else word)
    child = tracer.explain(place.flag, view, active, depth + 1)
    if child is not None:
        found.children.append(child)
    if active and tracer.now is None and not tracer.is_aside:
        _add_usual_end(tracer, found, place, tag, view, depth)
    return found


def _add_usual_end(tracer: Tracer, found: Link, place: Place, time: int, view: Vantage, depth: int) -> None:
    """Of a step's time that has run out: by which transition the step was left before, mostly, and what that lacks this time.

    Args: time: the step's time; transitions that ask for it are no such end.
    """
    journal, chart = tracer.journal, place.tags
    begun = tracer.last_row(place.flag, tracer.position(view))
    if begun is None:
        return
    falls = [r for r in journal.rows(place.flag).tolist() if r < begun and not journal.raw(r)][-MOST_BEFORE:]
    ends = [t for t in chart.chart.transitions if place.name.lower() in {s.lower() for s in t.sources} and not _asks(tracer, chart, t, time)]
    for one in ends:
        times = sum(_raw(tracer, chart, one, r) for r in falls)
        if times < LEAST or times * 2 <= len(falls):
            continue
        had = len(found.children)
        _add_condition(tracer, found, chart, one, view, depth)
        waited, what = (journal.time(begun), tracer.time(view.scan)), "it has not fired"
        for root in (r for child in found.children[had:] for r in child.all_roots() if isinstance(r.value, bool)):
            if root.kind is RootKind.FIELD_INPUT and what == "it has not fired":
                what = f"{tracer.name(root.tag)} {came(tracer, root.tag, waited)}"
            overdue(root, waited)
        found.text += f"; {one.name} ended it {how_often(times, len(falls), len(falls) == MOST_BEFORE)}, and {what}"


def _asks(tracer: Tracer, chart: ChartTags, one: Transition, tag: int) -> bool:
    """Whether the condition of a transition reads a tag."""
    writer = _condition(tracer, chart, one)
    if writer is None:
        return False
    seen = tracer.seen(writer.step, 1)
    cells = [tracer.cell(x, seen) for x in tracer.circuit(writer.step).loads(writer.value) if isinstance(x, Load)]
    return any(cell is not None and cell.number == tag for cell in cells)


def _step(tracer: Tracer, place: Place) -> int:
    return next((w.step for w in tracer.writers.get(place.flag, ())), 0)


def _turned(tracer: Tracer, place: Place, tag: int, row: int, depth: int) -> Link | None:
    """A step became active or was left: which transition fired, and why."""
    on, scan, chart = bool(tracer.journal.raw(row)), tracer.scan_of(row), place.tags
    fired = [t for t in chart.chart.transitions
             if place.name.lower() in {s.lower() for s in (t.targets if on else t.sources)} and _raw(tracer, chart, t, row)]
    if not fired:
        return None
    one, since = fired[0], tracer.time(scan)
    verb = "became active" if on else "was left"
    text = f"{tracer.name(tag)} went {'on' if on else 'off'} at {tracer.at(since)}: the step {verb}, {one.name} fired"
    found = Link(LinkKind.SET_BY if on else LinkKind.RESET_BY, tag, on, since, tracer.journal.step(row), scan, text)
    writer = _condition(tracer, chart, one)
    if writer is None:
        return found
    condition = f"the condition of {one.name}"
    fresh = _just_come(tracer, chart, one, row)
    if fresh and scan > 1:
        found.text += f" at once, for its condition held already when {' and '.join(fresh)} became active"
        stood = powered(tracer, None, writer.step, writer.element, writer.value, scan, depth + 1, LinkKind.RUNG_TRUE, False, condition)
        last = _changed(tracer, chart, fresh[0], row)
        child = tracer.change(last, depth + 1) if last is not None else None
        if stood is not None and (stood.children or stood.roots):
            found.children.append(stood)
            as_always = _at_once_before(tracer, chart, one, tag, row)
            for root in stood.all_roots():  # the step came as it does: that it was left in the same breath is what stood already
                root.changed = root.since is not None and not as_always
            for root in child.all_roots() if child is not None and any(r.changed for r in stood.all_roots()) else ():
                root.changed = False
    else:
        child = powered(tracer, None, writer.step, writer.element, writer.value, scan, depth + 1, LinkKind.RUNG_TRUE, True, condition)
    if child is not None:
        found.children.append(child)
    return found


def _just_come(tracer: Tracer, chart: ChartTags, one: Transition, row: int) -> list[str]:
    """The steps that a transition led from and that had become active in the scan before, or in that of a row."""
    scan = tracer.scan_of(row)
    return [s for s in one.sources if (last := _changed(tracer, chart, s, row)) is not None and tracer.scan_of(last) >= scan - 1]


def _at_once_before(tracer: Tracer, chart: ChartTags, one: Transition, tag: int, row: int) -> bool:
    """Whether a transition mostly fired at once the times before that a step turned by it."""
    journal, value = tracer.journal, tracer.journal.raw(row)
    before = [r for r in journal.rows(tag).tolist() if r < row and journal.raw(r) == value and _raw(tracer, chart, one, r)][-MOST_BEFORE:]
    return len(before) >= LEAST and 2 * sum(bool(_just_come(tracer, chart, one, r)) for r in before) > len(before)


def _changed(tracer: Tracer, chart: ChartTags, step: str, row: int) -> int | None:
    """The row in which a step became active before another."""
    tag = chart.steps[step.lower()]
    last = tracer.journal.last_row(tag, row)
    while last is not None and not tracer.journal.raw(last):
        last = tracer.journal.last_row(tag, last)
    return last


def _raw(tracer: Tracer, chart: ChartTags, one: Transition, row: int) -> bool:
    tag = chart.transitions.get(one.name.lower())
    return tag is not None and bool(tracer.journal.value_at(tag, row))


def _condition(tracer: Tracer, chart: ChartTags, one: Transition) -> Writer | None:
    """What gives a transition the value of its condition."""
    tag = chart.transitions.get(one.name.lower())
    return next((w for w in tracer.writers.get(tag, ()) if w.value is not None and not isinstance(w.value, Const)), None) if tag is not None else None


def _inactive(tracer: Tracer, place: Place, tag: int, view: Vantage, depth: int) -> Link | None:
    """Which active step the chart waits in, and what its transition lacks."""
    chart = place.tags
    active = chart.active({name: bool(tracer.raw(flag, view)) for name, flag in chart.steps.items()})
    way = chart.way(active, place.name)
    since, scan = tracer.since(tag, view), view.scan
    if not way:
        where = f"only {' and '.join(active)} is active" if active else "no step is active"
        text = f"step {place.name} is not active: {where}, and no transition leads from there to it"
        root = Root(RootKind.PROGRAM, tag, False, None, text, f"see how {place.name} should be reached", step=_step(tracer, place), defect=True)
        return Link(LinkKind.STEP_INACTIVE, tag, False, since, _step(tracer, place), scan, text, roots=[root])
    one = way[0]
    here = next(s for s in active if s.lower() in {n.lower() for n in one.sources})
    stands = tracer.since(chart.steps[here.lower()], view)
    behind = f", {len(way)} transitions before it" if len(way) > 1 else ""
    text = f"step {place.name} is not active: the chart waits in {here}{f' since {tracer.at(stands)}' if stands is not None else ''}{behind}"
    writer = _condition(tracer, chart, one)
    found = Link(LinkKind.STEP_INACTIVE, tag, False, since, writer.step if writer is not None else _step(tracer, place), scan, text)
    waiting = _add_lack(tracer, found, chart, one, view, depth)
    for later in way[1:] if not found.children else ():  # what stands before it lacks nothing
        waiting += _add_condition(tracer, found, chart, later, view, depth)
        if found.children:
            break
    found.text += _next(waiting)
    return found


def _stays(tracer: Tracer, place: Place, tag: int, view: Vantage, depth: int) -> Link | None:
    """What made a step active, and what keeps it so: the transitions that would end it."""
    chart, since = place.tags, tracer.since(tag, view)
    ends = [t for t in chart.chart.transitions if place.name.lower() in {s.lower() for s in t.sources}]
    names = " or ".join(t.name for t in ends[:3])
    text = f"step {place.name} is active{f' since {tracer.at(since)}' if since is not None else ' from the start'}" + \
        (f"; it ends with {names}" if ends else ", and no transition leads on from it")
    found = Link(LinkKind.SET_BY, tag, True, since, _step(tracer, place), view.scan, text)
    row = tracer.last_row(tag, tracer.position(view))
    began = _turned(tracer, place, tag, row, depth + 1) if row is not None and tracer.now is None else None
    found.children += [began] if began is not None else []  # like a latch: first what set it
    waiting = [name for one in ends[:3] for name in _add_lack(tracer, found, chart, one, view, depth)]
    found.text += _next(waiting)
    return found


def _next(waiting: list[str]) -> str:
    """That transitions are still to be looked at."""
    if not waiting:
        return ""
    return f"; {' and '.join(waiting)} {'are' if len(waiting) > 1 else 'is'} looked at in the next scan{'s' if len(waiting) > 1 else ''}"


def _add_lack(tracer: Tracer, found: Link, chart: ChartTags, one: Transition, view: Vantage, depth: int) -> list[str]:
    """Add what a transition lacks: steps that are not active yet, else its condition. Returns: its name where nothing is known to be lacking."""
    missing = [s for s in one.sources if not tracer.raw(chart.steps[s.lower()], view)]
    if missing:
        for name in missing[:2]:
            child = tracer.explain(chart.steps[name.lower()], view, False, depth + 1)
            if child is not None:
                found.children.append(child)
        return []
    return _add_condition(tracer, found, chart, one, view, depth)


def _add_condition(tracer: Tracer, found: Link, chart: ChartTags, one: Transition, view: Vantage, depth: int) -> list[str]:
    """Add what the condition of a transition lacks; of one that was not looked at, because its steps were not active, what it would lack.

    Returns: its name where it was not looked at and nothing is known to be lacking.
    """
    writer = _condition(tracer, chart, one)
    if writer is None:
        return []
    scan = tracer.ran(writer.step, view)
    result, lacks = tracer.seen(writer.step, scan).result, "does not fire: its condition is FALSE"
    if tracer.raw(chart.transitions[one.name.lower()], view) or writer.at not in result.stored:
        would = result.would.get(writer.at, True)
        if would or tracer.raw(chart.transitions[one.name.lower()], view):
            return [one.name]
        lacks = "is not looked at yet, and its condition is FALSE so far"
    child = unpowered(tracer, chart.transitions[one.name.lower()], writer.step, writer.element, writer.value, scan, depth + 1, LinkKind.NOT_MET,
                      one.name, lacks)
    if child is not None:
        found.children.append(child)
    return []
