"""A set that came while the dominant reset stood: a latch that is off was not "never set"."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Expr

from ..writers import BlockCall
from .gates import gate_tag

if TYPE_CHECKING:
    from ..tracer import Tracer

LOOKS = 30  # changes of each of its tags that are looked at, the latest first


def set_while_reset(tracer: Tracer, call: BlockCall, since: int, until: int) -> int | None:
    """The scan between two in which a bistable's set came last, where its dominant reset stood then; None where not, or its set dominates."""
    if call.kind != "RS" or not {"S", "R1"} <= call.pins.keys():
        return None
    scan = _last_power(tracer, call.step, call.pins["S"], since, until)
    stood = scan is not None and tracer.circuit(call.step).on(call.pins["R1"], tracer.seen(call.step, scan).result)
    return scan if stood else None


def _last_power(tracer: Tracer, step: int, power: Expr, since: int, until: int) -> int | None:
    """The latest scan after ``since`` and before ``until`` in which power arrived; None where none of the latest changes brought it."""
    circuit, seen = tracer.circuit(step), tracer.seen(step, until)
    tags = {t for path in circuit.paths(power) for g in path if (t := gate_tag(tracer, g, seen)) is not None}
    scans: set[int] = set()
    for tag in tags:
        row = tracer.journal.last_row(tag, seen.position)
        for _ in range(LOOKS):
            if row is None or tracer.scan_of(row) <= since:
                break
            # What changed after the step's turn is seen in the scan after.
            scans.update((tracer.scan_of(row), tracer.scan_of(row) + 1))
            row = tracer.journal.last_row(tag, row)
    for scan in sorted((s for s in scans if since < s < until), reverse=True):
        if tracer.paths.skipped(tracer.journal, step, scan) is None and circuit.on(power, tracer.seen(step, scan).result):
            return scan
    return None
