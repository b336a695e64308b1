"""``counter-short``: a counter is not at its preset; what resets it, else what counts it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import BlockCall
from . import too_seldom
from .block_pins import add_preset, is_fed, pin_off, pin_on

if TYPE_CHECKING:
    from whorlograph.engine.journal import Journal

    from ..tracer import Tracer


def link(tracer: Tracer, call: BlockCall, label: str, output: int, scan: int, depth: int, change: bool) -> Link | None:
    """A counter's output, from its count: reset, short, or reached."""
    tags, journal, step, name = {n.lower(): t for n, t in call.tags.items()}, tracer.journal, call.step, call.kind
    done = tracer.seen(step, scan).after
    q = bool(journal.value_at(output, done)) if output != tags['cv'] else False
    count, preset = journal.value_at(tags["cv"], done), journal.value_at(tags["pv"], done)
    if not tracer.paths.last_run(journal, step, scan):  # no evaluation has taken it in yet
        wired = tracer.circuit(step).literal(call.pins.get("PV"))
        preset = wired.value if wired is not None and isinstance(wired.value, int) else preset
    q_row = journal.last_row(output, done)
    since = journal.time(q_row) if q_row is not None else None
    place = tracer.place(step, call.element)
    down = name == "CTD" or output == tags.get("qd")
    aim = "" if output == tags["cv"] else ", reached" if q else ", above 0" if down else f", its preset is {preset}"
    value = q if output != tags["cv"] else tracer.value(output, count)
    found = Link(LinkKind.BLOCK if q else LinkKind.COUNTER_SHORT, output, value, since, step, scan, f"{label} in {place} stands at {count}{aim}",
                 call.element)
    resetter, counting = ("LD", "CD") if down else ("R", "CU")
    resets, counts = is_fed(tracer, call, resetter), is_fed(tracer, call, counting)
    reset_tag = tags.get("ld" if down else "r")
    counted_back = _counted_back(tracer, call, label, tags, q_row, done, down, depth) if not q and name == "CTUD" else None
    if counted_back is not None:
        found.children.append(counted_back)
        return found
    if q:
        _reached(tracer, call, label, found, q_row, down, depth, change)
        return found
    if resets and reset_tag is not None:
        row = journal.last_row(reset_tag, done)
        active = bool(journal.value_at(reset_tag, done))
        rows = _rises(journal, reset_tag, done)
        if active or (row is not None and rows and _cut_short(tracer, tags["cv"], output, rows[-1])):
            at_scan = tracer.scan_of(rows[-1]) if rows else scan
            child = pin_on(tracer, call, resetter, label, at_scan, depth + 1, True)
            if child is not None:
                child.kind = LinkKind.RESET_BY
                child.text = f"{label} was set back at {tracer.at(tracer.time(at_scan))}: {child.text}"
                found.children.append(child)
    if counts and resets and reset_tag is not None and not found.children:
        child = _in_vain(tracer, call, label, tags["cd" if down else "cu"], reset_tag, resetter, done, depth)
        if child is not None:
            found.children.append(child)
    by_preset = not down and not q and output != tags["cv"]
    if by_preset and not found.children and change and add_preset(tracer, found, call, "PV", scan, depth, str):
        return found
    if counts and not found.children and output != tags["cv"]:
        missed = too_seldom.of_pin(tracer, call, counting, too_seldom.counting_since(tracer, tags["cv"], done, not down), tracer.time(scan))
        if missed is not None:
            alone = missed.missed >= (count if down else preset - count)
            found.children.append(too_seldom.link(tracer, missed, scan, alone))
            if alone:
                return found
    if counts and not any(one.kind is LinkKind.RESET_BY for one in found.children):
        rows = _rises(journal, tags["cu" if not down else "cd"], done)
        on = bool(journal.value_at(tags["cd" if down else "cu"], done))
        if on and rows:
            child = pin_on(tracer, call, counting, label, tracer.scan_of(rows[-1]), depth + 1, True)
        else:
            child = pin_off(tracer, call, counting, label, scan, depth + 1)
        if child is not None:
            found.children.append(child)
        if by_preset and not change:
            add_preset(tracer, found, call, "PV", scan, depth, str)
    return found


def _reached(tracer: Tracer, call: BlockCall, label: str, found: Link, q_row: int | None, down: bool, depth: int, change: bool) -> None:
    """Of an output that is on: the pulse, or what set the count, that brought it; and unless that is all that is asked, what never took it back."""
    counting, taking_back, beside = ("CD", "LD", "R") if down else ("CU", "R", "LD")
    after = tracer.seen(call.step, found.scan).after
    if q_row is not None:
        at_scan = tracer.scan_of(q_row)
        for pin in (counting, beside):
            rows = _rises(tracer.journal, call.tags[pin], after) if pin in call.tags and is_fed(tracer, call, pin) else []
            came = any(tracer.scan_of(r) == at_scan for r in rows[-2:])
            child = pin_on(tracer, call, pin, label, at_scan, depth + 1, True) if came else None
            if child is not None:
                verb = "set" if pin == beside else "counted down" if down else "counted up"
                child.text = f"{label} was {verb} at {tracer.at(tracer.time(at_scan))}: {child.text}"
                found.children.append(child)
                break
    if change or not is_fed(tracer, call, taking_back):
        return
    child = pin_off(tracer, call, taking_back, label, found.scan, depth + 1)
    if child is not None:
        child.mark_missing()
        found.children.append(child)


def _counted_back(tracer: Tracer, call: BlockCall, label: str, tags: dict[str, int], q_row: int | None, done: int, down: bool,
                  depth: int) -> Link | None:
    """Of an output that went off because the counter was counted the other way in that scan: that pulse; None where it was not."""
    pin = "CU" if down else "CD"
    rows = _rises(tracer.journal, tags[pin.lower()], done)
    if q_row is None or not rows or tracer.scan_of(rows[-1]) != tracer.scan_of(q_row):
        return None
    scan = tracer.scan_of(q_row)
    child = pin_on(tracer, call, pin, label, scan, depth + 1, True)
    if child is not None:
        child.text = f"{label} was counted {'up' if down else 'down'} at {tracer.at(tracer.time(scan))}: {child.text}"
    return child


def _in_vain(tracer: Tracer, call: BlockCall, label: str, counting: int, resetting: int, pin: str, done: int, depth: int) -> Link | None:
    """The last pulse to be counted came while the counter was held back; None where it did not."""
    rows = _rises(tracer.journal, counting, done)
    if not rows:
        return None
    scan = tracer.scan_of(rows[-1])
    after = tracer.seen(call.step, scan).after
    if not tracer.journal.value_at(resetting, after):
        return None
    child = pin_on(tracer, call, pin, label, scan, depth + 1, False, what=f"the reset of {label}")
    if child is not None:
        child.kind = LinkKind.RESET_BY
        child.text = f"{label} could not count the pulse at {tracer.at(tracer.time(scan))}: its reset stood then ({child.text})"
    return child


def _cut_short(tracer: Tracer, count: int, output: int, row: int) -> bool:
    """Whether a counter that stood above 0 was reset before it had reached its preset."""
    return tracer.journal.value_at(count, row) != 0 and not tracer.journal.value_at(output, row)


def _rises(journal: Journal, tag: int, position: int) -> list[int]:
    """The rows up to a position in which a tag came on."""
    rows = journal.rows_between(tag, 0, position)
    found: list[int] = rows[journal.raws(rows) != 0].tolist()
    return found
