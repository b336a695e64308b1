"""Where log and program disagree, in words (ANSWERS.md, Disagreements)."""

from __future__ import annotations

from typing import Any

from whorlograph.inquiry.mismatch import Difference
from whorlograph.model.literals import duration_text, times_text

from .asking import inquiry
from .session import Session
from .trial import shown

MOST_LINES = 40
MOST_NAMES = 3
AGREE = "log and program agree wherever the log recorded what the program computes"


def stretches(session: Session) -> list[Difference]:
    """Where the log recorded tags otherwise than they were computed, in order of time; without a log nowhere."""
    return inquiry(session).disagreements if session.now is None else []


def disagree_text(found: list[Difference]) -> str:
    """How often, in a few words; "" where they agree."""
    return f"log and program disagree {times_text(len(found))}" if found else ""


def count_text(session: Session, found: list[Difference]) -> str:
    """How often, on which tags, and what lists them; "" where they agree."""
    names = list(dict.fromkeys(session.running.tags[d.tag].name for d in found))
    more = " and more" if len(names) > MOST_NAMES else ""
    return f"{disagree_text(found)} ({', '.join(names[:MOST_NAMES])}{more}): whorlograph mismatches lists them" if found else ""


def values_text(session: Session, one: Difference) -> str:
    """What was recorded, and what was computed."""
    tracer = inquiry(session).tracer
    said, had = (tracer.state_word(tracer.value(one.tag, v)) for v in (one.recorded, one.computed))
    return f"recorded {said}, computed {had}"


def stretches_json(session: Session) -> dict[str, Any]:
    """All stretches as JSON; times in seconds from the log's start."""
    tags = session.running.tags
    return {"stretches": [{"tag": tags[d.tag].name, "from": d.start / 1e9, "until": d.end / 1e9, "recorded": shown(tags[d.tag], d.recorded),
                           "computed": shown(tags[d.tag], d.computed)} for d in stretches(session)]}


def stretches_lines(session: Session) -> list[str]:
    """The same in words."""
    tracer, found = inquiry(session).tracer, stretches(session)
    if not found:
        return [AGREE]
    lines = [f"{disagree_text(found)}; is this the program that ran?"]
    for one in found[:MOST_LINES]:
        lines.append(f"  {tracer.at(one.start)} to {tracer.at(one.end)} ({duration_text(one.end - one.start)})  {tracer.name(one.tag)}: "
                     f"{values_text(session, one)}")
    if len(found) > MOST_LINES:
        lines.append(f"  and {len(found) - MOST_LINES} more: --json has all")
    return lines
