"""The bench as a page: the panel with what is prepared, the outputs, what is forced."""

from __future__ import annotations

import re
from enum import StrEnum

from msgspec import Struct, field

from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.model.cells import padded
from whorlograph.model.iolist import Wiring
from whorlograph.model.literals import cooked, counted, duration_text, said_value
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .bench import Bench, Release
from .listings import Line, Listing

SPEEDS = (0.01, 0.1, 1.0, 10.0, 100.0)


class Manner(StrEnum):
    """What a point does after it was actuated."""

    SPRINGS = "springs back"
    STAYS = "stays"


class Operator(Struct):
    """How somebody sits at the bench: each point's manner where it was said otherwise, forces that wait to be applied (None: a release),
    how fast it runs, and whether it does."""

    manners: dict[int, Manner] = field(default_factory=dict)
    forces: dict[int, int | None] = field(default_factory=dict)
    speed: float = 1.0
    runs: bool = False
    done: list[int] = field(default_factory=list)  # when each thing was done (ns), for taking it back


# Words of buttons that spring back, and of those which do not although they are called so.
_BUTTON = re.compile(r"(?i)\b(push ?button|button|pb|press|reset|acknowledge|ack|start|test|jog|inch)\b|_PB\b|_PB_")
_LATCHING = re.compile(r"(?i)emergency|e-?stop|mushroom|selector|switch|key|mode|sensor|limit|auxiliary|feedback|trip|overload|level|pressure")


def manner_of(bench: Bench, operator: Operator, tag: int) -> Manner:
    """What a point does: as was said, else by the words of its name and description."""
    if tag in operator.manners:
        return operator.manners[tag]
    point, one = bench.session.iolist.get(tag), bench.session.running.tags[tag]
    words = f"{one.name} {point.description if point is not None else one.documentation}"
    return Manner.SPRINGS if _BUTTON.search(words) and not _LATCHING.search(words) else Manner.STAYS


def springs(bench: Bench, operator: Operator) -> frozenset[int]:
    """Of what is prepared: what springs back."""
    return frozenset(t for t in bench.prepared if bench.session.running.tags[t].type.family is Family.BOOL
                     and manner_of(bench, operator, t) is Manner.SPRINGS)


def turned(bench: Bench, tag: int) -> int | None:
    """The next thing that a point can be prepared for: on, off, nothing; the one that changes something first."""
    now = bench.given(tag)
    order: list[int | None] = [1 - (now & 1), now & 1, None]
    present = bench.prepared.get(tag)
    return order[(order.index(present) + 1) % 3] if present in order else order[0]


def force_turned(bench: Bench, operator: Operator, tag: int) -> None:
    """The next force to prepare for a tag: on, off, release where it is forced, nothing."""
    forced = bench.forced().get(tag)
    order: list[int | None] = [1, 0] if forced is None else [None, 1 - forced]
    at = order.index(operator.forces[tag]) + 1 if tag in operator.forces and operator.forces[tag] in order else 0
    operator.forces.pop(tag, None)
    if at < len(order):
        operator.forces[tag] = order[at]


def value_words(tag: Tag, bits: int) -> str:
    """A value as the page says it."""
    value = cooked(bits, tag.type)
    if tag.enumeration is not None:
        return next((n for n, v in tag.enumeration.values if v == bits), str(bits))
    return ("on" if value else "off") if tag.type.family is Family.BOOL else said_value(value, tag.type)


def bench_page(bench: Bench, operator: Operator, width: int) -> Listing:
    """The panel first, then outputs, then other tags that are forced."""
    lines: list[Line] = []
    forced = bench.forced()
    for title, tags in (("what can be operated", bench.inputs), ("outputs", bench.outputs)):
        if tags:
            lines += [Line((("", Ink.TEXT),))] * bool(lines) + [Line(((f" {title}", Ink.STRONG),))]
            lines += [_line(bench, operator, t, width, bool(forced)) for t in tags]
    shown = {*bench.inputs, *bench.outputs}
    others = [t for t in {**bench.forced(), **operator.forces} if t not in shown]
    if others:
        lines += [Line((("", Ink.TEXT),)), Line(((" others that are forced", Ink.STRONG),))]
        lines += [_line(bench, operator, t, width, True) for t in others]
    what = ", ".join(p for p in (counted(len(bench.prepared), "point") + " prepared" if bench.prepared else "",
                                 counted(len(operator.forces), "force") + " prepared" if operator.forces else "",
                                 counted(len(bench.forced()), "tag") + " forced" if bench.forced() else "") if p)
    known = bench.session.running.tags
    lit = [known[t].name for t in bench.outputs if known[t].type.family is Family.BOOL and bench.value(t)]
    head = (Line(((f" {what or 'nothing is prepared'}", Ink.STRONG if what else Ink.QUIET),)),
            Line(((" outputs on: ", Ink.QUIET), (fitted(", ".join(lit) or "none", max(10, width - 14)), Ink.LIVE if lit else Ink.QUIET))))
    hint = "Space prepares · Enter applies all in one scan · . , scan on, back · ] until an output turns · p runs · f force · w why · e save"
    return Listing("bench", head, tuple(lines), hint=hint)


