"""Proof: the same log replayed with one root changed (ANSWERS.md, Proof)."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.literals import value_text
from whorlograph.model.log import Log
from whorlograph.model.profile import Overflow
from whorlograph.model.question import RootKind, Symptom
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .symptoms import CHATTER_CHANGES, CHATTER_SPAN, course
from .trail import Answer, Root

AFTER = 60_000_000_000
FEW_SCANS = 5


class Proof(Struct, frozen=True):
    """What a second replay showed: the verdict, a sentence, and its journal (None where nothing was tried)."""

    proved: bool | None
    text: str
    journal: Journal | None
    trial: Trial | None


Replay = Callable[[Trial, int], Journal]


def trial_for(root: Root, controller: Controller, journal: Journal, begun: int | None = None) -> tuple[Trial | None, str]:
    """The change that puts a root the other way, and its name; None where there is none to try.

    Args: begun: ns, from when to hold an input instead of from its last change.
    """
    if root.tag is None:
        return None, "there is nothing to hold"
    tag = controller.running.tags[root.tag]
    if root.kind in (RootKind.FIELD_INPUT, RootKind.LOG_GAP):
        if tag.type.family is not Family.BOOL:
            return _former_number(root, controller, journal)
        if root.missed:
            lasting = max(root.missed, 2 * controller.scan_time)
            return (Trial((Hold(root.tag, int(bool(root.value)), root.since or 0, (root.since or 0) + lasting),)),
                    f"{tag.name} {'on' if root.value else 'off'} for two scans")
        start = begun if begun is not None else root.since if root.since is not None else 0
        return Trial((Hold(root.tag, int(not root.value), start),)), f"{tag.name} held {'off' if root.value else 'on'}"
    if root.kind is RootKind.INITIAL_VALUE and tag.type.family is Family.BOOL:
        return Trial((), ((root.tag, int(not root.value)),)), f"{tag.name} {'off' if root.value else 'on'} from the start"
    return None, "this root cannot be put the other way"


def _former_number(root: Root, controller: Controller, journal: Journal) -> tuple[Trial | None, str]:
    """A number held at what it was before it changed."""
    assert root.tag is not None
    tag = controller.running.tags[root.tag]
    if root.since is None:
        first = None
    else:
        scan = journal.clock.scan_at(root.since)
        first = journal.next_row(root.tag, journal.settled_position(scan if journal.clock.start(scan) < root.since else scan - 1))
    if first is None or root.since is None:
        return None, f"{tag.name} is no BOOL and never changed: try a value on it yourself"
    before = journal.value_at(root.tag, first)
    return Trial((Hold(root.tag, before, root.since),)), f"{tag.name} held at {value_text(before, tag.type)}"


def prove(answer: Answer, root: Root, controller: Controller, log: Log, original: Journal, stop: Callable[[], bool] = lambda: False) -> Proof:
    """Replay with one root changed and see whether the symptom is gone at its instant.

    Raises: Stopped where ``stop`` says so before that is known.
    """
    until = min(log.end, max(answer.time, 0) + AFTER)
    if root.kind is RootKind.FAULT:
        return _without_fault(answer, root, controller, log, original, until, stop)
    trial, what = trial_for(root, controller, original, answer.begun if answer.symptom is Symptom.CHATTERS else None)
    if trial is None:
        return Proof(None, what, None, None)
    journal = controller.replay(log, trial, until, stop)
    return _judge(answer, root, original, journal, controller, log, what, trial)


def _without_fault(answer: Answer, root: Root, controller: Controller, log: Log, original: Journal, until: int,
                   stop: Callable[[], bool]) -> Proof:
    fault_controller = Controller(controller.program, replace(controller.profile, on_overflow=Overflow.SATURATE), controller.resource,
                                  controller.plain)
    journal = fault_controller.replay(log, None, until, stop)
    if journal.fault is not None:
        return Proof(None, "the fault is no overflow, so nothing could be tried", None, None)
    return _judge(answer, root, original, journal, controller, log, "results held at their limits", Trial())


def _drop_at(answer: Answer, root: Root, original: Journal) -> int | None:
    """The scan in which the tag dropped out because of the root, if it was on before: what then keeps it from pulling in."""
    if root.since is None:
        return None
    path = course(original, answer.tag)
    drop = path.last_change(answer.scan, False)
    if drop is None or original.clock.start(drop) < root.since:
        return None
    soon = original.clock.start(drop) - root.since < 1_000_000_000
    return drop if soon and path.at(drop - 1) else None


def _judge(answer: Answer, root: Root, original: Journal, journal: Journal, controller: Controller, log: Log, what: str, trial: Trial) -> Proof:
    path = course(journal, answer.tag)
    name = controller.running.tags[answer.tag].name
    scan, time = journal.clock.scan_at(answer.time), answer.time
    drop = _drop_at(answer, root, original) if answer.symptom is Symptom.WILL_NOT_PULL_IN else None
    if drop is not None:
        dropped = replace(answer, symptom=Symptom.DROPPED_OUT, time=original.clock.start(drop), scan=drop)
        found = _judge(dropped, root, original, journal, controller, log, what, trial)
        if found.proved:
            return replace(found, text=f"{found.text} (it had dropped out at {clock_text(log, dropped.time)})")
    if answer.symptom is Symptom.WILL_NOT_PULL_IN:
        on = path.next_change(scan, True)
        if on is not None:
            return Proof(True, f"with {what}, {name} pulls in at {clock_text(log, journal.clock.start(on))}", journal, trial)
        return Proof(False, f"with {what}, {name} still does not pull in", journal, trial)
    if answer.symptom is Symptom.CHATTERS:
        changes = path.changes_between(journal.clock.scan_at(max(answer.begun, time - CHATTER_SPAN)), scan)
        if changes > CHATTER_CHANGES:
            return Proof(False, f"with {what}, {name} still chatters", journal, trial)
        return Proof(True, f"with {what} from {clock_text(log, answer.begun)} on, {name} stays {'on' if path.at(scan) else 'off'}", journal, trial)
    wanted = answer.symptom is Symptom.DROPPED_OUT
    if bool(path.at(scan)) != wanted:
        return Proof(False, f"with {what}, {name} is {'off' if wanted else 'on'} all the same", journal, trial)
    turned = path.next_change(scan, not wanted)
    state = "on" if wanted else "off"
    if turned is None:
        return Proof(True, f"with {what}, {name} stays {state}", journal, trial)
    when = journal.clock.start(turned)
    if turned - scan <= FEW_SCANS and not _input_between(log, time, when):
        return Proof(False, f"with {what}, {name} turns only {turned - scan} scans later", journal, trial)
    return Proof(True, f"with {what}, {name} stays {state} until {clock_text(log, when)}; from then on the log no longer fits the trial",
                 journal, trial)


def _input_between(log: Log, low: int, high: int) -> bool:
    return bool(((log.times > low) & (log.times <= high)).any())
