"""Values that stand because the step that would write them does not run."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..writers import Writer

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def keeps(tracer: Tracer, tag: int, view: Vantage) -> bool:
    """Whether a tag keeps its value because nothing runs that writes it unconditionally, though something would."""
    always = [w for w in tracer.writers.get(tag, ()) if w.guard is None]
    return bool(always) and all(left_out(tracer, w, view) for w in always)


def left_out(tracer: Tracer, writer: Writer, view: Vantage) -> bool:
    """Whether a writer's step did not run in the latest evaluation before a view."""
    return tracer.paths.skipped(tracer.journal, writer.step, tracer.ran(writer.step, view)) is not None
