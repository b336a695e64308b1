"""An attempt that nothing looks at: its command counts only in steps that do not run."""

from __future__ import annotations

from collections.abc import Sequence

from whorlograph.engine.path import SkipKind

from .links import skipped
from .tracer import LAST, Tracer, Vantage
from .trail import Link
from .writers import Writer

_LEFT_OUT = (SkipKind.NOT_CALLED, SkipKind.JUMP, SkipKind.RETURN)


def add_out_of_reach(tracer: Tracer, link: Link | None, tag: int, command: int, looked_at: Sequence[Writer], scan: int) -> None:
    """Where none of the steps that look at a command runs in a scan: that it counts there, and what leaves them out, before what else blocks;
    of a coil of the tag that was tried also what it would lack if it ran.

    Args: looked_at: what those steps write.
    """
    if link is None or not looked_at or tracer.paths.skipped(tracer.journal, link.step, scan) is not None:
        return
    over = [tracer.paths.skipped(tracer.journal, one.step, scan) for one in looked_at]
    if any(skip is None or skip.kind not in _LEFT_OUT for skip in over):
        return
    last = looked_at[-1]
    child = skipped.link(tracer, command, last, scan, 1, f"{tracer.name(command)} counts as an attempt in {tracer.place(last.step)}")
    if child is None:
        return
    ran = tracer.paths.last_run(tracer.journal, last.step, scan) > 0
    child.tag, child.value, child.since = None, False, tracer.paths.skipped_since(tracer.journal, last.step, scan) if ran else None
    told, own = {root.key for root in child.all_roots()}, {one.step for one in tracer.writers.get(tag, ())}
    link.children = [one for one in link.children if one.tag is not None or one.step not in own or {r.key for r in one.all_roots()} - told]
    link.children.insert(0, child)
    if last in tracer.writers.get(tag, ()):
        skipped.add_same(tracer, child, tag, last, False, Vantage(scan, LAST), 1)
