"""``reset-by``: a reset coil wrote last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Writer
from . import never_set, rung_true

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, view: Vantage | None = None,
         setters: list[Writer] | None = None) -> Link | None:
    """What powered the reset coil when it wrote; seen from a later view, also why nothing has set the latch since."""
    found = rung_true.changed(tracer, tag, writer, scan, depth, LinkKind.RESET_BY)
    if found is not None:
        found.value = False
        if view is not None and setters:
            unset = never_set.link(tracer, tag, setters, view, depth + 1, LinkKind.NEVER_SET)
            if unset is not None:
                unset.text = unset.text.replace("was never set", f"was not set again after {tracer.at(tracer.time(scan))}")
                never_set.missing(unset)
                found.children.append(unset)
    return found
