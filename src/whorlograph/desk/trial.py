"""A trial: the same log replayed with inputs held, tags forced, or another program; what differs, from when on."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.engine.settled import settle
from whorlograph.formats.logs.values import value_reader
from whorlograph.inquiry.charts import passing_on
from whorlograph.model.cells import padded
from whorlograph.model.errors import UsageError
from whorlograph.model.literals import cooked, counted, said_value
from whorlograph.model.log import Ints, Log
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text, parse_time

from .session import Session

Value = bool | int | float | str


class Course(Struct, frozen=True):
    """What a tag did: raw ``values`` int64[n], each from ``starts`` int64[n] (ns) on, the first from before the first scan (-1)."""

    starts: Ints
    values: Ints

    @property
    def changes(self) -> int:
        """How often it changed."""
        return len(self.starts) - 1

    @property
    def rows(self) -> list[tuple[int, int]]:
        """(ns, raw value) of each change."""
        return list(zip(self.starts[1:].tolist(), self.values[1:].tolist(), strict=True))

    def same(self, other: Course) -> bool:
        """Whether another is the same."""
        return np.array_equal(self.starts, other.starts) and np.array_equal(self.values, other.values)


class Difference(Struct, frozen=True):
    """A tag that took another course: from when on (ns), its values then in both runs, and how often it changes from there on in each."""

    tag: str
    first: int
    before: Value
    after: Value
    changes: tuple[int, int] = (0, 0)


class Tried(Struct, frozen=True):
    """What a trial came to: the tags that differ, in order of time; the asked tag's course in both runs."""

    tag: Tag
    differences: tuple[Difference, ...]
    before: Course
    after: Course
    faults: tuple[str, str]


def read_hold(session: Session, text: str, option: str) -> Hold:
    """A hold or force as written: ``TAG=VALUE``, ``TAG=VALUE@FROM..UNTIL``; either time may be left out.

    Raises: UsageError for an unknown tag, a value or a time that cannot be read.
    """
    name, equals, rest = text.partition("=")
    if not equals:
        raise UsageError(option, f"{text!r} is not TAG=VALUE", f"write {option} Stop=0 or {option} Stop=0@12.5..14")
    tag = session.running.tags[session.tag(name)]
    value, _, span = rest.partition("@")
    if span and ".." not in span:
        raise UsageError(option, f"{span!r} is not FROM..UNTIL", f"write {option} {name}={value}@12.5..14, or @12.5.. up to the end")
    bits = next((v for n, v in tag.enumeration.values if n.lower() == value.strip().lower()), None) if tag.enumeration else None
    bits = value_reader(tag)(value) if bits is None else bits
    if bits is None:
        raise UsageError(option, f"{value!r} is no value of {tag.name}", "write 0 or 1, or a number")
    begin, _, end = span.partition("..")
    start = parse_time(begin, session.log) if begin else 0
    until = parse_time(end, session.log) if end else None
    if until is not None and until <= start:
        raise UsageError(option, f"{span!r} ends before it begins", "write the earlier time first")
    return Hold(tag.index, bits, max(0, start), until)


def try_out(session: Session, tag: int, trial: Trial, other: Session | None = None) -> Tried:
    """Replay the log again, with something changed or through another program.

    Raises: UsageError where the other program has no such tag.
    """
    one = session.running.tags[tag]
    changed = other if other is not None else session
    if other is not None:
        other.tag(one.name)
        trial = _moved(trial, session, other)
    journal = changed.controller.replay(changed.log, trial)
    before, after = courses(session.journal, session), courses(journal, changed)
    name = one.name.lower()
    return Tried(one, tuple(differing(before, after)), before[name][1], after[name][1], (_fault(session.journal), _fault(journal)))


def _fault(journal: Journal) -> str:
    return journal.fault.text if journal.fault is not None else ""


def _moved(trial: Trial, session: Session, other: Session) -> Trial:
    """A trial with the tags of another program, by name."""
    def moved(holds: tuple[Hold, ...]) -> tuple[Hold, ...]:
        return tuple(replace(h, tag=other.tag(session.running.tags[h.tag].name)) for h in holds)

    return Trial(moved(trial.holds), (), moved(trial.forces))


