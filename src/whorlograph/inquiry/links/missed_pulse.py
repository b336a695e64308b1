"""``missed-pulse``: an input came and went between two scans, so that no rung ever saw it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..attempts import DEEPEST, start_conditions
from ..pulses import Stay, calm, stays
from ..trail import Link, Root
from ..writers import Kind
from .field_input import where

if TYPE_CHECKING:
    from ..tracer import Tracer

PHASES = 4


class Missed(Struct, frozen=True):
    """A pulse that no scan saw: which condition of which tag's rung (``step``), when and how long (ns)."""

    tag: int
    condition: int
    step: int
    stay: Stay


def find(tracer: Tracer, tag: int, after: int, until: int, depth: int = 0, seen: set[int] | None = None) -> Missed | None:
    """The last pulse of a start condition, behind ``after`` and up to ``until`` (ns), that no scan saw.

    A start condition that the program computes passes on what its own conditions missed; each is looked at once (``seen``).
    """
    best: Missed | None = None
    if tracer.journal.fault is not None:
        until = min(until, tracer.time(tracer.journal.fault.scan))
    seen = {tag} if seen is None else seen
    for writer in tracer.writers.get(tag, []):
        if writer.kind is Kind.BLOCK or depth > DEEPEST:
            continue
        for command in start_conditions(tracer, tag, writer):
            condition, on = command.tag, command.on
            if condition in tracer.logged and not tracer.writers.get(condition):
                pulses = calm(stays(tracer.log, condition, tracer.tag(condition).initial))
                pulses = pulses.chosen(((pulses.values != 0) == on) & pulses.ended & (pulses.starts > after) & (pulses.starts <= until))
                unseen = (pulses[i] for i in range(len(pulses) - 1, -1, -1) if _unseen(tracer, pulses[i]))
                stay = next(unseen, None)
                found = Missed(tag, condition, writer.step, stay) if stay is not None else None
            else:
                found = None
                if on and condition not in seen:
                    seen.add(condition)
                    found = find(tracer, condition, after, until, depth + 1, seen)
            if found is not None and (best is None or found.stay.start > best.stay.start):
                best = found
    return best


def _unseen(tracer: Tracer, stay: Stay) -> bool:
    """Whether no scan started while an input stood so."""
    clock = tracer.journal.clock
    scan = clock.scan_at(stay.start + stay.length - 1)
    return scan > 0 and clock.start(scan) < stay.start


def _phases(tracer: Tracer, stay: Stay) -> int:
    """At how many of four phases of the scans the pulse would have been seen."""
    period = max(1, tracer.journal.clock.period(tracer.journal.clock.scan_at(stay.start)))
    return sum((stay.start + stay.length - 1 - shift) // period > (stay.start - 1 - shift) // period
               for shift in (k * period // PHASES for k in range(PHASES)))


def link(tracer: Tracer, asked: int, missed: Missed) -> Link:
    """The asked tag without power, because of a pulse that was not seen."""
    name, stay = tracer.name(missed.condition), missed.stay
    state = tracer.state_word(bool(stay.value))
    point = tracer.iolist.get(missed.condition)
    period = tracer.journal.clock.period(tracer.journal.clock.scan_at(stay.start))
    text = (f"{name} was {state} for {duration_text(stay.length)} at {tracer.at(stay.start)}, between two scans: no rung ever saw it "
            f"(seen in {_phases(tracer, stay)} of {PHASES} phases of the scan)")
    check = (f"{where(point, name)}; the pulse is shorter than the scan of {duration_text(period)}: make it longer, "
             "or give it to a task or a faster input")
    root = Root(RootKind.FIELD_INPUT, missed.condition, bool(stay.value), stay.start, text, check, point, changed=True, missed=stay.length)
    scan = tracer.journal.clock.scan_at(stay.start)
    inner = Link(LinkKind.MISSED_PULSE, missed.condition, bool(stay.value), stay.start, missed.step, scan, text, roots=[root])
    return Link(LinkKind.RUNG_FALSE, asked, False, None, missed.step, scan,
                f"{tracer.name(asked)} got no power: {name} came and went in {tracer.place(missed.step)} without being seen", children=[inner])
