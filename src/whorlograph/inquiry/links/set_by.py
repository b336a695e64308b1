"""``set-by``: a set coil wrote last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Writer
from . import never_set, rung_true

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, view: Vantage | None = None,
         resetters: list[Writer] | None = None) -> Link | None:
    """What powered the set coil when it wrote; seen from a later view, also why nothing has reset the latch since."""
    found = rung_true.changed(tracer, tag, writer, scan, depth, LinkKind.SET_BY)
    if found is not None and view is not None and resetters:
        unreset = never_set.link(tracer, tag, resetters, view, depth + 1, LinkKind.NEVER_SET)
        if unreset is not None:
            unreset.text = unreset.text.replace("was never reset", f"was not reset after {tracer.at(tracer.time(scan))}")
            never_set.missing(unreset)
            found.children.append(unreset)
    return found
