"""A BOOL that text writes under conditions, alone or behind what is written in every evaluation (``Y := FALSE; IF X THEN Y := TRUE;``): which
write counts, and why those that would give the opposite do not come."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Expr, Op
from whorlograph.model.question import LinkKind, RootKind

from ..trail import Link, Root
from ..wiring import where
from ..writers import Kind, Writer
from . import handed_on, never_set, passes, reset_by, rung_true, set_by, skipped, taken
from .latest import latest
from .turned import Write, last_write

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage

MOST = 6


def conditional(writers: list[Writer]) -> list[Writer]:
    """The writers of a BOOL that write under a condition."""
    return [w for w in writers if w.kind in (Kind.SET, Kind.RESET) or (w.kind is Kind.VALUE and w.guard is not None)]


def link(tracer: Tracer, tag: int, writers: list[Writer], value: bool, view: Vantage, depth: int, plain: Link | None) -> Link | None:
    """Why such a tag stands as it does, where something was written in the evaluation seen; None where none of the conditional ones has a say.

    Args: writers: the conditional ones; plain: why what is written in every evaluation gives what it gives.
    """
    last = last_write(tracer, tag, view, -1)
    if last is None or last.value != value:
        return None
    missing = never_set.had_turn(tracer, _behind(tracer, writers, last, value, view), view, last.scan, last.writer.step)
    if last.writer in writers:
        found = wrote(tracer, tag, last.writer, last.scan, value, depth)
        if found is not None and plain is not None and not (found.children or found.roots):
            found.children.append(plain)  # it only keeps what an earlier step of the same scan gave
    elif (missing or (tag in tracer.external and not value)) and (plain is None or isinstance(last.writer.power, Const)):
        word = tracer.state_word(value, tag)
        place = tracer.place(last.writer.step, last.writer.element)
        text = f"{tracer.name(tag)} is written {word} in {place} in every scan, and nothing behind that writes the opposite"
        found = Link(LinkKind.NEVER_SET, tag, value, tracer.since(tag, view), last.writer.step, last.scan, text, last.writer.element)
        if tag in tracer.external and not value:
            found.roots.append(_from_outside(tracer, tag, view))
    else:
        found = plain if missing else None
    if found is None:
        return None
    found.value = value
    for other in _also(tracer, writers, last):
        more = wrote(tracer, tag, other, last.scan, value, depth + 1)
        if more is not None:
            more.value = value
            found.children.append(more)
    if last.writer in writers and plain is not None:
        found.children += never_set.possible(_unwritten(tracer, tag, _before(tracer, tag, writers, last, value), view, depth + 1), True)
    others = bool(found.children or found.roots)
    found.children += never_set.possible(_unwritten(tracer, tag, missing, view, depth + 1), others)
    return found


def _from_outside(tracer: Tracer, tag: int, view: Vantage) -> Root:
    """The root of a tag that the program writes off in every scan and that somebody outside switches on: a panel's button."""
    name, pressed = tracer.name(tag), tracer.stretches(tag)
    starts = pressed.starts[(pressed.values != 0) & (pressed.starts > 0) & (pressed.starts <= tracer.time(view.scan))]
    last = tracer.at(int(starts[-1])) if len(starts) else ""
    when = f"was last switched on from outside at {last}" if last else "has not been switched on from outside in this log"
    point = tracer.iolist.get(tag)
    return Root(RootKind.FIELD_INPUT, tag, False, tracer.since(tag, view), f"{name} {when}, and the program takes that back in every scan",
                where(point, tracer.tag(tag)), point)


def stands(tracer: Tracer, tag: int, writers: list[Writer], kept: Writer | None, row: int | None, value: bool, view: Vantage,
           depth: int) -> Link | None:
    """Why such a tag stands as it does where nothing wrote it in the evaluation seen: the write that left it, and why none came since.

    Args: kept: what wrote it in ``row``.
    """
    given = latest(tracer, tag, [w for w in writers if w.kind is Kind.VALUE], view)  # it may have left the value as it was
    way = handed_on.hops(tracer, tag, *given) if given is not None else []
    if way:
        return handed_on.link(tracer, way, depth)
    opposite = [w for w in writers if w.kind is (Kind.RESET if value else Kind.SET) or w.kind is Kind.VALUE]
    missing = never_set.possible(_unwritten(tracer, tag, opposite, view, depth + 1))
    if kept is None or row is None or kept not in writers:
        return missing[0] if len(missing) == 1 else None
    kept, scan = given if given is not None and kept.kind is Kind.VALUE else (kept, tracer.scan_of(row))
    found = set_by.link(tracer, tag, kept, scan, depth) if kept.kind is Kind.SET else \
        reset_by.link(tracer, tag, kept, scan, depth) if kept.kind is Kind.RESET else taken.link(tracer, tag, kept, scan, depth, change=True)
    if found is not None:
        for one in missing:
            one.mark_missing()
        found.value = value
        found.children += missing
        if kept.kind is Kind.VALUE:
            when = f"at {tracer.at(tracer.time(scan))}"
            found.text += "; nothing has written anything else since" if when in found.text else \
                f"; that was {when}, and nothing has written anything else since"
    return found


