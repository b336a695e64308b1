"""The bench as a page: the panel with what is prepared, the outputs, what is forced."""

from __future__ import annotations

import re
from enum import StrEnum

from msgspec import Struct, field

from whorlograph.drawing.rung_layout import FORCED
from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.inquiry.links import moved_bit
from whorlograph.model.cells import padded
from whorlograph.model.iolist import Wiring
from whorlograph.model.literals import cooked, counted, duration_text, said_value
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text
from whorlograph.model.types import Family

from .asking import inquiry
from .bench import Bench, Release
from .listings import Line, Listing
from .scene import Scene
from .timeline import Timeline, names_width

LANES_SPAN = 5_000_000_000  # ns that the lanes show, at the speed of real time
MOST_LANES = 9
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
    """The panel first, then outputs, other tags that are forced, and the numbers that the program works with."""
    lines: list[Line] = []
    forced = bench.forced()
    rows, masked = current_rows(bench), masks(bench)
    outputs = [t for t in bench.outputs if t not in set(bench.inputs)]
    for title, tags in (("what can be operated", bench.inputs), ("outputs", outputs)):
        if tags:
            lines += [Line((("", Ink.TEXT),))] * bool(lines) + [Line(((f" {title}", Ink.STRONG),))]
            lines += [_line(bench, operator, t, width, bool(forced), t in rows) for t in tags]
    shown = {*bench.inputs, *bench.outputs, *bench.numbers}
    others = [t for t in {**bench.forced(), **operator.forces} if t not in shown]
    if others:
        lines += [Line((("", Ink.TEXT),)), Line(((" others that are forced", Ink.STRONG),))]
        lines += [_line(bench, operator, t, width, True) for t in others]
    if bench.numbers:
        lines += [Line((("", Ink.TEXT),)), Line(((" numbers: Space writes one, and the program goes on with it", Ink.STRONG),))]
        lines += [_line(bench, operator, t, width, bool(forced), t in rows, masked.get(t, "")) for t in bench.numbers]
    what = ", ".join(p for p in (counted(len(bench.prepared), "point") + " prepared" if bench.prepared else "",
                                 counted(len(operator.forces), "force") + " prepared" if operator.forces else "",
                                 counted(len(bench.forced()), "tag") + " forced" if bench.forced() else "") if p)
    known = bench.session.running.tags
    lit = [known[t].name for t in bench.outputs if known[t].type.family is Family.BOOL and bench.value(t)]
    head = (Line(((f" {what or 'nothing is prepared'}", Ink.STRONG if what else Ink.QUIET),)),
            Line(((" outputs on: ", Ink.QUIET), (fitted(", ".join(lit) or "none", max(10, width - 14)), Ink.LIVE if lit else Ink.QUIET))))
    hint = "Space prepares · Enter applies all in one scan · . , scan on, back · ] until an output turns · p runs · f force · w why · Y more · e save"
    return Listing("bench", head, tuple(lines), hint=hint)


def current_rows(bench: Bench) -> frozenset[int]:
    """Of tables whose row a tag chooses: the elements that the last scan came to."""
    access, journal, scan = bench.controller.access, bench.journal, bench.scan
    elements = [t for t in (*bench.inputs, *bench.numbers) if "[" in bench.session.running.tags[t].name]
    tables = dict.fromkeys(u.step for tag in elements for u in access.of_tag(tag) if u.terms)
    again, found = bench.controller.again(), set[int]()
    for step in tables:
        choices = {t for u in access.of_step(step) if u.terms for t in u.tags()}
        if scan and bench.controller.paths.skipped(journal, step, scan) is None:
            found |= {c.number for c in again.seen(journal, step, scan).result.cells.values() if c.number in choices}
    return frozenset(found)


def masks(bench: Bench) -> dict[int, str]:
    """Of numbers that went through a mask in the last scan: what it took away."""
    access, words = bench.controller.access, {*bench.numbers, *bench.inputs}
    moving = {u.step for t in bench.numbers for u in access.of_tag(t) if u.writes}
    moving = {s for s in moving if any(o.tag in words for o in access.of_step(s) if not o.writes)}
    through = [t for t in bench.numbers if any(u.writes and u.step in moving for u in access.of_tag(t))]
    if not through or not bench.scan:
        return {}
    tracer = inquiry(bench.view()).tracer
    return {tag: said for tag in through if (said := moved_bit.taken_away(tracer, tag, bench.scan))}


