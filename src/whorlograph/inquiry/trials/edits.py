"""The edits of a log that put one root the other way, in the order in which they are tried (ANSWERS.md, Trials of a root)."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.literals import cooked, duration_text, said_value
from whorlograph.model.log import Log
from whorlograph.model.question import RootKind, Symptom
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from ..pace import pace
from ..pulses import Stays, bit_stays, stays
from ..symptoms import course
from ..trail import Answer, Root
from .bits import of_bits
from .window import stretch_begins

MOST_PULSES = 500  # that a trial adds


class Attempted(Struct, frozen=True):
    """One trial of a root, and what it does in words. ``as_then``: held as it was at another time: when the asked tag was last otherwise;
    ``bits``: of a bit of a word, that bit and its trial as if it were a tag of its own.
    """

    trial: Trial
    what: str
    as_then: bool = False
    bits: tuple[tuple[int, Trial], ...] = ()

    @property
    def start(self) -> int:
        """From when on (ns) it changes something."""
        return 0 if self.trial.initial else min((h.start for h in (*self.trial.holds, *self.trial.forces)), default=0)


def trials_of(answer: Answer, root: Root, controller: Controller, log: Log, original: Journal, rest: int | None = None) -> Iterator[Attempted]:
    """The trials of a root, in the order in which they are made; none where nothing can be tried.

    Args: rest: without a log, when (ns) all has come to rest: what was given has stood until then.
    """
    if root.tag is None or root.tag == answer.tag or (rest is not None and answer.mismatch):
        return  # the asked tag is held, or taken as it is seen
    tag = controller.running.tags[root.tag]
    if root.kind is RootKind.INITIAL_VALUE and tag.type.family is Family.BOOL:
        yield Attempted(Trial((), ((root.tag, int(not root.value)),)), f"{tag.name} {'off' if root.value else 'on'} from the start")
    if root.kind not in (RootKind.FIELD_INPUT, RootKind.LOG_GAP) or root.defect:
        return  # pulses that come too fast cannot be made slower without the rest of the log
    if root.bit >= 0:
        for one in _switched(answer, root, controller, log, original, rest):
            yield replace(one, trial=of_bits([(root.bit, one.trial)], log, tag), bits=((root.bit, one.trial),))
        return
    if tag.type.family is not Family.BOOL:
        former = _former_number(root, controller, original)
        if former is not None:
            yield former
            yield from _as_it_was_then(answer, root, controller, original, former.trial.holds[0].value)
            yield from _before_it_crossed(root, controller, log, original)
        return
    yield from _switched(answer, root, controller, log, original, rest)


def _switched(answer: Answer, root: Root, controller: Controller, log: Log, original: Journal, rest: int | None) -> Iterator[Attempted]:
    """The trials of a BOOL, or of one bit of a word as if it were a tag of its own."""
    assert root.tag is not None
    tag = controller.running.tags[root.tag]
    name = f"bit {root.bit} of {tag.name}" if root.bit >= 0 else tag.name
    on = bool(root.value) if root.bit < 0 else bool(isinstance(root.value, int) and root.value >> root.bit & 1)
    if rest is not None:
        yield Attempted(Trial((Hold(root.tag, int(not on), rest),)), f"{name} held {'off' if on else 'on'}")
        return
    word, now, former_value = "off" if on else "on", int(on), int(not on)
    if root.missed:
        task = controller.paths.task_of(root.step) if root.step >= 0 else -1
        interval = controller.schedule.tasks[task].interval if task >= 0 else None
        lasting, since = max(root.missed, 2 * (interval or controller.scan_time)), root.since or 0
        what = f"{name} {'on' if now else 'off'} for two {'runs' if interval else 'scans'}"
        yield Attempted(Trial((Hold(root.tag, now, since, since + lasting),)), what)
        return

    def held(value: int, start: int, until: int | None = None) -> Attempted:
        when = f" from {clock_text(log, start)} on" if start > 0 and start != root.since and until is None else \
            f" for {duration_text(until - start)} at {clock_text(log, start)}" if until is not None else ""
        return Attempted(Trial((Hold(root.tag or 0, value, start, until),)), f"{name} held {'on' if value else 'off'}{when}")

    if answer.symptom is Symptom.CHATTERS:
        yield held(former_value, answer.begun)
        yield held(now, answer.begun)
        return
    if root.since is not None:
        yield Attempted(Trial((Hold(root.tag, former_value, root.since),)), f"{name} held {word}")
    begun = original.clock.start(max(1, stretch_begins(answer, original)))
    if answer.symptom is not Symptom.DROPPED_OUT and (root.since is None or begun < root.since):
        yield held(former_value, begun)
    if answer.symptom is Symptom.DROPPED_OUT and root.changed and root.since is not None:
        rise = course(original, answer.tag).last_change(original.clock.scan_at(answer.time) - 1, True)
        if rise is not None and root.since < original.clock.start(rise):  # it stood already then: the runs before are left as they were
            yield held(former_value, original.clock.start(rise))
    whole = stays(log, root.tag, tag.initial)
    found = bit_stays(whole, root.bit) if root.bit >= 0 else whole
    otherwise = found.chosen((found.values == former_value) & (found.starts < (root.since if root.since is not None else answer.time)))
    if len(otherwise) and root.since is not None:
        last = otherwise[len(otherwise) - 1]
        if last.start > 0:
            yield Attempted(Trial((Hold(root.tag, now, last.start),)), f"{name} {'on' if now else 'off'} without its last pulse before")
    if answer.symptom is Symptom.WILL_NOT_PULL_IN:
        lengths = sorted(otherwise.lengths[otherwise.ended].tolist()) if len(otherwise) else []
        lasting = max(lengths[len(lengths) // 2] if lengths else 0, 3 * controller.scan_time)
        at = original.clock.start(answer.attempts[-1]) if answer.attempts else answer.time
        yield held(former_value, at, at + lasting)
        if answer.attempts and root.since is not None and root.since < at:  # had it come with the attempt
            yield held(former_value, root.since, at)
        if not answer.attempts:  # let go and switched again in time: an edge at its end
            yield held(former_value, max(0, at - lasting - 3 * controller.scan_time), at - 3 * controller.scan_time)
        behind = at + 3 * controller.scan_time  # what the attempt itself switches on is seen only then
        if behind < original.clock.start(max(1, answer.asked)):
            yield held(former_value, behind, behind + lasting)
    if root.since is None or not len(otherwise):
        yield Attempted(Trial((Hold(root.tag, former_value, 0),)), f"{name} held {word}")
    if root.overdue and root.due is not None:
        begun_waiting, ran_out, wanted = root.due
        half = (begun_waiting + ran_out) // 2
        yield held(wanted, half)
        usual = sorted(found.lengths[found.ended & (found.values == wanted)].tolist())
        if usual:  # what belongs to one run goes with it
            yield held(wanted, half, half + max(usual[len(usual) // 2], 3 * controller.scan_time))
    elif root.overdue and answer.symptom in (Symptom.DROPPED_OUT, Symptom.WILL_NOT_DROP_OUT):
        turned = answer.time if answer.symptom is Symptom.DROPPED_OUT else begun
        before = course(original, answer.tag).last_change(original.clock.scan_at(turned) - 1, answer.symptom is Symptom.DROPPED_OUT)
        came = max(original.clock.start(before) if before is not None else 0, root.since or 0)
        if (before is not None or root.since is not None) and came < turned:  # the end that did not come, half-way
            yield held(former_value, (came + turned) // 2)
        asked = original.clock.start(max(1, answer.asked))
        if answer.symptom is Symptom.WILL_NOT_DROP_OUT and max(begun, root.since or 0) < asked:  # an edge while the tag is on
            half = (max(begun, root.since or 0) + asked) // 2
            yield held(former_value, half)
            yield held(former_value, half, half + 3 * controller.scan_time)  # it stands, and would have to come anew
    if answer.symptom is not Symptom.WILL_NOT_PULL_IN or not answer.attempts:
        yield from _as_before(answer, tag, name, found, controller, original)


def _as_before(answer: Answer, tag: Tag, name: str, found: Stays, controller: Controller, journal: Journal) -> Iterator[Attempted]:
    """An input that pulses too slowly, or no more, as it did before; none of any other."""
    dropped = answer.symptom is Symptom.DROPPED_OUT
    turned, asked = answer.time, journal.clock.start(max(1, answer.asked))
    if answer.symptom is Symptom.WILL_NOT_DROP_OUT:
        turned = journal.clock.start(max(1, stretch_begins(answer, journal)))
    paced = pace(found, turned) or pace(found, asked)
    if paced is None or paced.since >= turned:
        return
    until = answer.time + 5 * controller.scan_time if dropped else asked
    rises = range(paced.since + paced.period, until, paced.period)
    if len(rises) > MOST_PULSES:
        return
    holds = [Hold(tag.index, 0, paced.since + paced.on, paced.since + paced.period)]
    for rise in rises:
        holds += [Hold(tag.index, 1, rise, rise + paced.on), Hold(tag.index, 0, rise + paced.on, rise + paced.period)]
    yield Attempted(Trial(tuple(holds)), f"{name} pulsing every {duration_text(paced.period)}, as before", as_then=True)


def earliest(trials: list[Attempted]) -> Attempted:
    """Of the trials of a root, at least one, the one that starts first; of a number the one at its former value."""
    return min(trials, key=lambda t: (t.as_then, t.start))


def _former_number(root: Root, controller: Controller, journal: Journal) -> Attempted | None:
    """A number held at what it was before it changed; None where it never did."""
    assert root.tag is not None
    if root.since is None:
        return None
    scan = journal.clock.scan_at(root.since)
    first = journal.next_row(root.tag, journal.settled_position(scan if journal.clock.start(scan) < root.since else scan - 1))
    if first is None:
        return None
    before = journal.value_at(root.tag, first)
    return Attempted(Trial((Hold(root.tag, before, root.since),)), _held_at(controller.running.tags[root.tag], before))


def _before_it_crossed(root: Root, controller: Controller, log: Log, journal: Journal) -> Iterator[Attempted]:
    """A measured value held as it was before it came to its side of what it is compared with: its last change seldom crosses that."""
    if root.tag is None or root.crossed is None:
        return
    scan, tag = journal.clock.scan_at(root.crossed), controller.running.tags[root.tag]
    before = journal.settled(root.tag, max(0, scan - 1))
    yield Attempted(Trial((Hold(root.tag, before, root.crossed),)), f"{_held_at(tag, before)} from {clock_text(log, root.crossed)} on")


def _as_it_was_then(answer: Answer, root: Root, controller: Controller, journal: Journal, former: int) -> Iterator[Attempted]:
    """A number held as it was when the asked tag last turned to the other state; none where it is so now.

    A measured value is never still: what it was before its last change seldom tells (of *former value*, ANSWERS.md, Proof, the reading that does).
    """
    assert root.tag is not None
    if answer.symptom is Symptom.CHATTERS:
        return
    on = answer.symptom is not Symptom.WILL_NOT_DROP_OUT
    begun = stretch_begins(answer, journal)
    last = course(journal, answer.tag).last_change(begun if answer.symptom is Symptom.WILL_NOT_PULL_IN else begun - 1, on)
    if last is None:
        return
    value = journal.settled(root.tag, last)
    if value in (former, journal.settled(root.tag, answer.scan)):
        return
    tag, start = controller.running.tags[root.tag], last if answer.symptom is Symptom.DROPPED_OUT else begun
    turned = f"came {'on' if on else 'off'}" if controller.running.tags[answer.tag].type.family is Family.BOOL else "was otherwise"
    what = f"{_held_at(tag, value)}, as when {controller.running.tags[answer.tag].name} last {turned}"
    yield Attempted(Trial((Hold(root.tag, value, journal.clock.start(max(1, start))),)), what, as_then=True)


def _held_at(tag: Tag, value: int) -> str:
    """A number's trial in words."""
    named = next((n for n, v in tag.enumeration.values if v == value), None) if tag.enumeration is not None else None
    return f"{tag.name} held at {named or said_value(cooked(value, tag.type), tag.type)}"
