"""Two revisions of a program side by side: in a sentence, in words, as JSON; and what differs on the same log."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from msgspec import Struct

from whorlograph.inquiry.charts import passing_on
from whorlograph.inquiry.revisions.change import Change, ChangeKind, Revision, Value, Verdict, What
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.inquiry.revisions.reasons import Side, reasons
from whorlograph.model.cells import padded
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.program import written_name
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .session import Session
from .tables import xref_of
from .trial import Difference, courses, differing, words

LONGEST = 100  # letters of a comment or a value in a line


class Effect(Struct, frozen=True):
    """A tag that takes another course on the same log, and the nearest change upstream (None: none was found)."""

    difference: Difference
    output: bool
    reason: Change | None


class Compared(Struct):
    """Two programs, what differs, and what that makes of the log; ``faults``: the controller's, in either; ``said``: what it comes to, where
    the new one is the old one changed; ``called``: the two, where both were made here."""

    old: Session
    new: Session
    revision: Revision
    effects: tuple[Effect, ...] = ()
    faults: tuple[str, str] = ("", "")
    said: tuple[str, ...] = ()
    called: tuple[str, str] = ("", "")

    @property
    def is_change(self) -> bool:
        """Whether the new program is the old one as somebody changed it here, no other file."""
        return bool(self.said) and not self.called[1]

    @property
    def names(self) -> tuple[str, str]:
        """What the two files are called: with their dates where they say them, with their folders where they would be called alike."""
        if self.called[1]:
            return self.called
        if self.is_change:
            return f"{self.old.paths.program.name} as loaded", f"{self.new.paths.program.name} as changed"
        found = []
        for one in (self.old, self.new):
            date = f" of {one.program.date[:10]}" if one.program.date else ""
            found.append(f"{one.paths.program.name}{date}")
        if found[0] == found[1]:
            return str(self.old.paths.program), str(self.new.paths.program)
        return found[0], found[1]


def compare(old: Session, new: Session) -> Compared:
    """Compare two programs, and where there are logs what both make of them."""
    found = Compared(old, new, compare_programs(old.program, new.program, new.paths.resource))
    if new.paths.logs and found.revision.verdict is Verdict.ACTS:
        before, after = courses(old.journal, old), courses(new.journal, new)
        differences = differing(before, after)
        sides = (Side(old.controller, xref_of(old)), Side(new.controller, xref_of(new)))
        blamed = reasons(found.revision, sides, {d.tag.lower(): d.first for d in differences})
        outputs = {t.name.lower() for t in new.running.tags if t.at_output}
        found.effects = tuple(Effect(d, d.tag.lower() in outputs, blamed.get(d.tag.lower())) for d in differences)
        found.faults = tuple(s.journal.fault.text if s.journal.fault is not None else "" for s in (old, new))  # type: ignore[assignment]
    return found


def other_tag(found: Compared, here: Session) -> Callable[[int], Tag | None]:
    """For a tag of one of the two programs the other's of that name."""
    there = found.new if here is found.old else found.old

    def tag_of(number: int) -> Tag | None:
        tags = here.running.tags
        at = there.running.by_name.get(tags[number].name.lower()) if number < len(tags) else None
        return there.running.tags[at] if at is not None else None

    return tag_of


# in words

_WORDS = {What.RUNG: "rung", What.TAG: "tag", What.TYPE: "type", What.TASK: "task", What.INITIAL: "initial value", What.COMMENT: "comment"}
_KINDS = {ChangeKind.ADDED: "added", ChangeKind.GONE: "gone", ChangeKind.CHANGED: "changed", ChangeKind.MOVED: "moved"}


def sentence(found: Compared) -> str:
    """The four cases in one sentence: no program there, the same, the same but for comments, different."""
    one, other = found.names
    verdict, revision = found.revision.verdict, found.revision
    if verdict is Verdict.MISSING:
        if all(revision.empty):
            return f"There is no program in either file: {one} and {other} hold nothing that is executed."
        return f"There is no program in {one if revision.empty[0] else other}: nothing in it is executed."
    if verdict is Verdict.SAME:
        return f"{other} holds the same program as {one}{_as_read(found)}."
    if verdict is Verdict.COMMENTS:
        parts = [counted(len(revision.changes), "comment")] if revision.changes else []
        parts += [f"how {counted(len(revision.redrawn), 'rung')} {'is' if len(revision.redrawn) == 1 else 'are'} drawn"] if revision.redrawn else []
        return f"{other} is the same as {one} but for {' and '.join(parts)}: it acts the same{_as_read(found)}."
    return f"{other} acts otherwise than {one}: {_tally(revision)}."