def bits_words(tag: Tag, bits: int) -> str:
    """A whole number once more, in hex and in bits, fours together; nothing for others."""
    if tag.type.family not in (Family.SIGNED, Family.UNSIGNED, Family.BITS):
        return ""
    wide = tag.type.bits
    raw = bits & ((1 << wide) - 1)
    shown = f"{raw:0{min(wide, 16)}b}"  # of wider ones no more bits than there are
    shown = shown.zfill(-(-len(shown) // 4) * 4)
    return f"16#{raw:0{max(1, wide // 4)}X}  {' '.join(shown[n:n + 4] for n in range(0, len(shown), 4))}"


def _line(bench: Bench, operator: Operator, tag: int, width: int, marks: bool, current: bool = False, masked: str = "") -> Line:
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
        mark, ink = (FORCED, Ink.BLOCK) if forced is not None else (" ", Ink.TEXT)
        found: list[Run] = [(f" {mark}{padded(fitted(one.name, 26), 27)}", ink),
                            (padded(value_words(one, value), 9), Ink.LIVE if boolean and value else Ink.TEXT),
                            (padded(fitted(wanted, 12), 13), Ink.MOMENT), (padded(fitted(kept, 22), 23 if marks else 0), Ink.BLOCK),
                            (padded(f"{manner}{normal if operated else ''}", 16), Ink.QUIET)]
        numeric = tag in bench.numbers or (operated and not boolean)
        rest = " · ".join(p for p in ("◄ this row" if current else "", bits_words(one, value) if numeric else "", masked, said, where) if p)
        return (*found, (fitted(rest, max(0, width - 69 - 23 * marks)), Ink.QUIET)) if width > 100 else tuple(found)

    return Line(runs, tag)


def bench_lanes(bench: Bench, operator: Operator, scene: Scene, step: int, width: int) -> list[list[Run]]:
    """The last seconds as lanes, of slow motion less: the tags of a step (-1: none), then points that turned; what is forced is marked."""
    span = int(LANES_SPAN * min(1.0, max(0.02, operator.speed)))
    begin, journal, public = max(0, bench.now - span), bench.journal, bench.session.running.public
    scan = journal.clock.scan_at(begin)
    mine = [t for t in scene.tracer.flow(step, bench.scan).tags.values() if t < public] if step >= 0 else []
    turned_ = [t for t in (*bench.outputs, *bench.inputs) if (row := journal.next_row(t, journal.settled_position(scan))) is not None
               and journal.scan(row) <= bench.scan]
    forced = bench.forced()
    tags = list(dict.fromkeys((*mine, *forced, *turned_)))[:MOST_LANES]
    if not tags or bench.now <= begin:
        return []
    lanes = Timeline(scene.session, lambda t: f"{FORCED if t in forced else ''}{scene.name(t)}")
    names = names_width(width)
    layout = lanes.layout(tags, begin, max(begin + 1, bench.now), max(1, width - names), bench.now, bench.scan)
    return lanes.lines(layout, names, None, len(tags) + 2)[0]


def head_runs(bench: Bench, operator: Operator, width: int) -> list[Run]:
    """The page's head: that this is the bench, what runs, and when; a halt is not to be overlooked."""
    title = bench.session.paths.title or bench.session.program.name
    journal = bench.journal
    how = f"runs at {operator.speed:g} times" if operator.runs else f"stands still; speed {operator.speed:g}"
    since = f", {duration_text(bench.now - bench.begin)} by hand"
    left = f" {title} · bench · {how}{since}"
    right = f"{clock_text(bench.session.log, bench.now)} · scan {bench.scan:,} ".replace(",", " ")
    held = bench.forced()
    loud = f"  HALTED: {journal.fault.text}" if journal.fault is not None else f"  {FORCED} {counted(len(held), 'tag')} forced" if held else ""
    if len(left) + len(loud) + len(right) >= width:  # what stands there is short first, then the title
        short = f" · bench{f' runs at {operator.speed:g}' if operator.runs else ''}"
        left = f" {fitted(title, max(6, width - len(short) - min(len(loud), width // 3) - len(right) - 3))}{short}"
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
