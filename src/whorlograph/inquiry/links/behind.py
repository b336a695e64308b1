"""A tag that is written in every evaluation and set or reset behind that (``Y := FALSE; IF X THEN Y := TRUE;``): which write counts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const
from whorlograph.model.question import LinkKind

from ..trail import Link
from ..writers import Kind, Writer
from . import never_set, passes, rung_true, skipped
from .turned import Write, last_write

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def link(tracer: Tracer, tag: int, latches: list[Writer], value: bool, view: Vantage, depth: int, plain: Link | None) -> Link | None:
    """Why such a tag stands as it does; None where none of the latches has a say.

    Args: plain: why what is written in every evaluation gives what it gives.
    """
    last = last_write(tracer, tag, view, -1)
    if last is None or last.value != value:
        return None
    missing = _behind(tracer, latches, last, view, Kind.RESET if value else Kind.SET)
    if last.writer.kind in (Kind.SET, Kind.RESET):
        found = _written(tracer, tag, last.writer, last.scan, value, depth)
    elif missing and (plain is None or isinstance(last.writer.power, Const)):
        word = tracer.state_word(value, tag)
        text = f"{tracer.name(tag)} is written {word} in {tracer.place(last.writer.step)} in every scan, and nothing behind that writes the opposite"
        found = Link(LinkKind.NEVER_SET, tag, value, tracer.since(tag, view), last.writer.step, last.scan, text, last.writer.element)
    else:
        found = plain if missing else None
    if found is None:
        return None
    found.value = value
    for other in _also(tracer, latches, last):
        more = _written(tracer, tag, other, last.scan, value, depth + 1)
        if more is not None:
            more.value = value
            found.children.append(more)
    found.children += _unwritten(tracer, tag, missing, view, depth + 1)
    return found


def _unwritten(tracer: Tracer, tag: int, missing: list[Writer], view: Vantage, depth: int) -> list[Link]:
    """Why latches did not write in this evaluation: those whose steps did not run say nothing of the tag, which others write."""
    idle = [w for w in missing if tracer.paths.skipped(tracer.journal, w.step, tracer.ran(w.step, view)) is not None]
    found = never_set.links(tracer, tag, [w for w in missing if w not in idle], view, depth, LinkKind.NEVER_SET)
    for one in found:
        one.text = one.text.replace("was never", "is not")
    for writer in idle[:4]:
        child = skipped.link(tracer, tag, writer, tracer.ran(writer.step, view), depth, f"{tracer.name(tag)} is not {writer.kind}")
        if child is not None:
            child.tag = child.value = child.since = None
            found.append(child)
    return found


def _written(tracer: Tracer, tag: int, writer: Writer, scan: int, value: bool, depth: int) -> Link | None:
    """What powers a latch that wrote in a scan."""
    kind, in_pass = LinkKind.SET_BY if value else LinkKind.RESET_BY, passes.executed(tracer, writer, scan)
    return rung_true.powered(tracer, tag, writer.step, writer.element, writer.power, scan, depth, kind, False, in_pass=in_pass)


def _also(tracer: Tracer, latches: list[Writer], last: Write) -> list[Writer]:
    """Other latches that wrote the same in the same scan, four at most: without the last one, one of them would count."""
    return [w for w in latches if w is not last.writer and w.kind is last.writer.kind and w.at in tracer.seen(w.step, last.scan).result.stored
            and tracer.ran(w.step, tracer.view_of(last.writer.step, last.scan)) == last.scan][:4]


def _behind(tracer: Tracer, latches: list[Writer], last: Write, view: Vantage, kind: Kind) -> list[Writer]:
    """The latches of a kind that have their turn behind what was written last: had they written, they would count."""
    order = tracer.paths.order
    here = int(order[last.writer.step]), last.writer.at
    return [w for w in latches if w.kind is kind and (int(order[w.step]), w.at) > here]
