"""``set-by``: a set coil wrote last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Writer
from . import never_set, rung_true
from .complete_paths import completing
from .gates import element_of, gate_words

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, view: Vantage | None = None,
         resetters: list[Writer] | None = None) -> Link | None:
    """What powered the set coil when it wrote; seen from a later view, also why nothing has reset the latch since."""
    found = rung_true.changed(tracer, tag, writer, scan, depth, LinkKind.SET_BY)
    if found is not None and view is not None and writer.power is not None:
        _still(tracer, found, writer, view, depth)
    if found is not None and view is not None and resetters:
        said = f"was not {{}} after {tracer.at(tracer.time(scan))}"
        since = never_set.had_turn(tracer, resetters, view, scan, writer.step)
        for unreset in never_set.links(tracer, tag, since, view, depth + 1, LinkKind.NEVER_SET, said):
            unreset.mark_missing()
            for root in unreset.all_roots() if unreset.kind is not LinkKind.NEVER_SET else ():
                root.changed = False  # what leaves the reset out keeps what was set; it did not bring it about
            found.children.append(unreset)
    return found


def _still(tracer: Tracer, found: Link, writer: Writer, view: Vantage, depth: int) -> None:
    """Of a set coil that has power still: that it sets the latch in every scan, and by what it was not set at first."""
    scan = tracer.ran(writer.step, view)
    if scan <= found.scan or writer.power is None or tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
        return
    seen = tracer.seen(writer.step, scan)
    if not tracer.circuit(writer.step).on(writer.power, seen.result):
        return
    gates = completing(tracer, writer.power, seen, None)
    more = [g for g in gates if element_of(tracer, g, writer.step) not in found.blockers]
    if not more:
        return
    words = " and ".join(gate_words(tracer, g, seen) for g in gates[:3])
    found.text += f"; {tracer.place(writer.step)} still sets it: {words}"
    for gate in more[:4]:
        rung_true.explain_beside(tracer, found, gate, seen, depth, completed=False)
