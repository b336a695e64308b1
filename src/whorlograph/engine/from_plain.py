"""The journal of a run of the plain interpreter, in the form of the compiled engine's."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from .faults import Faults
from .feed import Feed
from .journal import Columns, Fault, Forced, Journal, Pass, Passes
from .rows import Records, Rows, packed, rows_of
from .runs import Held, TaskRuns
from .wasm import layout as at

if TYPE_CHECKING:
    from .plain.memory import PlainFault, Record


def journal_of_record(record: Record, feed: Feed, faults: Faults) -> Journal:
    """Everything that a plain run has left so far."""
    columns = Columns()
    columns.add(_rows(record))
    columns.shadow = [rows_of([(r.scan, r.number, r.step, at.SHADOW - r.tag, r.value) for r in record.shadow])]
    for scan, start, period in record.stretches:
        columns.clock(scan, start, period)
    started = np.array(record.started, np.int64).reshape(-1, 3)
    columns.runs.started(started[:, 0], started[:, 1], started[:, 2])
    missed = np.array(record.missed, np.int64).reshape(-1, 2)
    columns.runs.miss(missed[:, 0], missed[:, 1])
    columns.runs.held = [Held(*h) for h in record.held]
    columns.lengths = [np.array(record.lengths, np.int64).reshape(-1, 2)]
    columns.passes = [Passes(*p) for p in record.passes]
    columns.forced = [Forced(*f) for f in record.forced]
    journal = columns.journal(list(feed.initial), record.scans, _fault(record.fault, faults) if record.fault is not None else None)
    for task, due in record.waiting:
        journal.tasks[task] = replace(journal.tasks.get(task, TaskRuns()), waiting=due)
    return journal


def records_of(record: Record) -> Records:
    """Its changes of tags as the compiled engine writes them."""
    return packed(_rows(record))


def _rows(record: Record) -> Rows:
    return rows_of([(r.scan, r.number, r.step, r.tag, r.value) for r in record.rows])


def _fault(found: PlainFault, faults: Faults) -> Fault:
    tag = found.tag if found.tag >= 0 else None
    # What did not fit is known to the interpreter alone.
    worded = found.code == "array index" or (found.code == "overflow" and tag is not None and faults.running.tags[tag].type.whole)
    text = found.text if worded else faults.text(found.code, tag)
    return faults.told(Fault(found.scan, found.number, found.step, found.element, found.code, tag, text), [Pass(*p) for p in found.loops])
