"""A reset that dominates and stands: what is off would not stay on if its set came now."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link
from ..writers import BlockCall, Writer
from .block_pins import is_fed, pin_on
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def of_bistable(tracer: Tracer, found: Link, call: BlockCall, label: str, scan: int, depth: int) -> None:
    """Add to the link of a bistable that is off that its dominant reset is on, where the trail has not come to that yet."""
    if call.kind != "RS" or not is_fed(tracer, call, "R1") or not tracer.journal.value_at(call.tags["R1"], tracer.seen(call.step, scan).after):
        return
    child = pin_on(tracer, call, "R1", label, scan, depth + 1, False)
    if child is not None:
        child.text += ", and a set would not last"
        _add(found, child)


def of_latch(tracer: Tracer, found: Link, tag: int, setters: list[Writer], resetters: list[Writer], view: Vantage, depth: int) -> None:
    """Add to the link of a latch that is off the reset coils that have power in the scan seen, and their turn behind every set coil."""
    last = max((tracer.written.turn(w) for w in setters), default=None)
    for writer in resetters:
        scan = tracer.ran(writer.step, view)
        behind = last is not None and tracer.written.turn(writer) > last
        tasks = {tracer.paths.task_of(w.step) for w in (*setters, writer)}
        if not behind or len(tasks) > 1 or scan <= 0 or tracer.paths.skipped(tracer.journal, writer.step, scan) is not None or writer.power is None:
            continue
        if writer.at not in tracer.seen(writer.step, scan).result.stored:
            continue
        child = powered(tracer, tag, writer.step, writer.element, writer.power, scan, depth + 1, LinkKind.RESET_BY, False, verb="is reset by")
        if child is not None:
            child.value = False
            child.text += "; while that stands a set does not last"
            _add(found, child)


def _add(found: Link, child: Link) -> None:
    for root in child.roots:
        if root.kind is RootKind.CONSTANT and root.tag is None:  # it always stands
            root.kind, root.defect, root.never = RootKind.PROGRAM, True, True
    for root in child.all_roots():
        root.changed = False  # it was off before that came
    known = {root.key for root in found.all_roots()}
    if any(root.key not in known for root in child.all_roots()):
        found.children.append(child)
