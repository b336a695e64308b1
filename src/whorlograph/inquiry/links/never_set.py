"""``never-set``: the set coil (or, of a latch that stays on, the reset coil) was not powered."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link, Root
from ..writers import Writer
from . import rung_false, skipped

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, writers: list[Writer], view: Vantage, depth: int, kind: LinkKind) -> Link | None:
    """Why the coil that would have to write has no power; of several, the one that lacks the fewest contacts."""
    return next(iter(links(tracer, tag, writers, view, depth, kind)), None)


def links(tracer: Tracer, tag: int, writers: list[Writer], view: Vantage, depth: int, kind: LinkKind) -> list[Link]:
    """The same of each coil, four at most, the one that lacks the fewest contacts first."""
    all_found: list[Link] = []
    for writer in writers[:4]:
        scan = tracer.ran(writer.step, view)
        waits = tracer.paths.task_of(writer.step) >= 0 and (scan == 0 or _would_write(tracer, writer, view))
        found = skipped.link(tracer, tag, writer, view.scan, depth) if waits else None
        if found is not None:
            pass  # it would write, if its task came
        elif tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
            found = skipped.link(tracer, tag, writer, scan, depth)
        else:
            found = rung_false.stands(tracer, tag, writer, scan, depth, kind)
            if found is not None:
                verb = str(writer.kind)
                found.text = found.text.replace("has no power", f"was never {verb}: no power", 1)
                found.value = verb == "reset"
        if found is not None:
            all_found.append(found)
    return sorted(all_found, key=lambda found: len(found.blockers))


def _would_write(tracer: Tracer, writer: Writer, view: Vantage) -> bool:
    """Whether a coil would have power if its task came now."""
    now = tracer.again.now(tracer.journal, writer.step, view.scan)
    return writer.power is None or tracer.circuit(writer.step).on(writer.power, now)


def no_reset(tracer: Tracer, tag: int, link: Link | None, setter: Writer) -> Link | None:
    """Add to a latch's link that no rung resets it: a defect of the program, to be said first."""
    if link is not None:
        text = f"{tracer.name(tag)} is set by {tracer.place(setter.step)}, and no rung resets it"
        link.roots.insert(0, Root(RootKind.PROGRAM, tag, True, link.since, text, f"find out what should reset {tracer.name(tag)}", step=setter.step,
                                  defect=True))
    return link


def missing(link: Link) -> None:
    """Mark the roots of a write that never came: of a latch, one of them stands among the first two."""
    for root in link.all_roots():
        root.missing = True
