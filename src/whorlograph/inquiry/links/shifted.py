"""Bits that are shifted through a word: which write brought a bit last, though it may have left it as it was."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Load, Op
from whorlograph.engine.scope.widening import SHIFTS

from ..writers import Writer
from . import tallied

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage

MOST_BEFORE = 200  # changes of what decides a shift that are gone back to


def shift_of(tracer: Tracer, writer: Writer) -> tuple[Op, Load, int] | None:
    """A shift or rotation by a fixed number of places that a write computes: it, the word and the places; None where it is none."""
    circuit = tracer.circuit(writer.step)
    made = circuit.plain(writer.value)
    if not isinstance(made, Op) or made.code not in SHIFTS:
        return None
    word, places = (circuit.plain(one) for one in made.args)
    if not isinstance(word, Load) or not isinstance(places, Const) or not isinstance(places.value, int):
        return None
    return made, word, places.value


def brought(tracer: Tracer, tag: int, view: Vantage, bit: int) -> tuple[Writer, int] | None:
    """The write that gave a bit of a word last before a view, and its scan; None where nothing shifts the word, or that is not known."""
    writers = [w for w in tracer.writers.get(tag, ()) if w.bit < 0 or w.bit == bit]
    if not any(shift_of(tracer, w) is not None for w in writers if w.bit < 0):
        return None
    found = [(scan, tracer.written.turn(w), w) for w in writers if (scan := _executed_last(tracer, w, view)) is not None]
    if not found:
        return None
    scan, _, writer = max(found, key=lambda one: one[:2])
    row = tracer.journal.last_row(tag, tracer.position(view))
    return (writer, scan) if row is None or tracer.scan_of(row) <= scan else None


def _executed_last(tracer: Tracer, writer: Writer, view: Vantage) -> int | None:
    """The scan in which a write was executed last before a view: what decides that stands from one of its changes to the next."""
    task, scan = tracer.paths.task_of(writer.step), tracer.ran(writer.step, view)
    circuit, seen = tracer.circuit(writer.step), tracer.seen(writer.step, scan)
    loads = [one for one in circuit.loads(writer.guard) if isinstance(one, Load)] if writer.guard is not None else []
    deciding = [cell.number for one in loads if (cell := tracer.cell(one, seen)) is not None]
    for _ in range(MOST_BEFORE):
        if scan <= 0:
            return None
        if tallied.executed(tracer, writer, scan):
            return scan
        rows = [tracer.last_row(tag, tracer.seen(writer.step, scan).position) for tag in deciding]
        changed = max((tracer.scan_of(row) for row in rows if row is not None), default=0)
        scan = min(scan, changed + 1) - 1
        scan = tracer.journal.run_scan(task, scan) if task >= 0 and scan > 0 else scan
    return None
