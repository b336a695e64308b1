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


def add_left_out_before(tracer: Tracer, found: Link, writer: Writer, scan: int, depth: int) -> None:
    """Of a coil that lost its power: that what opened first had opened before too, each time while the step did not run, and why it runs now."""
    paths, journal = tracer.paths, tracer.journal
    begun = paths.last_left_out(journal, writer.step, scan) + 1
    skip = paths.skipped(journal, writer.step, begun - 1) if begun > 1 else None
    if writer.power is None or scan < 2 or skip is None or skip.flag is None or begun == scan or paths.task_of(writer.step) >= 0:
        return
    now = tracer.seen(writer.step, scan)
    tags = {gate_tag(tracer, g, now) for g in first_out(tracer, writer.power, now, tracer.seen(writer.step, scan - 1))}
    tag = tags.pop() if len(tags) == 1 else None
    if tag is None or not tracer.boolean(tag):
        return
    own = course(journal, tag)
    turns = own.scans[((own.values != 0) == bool(own.at(scan))) & (own.scans > 1) & (own.scans < begun)][-MOST:].tolist()
    if len(turns) < LEAST or any(paths.skipped(journal, writer.step, turn) is None for turn in turns):
        return
    often = f"{'at least ' if len(turns) == MOST else ''}{counted(len(turns), 'time')}"
    before = f"{tracer.name(tag)} went {tracer.state_word(bool(own.at(scan)), tag)} {often} before while it did not"
    text = f"{tracer.place(writer.step)} runs since {tracer.at(tracer.time(begun))}; {before}"
    child = Link(LinkKind.RESUMED, None, True, tracer.time(begun), writer.step, begun, text, writer.element)
    add_let_run(tracer, child, skip, begun, depth + 1)
    for root in child.all_roots():
        root.changed = False  # what opened is what changed
    found.children += [child] if child.children or child.roots else []


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
        said = f"{tracer.place(other.step)} would write {tracer.name(tag)} {tracer.state_word(not value)}"
        child = skipped.link(tracer, tag, other, scan, depth + 1, said)
        if child is None or child.kind not in (LinkKind.NOT_CALLED, LinkKind.HELD_BY_JUMP, LinkKind.STEP_INACTIVE):
            continue
        ran = tracer.paths.last_run(tracer.journal, other.step, scan) > 0
        child.tag, child.value = None, False
        child.since = tracer.paths.skipped_since(tracer.journal, other.step, scan) if ran else None
        for root in child.all_roots():
            root.changed = False
        found.children.append(child)
