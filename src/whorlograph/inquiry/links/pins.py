"""Values that go into a block or a computation: why they are as they are."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Base, Const, Edge, Expr, Load, Op, Value
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import RootKind

from ..languages import words_of
from ..tracer import LAST
from ..trail import Link, Root
from . import frozen
from .field_input import input_root
from .latest import written_again

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 12


def explain_value(tracer: Tracer, link: Link, value: Expr | Edge | None, seen: Seen, depth: int, own: int | None = None,
                  before: Seen | None = None, change: bool = True, passed_over: frozenset[int] = frozenset()) -> None:
    """Add why what a value is computed from is as it is: a link or a root for each tag read, twelve at most.

    A literal that is only looked for is no reason of its own.
    Args: own: a tag whose former value is not followed; before: the former evaluation of a value that has changed: what it read then too is no
    cause; change: whether it has changed: of what stands that counts which keeps it; passed_over: tags that are not followed.
    """
    looked_for = isinstance(value, Op) and value.code in ("EQ", "NE")
    loads = list(tracer.circuit(seen.step).loads(value))
    if passed_over:
        loads = [one for one in loads if not isinstance(one, Load) or (cell := tracer.cell(one, seen)) is None or cell.number not in passed_over]
    other = _read_otherwise(tracer, loads, seen, before) if before is not None else []
    other = [one for one in other if (cell := tracer.cell(one, seen)) is None or cell.number not in (own, link.tag)]
    if other:
        roots = len(link.roots)
        for one in other[:MOST]:
            explain_operand(tracer, link, one, seen, depth)
        for root in link.roots[roots:]:
            root.changed = root.since is not None
        if link.children or link.roots:
            return
    most, left = tracer.most, sum(isinstance(one, Load) for one in loads[:MOST])
    for part in sorted(loads[:MOST], key=lambda part: isinstance(part, Const)) if looked_for else loads[:MOST]:
        if isinstance(part, Const):
            if not looked_for or not (link.children or link.roots):
                explain_operand(tracer, link, part, seen, depth)
            continue
        if own is None or (cell := tracer.cell(part, seen)) is None or cell.number != own:
            if tracer.number is not None:  # a number's trail is short: each value read has its share of it
                tracer.most = min(most, tracer.spent + max(1, (most - tracer.spent) // left))
            explain_operand(tracer, link, part, seen, depth, change=change)
        left -= 1
    tracer.most = most


def _read_otherwise(tracer: Tracer, loads: list[Load | Const], seen: Seen, before: Seen) -> list[Load]:
    """What was read with another value than in the former evaluation; none of a step that runs through itself."""
    read = [(one, _read(tracer, one, seen), _read(tracer, one, before)) for one in loads if isinstance(one, Load)]
    return [one for one, now, then in read if now is not None and then is not None and now != then]


def _read(tracer: Tracer, one: Load, seen: Seen) -> Value | None:
    """What was read; of what a function read that was handed over to it, what that was before the step."""
    if one.at in seen.result.raws:
        return seen.result.raws[one.at] if one.at in seen.result.cells else None
    cell = tracer.cell(one, seen) if one.at in tracer.circuit(seen.step).handed else None
    return tracer.journal.value_at(cell.number, seen.position) if cell is not None else None


def reads_otherwise(tracer: Tracer, value: Expr | Edge | None, seen: Seen, before: Seen) -> bool:
    """Whether a value is computed of something that was read otherwise in the former evaluation."""
    return bool(_read_otherwise(tracer, list(tracer.circuit(seen.step).loads(value)), seen, before))


def explain_operand(tracer: Tracer, link: Link, one: Load | Const, seen: Seen, depth: int, bit: int = -1, change: bool = True) -> None:
    """Add why one operand is as it is; of a word one bit, -1 the whole."""
    if isinstance(one, Const):
        place = tracer.place(seen.step)
        text = constant_text(tracer, one, seen)
        link.roots.append(Root(RootKind.CONSTANT, None, one.value, None, f"{place} has {text} as a constant", f"see {place}: it is written there",
                               step=seen.step))
        return
    cell = tracer.cell(one, seen)
    if one.target.base == Base.HIDDEN or cell is None or cell.number >= len(tracer.running.tags):
        return
    for term in one.target.terms:  # which element was taken
        for index in tracer.circuit(seen.step).loads(term.index):
            if isinstance(index, Load):
                explain_operand(tracer, link, index, seen, depth)
    if not tracer.is_written(cell.number, cell.bit if cell.bit >= 0 else bit):
        link.roots.append(input_root(tracer, cell.number, seen.position, cell.bit if cell.bit >= 0 else bit))
        return
    if cell.number == link.tag:
        return  # its own former value
    view = tracer.view_at(cell.number, one.at, seen)
    number = bit < 0 and not tracer.boolean(cell.number)
    stands = (not change and frozen.keeps(tracer, cell.number, view)) or (number and written_again(tracer, cell.number, view) is not None)
    child = explain_read(tracer, cell.number, one, seen, not stands, depth, cell.bit if cell.bit >= 0 else bit)
    if child is not None:
        link.children.append(child)


def explain_read(tracer: Tracer, tag: int, load: Load, seen: Seen, change: bool, depth: int, bit: int = -1) -> Link | None:
    """Why a tag had the value that a node of a step read: given by an earlier step, or by this one before it came to that node."""
    writer = tracer.wrote_before(tag, load.at, seen)
    if writer is not None and bit < 0 and tracer.wrote_before(tag, LAST, seen) is not writer:  # what the step left in the end is another one's
        return tracer.links.in_between(tracer, tag, writer, seen, depth + 1, change)
    return tracer.explain(tag, tracer.view_at(tag, load.at, seen), change, depth + 1, bit)


def constant_text(tracer: Tracer, one: Const, seen: Seen) -> str:
    """A literal as it is written, where its node is known."""
    step, origin = tracer.steps.all[seen.step], tracer.origin(seen.step, one.at)
    return words_of(step).value(step, origin.element, origin.passing) or tracer.number_word(one.value, one.type)
