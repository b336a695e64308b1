"""A step that runs this time, and was left out each time before that the same change came: what had left it out."""

from __future__ import annotations

from collections.abc import Sequence

from whorlograph.engine.path import SkipKind
from whorlograph.model.question import LinkKind, RootKind

from .links import skipped
from .links.step_inactive import action_of
from .symptoms import Course, course
from .tracer import LAST, Tracer, Vantage
from .trail import Link, Root

_LEFT_OUT = (SkipKind.TASK_HELD, SkipKind.NOT_CALLED, SkipKind.JUMP, SkipKind.RETURN)


def add_left_out_before(tracer: Tracer, link: Link, came: Course, value: bool, times: Sequence[int], turn: int, went: str) -> list[Root]:
    """Add what is otherwise now of what had left a step of a trail out at some scans, apart from what is on the trail already.

    Args: came: of what came in vain before those scans, turning to value; turn: the scan in which the step ran; went: that it came, in words.
    Returns: the roots that this adds, each of a tag that was otherwise at all those scans, or had turned before each of them and has not now.
    """
    known = {root.tag for root in link.all_roots()}
    for _, one in list(link.walk()):
        writer = next((w for w in tracer.writers.get(one.tag, ()) if w.step == one.step), None) if one.tag is not None and one.step >= 0 else None
        if writer is None or one.tag is None or not all(_left_out(tracer, one.step, scan) for scan in times) or _left_out(tracer, one.step, turn):
            continue
        then, place = skipped.link(tracer, one.tag, writer, times[-1], 1), tracer.place(one.step)
        found = Link(LinkKind.RESUMED, None, True, None, one.step, turn, f"{place} ran this time; {went}, and it did not run then", writer.element)
        for past in then.all_roots() if then is not None else ():
            if past.kind is not RootKind.FIELD_INPUT or not isinstance(past.value, bool) or past.tag is None or past.tag in known or past.bit >= 0:
                continue
            own = course(tracer.journal, past.tag)
            now, word = bool(own.at(turn)), tracer.state_word(past.value)
            if all(bool(own.at(scan)) != now for scan in times):
                said = f"was {tracer.state_word(not now)} then, and {place} did not run"
            elif all(_turned(own, past.value, came, value, scan) for scan in times) and not _turned(own, past.value, came, value, turn):
                said = f"had gone {word} before each, and {place} did not run then; it has not now"
            else:
                continue
            child = tracer.explain(past.tag, Vantage(turn, LAST), False, 2)
            for root in child.all_roots() if child is not None else ():
                root.text += f"; {went}: {tracer.name(past.tag)} {said}"
            found.children += [child] if child is not None else []
        if found.children:
            found.since = max((c.since for c in found.children if c.since is not None), default=None)
            link.children.append(found)
            return list(found.all_roots())
    return []


def _turned(own: Course, to: bool, came: Course, value: bool, scan: int) -> bool:
    """Whether a tag turned between the last change of what came, up to a scan, and the change before that."""
    last = came.last_change(scan, value)
    before = came.last_change(last - 1, value) if last is not None else None
    turned = own.last_change(scan, to)
    return turned is not None and before is not None and turned > before


def _left_out(tracer: Tracer, step: int, scan: int) -> bool:
    over = tracer.paths.skipped(tracer.journal, step, scan)
    return over is not None and over.kind in _LEFT_OUT and (over.flag is None or action_of(tracer, over.flag) is None)
