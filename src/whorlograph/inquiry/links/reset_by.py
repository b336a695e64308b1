"""``reset-by``: a reset coil wrote last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Writer
from . import never_set, rung_true
from .gates import gate_tag

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, view: Vantage | None = None,
         setters: list[Writer] | None = None) -> Link | None:
    """What powered the reset coil when it wrote; seen from a later view, also why nothing has set the latch since."""
    found = rung_true.changed(tracer, tag, writer, scan, depth, LinkKind.RESET_BY)
    if found is not None:
        found.value = False
        if view is not None and setters:
            said = f"was not {{}} again after {tracer.at(tracer.time(scan))}"
            since = never_set.had_turn(tracer, setters, view, scan, writer.step)
            unset = never_set.link(tracer, tag, since, view, depth + 1, LinkKind.NEVER_SET, said)
            if unset is not None:
                unset.mark_missing()
                if any(_tried(tracer, one, tracer.ran(one.step, view)) for one in setters):
                    for root in found.all_roots():  # somebody tried to set it: what took it away before is over
                        root.changed, root.last = False, False
                found.children.append(unset)
    return found


def dominates(tracer: Tracer, tag: int, setters: list[Writer], resetters: list[Writer], view: Vantage, depth: int) -> Link | None:
    """Of a latch that is off although its set coil has power: the reset coil that wrote after it in the same scan; None where none did."""
    for setter in setters:
        scan = tracer.ran(setter.step, view)
        if not _wrote(tracer, setter, scan):
            continue
        for resetter in resetters:
            at_scan = tracer.ran(resetter.step, view)
            later = (tracer.paths.order[resetter.step], resetter.at) > (tracer.paths.order[setter.step], setter.at)
            if at_scan != scan or not later or not _wrote(tracer, resetter, at_scan):
                continue
            found = rung_true.powered(tracer, tag, resetter.step, resetter.element, resetter.power, scan, depth, LinkKind.RESET_BY, change=False)
            if found is not None:
                found.value = False
                places = tracer.place(setter.step), tracer.place(resetter.step)
                found.text = (f"{tracer.name(tag)} is set by {places[0]} and reset by {places[1]} in the same scan: "
                              f"the reset comes later and dominates ({found.text})")
            return found
    return None


def _tried(tracer: Tracer, setter: Writer, scan: int) -> bool:
    """Whether a set coil's rung has the attempt's command, and it passes."""
    circuit, seen = tracer.circuit(setter.step), tracer.seen(setter.step, scan)
    return setter.power is not None and any(gate_tag(tracer, gate, seen) in tracer.commands and circuit.passes(gate, seen.result)
                                            for path in circuit.paths(setter.power) for gate in path)


def _wrote(tracer: Tracer, writer: Writer, scan: int) -> bool:
    """Whether a coil was executed with power in a scan."""
    if scan <= 0 or tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
        return False
    return writer.at in tracer.seen(writer.step, scan).result.stored
