"""A program changed and tried on the same log: step by step, each taken back; judged by what it makes of the log; written back under a new name."""

from __future__ import annotations

import re
from dataclasses import replace as session_with
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.controller import Controller
from whorlograph.formats.beside import written
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.text.block_operators import with_block_operators
from whorlograph.formats.text.body import text_body
from whorlograph.formats.text.unreadable import Unreadable
from whorlograph.inquiry.findings.facts import Finding
from whorlograph.inquiry.revisions.form import Numbers
from whorlograph.inquiry.revisions.forms import forms
from whorlograph.inquiry.revisions.matching import match
from whorlograph.inquiry.trail import Answer
from whorlograph.model.edit import declarations, rungs
from whorlograph.model.edit.choice import Choice
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import IoList
from whorlograph.model.log import Log, Shorts
from whorlograph.model.program import Program
from whorlograph.model.question import Symptom
from whorlograph.model.steps import Step, segment_at
from whorlograph.model.text import TextBody
from whorlograph.model.times import clock_text

from .checking import check
from .job_data import Edit, Version
from .read_back import refuse_unlike
from .revisions import Compared, compare, other_tag
from .rung_lines import line_choices
from .session import Session

FROZEN = 3  # so often a tag must have changed in the log before, for standing still now to be told


class Change(Struct, frozen=True):
    """One step of changing: what was done, the program it led to, and where it was done."""

    what: str
    program: Program
    edit: Edit