def _line(bench: Bench, operator: Operator, tag: int, width: int, marks: bool) -> Line:
    def runs() -> tuple[Run, ...]:
        one, point = bench.session.running.tags[tag], bench.session.iolist.get(tag)
        boolean = one.type.family is Family.BOOL
        value = bench.value(tag)
        prepared, forced = bench.prepared.get(tag), bench.forced().get(tag)
        wanted = f"→ {value_words(one, prepared)}" if prepared is not None else ""
        if tag in operator.forces:
            force = operator.forces[tag]
            wanted = "→ release" if force is None else f"→ force {value_words(one, force)}"
        kept = ""
        if forced is not None:
            would = bench.would_write(tag) if tag in bench.controller.written else None
            kept = f"forced{f', program: {value_words(one, would)}' if would is not None and would != forced else ''}"
        operated = tag in bench.inputs
        manner = manner_of(bench, operator, tag).value if operated and boolean else ""
        normal = " NC" if point is not None and point.wiring is Wiring.NORMALLY_CLOSED else ""
        where = point.whereabouts if point is not None else ""
        said = point.description if point is not None and point.description else one.documentation
        found: list[Run] = [(f"  {padded(fitted(one.name, 26), 27)}", Ink.TEXT),
                            (padded(value_words(one, value), 9), Ink.LIVE if boolean and value else Ink.TEXT),
                            (padded(fitted(wanted, 12), 13), Ink.MOMENT), (padded(fitted(kept, 22), 23 if marks else 0), Ink.BLOCK),
                            (padded(f"{manner}{normal if operated else ''}", 16), Ink.QUIET)]
        rest = " · ".join(p for p in (said, where) if p)
        return (*found, (fitted(rest, max(0, width - 69 - 23 * marks)), Ink.QUIET)) if width > 100 else tuple(found)

    return Line(runs, tag)


def head_runs(bench: Bench, operator: Operator, width: int) -> list[Run]:
    """The page's head: that this is the bench, what runs, and when; a halt is not to be overlooked."""
    title = bench.session.paths.title or bench.session.program.name
    journal = bench.journal
    how = f"runs at {operator.speed:g} times" if operator.runs else f"stands still; speed {operator.speed:g}"
    since = f", {duration_text(bench.now - bench.begin)} by hand"
    left = f" {title} · bench · {how}{since}"
    right = f"{clock_text(bench.session.log, bench.now)} · scan {bench.scan:,} ".replace(",", " ")
    loud = f"  HALTED: {journal.fault.text}" if journal.fault is not None else ""
    room = max(0, width - len(left) - len(right) - 1)
    loud = fitted(loud, room)
    return [(left, Ink.STRONG), (loud, Ink.BLOCK), (" " * max(1, width - len(left) - len(loud) - len(right)), Ink.TEXT), (right, Ink.MOMENT)]


def release_words(bench: Bench, found: list[Release]) -> str:
    """What turns at once on a release, in words."""
    if not found:
        return "on release nothing turns within three scans"
    tags = bench.session.running.tags
    first = {t: n for n, t in enumerate(bench.outputs)}
    listed = sorted(found, key=lambda r: (first.get(r.tag, len(first)), tags[r.tag].name))
    said = ", ".join(f"{tags[r.tag].name} {value_words(tags[r.tag], r.after)}" for r in listed[:5])
    return f"on release at once: {said}" + (f" and {len(listed) - 5} more" if len(listed) > 5 else "")