def _as_read(found: Compared) -> str:
    """That something in either file was not understood, which may differ; "" where nothing was."""
    said = any(notice.place.file == str(one.paths.program) for one in (found.old, found.new) for notice in one.notices)
    return ", as far as they are understood" if said else ""


def _tally(revision: Revision) -> str:
    counts: dict[tuple[What, ChangeKind], int] = {}
    for change in revision.changes:
        counts[change.what, change.kind] = counts.get((change.what, change.kind), 0) + 1
    order = sorted(counts, key=lambda k: (list(What).index(k[0]), list(ChangeKind).index(k[1])))
    return ", ".join(f"{counted(counts[key], _WORDS[key[0]])} {_KINDS[key[1]]}" for key in order)


def younger(found: Compared) -> str:
    """A warning where the file called old is the younger one by the dates they give; "" else."""
    one, other = found.old.program.date[:19], found.new.program.date[:19]
    return "by their dates the file given first is the younger one" if one and other and one > other else ""


def value_words(value: Value) -> str:
    """A value of a change in a line."""
    if value is None:
        return "nothing"
    text = ("TRUE" if value else "FALSE") if isinstance(value, bool) else " ".join(str(value).split())
    return text if len(text) <= LONGEST else f"{text[:LONGEST - 1]}…"


def place_words(found: Compared, change: Change) -> str:
    """Where a change stands: ``Permits rung 4``, with its former number where that is another one."""
    unit = "line" if _is_text(found, change) else "rung"
    now, before = change.new, change.old
    if change.what is not What.RUNG:
        return " ".join(w for w in (change.pou, change.name) if w)
    if now is None:
        return f"{change.pou} {unit} {before} of the old program"
    return f"{change.pou} {unit} {now}" + (f" (was {before})" if before not in (None, now) else "")


def _is_text(found: Compared, change: Change) -> bool:
    session, place = (found.new, change.steps[1]) if change.steps[1] >= 0 else (found.old, change.steps[0])
    step = step_of(session, change.pou, place)
    return step is not None and session.controller.steps.all[step].rung.statement is not None


def step_of(session: Session, pou: str, place: int) -> int | None:
    """The step that a place of a body is in the first instance that there is; None where none is executed."""
    for instance in session.running.instances():
        first = session.controller.steps.first.get(id(instance))
        if first is not None and written_name(instance.type_name).lower() == pou.lower() and 0 <= place < len(session.controller.steps.of(instance)):
            return first + place
    return None


def change_words(found: Compared, change: Change) -> str:
    """One change in a line, without its place's POU."""
    old, new = value_words(change.old), value_words(change.new)
    details = ", ".join(change.details)
    if change.what is What.RUNG:
        unit = "line" if _is_text(found, change) else "rung"
        if change.kind is ChangeKind.MOVED:
            return f"{unit} {new}: moved, was {unit} {old}"
        if change.kind is ChangeKind.CHANGED:
            was = f" (was {old})" if change.old != change.new else ""
            return f"{unit} {new}{was}: {details or _lines(found, change)}"
        session, place = (found.new, change.steps[1]) if change.kind is ChangeKind.ADDED else (found.old, change.steps[0])
        said = _source(session, change.pou, place)
        return f"{unit} {new if change.kind is ChangeKind.ADDED else old} {'is new' if change.kind is ChangeKind.ADDED else 'is gone'}{said}"
    if change.what is What.COMMENT:
        on = f" on {change.name}" if change.name else f" of {place_words(found, _rung_of(found, change))}" if max(change.steps) >= 0 else ""
        if change.kind is ChangeKind.CHANGED:
            return f"comment{on}: “{old}” -> “{new}”"
        return f"comment{on} {_KINDS[change.kind]}: “{new if change.kind is ChangeKind.ADDED else old}”"
    if change.kind in (ChangeKind.ADDED, ChangeKind.GONE):
        return f"{_WORDS[change.what]} {change.name} {'is new' if change.kind is ChangeKind.ADDED else 'is gone'}: {details}".rstrip(": ")
    if change.what is What.TASK and isinstance(change.old, int) and isinstance(change.new, int) and details == "interval":
        old, new = duration_text(change.old), duration_text(change.new)
    word = {What.TYPE: "type", What.INITIAL: "starts at"}.get(change.what, "")
    said = " ".join(w for w in (word, details) if w)
    return f"{change.name or _WORDS[change.what]}{f' {said}' if said else ''}: {_timed(found, change, old, new)}"