class Changing:
    """A session's program and the changes that somebody made to it, under a name ("": none yet)."""

    def __init__(self, session: Session, name: str = "") -> None:
        self.original, self.name = session, name
        self.steps: list[Change] = []
        self.undone: list[Change] = []
        self.saved: tuple[Program, str] | None = None  # what was written last, and under which name

    @property
    def program(self) -> Program:
        """The program as changed by now."""
        return self.steps[-1].program if self.steps else self.original.program

    def choices(self, step: Step, element: int, name: str) -> list[Choice[Program]]:
        """What can be changed where the cursor stands. Args: step, element: as in the original; name: the tag there, as the POU calls it.

        What was changed already is found by what it does: by its number it would be another one where statements came or went.
        """
        pou = self.program.pous.get(step.pou.lower())
        if pou is None:
            return []
        found: list[Choice[Program]] = []
        place = self._place(step)
        if isinstance(pou.body, TextBody) and step.rung.statement is not None:
            found += [self._line(step.pou, pou.body, place)] if place is not None else []
        elif step.rung.statement is None:
            found += [self._in_body(step.pou, c) for c in rungs.choices(pou.body, element)]
            number = rungs.number_of(pou.body, element) or (place + 1 if place is not None and place < rungs.count(pou.body) else 0)
            found += line_choices(self.program, step.pou, number) if number else []
        return found + (declarations.choices(self.program, step.pou, name) if name else [])

    def _place(self, step: Step) -> int | None:
        """Where a step of the original stands in its body now; None where it was taken out."""
        place = step.index - self.original.controller.steps.first[id(step.instance)]
        if not self.steps:
            return place
        numbers: Numbers = {}
        old, new = (forms(p.pous[step.pou.lower()].body, numbers) for p in (self.original.program, self.program))
        matched = match(old, new)
        return dict((*matched.same, *matched.moved, *matched.changed)).get(place)

    def _in_body(self, pou: str, one: Choice[Any]) -> Choice[Program]:
        """A change of a body as one of the program."""
        def make(text: str) -> Program:
            program, key = self.program, pou.lower()
            changed = replace(program, pous=program.pous | {key: replace(program.pous[key], body=one.make(text))})
            return declarations.with_tag(changed, pou, text.strip()) if one.tags else changed

        return Choice(one.label, make, one.asks, one.before, one.tags, one.edits, one.check)

    def _line(self, pou: str, body: TextBody, place: int) -> Choice[Program]:
        part, first = segment_at(body, place)
        assert isinstance(part, TextBody)
        index = place - first
        lines = part.lines(index)

        def make(text: str) -> Program:
            begin = part.statements[index].line - part.first
            margin = lines[0][:len(lines[0]) - len(lines[0].lstrip())]
            source = [*part.source[:begin], margin + text.strip(), *part.source[begin + len(lines):]]
            try:
                made = text_body("\n".join(source), part.first, part.language)
            except Unreadable as error:
                raise ValueError(str(error)) from None
            program, key = self.program, pou.lower()
            return with_block_operators(replace(program, pous=program.pous | {key: replace(program.pous[key], body=made)}))

        return Choice("the statement", make, "the statement as it is to be", _one_line(lines), edits=True)

    def apply(self, choice: Choice[Program], text: str = "", at: tuple[int, int, str] = (0, 0, "")) -> None:
        """Make a change. Args: at: step, element and name for which it was offered.

        Raises: ValueError with why it cannot be; nothing is changed then.
        """
        program = choice.make(text)
        if program == self.program:
            raise ValueError("that changes nothing")
        self.steps.append(Change(f"{choice.label}{f': {text.strip()}' if text.strip() else ''}", program, Edit(*at, choice.label, text)))
        self.undone.clear()

    @property
    def version(self) -> Version:
        """The changes as they are kept."""
        return Version(self.name, tuple(s.edit for s in self.steps))

    def again(self, version: Version) -> str:
        """Make kept changes again, from the program as loaded; what could not be made, "" where all could."""
        self.name, self.steps, self.undone = version.name, [], []
        for edit in version.edits:
            steps = self.original.controller.steps.all
            offered = self.choices(steps[edit.step], edit.element, edit.name) if edit.step < len(steps) else []
            try:
                self.apply(next(c for c in offered if c.label == edit.label), edit.text, (edit.step, edit.element, edit.name))
            except (StopIteration, ValueError):
                return f"{edit.label}{f': {edit.text}' if edit.text else ''} could not be made again; what came after it is left out"
        return ""

    def undo(self) -> str:
        """Take the last change back; what it was, "" where there is none."""
        if not self.steps:
            return ""
        self.undone.append(self.steps.pop())
        return self.undone[-1].what

    def redo(self) -> str:
        """Make it again; "" where there is none."""
        if not self.undone:
            return ""
        self.steps.append(self.undone.pop())
        return self.steps[-1].what

    def session(self) -> Session:
        """The changed program on the same log."""
        return with_program(self.original, self.program, "changed")

    def compared(self) -> Compared:
        """The original beside the changed program, on the same log."""
        return compare(self.original, self.session())

    def beside(self, version: Version) -> Compared:
        """A kept version beside this one, on the same log."""
        other = Changing(self.original)
        wrong = other.again(version)
        found = compare(other.session(), self.session())
        found.called = called(version.name), called(self.name)
        found.said = (f"{found.called[0]} beside {found.called[1]}", *([wrong] if wrong else []))
        return found

    def written(self, path: Path, replaces: bool = False) -> None:
        """Write the changed program: the original's file, byte for byte but for what was changed.

        Args: replaces: a file that is there already may be written over, but none that was read.
        Raises: UsageError for a file that is there already or of another form; ProgramError for a change that the form cannot hold.
        """
        source = self.original.paths.program
        if path.exists() and not replaces:
            raise UsageError(str(path), "is there already", "give another name: nothing is written over")
        if path.suffix.lower() != source.suffix.lower():
            raise UsageError(str(path), f"{source.name} is written back in its own form", f"end the name in {source.suffix}")
        data = splice(source.read_bytes(), self.original.program, self.program)
        refuse_unlike(data, path, self.program, self.original.program)
        with written(path, self.original.paths.inputs) as fresh:
            fresh.write_bytes(data)
        self.saved = self.program, path.name

    @property
    def state(self) -> str:
        """Whether the changes are in a file, in words."""
        if self.saved is not None and self.saved[0] == self.program:
            return f"written as {self.saved[1]}"
        return "changed since it was written: e writes it again" if self.saved is not None else "not written to a file yet: e writes it"


def called(name: str) -> str:
    """A version in words."""
    return f"version {name}" if name else "the changes without a name"


