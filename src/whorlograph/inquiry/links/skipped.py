"""``held-by-jump`` and ``not-called``: the step that would write did not run."""

from __future__ import annotations

from itertools import islice
from typing import TYPE_CHECKING

from whorlograph.engine.evaluate.again import Result
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.path import SkipKind
from whorlograph.model.program import VariableKind
from whorlograph.model.question import LinkKind, RootKind
from whorlograph.model.steps import FlagKind, PathFlag

from ..circuit import Gate
from ..languages import words_of
from ..tracer import Vantage
from ..trail import Link, Root
from ..writers import Kind, Writer
from . import halted, step_inactive, task_held, task_idle
from .gates import MOST_GATES, distinct, elements_of, explain_gate, gate_time, several_words
from .let_run import add_taken, taken_since
from .rung_false import barred_root, smallest_set, unpowered

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_ELEMENTS = 64  # of a table that are looked at
MOST_ORDERS = 2  # that would release a task

def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, said: str = "", change: bool = False) -> Link | None:
    """Why the step that writes a tag did not run, and what decided that.

    Args: said: what that means, by default that the tag keeps its value; change: it is asked what left the step out, not what keeps it out.
    """
    skip = tracer.paths.skipped(tracer.journal, writer.step, scan)
    if skip is None:
        return None
    if skip.kind is SkipKind.HALTED:
        return halted.link(tracer, tag, scan, depth)
    if skip.task >= 0:
        held = task_held.link(tracer, tag, writer, scan, skip.task, depth)
        if held is not None:
            _add_no_release(tracer, held, skip.task, scan, depth)
        return held or task_idle.link(tracer, tag, writer, scan, skip.task, depth)
    value = tracer.value(tag, tracer.journal.settled(tag, scan))
    since, stands = tracer.paths.skipped_since(tracer.journal, writer.step, scan), tracer.since(tag, Vantage(scan))
    word = tracer.state_word(value, tag)
    if skip.flag is None:
        pou = tracer.steps.all[writer.step].pou
        text = f"{said or f'{tracer.name(tag)} stays {word}'}: nobody calls {pou}, so {tracer.place(writer.step)} never runs"
        root = Root(RootKind.PROGRAM, tag, value, None, text, f"find out where {pou} should be called", step=writer.step, defect=True)
        return Link(LinkKind.NOT_CALLED, tag, value, stands, writer.step, scan, text, writer.element, roots=[root])
    where, said = tracer.place(skip.flag.step), said or f"{tracer.name(tag)} keeps its value {word}"
    ran = tracer.paths.last_run(tracer.journal, writer.step, scan) > 0
    start = f"since {tracer.at(since)}" if ran else "from the start"
    if skip.kind is SkipKind.NOT_CALLED:
        text = f"{said}: {tracer.place(writer.step)} has not been called {start}, see {where}"
        found = Link(LinkKind.NOT_CALLED, tag, value, stands, writer.step, scan, text, writer.element)
        add_taken(tracer, found, skip, scan, ran, depth, 0 if change else scan)
        return found
    verb = "jumps over" if skip.kind is SkipKind.JUMP else "returns before"
    at_scan = taken_since(tracer, skip.flag, scan)
    begun = tracer.time(at_scan)
    stood = f", which has not run {start}" if since < begun else ""
    when = f"since {tracer.at(begun)}" if at_scan > 1 else start
    action = step_inactive.action_of(tracer, skip.flag)
    if action is not None:
        text = f"{said}: action {action[1].name} ({tracer.place(writer.step)}) does not run {when}"
        found = Link(LinkKind.STEP_INACTIVE, tag, value, stands, writer.step, scan, text, writer.element)
        add_taken(tracer, found, skip, at_scan if ran else scan, ran, depth)
        return found
    text = f"{said}: {where} {verb} {tracer.place(writer.step)} {when}{stood}"
    found = Link(LinkKind.HELD_BY_JUMP, tag, value, stands, writer.step, scan, text, writer.element)
    add_taken(tracer, found, skip, at_scan, ran, depth, 0 if change else scan)
    for other in tracer.paths.also_over(writer.step, skip.flag):
        second = _would_take_over(tracer, tag, writer, other, scan, depth)
        if second is not None:
            found.children.append(second)
    return found