def _timed(found: Compared, change: Change, old: str, new: str) -> str:
    """Old and new value, times with their units."""
    tag = next((t for t in found.new.running.tags if t.name.lower().rpartition(".")[2] == change.name.lower()), None)
    numbers = [v for v in (change.old, change.new) if isinstance(v, int)]
    if change.what is What.INITIAL and tag is not None and tag.type.family is Family.TIME and len(numbers) == 2:
        old, new = map(duration_text, numbers)
    return f"{old} -> {new}"


def _rung_of(found: Compared, change: Change) -> Change:
    """The rung that a comment belongs to, as a change."""
    numbers: list[Value] = []
    for session, place in ((found.old, change.steps[0]), (found.new, change.steps[1])):
        step = step_of(session, change.pou, place)
        numbers.append(session.controller.steps.all[step].rung.number if step is not None else place + 1)
    return Change(change.kind, What.RUNG, change.pou, numbers[0], numbers[1], "", (), change.steps)


def _source(session: Session, pou: str, place: int) -> str:
    """What a rung writes, or the text of a statement; with what stands above it."""
    step = step_of(session, pou, place)
    if step is None:
        return ""
    one = session.controller.steps.all[step]
    if one.source:
        return f": {value_words(' '.join(one.source))}"
    written = dict.fromkeys(session.running.tags[t].name for u in session.controller.access.of_step(step) if u.writes for t in u.tags()
                            if t < session.running.public)
    said = f", {one.rung.comment}" if one.rung.comment else ""
    return f": writes {', '.join(list(written)[:4])}{said}" if written else said


def _lines(found: Compared, change: Change) -> str:
    """What of a statement of a text is otherwise, as it was and as it is: of several lines those that changed, of long ones from there on."""
    sources = []
    for session, number in ((found.old, change.steps[0]), (found.new, change.steps[1])):
        step = step_of(session, change.pou, number)
        source = session.controller.steps.all[step].source if step is not None else ()
        sources.append([" ".join(line.split()) for line in source])
    if not all(sources):
        return " -> ".join(value_words(" ".join(lines)) if lines else "…" for lines in sources)
    old, new = sources
    alike = _alike(old, new)
    behind = min(_alike(old[::-1], new[::-1]), len(old) - alike, len(new) - alike)
    place = f"in its line {alike + 1}: " if alike else ""
    one, other = (" ".join(lines[alike:len(lines) - behind]) for lines in sources)
    return f"{place}{_from_difference(one, other)} -> {_from_difference(other, one)}"


def _alike(one: Sequence[str], other: Sequence[str]) -> int:
    """How many lines, or letters, two begin alike with."""
    return next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


