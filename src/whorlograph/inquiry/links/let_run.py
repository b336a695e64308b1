"""What decides whether a step runs: the jump, return, call or action over it, and where one of those does not run itself, what leaves that out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr
from whorlograph.engine.path import Skip, SkipKind
from whorlograph.model.question import LinkKind
from whorlograph.model.steps import PathFlag

from ..languages import words_of
from ..tracer import LAST, Vantage
from ..trail import Link
from . import step_inactive
from .gates import MOST_GATES, distinct, elements_of, explain_gate
from .rung_false import first_out, smallest_set, unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer

_DEEPEST = 60  # jumps over jumps that are followed


def taken_since(tracer: Tracer, flag: PathFlag, scan: int) -> int:
    """The scan from which on a jump or return that is taken has been: since its power came, or since it runs again."""
    row = tracer.journal.last_row(flag.number, tracer.journal.settled_position(scan))
    powered_since = tracer.scan_of(row) if row is not None else 1
    return max(powered_since, tracer.paths.last_left_out(tracer.journal, flag.step, scan) + 1)


def add_taken(tracer: Tracer, found: Link, skip: Skip, at_scan: int, change: bool, depth: int, now: int = 0) -> None:
    """Add why what leaves a step out does so.

    Args: at_scan: since when it does; change: whether the step ran before; now: the scan in which it still does, where that is asked, and not what
    began it: that may be over by then.
    """
    flag = skip.flag
    if flag is None:
        return
    power, where = tracer.written.flag_power(flag.step, flag.element), tracer.place(flag.step)
    if skip.kind is SkipKind.NOT_CALLED:
        if power is not None:
            _call_off(tracer, found, power, flag, at_scan, depth, change, bool(now))
        return
    action = step_inactive.action_of(tracer, flag)
    if action is not None:
        child = tracer.explain(action[0], Vantage(at_scan), change, depth + 1)
        found.children += [child] if child is not None else []
        return
    what, has = f"the {skip.kind} in {where}", words_of(tracer.steps.all[flag.step]).powered(True)
    always = power is None or tracer.circuit(flag.step).literal(power) is not None
    began = (not now or always) and at_scan > 1 and tracer.paths.task_of(flag.step) < 0
    former = tracer.paths.skipped(tracer.journal, flag.step, at_scan - 1) if began else None
    if former is not None and former.flag is not None and depth < _DEEPEST:
        text = f"{what} is taken from {tracer.at(tracer.time(at_scan))} on: {ran_again(tracer, flag.step, at_scan)}"
        child = Link(LinkKind.RESUMED, None, True, tracer.time(at_scan), flag.step, at_scan, text, flag.element)
        add_let_run(tracer, child, former, at_scan, depth + 1)
        found.children.append(child)
    elif power is not None:
        child = powered(tracer, None, flag.step, flag.element, power, now or at_scan, depth + 1, LinkKind.RUNG_TRUE, not now, what)
        if child is not None:
            for root in child.all_roots() if now else ():
                root.changed = root.since is not None
            child.text = child.text.replace(f" {has} in {tracer.place(flag.step, flag.element)}", " is taken", 1)
            found.children.append(child)


def ran_again(tracer: Tracer, step: int, scan: int, place: str = "") -> str:
    """That a step runs in a scan after a time without, and since when it had not."""
    stopped = tracer.paths.skipped_since(tracer.journal, step, scan - 1)
    ran = tracer.paths.last_run(tracer.journal, step, scan - 1) > 0
    how = f"runs again; it had not run since {tracer.at(stopped)}" if ran else "runs for the first time"
    return f"{place or tracer.place(step)} {how}"


def add_let_run(tracer: Tracer, found: Link, skip: Skip, scan: int, depth: int) -> None:
    """Add what took away in a scan what had left a step out: the jump or return that is no longer taken, the call, or the action's step."""
    flag = skip.flag
    if flag is None:
        return
    child: Link | None
    power = tracer.written.flag_power(flag.step, flag.element)
    action = step_inactive.action_of(tracer, flag)
    now = tracer.seen(flag.step, scan)
    over = tracer.paths.skipped(tracer.journal, flag.step, scan)
    what = f"the {skip.kind} in {tracer.place(flag.step)}"
    if over is not None and skip.kind is not SkipKind.NOT_CALLED:
        gone = f"{what} is no longer taken at {tracer.at(tracer.time(scan))}"
        child = left_out_too(tracer, flag, over, scan, gone, depth + 1) if depth < _DEEPEST else None
    elif power is None:
        child = None
    elif skip.kind is SkipKind.NOT_CALLED:
        child = powered(tracer, None, flag.step, flag.element, power, scan, depth + 1, LinkKind.RUNG_TRUE, True,
                        f"the call of {tracer.steps.all[found.step].pou}")
    elif action is not None:
        child = tracer.explain(action[0], tracer.view_at(action[0], LAST, now), True, depth + 1)
    else:
        lost = first_out(tracer, power, now, tracer.seen(flag.step, scan - 1))
        if lost:
            child = Link(LinkKind.RUNG_FALSE, None, False, tracer.time(scan), flag.step, scan,
                         f"{what} is no longer taken at {tracer.at(tracer.time(scan))}", flag.element, elements_of(tracer, lost, flag.step))
            for gate in lost[:3]:
                explain_gate(tracer, child, gate, now, depth + 1, change=True)
        else:
            child = unpowered(tracer, None, flag.step, flag.element, power, scan, depth + 1, what=what)
    if child is not None:
        found.children.append(child)


