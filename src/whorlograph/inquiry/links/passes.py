"""A write inside a loop: each pass has conditions of its own. A pass that executed it is told as it was, else all that the loop reads is named."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import replace

from whorlograph.engine.access import Use
from whorlograph.engine.calls import every
from whorlograph.engine.code import Load, Loop
from whorlograph.engine.evaluate.again import LoopPass
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind

from ..circuit import Gate
from ..trail import Link
from ..writers import Writer
from .field_input import input_root
from .gates import gate_bit, gate_tag, gate_time

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 12


def is_end(tracer: Tracer, step: int, at: int) -> bool:
    """Whether a gate asks whether a loop's variable is past its end: that a loop goes on decides nothing."""
    return tracer.origin(step, at).what == "past"


def in_loop(tracer: Tracer, writer: Writer) -> bool:
    """Whether a write stands inside a loop of its own step."""
    loops = [one for one in every(tracer.controller.calls.code_of(writer.step).actions) if isinstance(one, Loop)]
    return any(getattr(one, "at", -1) == writer.at for loop in loops for one in every(loop.actions))


def executed(tracer: Tracer, writer: Writer, scan: int) -> Seen | None:
    """A step as it was in the pass of its loop that executed a write, of several the one whose conditions changed last; None outside loops."""
    seen = tracer.seen(writer.step, scan)
    kept = seen.result.passes.get(writer.at)
    if not kept or writer.power is None:
        return None
    found = [_in_pass(seen, one) for one in kept]
    gates = [[g for path in tracer.circuit(writer.step).complete(writer.power, one.result) for g in path] for one in found]
    return max(zip(found, gates, strict=True), key=lambda one: max((gate_time(tracer, g, one[0]) for g in one[1]), default=(0, -1)))[0]


def gave(tracer: Tracer, tag: int, writer: Writer, seen: Seen) -> Seen | None:
    """A step as it was in the last pass of its loop that gave a tag a value; None where that hangs on other passes too: a sum."""
    kept = [one for one in seen.result.passes.get(writer.at, ()) if (cell := one.cells.get(writer.at)) is not None and cell.number == tag]
    own = [n for n in _read(tracer, writer, seen) if any(w.step == writer.step for w in tracer.writers.get(n, ()))]
    return _in_pass(seen, kept[-1]) if kept and tag not in own and all(_only_counts(tracer, writer, n, seen) for n in own) else None


def only_counted(tracer: Tracer, writer: Writer, seen: Seen) -> bool:
    """Whether what is written is what the loop counts with, and nothing else: how far it came says all."""
    read = _read(tracer, writer, seen)
    return bool(read) and all(_only_counts(tracer, writer, n, seen) for n in read)


def counters(tracer: Tracer, writer: Writer, seen: Seen) -> frozenset[int]:
    """What counts the passes of a loop among what a write in it reads: no cause beside the rest."""
    return frozenset(n for n in _read(tracer, writer, seen) if _only_counts(tracer, writer, n, seen))


def _read(tracer: Tracer, writer: Writer, seen: Seen) -> list[int]:
    loads = [one for one in tracer.circuit(writer.step).loads(writer.value) if isinstance(one, Load)]
    return [cell.number for one in loads if (cell := tracer.cell(one, seen)) is not None]


def _only_counts(tracer: Tracer, writer: Writer, tag: int, seen: Seen) -> bool:
    """Whether what a write reads counts its passes: it comes of its own value alone, wherever the write is come to."""
    mine = [w for w in tracer.writers.get(tag, ()) if w.step == writer.step and in_loop(tracer, w)]
    return bool(mine) and all(set(_read(tracer, w, seen)) == {tag} and set(w.guards) <= set(writer.guards) for w in mine)


def no_more(tracer: Tracer, writer: Writer, now: Seen, former: int) -> tuple[Seen, list[Gate]]:
    """Of a write that passes of its loop executed in a former scan, and none does now: what opened of the pass that lost it last.

    Returns: the step as it is now, its nodes standing for what they stood for in that pass; the gates, the first that opened first.
    """
    best: tuple[tuple[int, int], Seen, list[Gate]] = (0, -2), now, []
    kept = tracer.seen(writer.step, former).result.passes.get(writer.at, ())
    if writer.power is None or writer.at in now.result.stored:
        return now, []
    for one in kept:
        was = _in_pass(now, one)
        path = tracer.circuit(writer.step).complete(writer.power, was.result)[:1]
        opened = [(gate_time(tracer, g, was), g) for p in path for g in p if _opened(tracer, g, was)]
        opened.sort(key=lambda o: o[0])
        if opened and opened[0][0] > best[0]:
            best = opened[0][0], was, [g for _, g in opened]
    return best[1], best[2]


def _in_pass(seen: Seen, one: LoopPass) -> Seen:
    return replace(seen, execute=lambda: replace(seen.result, values=one.values, cells=one.cells, raws=one.raws))


def _opened(tracer: Tracer, gate: Gate, was: Seen) -> bool:
    """Whether a gate that passed does not any more, by what its tag is now."""
    tag = gate_tag(tracer, gate, was)
    if tag is None or is_end(tracer, was.step, gate.at):
        return False
    bits = tracer.journal.value_at(tag, was.position)
    return bool(bits >> max(0, gate_bit(tracer, gate, was)) & 1) == gate.negated


def left_out(tracer: Tracer, writer: Writer, seen: Seen, source: str, depth: int, change: bool = False) -> Link:
    """The link of a write that no pass of its loop executed. Args: change: one did in the evaluation before."""
    text = f"{source} was executed in no pass of the loop in {tracer.place(writer.step)}"
    link = Link(LinkKind.NEVER_SET, None, False, None, writer.step, seen.scan, text, writer.element)
    add(tracer, link, writer, seen, depth, tracer.before(seen) if change else None)
    return link


def _of_loop(tracer: Tracer, writer: Writer) -> list[Use]:
    """What the outermost loop around a write reads and writes: not what else its statement does."""
    uses = tracer.controller.access.of_step(writer.step)
    for loop in (one for one in every(tracer.controller.calls.code_of(writer.step).actions) if isinstance(one, Loop)):
        nodes = [at for one in every(loop.actions) if (at := getattr(one, "at", -1)) >= 0]
        if writer.at in nodes:
            return [use for use in uses if min(loop.at, *nodes) <= use.at <= max(nodes)] or list(uses)
    return list(uses)


def add(tracer: Tracer, link: Link, writer: Writer, seen: Seen, depth: int, before: Seen | None = None) -> None:
    """Add why what a loop reads is as it is, twelve tags at most; what the loop itself writes apart.

    Args: before: an evaluation that did otherwise: what was so then too is no cause.
    """
    uses = _of_loop(tracer, writer)
    own = {tag for use in uses if use.writes for tag in use.tags()}
    read = dict.fromkeys(tag for use in uses if not use.writes for tag in use.tags() if tag not in own and tag < tracer.running.public)
    turned = [t for t in read if before is not None and tracer.journal.value_at(t, seen.position) != tracer.journal.value_at(t, before.position)]
    for tag in (turned or list(read))[:MOST]:
        if not tracer.writers.get(tag):
            link.roots.append(input_root(tracer, tag, seen.position))
            continue
        child = tracer.explain(tag, tracer.view_of(seen.step, seen.scan), True, depth + 1)
        if child is not None:
            link.children.append(child)
