"""Values that stand because the step that would write them does not run."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Load

from ..tracer import Vantage, is_fixed
from ..writers import Writer

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_HOPS = 5


def keeps(tracer: Tracer, tag: int, view: Vantage) -> bool:
    """Whether a tag keeps its value because nothing runs that writes it unconditionally, though something would."""
    always = [w for w in tracer.writers.get(tag, ()) if w.guard is None]
    return bool(always) and all(left_out(tracer, w, view) for w in always)


def left_out(tracer: Tracer, writer: Writer, view: Vantage) -> bool:
    """Whether a writer's step did not run in the latest evaluation before a view."""
    return tracer.paths.skipped(tracer.journal, writer.step, tracer.ran(writer.step, view)) is not None


def kept_source(tracer: Tracer, tag: int, view: Vantage) -> int | None:
    """The tag behind one that takes it over as it is in every evaluation, a few times over, and that itself keeps its value; None where none does."""
    for hop in range(MOST_HOPS):
        if hop and keeps(tracer, tag, view):
            return tag
        writers = list(tracer.writers.get(tag, ()))
        only = writers[0] if len(writers) == 1 and writers[0].guard is None and writers[0].bit < 0 else None
        load = tracer.circuit(only.step).plain(only.value) if only is not None else None
        cell = tracer.fixed(load, only.step) if only is not None and isinstance(load, Load) and is_fixed(load) else None
        if cell is None or cell.bit >= 0 or not tracer.writers.get(cell.number):
            return None
        tag = cell.number
    return None