def _add_no_release(tracer: Tracer, found: Link, number: int, scan: int, depth: int) -> None:
    """Add why nothing has released a task since the scan in which it was held; that no rung does is a defect of the program."""
    held = task_held.held_in(tracer, number, scan)
    if held is None or not found.children:
        return
    name, place = tracer.controller.schedule.tasks[number].name, tracer.place(found.children[0].step)
    orders = [one for one in tracer.written.orders("release", number) if tracer.paths.task_of(one.step) != number]  # what is held releases nothing
    if not orders:
        text = f"task {name} is held by {place}, and no rung outside it releases it"
        found.roots.append(Root(RootKind.PROGRAM, found.tag, found.value, tracer.time(held), text, f"find out what should release {name}",
                                step=found.children[0].step, defect=True))
    for order in orders[:MOST_ORDERS]:
        said = f"was not released after {tracer.at(tracer.time(held))}"
        lacks = f"{said}: {words_of(tracer.steps.all[order.step]).lacking()}"
        over, child = tracer.paths.skipped(tracer.journal, order.step, scan), None
        if over is not None:
            child = link(tracer, found.tag, order, scan, depth + 1, f"task {name} {said}") if over.task < 0 and found.tag is not None else None
        elif order.guard is not None:
            child = unpowered(tracer, None, order.step, order.element, order.guard, scan, depth + 1, LinkKind.NEVER_SET, f"task {name}", lacks)
        if child is not None:
            child.mark_missing()
            for root in child.all_roots():
                root.changed = False
            found.children.append(child)


def add_same(tracer: Tracer, found: Link, tag: int, writer: Writer, value: bool, view: Vantage, depth: int) -> None:
    """Add to the link of a coil whose step does not run that it would write the same if it did: what gives that."""
    now = tracer.again.now(tracer.journal, writer.step, view.scan)
    would = now.stored.get(writer.at)
    if not _left_out(found) or writer.power is None or would is None or bool(would) != value:
        return
    if rests_on_left_out(tracer, tag, writer.step, view.scan):
        return
    seen, circuit = _as_now(tracer, writer, view, now), tracer.circuit(writer.step)
    on = value != writer.inverted
    missing, barred = smallest_set(tracer, writer.power, seen, tag) if not on else ([], "")
    ways = circuit.complete(writer.power, now) if on else [missing]
    gates = max(ways, key=lambda path: min((gate_time(tracer, g, seen) for g in path), default=(0, 0)), default=())
    text = f"{tracer.place(writer.step)} would write {tracer.name(tag)} {tracer.state_word(value)} too if it ran"
    child = Link(LinkKind.RUNG_TRUE if on else LinkKind.RUNG_FALSE, tag, value, tracer.since(tag, view), writer.step, view.scan, text, writer.element)
    _add_gates(tracer, child, tag, seen, list(gates), barred, depth)
    found.children.append(child)


def add_unset(tracer: Tracer, found: Link, tag: int, writer: Writer, view: Vantage, depth: int) -> None:
    """Add to the link of a set or reset coil whose step does not run that it would have no power if it did: what is missing for that."""
    if not _left_out(found) or writer.power is None or writer.kind not in (Kind.SET, Kind.RESET):
        return
    if rests_on_left_out(tracer, tag, writer.step, view.scan):
        return
    now = tracer.again.now(tracer.journal, writer.step, view.scan)
    if tracer.circuit(writer.step).on(writer.power, now):
        return
    seen = _as_now(tracer, writer, view, now)
    missing, barred = smallest_set(tracer, writer.power, seen, tag)
    text = f"{tracer.place(writer.step)} would not {writer.kind} {tracer.name(tag)} either if it ran"
    child = Link(LinkKind.NEVER_SET, tag, writer.kind is Kind.RESET, tracer.since(tag, view), writer.step, view.scan, text, writer.element)
    _add_gates(tracer, child, tag, seen, missing, barred, depth)
    if child.children or child.roots:
        found.children.append(child)