def with_program(old: Session, program: Program, how: str) -> Session:
    """A session on another program and the same log, bound by the names of tags. Args: how: what the title says of it."""
    controller = Controller(program, old.profile, old.controller.resource, old.controller.plain)
    known = {t.name.lower(): t.index for t in controller.running.tags}
    moved = np.array([known.get(t.name.lower(), -1) for t in old.running.tags], np.int32)
    points = {int(moved[t]): p for t, p in old.iolist.points.items() if moved[t] >= 0}
    return session_with(old, controller=controller, log=_log(old.log, moved), iolist=IoList(points, old.iolist.file, old.iolist.unbound),
                        paths=replace(old.paths, title=f"{old.paths.title or old.program.name}, {how}"), _journal=None, inquiry=None, xref=None,
                        search=None, words=None, answers={}, drops={}, findings=None, odd=None, odd_known=False, cycles=None,
                        now=None)


def without_rungs(session: Session) -> Session:
    """A session whose program does nothing: outputs are operated by hand, to test the wiring."""
    return with_program(session, declarations.without_bodies(session.program), "without its program")


def _one_line(lines: tuple[str, ...]) -> str:
    """A statement in one line: a remark to the end of a line becomes one with an end."""
    return " ".join(re.sub(r"\s*//\s*(.*)$", r" (* \1 *)", line).strip() if not re.search(r"['\"]", line) else line.strip() for line in lines)


def _log(log: Log, moved: Shorts) -> Log:
    """A log with the tags of another program, by name; rows of tags that it has not are left out."""
    tags = moved[log.tags]
    keep = tags >= 0
    if keep.all():
        return replace(log, tags=tags)
    return replace(log, times=log.times[keep], tags=tags[keep], values=log.values[keep])


# judged by effect

def judged(found: Compared, answer: Answer | None) -> list[str]:
    """What a change has done, in sentences: whether the complaint is gone, what stands still now, findings that came and went."""
    said = [complaint(found, answer)] if answer is not None and answer.symptom in _ASKED else []
    still = frozen(found)
    if still:
        more = f" and {len(still) - 6} more" if len(still) > 6 else ""
        said.append(f"no longer {'changes' if len(still) == 1 else 'change'}: {', '.join(still[:6])}{more}")
    for fault, which in zip(found.faults, ("before", "with the change"), strict=True):
        if fault:
            said.append(f"the controller halts {which}: {fault}")
    came, went = findings(found)
    said += [f"a finding less: {f.text}" for f in went[:4]] + [f"a finding more: {f.text}" for f in came[:4]]
    return said


_ASKED = (Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT)
_SINCE = "the inputs behind that are those of the machine as it was, and what differs later may be of that"


def complaint(found: Compared, answer: Answer) -> str:
    """Whether the tag asked about still does what was complained of: of a drop in its scan and the next two, else at the moment asked for."""
    tag, name = other_tag(found, found.old)(answer.tag), found.old.running.tags[answer.tag].name
    if tag is None:
        return f"{name} is not in the changed program"
    journal, dropped = found.new.journal, answer.symptom is Symptom.DROPPED_OUT
    start = found.old.journal.clock.start(answer.scan if dropped else answer.asked or answer.scan)
    scan, at = max(1, min(journal.clock.scan_at(start), journal.clock.last)), clock_text(found.new.log, start)
    on = [bool(journal.settled(tag.index, s)) for s in range(scan, min(scan + 3, journal.clock.last + 1) if dropped else scan + 1)]
    if not dropped:
        wanted = answer.symptom is Symptom.WILL_NOT_PULL_IN
        state = "on" if on[0] else "off"
        return f"the complaint is gone: {name} is {state} at {at}; {_SINCE}" if on[0] is wanted else f"{name} is still {state} at {at}"
    if all(on):
        return f"the complaint is gone: {name} stays on at {at}; {_SINCE}"
    if not journal.settled(tag.index, scan - 1):
        return f"{name} is off at {at}, and was not on before: it no longer comes on as it did"
    return f"{name} still drops out at {at}" + ("" if not on[0] else ", a scan or two later")


def frozen(found: Compared) -> list[str]:
    """Tags that changed in the log and no longer do with the change: it may hide the fault instead of mending it."""
    differences = [e.difference for e in found.effects]
    return [d.tag for d in differences if d.changes[0] >= FROZEN and d.changes[1] <= 1]


def findings(found: Compared) -> tuple[list[Finding], list[Finding]]:
    """Findings that came, and those that went."""
    old, new = check(found.old), check(found.new)
    before, after = {(f.key, f.text) for f in old}, {(f.key, f.text) for f in new}
    return [f for f in new if (f.key, f.text) not in before], [f for f in old if (f.key, f.text) not in after]
