"""An input that should have taken over when a contact opened, and did not: the auxiliary of the coil's own contactor."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.evaluate.steps import Seen

from .. import auxiliary
from ..circuit import Gate
from ..trail import Link
from ..writers import Writer
from .field_input import input_root
from .gates import gate_tag

if TYPE_CHECKING:
    from ..tracer import Tracer


def add(tracer: Tracer, link: Link, tag: int, writer: Writer, lost: list[Gate], seen: Seen) -> None:
    """Add the roots of such inputs to the link of a coil that lost its power: they rank before the contact that opened."""
    if not lost or writer.inverted:
        return
    opened = {gate_tag(tracer, gate, seen) for gate in lost}
    for one in auxiliary.of_tag(tracer, tag):
        if not opened & set(one.beside) or tracer.journal.value_at(one.tag, seen.position):
            continue
        names = " and ".join(dict.fromkeys(tracer.name(t) for t in one.beside if t in opened))
        root = input_root(tracer, one.tag, seen.position)
        should = f"it reports {tracer.name(tag)} back and should have taken over from {names}" if one.sure else \
            f"it stands where a seal-in would: if it reports {tracer.name(tag)} back, it should have taken over from {names}"
        root.text, root.leads, root.changed, root.step = f"{root.text}; {should}", True, True, writer.step
        link.roots.append(root)
