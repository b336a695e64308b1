"""The cycles of a log on paper: the whorl with its legend, then what is odd and what drifts."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from whorlograph.drawing.paper import Sheets, write_picture
from whorlograph.drawing.whorl import Band, whorl
from whorlograph.inquiry.cycles.changes import Changes
from whorlograph.inquiry.cycles.deviations import Judged
from whorlograph.inquiry.cycles.found import Cycles
from whorlograph.model.literals import duration_text
from whorlograph.model.times import date_text
from whorlograph.model.types import Family

from .asking import inquiry
from .cycles import cycles_lines, summary
from .session import Session

MOST_TURNS = 200


def write_cycles(session: Session, found: Cycles, path: Path) -> None:
    """Write the whorl and what there is to say. Raises: UsageError as pictures do."""
    title = f"{session.paths.title or session.program.name}: cycles"
    sheets = Sheets(f"{session.paths.program.name} · {', '.join(p.name for p in session.paths.logs)} · Whorlograph")
    sheets.words(title, 15, True, after=2)
    day = date_text(session.log, 0)
    sheets.words(f"{day}. {summary(found)}." if day else f"{summary(found)}.", 9.5, after=6)
    add_whorl(session, found, sheets)
    for line in cycles_lines(session, found)[1:]:
        sheets.words(line.strip(), 9, bold=line.endswith(":") and not line.startswith(" "), indent=4.0 * (len(line) - len(line.lstrip())) / 2)
    write_picture(sheets.numbered(), path, title, session.paths.inputs)


def add_whorl(session: Session, found: Cycles, sheets: Sheets) -> None:
    """The spiral with its legend, on sheets."""
    chosen = shown_tag(session, found)
    judged = found.judged[-MOST_TURNS:]
    ranked = [j for j in found.ranked if j.first is not None and j.turn.kind == "whole"]
    odd = {j.turn.number for j in ranked[:1]}
    span = usual_span(found)
    bands = [_band(found, j, chosen, j.turn.number in odd) for j in judged]
    sheets.picture(whorl(bands, span, min(sheets.room, 470.0), ticks(span)), after=2)
    name = inquiry(session).tracer.name(chosen.tag) if chosen is not None else ""
    legend = [f"one turn a cycle, cycle {j.turn.number} innermost, clockwise from the top; once around is {duration_text(span)}" for j in judged[:1]]
    legend += [f"thick: {name} on"] if name else []
    legend += ["across: changes of other tags"]
    legend += [f"black: cycle {ranked[0].turn.number}, the odd one; its bar: where it first goes otherwise"] if ranked else ["no turn is odd"]
    legend += [f"the last {MOST_TURNS} cycles"] if len(found.judged) > MOST_TURNS else []
    sheets.words("; ".join(legend) + ".", 8, after=8, grey=0.25)


def ticks(span: int) -> list[tuple[int, str]]:
    """Round times within a cycle (ns), eight at most, with their words."""
    step = next(s for s in (round(base * 10 ** power) for power in range(6, 15) for base in (1, 2, 5)) if span / s <= 8)
    return [(time, duration_text(time)) for time in range(0, span, step)]


def usual_span(found: Cycles) -> int:
    """What goes once around (ns): the length of a long usual cycle."""
    lengths = [j.turn.length for j in found.judged if j.turn.kind == "whole"] or [j.turn.length for j in found.judged] or [1]
    return max(1, round(float(np.quantile(lengths, 0.9)) * 1.02))


def shown_tag(session: Session, found: Cycles) -> Changes | None:
    """The tag whose on-times are drawn: a BOOL of the typical cycle, the one that first goes otherwise in the oddest cycle if it can be."""
    bools = {c.tag: c for c in found.all_changes if session.running.tags[c.tag].type.family is Family.BOOL}
    odd = next((j.first.tag for j in found.ranked if j.first is not None and j.first.tag in bools), None)
    typical = next((t.tag for t in found.turns.typical if t.tag in bools), None)
    wanted = odd if odd is not None else typical
    return bools.get(wanted) if wanted is not None else None


def on_times(one: Changes, start: int, end: int) -> list[tuple[int, int]]:
    """When a BOOL was on between two times, as ns after the first."""
    at = int(np.searchsorted(one.times, start, side="right"))
    before = bool(one.values[at - 1]) if at else not bool(one.values[0]) if len(one.values) else False
    found, begun = list[tuple[int, int]](), 0 if before else -1
    upto = int(np.searchsorted(one.times, end, side="right"))
    for time, value in zip(one.times[at:upto].tolist(), one.values[at:upto].tolist(), strict=True):
        if value and begun < 0:
            begun = time - start
        elif not value and begun >= 0:
            found.append((begun, time - start))
            begun = -1
    return [*found, (begun, end - start)] if begun >= 0 else found


def _band(found: Cycles, one: Judged, chosen: Changes | None, odd: bool) -> Band:
    turn = one.turn
    end = max(turn.end, turn.start + 1)
    events = tuple(round(float(a)) for a in turn.at[~np.isnan(turn.at)]) if len(turn.at) else ()
    on = tuple(on_times(chosen, turn.start, end)) if chosen is not None else ()
    first = one.first.time - turn.start if odd and one.first is not None else -1
    return Band(turn.length, on, events, odd, first, f"cycle {turn.number}" if odd else "")