def rests_on_left_out(tracer: Tracer, tag: int, step: int, scan: int) -> bool:
    """Whether a step that does not run looks at what is left out with it, and would be otherwise if that ran too: what it would do nobody knows.

    Args: tag: that it writes, whose value is known.
    """
    over = tracer.paths.skipped(tracer.journal, step, scan)
    called = over is None or over.kind is not SkipKind.NOT_CALLED
    for use in tracer.controller.access.of_step(step):
        for number in islice(use.tags(), MOST_ELEMENTS) if not use.writes else ():
            others = [w.step for w in tracer.writers.get(number, ()) if w.step != step]
            handed = not called and bool(others) and number < len(tracer.running.tags) and tracer.tag(number).kind is VariableKind.INPUT
            if number != tag and (handed or any(tracer.paths.skipped(tracer.journal, one, scan) is not None for one in others)):
                return True
    return False


def _left_out(found: Link) -> bool:
    """Whether a link says that a step does not run."""
    return found.kind in (LinkKind.HELD_BY_JUMP, LinkKind.NOT_CALLED, LinkKind.STEP_INACTIVE, LinkKind.TASK_HELD, LinkKind.TASK_IDLE)


def _as_now(tracer: Tracer, writer: Writer, view: Vantage, now: Result) -> Seen:
    """A step as it would be executed at the end of a view's scan."""
    position = tracer.journal.settled_position(view.scan)
    return Seen(writer.step, view.scan, position, position, None, lambda: now)


def _add_gates(tracer: Tracer, child: Link, tag: int, seen: Seen, gates: list[Gate], barred: str, depth: int) -> None:
    """Add to a link what a step would do the gates that decide it, or what bars every path."""
    child.text += f": every path {barred}" if barred else f": {several_words(tracer, gates, seen)}" if gates else ""
    child.blockers = elements_of(tracer, gates, seen.step)
    if barred:
        child.roots.append(barred_root(tracer, tag, seen.step, f"{tracer.name(tag)}: every path of {tracer.place(seen.step)} {barred}"))
    for gate in distinct(tracer, gates, seen)[:MOST_GATES]:
        explain_gate(tracer, child, gate, seen, depth + 1, change=False)


def _would_take_over(tracer: Tracer, tag: int, writer: Writer, flag: PathFlag, scan: int, depth: int) -> Link | None:
    """Another jump or return over the step, which would be taken if the first were not; None where it would not."""
    power = tracer.written.flag_power(flag.step, flag.element)
    now = tracer.again.now(tracer.journal, flag.step, scan)
    circuit = tracer.circuit(flag.step)
    if power is None or not circuit.on(power, now):
        return None
    position = tracer.journal.settled_position(scan)
    seen = Seen(flag.step, scan, position, position, None, lambda: now)
    gates = max(circuit.complete(power, now), key=lambda path: min((gate_time(tracer, g, seen) for g in path), default=(0, 0)), default=())
    verb = "jump over" if flag.kind is FlagKind.JUMP else "return before"
    words = several_words(tracer, list(gates), seen)
    text = f"{tracer.place(flag.step)} would {verb} {tracer.place(writer.step)} too" + (f": {words}" if words else "")
    value = tracer.value(tag, tracer.journal.settled(tag, scan))
    found = Link(LinkKind.HELD_BY_JUMP, tag, value, tracer.since(tag, Vantage(scan)), flag.step, scan, text, flag.element,
                 elements_of(tracer, list(gates), flag.step))
    for gate in sorted(gates, key=lambda g: gate_time(tracer, g, seen), reverse=True)[:3]:
        explain_gate(tracer, found, gate, seen, depth + 1, change=False)
    return found
