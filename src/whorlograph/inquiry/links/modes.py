"""Which POU or area writes a tag: that the step runs again, or that another one, which would write the opposite, does not."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.path import SkipKind
from whorlograph.model.literals import counted
from whorlograph.model.question import LinkKind
from whorlograph.model.steps import FlagKind

from ..symptoms import course
from ..tracer import Vantage
from ..trail import Link
from ..writers import Writer
from . import resumed, skipped, step_inactive, task_held
from .complete_paths import completing
from .gates import gate_tag
from .let_run import add_let_run, left_out_too, taken_since
from .rung_false import first_out, unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer

LEAST, MOST = 2, 50  # times before that something opened, which are looked at

def add_resumed(tracer: Tracer, found: Link, tag: int, last: Writer, view: Vantage, depth: int) -> None:
    """Of a tag that turned in the first evaluation of its step after a time without: that the step runs again, before what its gates say.

    Only what changed is a cause of a change (ANSWERS.md, Dropped out): the gates were let through by what lets the step run.
    """
    row = tracer.last_row(tag, tracer.position(view))
    if row is None or tracer.journal.step(row) != last.step or any(child.kind is LinkKind.RESUMED for child in found.children):
        return
    scan = tracer.scan_of(row)
    skip = tracer.paths.skipped(tracer.journal, last.step, scan - 1) if scan > 1 else None
    number, value = tracer.paths.task_of(last.step), bool(tracer.journal.raw(row))
    if number >= 0:
        child = task_held.released(tracer, tag, last, scan, number, value, depth + 1)
    elif skip is None or skip.kind is SkipKind.HALTED or (skip.flag is not None and step_inactive.action_of(tracer, skip.flag) is not None):
        return  # an action's step says itself since when it is active, and why
    else:
        child = resumed.link(tracer, tag, last, scan, value, skip, depth + 1)
    if child is not None:
        for root in found.all_roots():
            root.changed = False
        found.children.insert(0, child)


def add_left_out_before(tracer: Tracer, found: Link, writer: Writer, scan: int, depth: int, on: bool = False) -> None:
    """Of a coil whose power came or went: that what brought that about had turned before too, each time while the step did not run, and why it
    runs now. Args: scan: in which the power turned; on: whether it came.
    """
    paths, journal = tracer.paths, tracer.journal
    if writer.power is None or scan < 2:
        return
    task = paths.task_of(writer.step)
    begun = _released(tracer, task, scan) if task >= 0 else paths.last_left_out(journal, writer.step, scan) + 1
    skip = paths.skipped(journal, writer.step, begun - 1) if task < 0 and begun > 1 else None
    if begun <= 1 or begun == scan or (task < 0 and (skip is None or skip.flag is None)):
        return
    now, before = tracer.seen(writer.step, scan), tracer.seen(writer.step, scan - 1)
    turned = completing(tracer, writer.power, now, before) if on else first_out(tracer, writer.power, now, before)
    tags = {gate_tag(tracer, g, now) for g in turned}
    tag = tags.pop() if len(tags) == 1 else None
    if tag is None or not tracer.boolean(tag):
        return
    own = course(journal, tag)
    turns = own.scans[((own.values != 0) == bool(own.at(scan))) & (own.scans > 1) & (own.scans < begun)][-MOST:].tolist()
    left = [turn for turn in turns if (journal.held_at(task, turn) if task >= 0 else paths.skipped(journal, writer.step, turn) is not None)]
    always = len(left) == len(turns)
    since = own.last_change(scan - 1, bool(own.at(scan)))
    if len(left) < LEAST or not (always or on) or (on and since is not None and since >= begun):
        return  # it ran at others; or it has come since it runs
    often = f"{'at least ' if len(turns) == MOST else ''}{counted(len(left), 'time')}"
    state = f"{tracer.name(tag)} went {tracer.state_word(bool(own.at(scan)), tag)} {often} before while it"
    runs = f"task {tracer.controller.schedule.tasks[task].name}" if task >= 0 else tracer.place(writer.step)
    text = f"{runs} runs since {tracer.at(tracer.time(begun))}; {state} {'was held' if task >= 0 else 'did not'}"
    child = Link(LinkKind.RESUMED, None, True, tracer.time(begun), writer.step, begun, text, writer.element)
    if skip is not None:
        add_let_run(tracer, child, skip, begun, depth + 1)
    else:
        task_held.add_release(tracer, child, task, begun, depth)
    for root in child.all_roots():
        root.changed, root.novel = False, on and always  # what turned is what changed
    for root in found.all_roots() if on and always else ():
        root.habit = len(left) if root.tag == tag else root.habit
    found.children += [child] if child.children or child.roots else []


def _released(tracer: Tracer, task: int, scan: int) -> int:
    """The scan, up to one, in which a task was released last; 0 where it was not, or is held again."""
    held = [h for h in tracer.journal.held if h.task == task and h.scan <= scan]
    return held[-1].scan if held and not held[-1].on else 0


def add_running(tracer: Tracer, found: Link, writer: Writer, view: Vantage, depth: int) -> None:
    """Of what a step gives a tag: what lets that step run, where nothing else decides it; an action's step in any case, which ends it."""
    flag, scan = tracer.paths.lets_run(writer.step), tracer.ran(writer.step, view)
    if flag is None or any(child.kind is LinkKind.RESUMED for child in found.children):
        return
    action, bare = step_inactive.action_of(tracer, flag), not (found.children or found.roots)
    power = tracer.written.flag_power(flag.step, flag.element)
    child: Link | None = None
    over = tracer.paths.skipped(tracer.journal, flag.step, scan)
    if bare and over is not None and over.flag is not None and flag.kind is not FlagKind.CALL:
        begun = taken_since(tracer, over.flag, scan)
        said = f"{tracer.place(writer.step)} runs, and what would leave it out does not, since {tracer.at(tracer.time(begun))}"
        child = left_out_too(tracer, flag, over, begun, said, depth + 1)
    elif action is not None:
        child = tracer.explain(action[0], Vantage(scan), False, depth + 1)
    elif bare and power is not None:
        where = tracer.place(flag.step)
        child = powered(tracer, None, flag.step, flag.element, power, scan, depth + 1, LinkKind.RUNG_TRUE, False, f"the call in {where}") \
            if flag.kind is FlagKind.CALL else \
            unpowered(tracer, None, flag.step, flag.element, power, scan, depth + 1, what=f"the {flag.kind.value} in {where}")
    if child is not None:
        for root in child.all_roots() if not bare else ():
            root.changed = False
        found.children.append(child)


