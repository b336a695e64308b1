"""The auxiliary of the coil's own contactor: it should have taken over when a contact opened, and did not; or it is on although the coil was off."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.evaluate.steps import Seen

from .. import auxiliary
from ..circuit import Gate, Path
from ..symptoms import course
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
        should = f"it reports {tracer.name(one.coil)} back and should have taken over from {names}" if one.sure else \
            f"it stands where a seal-in would: if it reports {tracer.name(one.coil)} back, it should have taken over from {names}"
        root.text, root.leads, root.changed, root.step = f"{root.text}; {should}", True, True, writer.step
        link.roots.append(root)


def add_stuck(tracer: Tracer, link: Link, tag: int, paths: list[Path], now: Seen) -> None:
    """Add the root of such an input to the link of a coil that got its power through it alone: it ranks before what closed last."""
    holding = {one.tag for one in auxiliary.of_tag(tracer, tag) if one.sure}
    through = [{gate_tag(tracer, g, now) for g in path if not g.negated} & holding for path in paths]
    drop = course(tracer.journal, tag).last_change(now.scan - 1, False) if through and all(through) else None
    off = now.scan > 1 and (drop is None or tracer.time(now.scan) - tracer.time(drop) > auxiliary.FOLLOWS)
    for number in sorted(n for n in set.union(*through) if n is not None) if off and all(through) and through else ():
        root = input_root(tracer, number, now.position)
        name = tracer.name(tag)
        root.text = f"{root.text}; it reports {name} back, and it was on although {name} was off: so {name} came on without its start"
        root.leads, root.changed, root.step = True, True, link.step
        link.roots.append(root)
