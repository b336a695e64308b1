"""``timer-running``: a timer has not elapsed; what restarts it, else what starts it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.path import SkipKind
from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind

from ..tracer import Vantage
from ..trail import Link
from ..writers import BlockCall, Kind, Writer
from . import resumed
from .block_pins import add_preset, is_fed, pin_fell, pin_off, pin_on
from .waited_for import add_waited_for

if TYPE_CHECKING:
    from ..tracer import Tracer

A_MOMENT = 1_000_000_000  # ns that an input is off between two runs that were meant as one


def link(tracer: Tracer, call: BlockCall, label: str, scan: int, depth: int, change: bool) -> Link | None:
    """A timer's output, from its input: running, not started, dropped, or keeping its output on."""
    tags, journal, step, name = {n.lower(): t for n, t in call.tags.items()}, tracer.journal, call.step, call.kind
    done = tracer.seen(step, scan).after
    q, input_on = bool(journal.value_at(tags["q"], done)), bool(journal.value_at(tags["in"], done))
    preset = journal.value_at(tags["pt"], done)
    row = journal.last_row(tags["in"], done)
    q_row = journal.last_row(tags["q"], done)
    now, started = tracer.time(scan), journal.time(row) if row is not None else 0
    place = tracer.place(step, call.element)
    since = journal.time(q_row) if q_row is not None else None
    if not is_fed(tracer, call, "IN"):
        return Link(LinkKind.TIMER_RUNNING, tags["q"], q, since, step, scan, f"{label} in {place}: nothing is wired to IN", call.element)

    def lost(text: str, kind: LinkKind, at_scan: int) -> Link:
        found = pin_fell(tracer, call, "IN", label, at_scan, depth, said=text)
        found.kind, found.tag, found.value, found.since = kind, tags["q"], q, since
        return found

    def on(text: str, kind: LinkKind, at_scan: int, since_start: bool = True, each: bool = True) -> Link:
        found = Link(kind, tags["q"], q, since, step, scan, text, call.element)
        # An on-delay elapses because all of its input's path stayed: what should have ended it too, and did not come.
        child = pin_on(tracer, call, "IN", label, at_scan, depth + 1, since_start, not since_start and each)
        if child is not None and not since_start and each and q and start_scan > 1 and not tracer.is_aside:
            _mark_start(tracer, child, call, start_scan, scan)
        again = _ran_again(tracer, call, tags["in"], start_scan, depth) if input_on and row is not None else None
        found.children += [one for one in (again, child) if one is not None]
        return found

    start_scan = tracer.scan_of(row) if row is not None else scan
    if name == "TON" and not q and input_on:
        text = f"{label} in {place} is still running: {duration_text(min(now - started, preset))} of {duration_text(preset)}"
        fell = _cut_short(tracer, tags, row, preset)
        if fell is not None:
            off = duration_text(started - journal.time(fell))
            return lost(f"{text}; its input was off for {off} at {tracer.at(journal.time(fell))}", LinkKind.TIMER_RUNNING, tracer.scan_of(fell))
        running = on(text, LinkKind.TIMER_RUNNING, start_scan)
        add_preset(tracer, running, call, "PT", scan, depth, duration_text)
        return running
    if name == "TON" and not q:
        if change and q_row is not None and row is not None:
            return lost(f"{label} in {place} lost its input at {tracer.at(started)}", LinkKind.BLOCK, start_scan)
        began = journal.last_row(tags["in"], row) if row is not None and start_scan == scan else None
        if began is not None:
            ran = f"{duration_text(min(started - journal.time(began), preset))} of {duration_text(preset)}"
            return lost(f"{label} in {place} ran {ran} and lost its input at {tracer.at(started)}", LinkKind.TIMER_RUNNING, scan)
        found = pin_off(tracer, call, "IN", label, scan, depth, LinkKind.TIMER_RUNNING, f"{label} is not started: IN")
        if found is not None:
            found.tag, found.since = tags["q"], since
        return found
    if q and input_on:
        held = f" and has stayed for {duration_text(now - started)}" if name == "TON" else ""
        if name == "TOF" and not change:  # what keeps its input on now, not what it began with
            text = f"{label} in {place} is on: its input has been on since {tracer.at(started)}"
            return on(text, LinkKind.BLOCK, scan, since_start=False, each=False)
        came = "its input is on" if tracer.now is not None else f"its input came at {tracer.at(started)}{held}"
        found = on(f"{label} in {place} is on: {came}", LinkKind.BLOCK,
                   scan if name == "TON" else start_scan, since_start=name != "TON")
        if name == "TON" and row is not None and not tracer.is_aside:
            add_waited_for(tracer, found, call, label, scan, row)
        return found
    if q:
        # What fell has ended what switched it on: that is the cause. A pulse began with the rise itself.
        since_row = q_row if name == "TP" else row
        began = q_row if name == "TP" else journal.last_row(tags["in"], row) if row is not None else None
        left = max(0, preset - (now - (journal.time(since_row) if since_row is not None else 0)))
        return on(f"{label} in {place} keeps its output on: nothing to check, {duration_text(left)} still to run", LinkKind.TIMER_RUNNING,
                  tracer.scan_of(began) if began is not None else scan)
    if name == "TOF" and row is not None and change:
        ended = Link(LinkKind.BLOCK, tags["q"], q, since, step, scan,
                     f"{label} in {place} ran out {duration_text(preset)} after its input fell at {tracer.at(started)}", call.element)
        ended.children.append(pin_fell(tracer, call, "IN", label, start_scan, depth + 1))
        return ended
    if name == "TP" and q_row is not None and (change or input_on):
        pulse = journal.rows(tags["q"])
        begin = int(pulse[max(0, int(np.searchsorted(pulse, q_row)) - 1)])
        stays = "; its input has stayed on since and must fall first" if input_on and not change else ""
        return on(f"{label} in {place} ended its pulse of {duration_text(preset)}{stays}", LinkKind.BLOCK, tracer.scan_of(begin))
    found = pin_off(tracer, call, "IN", label, scan, depth, LinkKind.TIMER_RUNNING, f"{label} is not started: IN")
    if found is not None:
        found.tag, found.since = tags["q"], since
    return found


