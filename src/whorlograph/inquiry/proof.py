"""Proof: the log edited at one place, the rest untouched, replayed and held against the untouched replay (ANSWERS.md, Proof)."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.checkpoint import Trials
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.literals import value_text
from whorlograph.model.log import Log
from whorlograph.model.profile import Overflow
from whorlograph.model.question import RootKind, Symptom
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .pulses import stays
from .symptoms import Course, course
from .trail import Answer, Root

AFTER = 60_000_000_000
WORTH_NS = 10_000_000_000  # of log before a trial: from more on it goes on from a checkpoint


class Proof(Struct, frozen=True):
    """What trials of a root showed: the verdict, a sentence, the trial that told (else the first tried) and its journal; ``turns``: the
    start (ns) of the first scan in the window in which it differs, None unless proved."""

    proved: bool | None
    text: str
    journal: Journal | None
    trial: Trial | None
    turns: int | None = None


class Attempted(Struct, frozen=True):
    """One trial of a root, and what it does in words."""

    trial: Trial
    what: str


def trials_of(answer: Answer, root: Root, controller: Controller, log: Log, original: Journal) -> Iterator[Attempted]:
    """The trials of a root, in the order in which they are made; none where nothing can be tried."""
    if root.tag is None or root.tag == answer.tag:
        return
    tag = controller.running.tags[root.tag]
    if root.kind is RootKind.INITIAL_VALUE and tag.type.family is Family.BOOL:
        yield Attempted(Trial((), ((root.tag, int(not root.value)),)), f"{tag.name} {'off' if root.value else 'on'} from the start")
    if root.kind not in (RootKind.FIELD_INPUT, RootKind.LOG_GAP):
        return
    if tag.type.family is not Family.BOOL:
        former = _former_number(root, controller, original)
        if former is not None:
            yield former
        return
    word, now, former_value = "off" if root.value else "on", int(bool(root.value)), int(not root.value)
    clock = original.clock
    if root.missed:
        lasting, since = max(root.missed, 2 * controller.scan_time), root.since or 0
        yield Attempted(Trial((Hold(root.tag, now, since, since + lasting),)), f"{tag.name} {'on' if now else 'off'} for two scans")
        return

    def held(value: int, start: int, until: int | None = None) -> Attempted:
        when = f" from {clock_text(log, start)} on" if start > 0 and start != root.since else ""
        return Attempted(Trial((Hold(root.tag or 0, value, start, until),)), f"{tag.name} held {'on' if value else 'off'}{when}")

    if answer.symptom is Symptom.CHATTERS:
        yield held(former_value, answer.begun)
        yield held(now, answer.begun)
        return
    if root.since is not None:
        yield Attempted(Trial((Hold(root.tag, former_value, root.since),)), f"{tag.name} held {word}")
    begun = clock.start(max(1, _begins(answer, original)))
    if answer.symptom is not Symptom.DROPPED_OUT and (root.since is None or begun < root.since):
        yield held(former_value, begun)
    found = stays(log, root.tag, tag.initial)
    otherwise = found.chosen((found.values == former_value) & (found.starts < (root.since if root.since is not None else answer.time)))
    if len(otherwise) and root.since is not None:
        last = otherwise[len(otherwise) - 1]
        if last.start > 0:
            yield Attempted(Trial((Hold(root.tag, now, last.start),)), f"{tag.name} {'on' if now else 'off'} without its last pulse before")
    if answer.symptom is Symptom.WILL_NOT_PULL_IN:
        lengths = sorted(otherwise.lengths[otherwise.ended].tolist()) if len(otherwise) else []
        lasting = max(lengths[len(lengths) // 2] if lengths else 0, 3 * controller.scan_time)
        yield held(former_value, answer.time, answer.time + lasting)
    if root.since is None or not len(otherwise):
        yield Attempted(Trial((Hold(root.tag, former_value, 0),)), f"{tag.name} held {word}")


def _former_number(root: Root, controller: Controller, journal: Journal) -> Attempted | None:
    """A number held at what it was before it changed; None where it never did."""
    assert root.tag is not None
    if root.since is None:
        return None
    scan = journal.clock.scan_at(root.since)
    first = journal.next_row(root.tag, journal.settled_position(scan if journal.clock.start(scan) < root.since else scan - 1))
    if first is None:
        return None
    tag, before = controller.running.tags[root.tag], journal.value_at(root.tag, first)
    return Attempted(Trial((Hold(root.tag, before, root.since),)), f"{tag.name} held at {value_text(before, tag.type)}")


def prove(answer: Answer, root: Root, controller: Controller, log: Log, original: Journal, stop: Callable[[], bool] = lambda: False,
          whole: bool = True) -> Proof:
    """Try a root the other way until a trial tells.

    Args: whole: whether the trial's journal is wanted from the log's start on; without, trials go on from a checkpoint.
    Raises: Stopped where ``stop`` says so before that is known.
    """
    until = min(log.end, max(answer.time, original.clock.start(max(1, answer.asked)), 0) + AFTER)
    if root.kind is RootKind.FAULT:
        return _without_fault(answer, controller, log, original, until, stop)
    first: Proof | None = None
    tried = list(trials_of(answer, root, controller, log, original))
    near = None if whole else _checkpoint(controller, log, [h.start for one in tried for h in one.trial.holds])
    try:
        for one in tried:
            quick = near is not None and not one.trial.initial and all(h.start >= near.since for h in one.trial.holds)
            journal = near.run(one.trial, until) if near is not None and quick else controller.replay(log, one.trial, until, stop)
            found = judge(answer, original, journal, controller, log, one)
            if found.proved:
                return found
            first = first or found
    finally:
        if near is not None:
            near.close()
    return first or Proof(None, _untried(root, controller), None, None)


def _checkpoint(controller: Controller, log: Log, starts: list[int]) -> Trials | None:
    """What trials go on from, before the first of them that does not begin with the log; None where none would gain."""
    later = [start for start in starts if start > WORTH_NS]
    if not later or controller.plain:
        return None
    try:
        return Trials(controller, log, min(later))
    except (ImportError, OSError):
        return None


def _untried(root: Root, controller: Controller) -> str:
    if root.tag is None:
        return "there is nothing to hold"
    tag = controller.running.tags[root.tag]
    if root.kind is RootKind.FIELD_INPUT and tag.type.family is not Family.BOOL:
        return f"{tag.name} is no BOOL and never changed: try a value on it yourself"
    return "this root cannot be put the other way"


def _without_fault(answer: Answer, controller: Controller, log: Log, original: Journal, until: int, stop: Callable[[], bool]) -> Proof:
    fault_controller = Controller(controller.program, replace(controller.profile, on_overflow=Overflow.SATURATE), controller.resource,
                                  controller.plain)
    journal = fault_controller.replay(log, None, until, stop)
    if journal.fault is not None:
        return Proof(None, "the fault is no overflow, so nothing could be tried", None, None)
    return judge(answer, original, journal, controller, log, Attempted(Trial(), "results held at their limits"))


def _begins(answer: Answer, original: Journal) -> int:
    """The scan in which the window of a symptom begins: the attempt, or when the tag last turned to what it is."""
    if answer.symptom is Symptom.WILL_NOT_PULL_IN and (answer.attempts or answer.missed):
        return answer.scan
    wanted = answer.symptom is Symptom.WILL_NOT_DROP_OUT
    turned = course(original, answer.tag).last_change(answer.asked or answer.scan, wanted)
    return turned if turned is not None else 1


def judge(answer: Answer, original: Journal, journal: Journal, controller: Controller, log: Log, tried: Attempted) -> Proof:
    """What a trial showed within the time in question, beside the untouched replay."""
    before, after = course(original, answer.tag), course(journal, answer.tag)
    name, what, asked = controller.running.tags[answer.tag].name, tried.what, answer.asked or answer.scan

    def proof(turns: int | None, text: str) -> Proof:
        when = journal.clock.start(turns) if turns is not None else None
        return Proof(turns is not None, f"with {what}, {name} {text}", journal, tried.trial, when)

    if answer.symptom is Symptom.CHATTERS:
        begun = journal.clock.scan_at(answer.begun)
        if after.changes_between(begun, asked):
            return proof(None, "still chatters")
        return proof(begun, f"stays {'on' if after.at(asked) else 'off'} from {clock_text(log, answer.begun)} on")
    if answer.symptom is Symptom.DROPPED_OUT:
        turned = after.next_change(answer.scan, False)
        # What the log brought after the drop belongs to a machine that had stopped.
        fits = turned is None or turned > answer.scan + 2 or (turned > answer.scan and _logged(log, answer.time, journal.clock.start(turned)))
        if not fits:
            return proof(None, "is off all the same" if turned == answer.scan else f"drops out {(turned or 0) - answer.scan} scans later")
        return proof(answer.scan, _stays(after, answer.scan, True, journal, log, answer.time))
    wanted = answer.symptom is Symptom.WILL_NOT_PULL_IN
    begins = _begins(answer, original)
    if not wanted:
        starts = [h.start for h in (*tried.trial.holds, *tried.trial.forces)]
        begins = journal.clock.scan_at(min(starts)) if starts else 1
    turned = _differs(before, after, max(1, begins), asked, wanted)
    if turned is None:
        return proof(None, "still does not pull in" if wanted else "is on all the same")
    when = clock_text(log, journal.clock.start(turned))
    return proof(turned, f"pulls in at {when}" if wanted else f"drops out at {when}")


def _differs(before: Course, after: Course, first: int, last: int, wanted: bool) -> int | None:
    """The first scan of a stretch in which the trial has a value that the untouched replay has not."""
    scans = sorted({first, *(int(s) for c in (before, after) for s in c.scans.tolist() if first <= s <= last)})
    return next((s for s in scans if bool(after.at(s)) == wanted and bool(before.at(s)) != wanted), None)


def _stays(path: Course, scan: int, on: bool, journal: Journal, log: Log, time: int) -> str:
    """How long a tag stays as the trial has it, and whether the log still fits."""
    turned = path.next_change(scan, not on)
    state = "on" if on else "off"
    if turned is None:
        return f"stays {state}"
    when = journal.clock.start(turned)
    if _logged(log, time, when):
        return f"stays {state} until {clock_text(log, when)}; from then on the log no longer fits the trial"
    return f"stays {state} until {clock_text(log, when)}"


def _logged(log: Log, low: int, high: int) -> bool:
    """Whether the log has a row behind one time, up to another."""
    return bool(((log.times > low) & (log.times <= high)).any())