def left_out_too(tracer: Tracer, flag: PathFlag, over: Skip, scan: int, said: str, depth: int) -> Link | None:
    """That a jump or return does not run itself from a scan on, and why. Args: said: what follows from that."""
    if over.flag is None:
        return None
    where, place = tracer.place(over.flag.step), tracer.place(flag.step)
    verb = {SkipKind.NOT_CALLED: f"{place} is not called, see {where}", SkipKind.JUMP: f"{where} jumps over {place}"}
    kind = LinkKind.NOT_CALLED if over.kind is SkipKind.NOT_CALLED else LinkKind.HELD_BY_JUMP
    text = f"{said}: {verb.get(over.kind, f'{where} returns before {place}')}"
    found = Link(kind, None, False, tracer.time(scan), flag.step, scan, text, flag.element)
    add_taken(tracer, found, over, scan, scan > 1, depth)
    return found


def _call_off(tracer: Tracer, found: Link, power: Expr, flag: PathFlag, scan: int, depth: int, change: bool, stands: bool) -> None:
    """Add why a call's EN has no power. Args: change: the body was called before; stands: it is asked what keeps the power away in this scan."""
    step = flag.step
    row = tracer.journal.last_row(flag.number, tracer.journal.settled_position(scan))
    if row is not None and change:
        at_scan = scan if stands else tracer.scan_of(row)
        now = tracer.seen(step, at_scan)
        lost = smallest_set(tracer, power, now)[0] if stands else first_out(tracer, power, now, tracer.seen(step, at_scan - 1))
        if lost:
            found.blockers = elements_of(tracer, lost, step)
            found.step, found.scan, found.element = step, at_scan, flag.element
            children, roots = len(found.children), len(found.roots)
            for gate in distinct(tracer, lost, now)[:MOST_GATES if stands else 2]:
                explain_gate(tracer, found, gate, now, depth, change=not stands)
            for root in (*found.roots[roots:], *(r for c in found.children[children:] for r in c.all_roots())) if stands else ():
                root.changed = root.since is not None
            return
    words = words_of(tracer.steps.all[step]).block(tracer.steps.all[step], flag.element)
    child = unpowered(tracer, None, step, flag.element, power, scan, depth + 1, what=f"the call of {words}")
    if child is not None:
        found.children.append(child)
