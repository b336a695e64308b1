"""What was unusual in a log: for commands and the screen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from whorlograph.inquiry.attempts import tried_again, tried_text
from whorlograph.inquiry.odd import LATER, SOON, OddEvent, OddOnes, event_text, left_text, looked_text, odd_ones
from whorlograph.inquiry.trail import Answer
from whorlograph.inquiry.usual import ENOUGH, USUAL, drops, root_name, usual_of
from whorlograph.inquiry.why import Inquiry
from whorlograph.model.question import Symptom

from .asking import inquiry
from .session import Session

MOST_LINES = 40
ON_SCREEN = (SOON, LATER)  # drop-outs that are compared: what is there soon, then more


def find_drops(session: Session, tag: int, stop: Callable[[], bool] = lambda: False, beside: Inquiry | None = None) -> None:
    """Explain each drop-out of a tag, once.

    Args: beside: asked instead of the session's own, in a thread.
    Raises: Stopped where ``stop`` says so.
    """
    if tag not in session.drops:
        session.drops[tag] = drops((beside or inquiry(session)).tracer, tag, stop)


def add_usual(session: Session, answer: Answer, stop: Callable[[], bool] = lambda: False, beside: Inquiry | None = None) -> None:
    """Find out whether a drop-out is as always, and what was tried since in vain, and note both.

    Args: beside: as in ``find_drops``.
    Raises: Stopped where ``stop`` says so.
    """
    if answer.symptom is not Symptom.DROPPED_OUT or answer.trail is None or answer.usual is not None or answer.value is not False:
        return
    find_drops(session, answer.tag, stop, beside)
    answer.tried_again = tried_again((beside or inquiry(session)).tracer, answer.tag, answer.scan, answer.asked)
    answer.usual = found = usual_of((beside or inquiry(session)).tracer, answer, session.drops[answer.tag])
    if found is not None and found.of >= ENOUGH and found.count >= USUAL * found.of:
        answer.text = answer.text.replace(" dropped out at ", " ended as usual at ", 1)


def find_odd(session: Session, stop: Callable[[], bool] = lambda: False, beside: Inquiry | None = None,
             most: tuple[int, ...] = (SOON,)) -> Iterator[OddOnes]:
    """What was unusual, again and again as more is known. Args: beside: as in ``find_drops``; most: drop-outs that are compared, then more."""
    yield from odd_ones((beside or inquiry(session)).tracer, stop, most)


def odd_json(session: Session, found: OddOnes) -> dict[str, Any]:
    """What was unusual as JSON (ANSWERS.md, As always, or only now); times in seconds from the log's start."""
    tracer = inquiry(session).tracer

    def one(event: OddEvent) -> dict[str, Any]:
        root = event.root
        return {"root": {"kind": root.kind.value, "tag": tracer.name(root.tag) if root.tag is not None else None, "text": root.text},
                "since": root.since / 1e9 if root.since is not None else None, "text": event_text(tracer, event),
                "tags": [{"tag": tracer.name(d.tag), "t": d.time / 1e9, "count": d.count, "of": d.of, "usual_root": root_name(tracer, d.usual)}
                         for d in event.drops]}

    return {"events": [one(e) for e in found.events],
            "once": [{"tag": tracer.name(s.tag), "t": s.time / 1e9, "root": root_name(tracer, s.root)} for s in found.singles],
            "will_not_pull_in": [{"tag": tracer.name(s.tag), "attempts": s.attempts, "last": s.last / 1e9} for s in found.stuck],
            "looked_at": found.looked, "of": found.of, "tags_not_looked_at": found.left}


def odd_lines(session: Session, found: OddOnes) -> list[str]:
    """What was unusual in words."""
    tracer = inquiry(session).tracer
    first = ", oddest first:" if found.events else ""
    lines = [f"{looked_text(found)}; {len(found.events) or 'none'} unlike the others of their tag{first}" if found.looked else
             "no output of this program dropped out in this log"]
    left = left_text(found)
    lines += [f"compared were {left}" + ("; --all compares the last thousand of each" if found.more else "")] if left else []
    for event in found.events[:MOST_LINES]:
        lines += [f"  {event_text(tracer, event)}", f"      {event.root.text}"]
    if found.stuck:
        lines += ["", "do not pull in at the end of this log:"]
        lines += [f"  {tracer.name(s.tag)}: {tried_text(s.attempts, tracer.at(s.last))}" for s in found.stuck[:MOST_LINES]]
    if found.singles:
        lines += ["", "dropped out only once in this log:"]
        lines += [f"  {tracer.at(s.time)}  {tracer.name(s.tag)}: {root_name(tracer, s.root)}" for s in found.singles[:MOST_LINES]]
    return lines