def _from_difference(text: str, other: str) -> str:
    """A text that is shown from shortly before where it differs from another."""
    start = max(0, _alike(text, other) - LONGEST // 3) if len(text) > LONGEST else 0
    return f"{'…' if start else ''}{value_words(text[start:])}" if text else "nothing"


def effect_words(found: Compared, effect: Effect) -> str:
    """A tag's first difference and the change to blame, in a line without the time."""
    tag = found.new.running.tags[found.new.running.by_name[effect.difference.tag.lower()]]
    return f"{words(tag, effect.difference.before)} -> {words(tag, effect.difference.after)}"


def reason_words(found: Compared, effect: Effect) -> str:
    """Which change it comes from."""
    if effect.reason is None:
        return ""
    change = effect.reason
    return f"{change.pou} {change_words(found, change)}".strip()


def log_names(found: Compared) -> str:
    """The logs that both were run through."""
    return ", ".join(p.name for p in found.new.paths.logs)


def tally_words(found: Compared) -> str:
    """How many tags differ on the log."""
    return f"{counted(len(found.effects), 'tag')} {'takes' if len(found.effects) == 1 else 'take'} another course"


def by_reason(found: Compared) -> list[tuple[str, list[Effect]]]:
    """The effects by the change they come from, outputs first and then as they come; without what only passes on what a chart's steps do."""
    groups: dict[str, list[Effect]] = {}
    inner = {side.running.tags[t].name for side in (found.old, found.new) for t in passing_on(side.running)}
    shown = [e for e in found.effects if e.difference.tag not in inner]
    for effect in sorted(shown, key=lambda e: (not e.output, e.difference.first, e.difference.tag)):
        groups.setdefault(reason_words(found, effect), []).append(effect)
    return list(groups.items())


def text(found: Compared, most: int = 40) -> str:
    """All of it for a terminal."""
    one, other = found.names
    lines = [sentence(found), f"  old: {one}", f"  new: {other}"]
    lines += [f"  note: {younger(found)}"] if younger(found) else []
    for pou, changes in found.revision.by_pou():
        lines += ["", pou or "Outside of all POUs"]
        lines += [f"  {change_words(found, c)}" for c in changes]
    comments = found.revision.comments
    if comments:
        lines += ["", "Comments, which do nothing"]
        lines += [f"  {f'{c.pou} ' if c.pou else ''}{change_words(found, c)}" for c in comments[:most]]
        lines += [f"  and {len(comments) - most} more: --json has all"] if len(comments) > most else []
    if found.revision.redrawn:
        names = [f"{r.pou} {r.new}" for r in found.revision.redrawn]
        lines += ["", f"Drawn otherwise, and the same: {', '.join(names[:12])}" + (f" and {len(names) - 12} more" if len(names) > 12 else "")]
    return "\n".join([*lines, *_log_lines(found, most)])


def _log_lines(found: Compared, most: int) -> list[str]:
    if not found.new.paths.logs:
        return []
    if found.revision.verdict is not Verdict.ACTS:
        return ["", f"On {log_names(found)}: nothing differs."]
    lines = ["", f"On {log_names(found)}: {tally_words(found)}{', outputs first' if found.effects else ''}"]
    shown = 0
    for why, group in by_reason(found):
        lines.append(f"  nearest change: {why}" if why else "  no change upstream was found")
        width = max(len(e.difference.tag) for e in group)
        for effect in group[:max(0, most - shown)]:
            one = effect.difference
            lines.append(f"    {clock_text(found.new.log, one.first)}  {padded(one.tag, width)}  {effect_words(found, effect)}")
        shown += len(group)
    lines += [f"  and {shown - most} more: --json has all"] if shown > most else []
    for fault, which in zip(found.faults, ("old", "new"), strict=True):
        lines += [f"  the controller halts with the {which} program: {fault}"] if fault else []
    return lines


def as_json(found: Compared) -> dict[str, Any]:
    """All of it as JSON (DESIGN section 7): rung numbers, or values; times in seconds from the log's start."""
    return {
        "old": found.names[0], "new": found.names[1], "verdict": found.revision.verdict.value, "text": sentence(found),
        "changes": [{"kind": c.kind.value, "what": c.what.value, "pou": c.pou, "old": c.old, "new": c.new, "name": c.name,
                     "text": change_words(found, c)} for c in found.revision.changes],
        "redrawn": [{"pou": r.pou, "old": r.old, "new": r.new} for r in found.revision.redrawn],
        "effects": [{"tag": e.difference.tag, "t": e.difference.first / 1e9, "old": e.difference.before, "new": e.difference.after,
                     "output": e.output, "reason": reason_words(found, e) or None} for e in found.effects],
        "faults": {"old": found.faults[0] or None, "new": found.faults[1] or None},
    }
