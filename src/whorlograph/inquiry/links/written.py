"""The link for a write: what made that node write what it did."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..tracer import Vantage
from ..trail import Link
from ..writers import Kind, Writer
from . import reset_by, rung_false, rung_true, set_by, taken
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, value: bool, depth: int, bit: int = -1) -> Link | None:
    """A coil, latch or block wrote a value in a scan."""
    if writer.bit >= 0:
        return bit_link(tracer, tag, writer, scan, depth)
    if writer.kind is Kind.SET:
        return set_by.link(tracer, tag, writer, scan, depth)
    if writer.kind is Kind.RESET:
        return reset_by.link(tracer, tag, writer, scan, depth)
    if writer.kind is not Kind.COIL:
        return taken.link(tracer, tag, writer, scan, depth, change=True, bit=bit)
    if value != writer.inverted:
        return rung_true.changed(tracer, tag, writer, scan, depth)
    return rung_false.changed(tracer, tag, writer, scan, depth)


def bit_link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, change: bool = True) -> Link | None:
    """A number one of whose bits is written: the rung that does. Args: change: of a latch, what set or reset it then, else all that let it."""
    what = f"bit {writer.bit} of {tracer.name(tag)}"
    power = writer.power if writer.power is not None else writer.value
    kinds = {Kind.SET: LinkKind.SET_BY, Kind.RESET: LinkKind.RESET_BY}
    circuit = tracer.circuit(writer.step)
    if power is not None and circuit.on(power, tracer.seen(writer.step, scan).result):
        came = change and (writer.kind in kinds or (scan > 1 and not circuit.on(power, tracer.seen(writer.step, scan - 1).result)))
        kind = kinds.get(writer.kind, LinkKind.RUNG_TRUE)
        found: Link | None = powered(tracer, None, writer.step, writer.element, power, scan, depth, kind, came, what)
    elif change and writer.kind is Kind.COIL and not writer.inverted and scan > 1 and power is not None and rung_false.first_out(
            tracer, power, tracer.seen(writer.step, scan), tracer.seen(writer.step, scan - 1)):
        found = rung_false.changed(tracer, tag, writer, scan, depth, what)
    else:
        lacks = {Kind.SET: "is not set", Kind.RESET: "is not reset"}.get(writer.kind, "")
        found = unpowered(tracer, None, writer.step, writer.element, power, scan, depth, what=what, lacks=lacks)
    if found is not None:
        found.tag, found.value = tag, tracer.value(tag, tracer.journal.settled(tag, scan))
        found.since = tracer.since(tag, Vantage(scan))
    return found
