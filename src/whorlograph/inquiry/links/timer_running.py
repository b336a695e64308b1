"""``timer-running``: a timer has not elapsed; what restarts it, else what starts it."""

from __future__ import annotations

from collections import Counter
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.path import SkipKind
from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..auxiliary import reports
from ..circuit import Gate
from ..tracer import Vantage
from ..trail import Link, Root
from ..writers import BlockCall, Kind, Writer
from . import resumed
from .block_pins import is_fed, pin_fell, pin_off, pin_on
from .field_input import input_link
from .gates import at_once, gate_tag
from .rung_false import first_out
from .too_late import LEAST, MOST_BEFORE, Waited, came, overdue

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_BEHIND = 8  # of which it is followed back what ended them
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
        return on(text, LinkKind.TIMER_RUNNING, start_scan)
    if name == "TON" and not q:
        if change and q_row is not None and row is not None:
            return lost(f"{label} in {place} lost its input at {tracer.at(started)}", LinkKind.BLOCK, start_scan)
        found = pin_off(tracer, call, "IN", label, scan, depth, LinkKind.TIMER_RUNNING, f"{label} is not started: IN")
        if found is not None:
            found.tag, found.since = tags["q"], since
        return found
    if q and input_on:
        held = f" and has stayed for {duration_text(now - started)}" if name == "TON" else ""
        if name == "TOF" and not change:  # what keeps its input on now, not what it began with
            text = f"{label} in {place} is on: its input has been on since {tracer.at(started)}"
            return on(text, LinkKind.BLOCK, scan, since_start=False, each=False)
        found = on(f"{label} in {place} is on: its input came at {tracer.at(started)}{held}", LinkKind.BLOCK,
                   scan if name == "TON" else start_scan, since_start=name != "TON")
        if name == "TON" and row is not None and not tracer.is_aside:
            ran_out = journal.next_row(tags["q"], row)
            waited = (journal.time(row), journal.time(ran_out)) if ran_out is not None else None
            if not _add_overdue(tracer, found, call, label, tags, row, waited):
                _add_feedback(tracer, found, call, scan, waited)
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
    with tracer.aside():
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


def _add_feedback(tracer: Tracer, found: Link, call: BlockCall, scan: int, waited: Waited | None) -> None:
    """Of an on-delay that has elapsed: the auxiliary contact in its input that should have followed a coil in there, whatever was before."""
    power, now = call.pins.get("IN"), tracer.seen(call.step, scan)
    for path in tracer.circuit(call.step).complete(power, now.result) if power is not None else ():
        gates = [(gate.negated, tag) for gate in path if (tag := gate_tag(tracer, gate, now)) is not None]
        for first, second in (*combinations(gates, 2), *(pair for gate in path for pair in _unlike(tracer, call, gate, now))):
            if first[0] == second[0]:
                continue
            for tag, coil in ((first[1], second[1]), (second[1], first[1])):
                if tracer.writers.get(tag) or not tracer.writers.get(coil) or not tracer.boolean(tag) or not reports(tracer, coil, tag):
                    continue
                if all(root.tag != tag for root in found.all_roots()):
                    found.children.append(input_link(tracer, tag, now.after))
                said = f"reports {tracer.name(coil)} back, and {came(tracer, tag, waited)}"
                if _leads(found, tag, waited, said):
                    found.text += f"; {tracer.name(tag)} {said}"
                    return


def _unlike(tracer: Tracer, call: BlockCall, gate: Gate, now: Seen) -> list[tuple[tuple[bool, int], tuple[bool, int]]]:
    """The two tags of which a gate says that they are unlike (XOR, or <> of BOOLs), one of them as if negated; none of another gate."""
    circuit = tracer.circuit(call.step)
    made = circuit.behind(circuit.leaves.get(gate.at))
    if not isinstance(made, Op) or made.code not in ("XOR", "NE") or len(made.args) != 2 or gate.negated:
        return []
    read = [circuit.behind(one) for one in made.args]
    cells = [tracer.cell(one, now) if isinstance(one, Load) and one.type == "BOOL" else None for one in read]
    first, second = (cell.number if cell is not None else None for cell in cells)
    return [((False, first), (True, second))] if first is not None and second is not None else []