def add_others(tracer: Tracer, found: Link, tag: int, idle: list[Writer], value: bool, view: Vantage, depth: int) -> None:
    """The steps that do not run now and would write the opposite if they did, two at most: what decides that they do not.

    Such a link is about the step, not about the tag's value, which another one writes.
    """
    for other in idle[:2]:
        scan = tracer.ran(other.step, view)
        would = tracer.again.now(tracer.journal, other.step, view.scan).stored.get(other.at)
        if would is None or bool(would) == value or tracer.paths.task_of(other.step) >= 0:
            continue
        known = not skipped.rests_on_left_out(tracer, tag, other.step, view.scan)
        said = f"{tracer.place(other.step)} would write {tracer.name(tag)} {tracer.state_word(not value)}" if known else \
            f"{tracer.place(other.step)} writes {tracer.name(tag)} too"
        child = skipped.link(tracer, tag, other, scan, depth + 1, said)
        if child is None or child.kind not in (LinkKind.NOT_CALLED, LinkKind.HELD_BY_JUMP, LinkKind.STEP_INACTIVE):
            continue
        ran = tracer.paths.last_run(tracer.journal, other.step, scan) > 0
        child.tag, child.value = None, False
        child.since = tracer.paths.skipped_since(tracer.journal, other.step, scan) if ran else None
        for root in child.all_roots():
            root.changed = False
        found.children.append(child)