def _mark_start(tracer: Tracer, child: Link, call: BlockCall, start: int, scan: int) -> None:
    """Of an on-delay that has elapsed: what completed its input then, and stands as it did, brought that about."""
    with tracer.aside(brief=True):
        found = pin_on(tracer, call, "IN", "", start, 0, True)
    came = [root for root in found.all_roots() if root.changed and root.since is not None] if found is not None else []
    last = max((root.since or 0 for root in came), default=0)
    began = {(root.key, root.since) for root in came if root.since == last}
    for root in child.all_roots():
        stands = root.tag is None or not isinstance(root.value, bool) or tracer.raw(root.tag, Vantage(scan)) == root.value
        root.changed = root.changed or (stands and (root.key, root.since) in began)


def _ran_again(tracer: Tracer, call: BlockCall, pin: int, scan: int, depth: int) -> Link | None:
    """Of an input that came in the first evaluation of its step after a time without: what let that run again; None where it came by itself."""
    skip = tracer.paths.skipped(tracer.journal, call.step, scan - 1) if scan > 1 else None
    if skip is None or skip.kind is SkipKind.HALTED or skip.task >= 0:
        return None
    taken_in = Writer(call.step, call.at, call.element, Kind.PIN, guards=call.guards)
    return resumed.link(tracer, pin, taken_in, scan, True, skip, depth + 1)


def _cut_short(tracer: Tracer, tags: dict[str, int], started: int | None, preset: int) -> int | None:
    """The row in which the input of an on-delay fell before it had elapsed, a moment before this start (a row); None where none did."""
    journal = tracer.journal
    fell = journal.last_row(tags["in"], started) if started is not None else None
    began = journal.last_row(tags["in"], fell) if fell is not None else None
    if started is None or fell is None or journal.value_at(tags["q"], fell):
        return None
    ran = journal.time(fell) - (journal.time(began) if began is not None else 0)
    gap = journal.time(started) - journal.time(fell)
    return fell if ran < preset and gap <= max(preset, A_MOMENT) else None
