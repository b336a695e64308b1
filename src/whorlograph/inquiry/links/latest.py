"""Which write was executed last, though it may have left the value as it was: what stands came from it, not from the last that changed it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from whorlograph.engine.code import Load
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.literals import raw

from ..writers import Kind, Writer

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage

MOST_BEFORE = 200  # changes of what decides a write that are gone back to


def latest(tracer: Tracer, tag: int, writers: Iterable[Writer], view: Vantage) -> tuple[Writer, int] | None:
    """Of some writers of a tag the one that was executed last before a view, and in which scan; None where that is not known.

    Nor where something else has changed the tag since. What is written in scan after scan while its condition holds is given once: when that
    began, or the tag changed.
    """
    found = [(scan, tracer.written.turn(w), w) for w in writers if (scan := _executed_last(tracer, tag, w, view)) is not None]
    if not found:
        return None
    scan, _, writer = max(found, key=lambda one: one[:2])
    row = tracer.journal.last_row(tag, tracer.position(view))
    changed = tracer.scan_of(row) if row is not None else 0
    if changed > scan:
        return None
    begun = max(_begun(tracer, writer, scan), changed)
    return writer, begun if _executed(tracer, tag, writer, begun) else scan


def written_again(tracer: Tracer, tag: int, view: Vantage) -> tuple[Writer, int] | None:
    """The write, and its scan, by which a number was given once more what it had already; None where none came since it changed."""
    given = latest(tracer, tag, [w for w in tracer.writers.get(tag, ()) if w.kind is Kind.VALUE and w.guard is not None], view)
    row = tracer.journal.last_row(tag, tracer.position(view))
    return given if given is not None and (row is None or tracer.scan_of(row) < given[1]) else None


def given_again(tracer: Tracer, tag: int, row: int, writer: Writer, view: Vantage) -> Writer:
    """Of a number that several steps write in every evaluation: what wrote last before a view, and gave in the row's scan the same again.

    Args: writer: what made the row; the answer where there is none such.
    """
    journal, scan = tracer.journal, tracer.scan_of(row)

    def turn(one: Writer) -> tuple[int, ...]:
        return tracer.ran(one.step, view), *tracer.written.turn(one)

    def gave(one: Writer, at_scan: int) -> bool:
        value = tracer.stored(tag, one, tracer.seen(one.step, at_scan)) if _executed(tracer, tag, one, at_scan) else None
        return value is not None and raw(value, tracer.tag(tag).type) == journal.raw(row)

    alike = [w for w in tracer.writers.get(tag, ()) if w.kind is Kind.VALUE and w.bit < 0 and w.guard is None and w.step != writer.step
             and tracer.paths.task_of(w.step) == tracer.paths.task_of(writer.step)]
    later = [w for w in alike if turn(w) > turn(writer) and gave(w, scan) and gave(w, tracer.ran(w.step, view))]
    return max(later, key=turn, default=writer)


def _executed(tracer: Tracer, tag: int, writer: Writer, scan: int) -> bool:
    return scan > 0 and tracer.paths.skipped(tracer.journal, writer.step, scan) is None \
        and tracer.stored(tag, writer, tracer.seen(writer.step, scan)) is not None


def _deciding(tracer: Tracer, writer: Writer, seen: Seen) -> list[int]:
    """The tags that a write's condition looks at."""
    loads = [one for one in tracer.circuit(writer.step).loads(writer.guard) if isinstance(one, Load)] if writer.guard is not None else []
    return [cell.number for one in loads if (cell := tracer.cell(one, seen)) is not None]


def _begun(tracer: Tracer, writer: Writer, scan: int) -> int:
    """Since which scan what decides a write stands as it does in one."""
    seen = tracer.seen(writer.step, scan)
    rows = [tracer.last_row(tag, seen.position) for tag in _deciding(tracer, writer, seen)]
    changed = max((row for row in rows if row is not None), default=None)
    if changed is None:
        return 1
    there = tracer.scan_of(changed)
    return there if changed < tracer.seen(writer.step, there).position else there + 1  # behind the step: it sees it in the next scan


def _executed_last(tracer: Tracer, tag: int, writer: Writer, view: Vantage) -> int | None:
    """The scan in which a write was executed last before a view: what decides that stands from one of its changes to the next."""
    task, scan = tracer.paths.task_of(writer.step), tracer.ran(writer.step, view)
    deciding = _deciding(tracer, writer, tracer.seen(writer.step, scan))
    for _ in range(MOST_BEFORE):
        if scan <= 0:
            return None
        if _executed(tracer, tag, writer, scan):
            return scan
        seen = tracer.seen(writer.step, scan)
        rows = [tracer.last_row(tag, seen.position) for tag in deciding]
        changed = max((tracer.scan_of(row) for row in rows if row is not None), default=0)
        scan = min(scan, changed + 1) - 1
        scan = tracer.journal.run_scan(task, scan) if task >= 0 and scan > 0 else scan
    return None