def courses(journal: Journal, session: Session) -> dict[str, tuple[Tag, Course]]:
    """By name in lower case: every tag's settled values, each from when on (ns)."""
    settled = settle(journal, session.running)
    order = np.argsort(settled.tags, kind="stable")
    tags, starts, values = settled.tags[order], settled.starts[order], settled.values[order]
    cuts = np.searchsorted(tags, np.array(settled.tags_shown))
    ends = np.searchsorted(tags, np.array(settled.tags_shown), side="right")
    found: dict[str, tuple[Tag, Course]] = {}
    for number, first, low, high in zip(settled.tags_shown, settled.first, cuts.tolist(), ends.tolist(), strict=True):
        tag = session.running.tags[number]
        found[tag.name.lower()] = tag, Course(np.concatenate([[-1], starts[low:high]]), np.concatenate([[first], values[low:high]]))
    return found


def differing(before: dict[str, tuple[Tag, Course]], after: dict[str, tuple[Tag, Course]]) -> list[Difference]:
    """The tags of both that took another course, in order of time."""
    found = [_difference(first, after[name]) for name, first in before.items() if name in after and not first[1].same(after[name][1])]
    return sorted(found, key=lambda d: (d.first, d.tag))


def _difference(first: tuple[Tag, Course], second: tuple[Tag, Course]) -> Difference:
    """Where two courses of one tag part."""
    (tag, a), (other, b) = first, second
    shared = min(len(a.starts), len(b.starts))
    unlike = np.nonzero((a.starts[:shared] != b.starts[:shared]) | (a.values[:shared] != b.values[:shared]))[0]
    same = int(unlike[0]) if len(unlike) else shared
    at = min(int(c.starts[same]) for c in (a, b) if same < len(c.starts))
    values = [int(c.values[same if same < len(c.starts) and c.starts[same] == at else max(0, same - 1)]) for c in (a, b)]
    left = len(a.starts) - int(np.searchsorted(a.starts, at)), len(b.starts) - int(np.searchsorted(b.starts, at))
    return Difference(tag.name, max(0, at), shown(tag, values[0]), shown(other, values[1]), left)


def shown(tag: Tag, bits: int) -> Value:
    """A raw value for JSON: BOOL true or false, enumerations by name, times in ns."""
    if tag.enumeration is not None:
        return next((n for n, v in tag.enumeration.values if v == bits), bits)
    return cooked(bits, tag.type)


def words(tag: Tag, value: Value) -> str:
    """A value as a person reads it."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return said_value(value, tag.type) if value is not None and tag.enumeration is None else str(value)


def tried_json(tried: Tried) -> dict[str, Any]:
    """A trial as JSON (DESIGN section 7): times in seconds from the log's start."""
    def course(one: Course) -> list[dict[str, Any]]:
        return [{"t": max(0, t) / 1e9, "value": shown(tried.tag, v)} for t, v in zip(one.starts.tolist(), one.values.tolist(), strict=True)]

    return {
        "tags": [{"tag": d.tag, "first": d.first / 1e9, "before": d.before, "after": d.after} for d in tried.differences],
        "course": {"tag": tried.tag.name, "before": course(tried.before), "after": course(tried.after)},
        "faults": {"before": tried.faults[0] or None, "after": tried.faults[1] or None},
    }


def tried_text(session: Session, tried: Tried, what: str, most: int = 40) -> str:
    """A trial in words."""
    log: Log = session.log
    name = tried.tag.name
    lines = [f"With {what}:" if what else "The same log again:"]
    mine = next((d for d in tried.differences if d.tag == name), None)
    if mine is None:
        lines.append(f"  {name} takes the same course: {counted(tried.before.changes, 'change')}")
    else:
        lines.append(f"  {name} differs from {clock_text(log, mine.first)} on: {words(tried.tag, mine.before)} before, "
                     f"{words(tried.tag, mine.after)} now; {tried.before.changes} changes before, {tried.after.changes} now")
    for fault, which in zip(tried.faults, ("before", "now"), strict=True):
        if fault:
            lines.append(f"  the controller halts {which}: {fault}")
    others = [d for d in tried.differences if d.tag != name]
    lines.append(f"  {len(others)} other tags differ" + (", the first ones first:" if others else ""))
    by_name, inner = {t.name: t for t in session.running.tags}, passing_on(session.running)
    others = [d for d in others if by_name[d.tag].index not in inner]
    width = max((len(d.tag) for d in others[:most]), default=0)
    lines += [f"    {clock_text(log, d.first)}  {padded(d.tag, width)}  {words(by_name[d.tag], d.before)} -> {words(by_name[d.tag], d.after)}"
              for d in others[:most]]
    if len(others) > most:
        lines.append(f"    and {len(others) - most} more: --json has all")
    return "\n".join(lines)
