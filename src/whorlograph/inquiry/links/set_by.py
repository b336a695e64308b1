"""``set-by``: a set coil wrote last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind

from ..trail import Link
from . import rung_true

if TYPE_CHECKING:
    from ..tracer import Tracer, Writer


def link(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """What powered the set coil when it wrote."""
    return rung_true.changed(tracer, tag, writer, scan, depth, LinkKind.SET_BY)
