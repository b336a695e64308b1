"""What led to a result that did not fit: which number grew, how fast, when it will be there again, and what mends that."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from whorlograph.engine.code import Load
from whorlograph.engine.journal import Fault
from whorlograph.model.literals import cooked, duration_text
from whorlograph.model.tags import Tag
from whorlograph.model.types import ELEMENTARY, Elementary

from ..symptoms import course

if TYPE_CHECKING:
    from ..tracer import Tracer

LEAST = 3  # changes in one direction that are called growing


class Growth(Struct, frozen=True):
    """A number on its way to a limit: from ``first`` to ``last`` in ``took`` ns, in ``changes`` steps of one direction."""

    tag: int
    first: int
    last: int
    took: int
    changes: int

    def time_from(self, start: int, limit: int) -> int | None:
        """How long (ns) it takes from a value to a limit at this rate; None where it goes the other way."""
        found = (limit - start) / (self.last - self.first) * self.took
        return int(found) if 0 < found < 3e18 else None


def grown(tracer: Tracer, fault: Fault) -> tuple[str, str]:
    """(what happened before, what mends it) of a result that did not fit a whole number; ("", "") of other faults."""
    if fault.code != "overflow" or fault.tag is None or fault.tag >= tracer.running.public or not tracer.tag(fault.tag).type.whole:
        return "", ""
    one = tracer.tag(fault.tag)
    sources = _sources(tracer, fault)
    growth = next((g for t in sources if (g := _growth(tracer, t, fault.scan)) is not None), None)
    low, high = (one.type.low, one.type.high) if one.low is None or one.high is None else (one.low, one.high)
    said, wider = "", _wider(one.type)
    lasts = None
    if growth is not None:
        up = growth.last > growth.first
        name, limit = tracer.name(growth.tag), high if up else low
        said = f"; {name} {'grew' if up else 'fell'} from {growth.first} to {growth.last} in {duration_text(growth.took)}"
        said += _again(tracer.tag(growth.tag), growth, limit)
        lasts = growth.time_from(growth.last, wider.high if up else wider.low) if wider is not None else None
    mends = []
    if one.low is not None:
        mends.append(f"a wider range for {one.name} ({one.type.name} holds {one.type.low} to {one.type.high})")
    elif wider is not None:
        longer = f", at this rate for {duration_text(_rounded(lasts))} more" if lasts is not None else ""
        mends.append(f"{wider.name} for {one.name} ({wider.low} to {wider.high}{longer})")
    mends.append("a guard before it that stops or sets back in time")
    if fault.tag not in sources:
        mends.append("a mask")
    return said, f"mended by {' or '.join(mends)}; leaving the rung out only hides it: {one.name} then stands still"


def _again(tag: Tag, growth: Growth, limit: int) -> str:
    """When the limit is reached the next time."""
    if tag.retain:
        return f"; it is retained, a restart alone leaves {tag.name} where it is"
    initial = int(cooked(tag.initial, tag.type))
    after = growth.time_from(initial, limit)
    return f"; restarted at {initial}, it is there again after about {duration_text(_rounded(after))}" if after is not None else ""


def _rounded(ns: int) -> int:
    """A time with two digits that count."""
    return int(float(f"{ns:.1e}"))


def _sources(tracer: Tracer, fault: Fault) -> list[int]:
    """The whole numbers that the result was made of, the receiver itself first."""
    seen, found = tracer.seen(fault.step, fault.scan), dict[int, None]()
    circuit = tracer.circuit(fault.step)
    for writer in tracer.writers.get(fault.tag or 0, ()):
        if writer.step == fault.step and writer.value is not None:
            for load in circuit.loads(writer.value):
                cell = tracer.cell(load, seen) if isinstance(load, Load) else None
                if cell is not None and cell.bit < 0 and tracer.tag(cell.number).type.whole:
                    found[cell.number] = None
    return sorted(found, key=lambda t: t != fault.tag)


def _growth(tracer: Tracer, tag: int, scan: int) -> Growth | None:
    """How a number went in one direction up to a scan; None where it did not, or in fewer than three steps."""
    path = course(tracer.journal, tag)
    upto = int(np.searchsorted(path.scans, scan, side="right"))
    type_ = tracer.tag(tag).type
    values = [int(cooked(v, type_)) for v in (path.first, *path.values[:upto].tolist())]
    scans = [1, *path.scans[:upto].tolist()]
    if len(values) <= LEAST:
        return None
    up, begin = values[-1] > values[-2], len(values) - 1
    while begin and (values[begin] > values[begin - 1]) == up and values[begin] != values[begin - 1]:
        begin -= 1
    changes = len(values) - 1 - begin
    took = tracer.time(scan) - tracer.time(scans[begin])
    return Growth(tag, values[begin], values[-1], took, changes) if changes >= LEAST and took > 0 else None


def _wider(type_: Elementary) -> Elementary | None:
    """The next wider type of the same family."""
    return next((t for t in ELEMENTARY.values() if t.family == type_.family and t.bits == 2 * type_.bits), None)