def _add_overdue(tracer: Tracer, found: Link, call: BlockCall, label: str, tags: dict[str, int], row: int, waited: Waited | None) -> bool:
    """Of an on-delay that has elapsed: what ended its input in time before, mostly, and has not come this time; whether anything is said of that.

    Args: row: in which its input came.
    """
    power, journal = call.pins.get("IN"), tracer.journal
    if power is None:
        return False
    rows = journal.rows(tags["in"])
    before = rows[:int(np.searchsorted(rows, row))].tolist()
    falls = [r for r in before if not journal.raw(r)]
    every = [r for r in falls if not journal.value_at(tags["q"], r)]
    if len(falls) > 2 * len(every):
        return False  # mostly it runs out: nothing was waited for
    fell = _of_the_same_way(tracer, call, power, every[-MOST_BEFORE:], row)
    cut = len(every) > MOST_BEFORE
    ended: Counter[int] = Counter()
    for one in fell:
        scan = tracer.scan_of(one)
        now = tracer.seen(call.step, scan)
        lost = first_out(tracer, power, now, tracer.seen(call.step, scan - 1))
        # That an output fell that is watched says nothing of what should have ended it.
        ended.update({tag for gate in at_once(tracer, lost, now) if (tag := gate_tag(tracer, gate, now)) is not None
                      and (gate.negated or not tracer.writers.get(tag))})
    often = {tag: times for tag, times in ended.items() if times >= LEAST and times * 2 > len(fell)}
    behind, unsure = fell[-MOST_BEHIND:], not often or any(tracer.writers.get(tag) for tag in often)
    if unsure and _add_missing(tracer, found, call, label, behind, cut or len(fell) > len(behind), waited):
        return True  # further back, what a device did
    said = False
    for tag, times in often.items():
        so = f"{_of(times, len(fell), cut)}, and {came(tracer, tag, waited)}"
        if _leads(found, tag, waited, f"ended the time of {label} {so}"):
            said = True
            found.text += f"; {tracer.name(tag)} ended that {so}"
    return said


def _of(times: int, of: int | None, cut: bool) -> str:
    """How often, of how many earlier times, in words. Args: of: None where the others say nothing; cut: further back they were not looked at."""
    if of is None:
        return f"{times} times of late" if cut else f"{times} times before"
    return f"{times} of the last {of} times" if cut else f"{times} of {of} times before"


def _of_the_same_way(tracer: Tracer, call: BlockCall, power: Expr, fell: list[int], row: int) -> list[int]:
    """The falls of runs that began by a path by which this one began: one timer may watch one way and the other. All where these are too few."""
    circuit, journal = tracer.circuit(call.step), tracer.journal

    def begun(rise: int | None) -> set[frozenset[Gate]]:
        now = tracer.seen(call.step, tracer.scan_of(rise)) if rise is not None else None
        return {frozenset(path) for path in circuit.complete(power, now.result)} if now is not None else set()

    mine = begun(row)
    alike = [one for one in fell if begun(journal.last_row(journal.tag(one), one)) & mine]
    return alike if len(alike) >= LEAST else fell


def _leads(found: Link, tag: int, waited: Waited | None, said: str) -> bool:
    """Let what tells of a tag below a link lead: an input itself, or the trail of what the program writes. Returns: whether anything tells of it.

    Args: said: of an input, what is to be said of it.
    """
    root = next((r for r in found.all_roots() if r.tag == tag and r.kind is RootKind.FIELD_INPUT), None)
    if root is not None:
        overdue(root, waited)
        root.text += f"; it {said}"
        return True
    above, part = next(((one, c) for _, one in found.walk() for c in one.children if c.tag == tag), (None, None))
    if above is None or part is None:
        return False
    above.children.remove(part)
    above.children.insert(0, part)
    for one in part.all_roots():
        if one.value is not None:
            overdue(one, waited)
    return True


def _add_missing(tracer: Tracer, found: Link, call: BlockCall, label: str, fell: list[int], cut: bool, waited: Waited | None) -> bool:
    """Of a timer whose input a device ended in time before, mostly: that end, where it stands in the trail and has not come.

    Args: fell: those times; cut: there were earlier ones. Returns: whether there is one.
    """
    ends: list[set[tuple[object, ...]]] = []
    for row in fell:
        with tracer.aside():
            link = pin_fell(tracer, call, "IN", "", tracer.scan_of(row), 0)
        ends.append({_come(root) for root in link.all_roots() if root.changed})
    # What ended it in a step that has been passed this time has come: it says nothing of this one.
    known = [root for root in found.all_roots() if isinstance(root.value, bool)]
    come = {_come(root) for root in known} - {_come(root, other=True) for root in known}
    others = [one for one in ends if not one or not one <= come]
    of, ends = len(ends) if len(others) == len(ends) else None, others
    ended = Counter(key for one in ends for key in one)
    said = False
    for root in found.all_roots():
        times, value = ended[_come(root, other=True)], root.value
        if root.kind is not RootKind.FIELD_INPUT or times < LEAST or times * 2 <= len(ends):
            continue
        overdue(root, waited)
        so = came(tracer, root.tag, waited) if isinstance(value, bool) else "has not now"
        root.text += f"; it ended the time of {label} {_of(times, of, cut)}, and {so}"
        if not said:
            found.text += f"; {tracer.name(root.tag)} ended that {_of(times, of, cut)}, and {so}"
        said = True
    return said


def _come(root: Root, other: bool = False) -> tuple[object, ...]:
    """What came with a root: of a BOOL that it did so with its value. Args: other: that of its opposite, which has not come."""
    return *root.key, root.value != other if isinstance(root.value, bool) else None


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