def wrote(tracer: Tracer, tag: int, writer: Writer, scan: int, value: bool, depth: int) -> Link | None:
    """What made a conditional writer write in a scan."""
    if writer.kind is Kind.VALUE:
        return taken.link(tracer, tag, writer, scan, depth, change=False)
    kind, in_pass = LinkKind.SET_BY if value else LinkKind.RESET_BY, passes.executed(tracer, writer, scan)
    return rung_true.powered(tracer, tag, writer.step, writer.element, writer.power, scan, depth, kind, False, in_pass=in_pass)


def _also(tracer: Tracer, writers: list[Writer], last: Write) -> list[Writer]:
    """Other latches that wrote the same in the same scan, four at most: without the last one, one of them would count."""
    return [w for w in writers if w is not last.writer and w.kind is last.writer.kind and w.kind is not Kind.VALUE
            and w.at in tracer.seen(w.step, last.scan).result.stored
            and tracer.ran(w.step, tracer.view_of(last.writer.step, last.scan)) == last.scan][:4]


def _behind(tracer: Tracer, writers: list[Writer], last: Write, value: bool, view: Vantage) -> list[Writer]:
    """Those that have their turn behind what was written last, also in the scan after, and might have given the opposite: had they written, they
    would count."""
    order = tracer.paths.order
    here = last.scan, int(order[last.writer.step]), last.writer.at

    def comes_behind(writer: Writer) -> bool:
        task = tracer.paths.task_of(writer.step)
        if task >= 0 and task != tracer.paths.task_of(last.writer.step):
            return True  # it has a time of its own
        return (tracer.ran(writer.step, view), int(order[writer.step]), writer.at) > here

    return [w for w in writers if w.kind in (Kind.RESET if value else Kind.SET, Kind.VALUE) and comes_behind(w)
            and not (w.step == last.writer.step and _other_branch(w, last.writer))]


def _before(tracer: Tracer, tag: int, writers: list[Writer], last: Write, value: bool) -> list[Writer]:
    """Those that have their turn before what was written last in the same scan, would have given the opposite and did not write: without the last
    write the tag would stand as it does all the same. None where something had given the opposite by then."""
    seen, turn = tracer.seen(last.writer.step, last.scan), tracer.written.turn
    if bool(tracer.journal.value_at(tag, seen.position)) != value:
        return []
    opposite, task_of = Kind.RESET if value else Kind.SET, tracer.paths.task_of
    return [w for w in writers if turn(w) < turn(last.writer) and w.step != last.writer.step and task_of(w.step) == task_of(last.writer.step)
            and (w.kind is opposite or (w.kind is Kind.VALUE and isinstance(w.value, Const) and bool(w.value.value) != value))]


def _other_branch(one: Writer, other: Writer) -> bool:
    """Whether two writes of a step stand in branches of which one is taken at most: what lets the one come keeps the other away."""
    def negated(guard: Expr) -> Expr | None:
        return guard.args[0] if isinstance(guard, Op) and guard.code == "NOT" else None

    return any(negated(g) in other.guards or any(negated(h) == g for h in other.guards) for g in one.guards)


def _unwritten(tracer: Tracer, tag: int, writers: list[Writer], view: Vantage, depth: int) -> list[Link]:
    """Why writers did not write in this evaluation: those whose steps did not run say nothing of the tag, which others write."""
    found: list[Link] = []
    latches, told = [], set[tuple[int, Kind]]()
    for writer in writers[:MOST]:
        scan = tracer.ran(writer.step, view)
        child: Link | None = None
        if tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
            if (writer.step, writer.kind) in told:
                continue  # one step does not run once
            told.add((writer.step, writer.kind))
            word = "written" if writer.kind is Kind.VALUE else writer.kind
            child = skipped.link(tracer, tag, writer, scan, depth, f"{tracer.name(tag)} is not {word}")
        elif writer.kind is not Kind.VALUE:
            latches.append(writer)
        elif scan > 0 and writer.at not in tracer.seen(writer.step, scan).result.stored:
            child = taken.link(tracer, tag, writer, scan, depth, change=False)
        if child is not None:
            child.tag = child.value = child.since = None
            found.append(child)
    return [*never_set.links(tracer, tag, latches, view, depth, LinkKind.NEVER_SET, "is not {}"), *found]
