"""What a trial showed within the time in question, beside the untouched replay."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.log import Log
from whorlograph.model.question import Symptom
from whorlograph.model.times import clock_text

from ..symptoms import Course, course
from ..trail import Answer
from .edits import Attempted
from .runs import TrialRuns
from .window import stretch_begins


class Proof(Struct, frozen=True):
    """What trials of a root showed: the verdict, a sentence, the trial that told (else the first tried) and its journal; ``turns``: the
    start (ns) of the first scan in the window in which it differs, None unless proved; ``fits_until``: from when on (ns) the recording,
    made with the tag off, no longer fits the trial; None where that is not known; ``ended``: of a drop, that the tag went off
    before it in the trial, ``begins`` that it never came on for it; ``earlier``: of what does not drop out, that it differs only before the
    tag came on last."""

    proved: bool | None
    text: str
    journal: Journal | None
    trial: Trial | None
    turns: int | None = None
    fits_until: int | None = None
    ended: bool = False
    begins: bool = False
    earlier: bool = False


def judged(runs: TrialRuns, tried: Attempted, log: Log | None = None, since: int | None = None) -> Proof:
    """Replay a trial and hold it against the untouched replay."""
    return judge(runs, runs.run(tried.trial, log, since), tried)


def judge(runs: TrialRuns, journal: Journal, tried: Attempted) -> Proof:
    """What a trial's journal shows."""
    answer, original, log = runs.answer, runs.original, runs.log
    before, after = course(original, answer.tag), course(journal, answer.tag)
    name, what, asked = runs.controller.running.tags[answer.tag].name, tried.what, answer.asked or answer.scan

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
        # What the log brought after the drop belongs to a machine without the tag.
        fits = turned is None or turned > answer.scan + 2 or (turned > answer.scan and _logged(log, answer.time, journal.clock.start(turned)))
        ended = _ended_before(before, after, answer.scan) if turned == answer.scan else None
        if ended is not None:
            return replace(proof(None, f"ends before that, at {clock_text(log, journal.clock.start(ended))}"), ended=True)
        came = before.last_change(answer.scan - 1, True) if turned == answer.scan else None
        if came is not None and (after.next_change(came, True) or answer.scan) >= answer.scan:
            return replace(proof(None, f"does not come on at {clock_text(log, journal.clock.start(came))} at all"), begins=True)
        if not fits:
            return proof(None, "is off all the same" if turned == answer.scan else f"drops out {(turned or 0) - answer.scan} scans later")
        text, until = _stays_on(after, answer, journal, log, name)
        return replace(proof(answer.scan, text), fits_until=until)
    wanted = answer.symptom is Symptom.WILL_NOT_PULL_IN
    begins = stretch = stretch_begins(answer, original)
    if not wanted:
        starts = [h.start for h in (*tried.trial.holds, *tried.trial.forces)]
        begins = journal.clock.scan_at(min(starts)) if starts else 1
    turned = _differs(before, after, max(1, begins), asked, wanted)
    if turned is None:
        return proof(None, "still does not pull in" if wanted else "is on all the same")
    when = clock_text(log, journal.clock.start(turned))
    if wanted:
        came = after.last_change(turned, True)
        before_that = came is not None and came < turned  # it does so before the attempt in question
        return proof(turned, f"pulls in already at {clock_text(log, journal.clock.start(came or 0))}" if before_that else f"pulls in at {when}")
    text = f"drops out at {when}" if after.at(turned - 1) else f"does not come on at {when}"
    if turned >= stretch or _differs(before, after, stretch, asked, wanted) is not None:
        return proof(turned, text)
    return replace(proof(turned, f"{text}, and is on all the same at {clock_text(log, journal.clock.start(asked))}"), earlier=True)


def _ended_before(before: Course, after: Course, scan: int) -> int | None:
    """The scan before a drop in which a trial switches the tag off that came on in the same scan; None where it does not."""
    off, on = after.last_change(scan, False), before.last_change(scan - 1, True)
    return off if off is not None and off < scan and on is not None and after.last_change(off, True) == on else None


def _differs(before: Course, after: Course, first: int, last: int, wanted: bool) -> int | None:
    """The first scan of a stretch in which the trial has a value that the untouched replay has not."""
    scans = sorted({first, *(int(s) for c in (before, after) for s in c.scans.tolist() if first <= s <= last)})
    return next((s for s in scans if bool(after.at(s)) == wanted and bool(before.at(s)) != wanted), None)


def _stays_on(path: Course, answer: Answer, journal: Journal, log: Log, name: str) -> tuple[str, int | None]:
    """How long a tag that dropped out stays on in a trial, and from when on (ns) the log no longer fits."""
    turned = path.next_change(answer.scan, False)
    if turned is None:
        return "stays on", None
    when = journal.clock.start(turned)
    if _logged(log, answer.time, when):
        return f"stays on until {clock_text(log, when)}; from then on the recording no longer fits, for in it {name} had gone off", when
    return f"stays on until {clock_text(log, when)}", None


def _logged(log: Log, low: int, high: int) -> bool:
    """Whether the log has a row behind one time, up to another."""
    return bool(((log.times > low) & (log.times <= high)).any())
