"""Answers as text for a terminal, and as JSON (DESIGN section 7)."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from whorlograph.inquiry.trail import Answer, Root
from whorlograph.inquiry.wiring import unsaid
from whorlograph.model.iolist import Wiring
from whorlograph.model.literals import cooked
from whorlograph.model.question import LinkKind, RootKind, Symptom
from whorlograph.model.times import date_text

from .disagreeing import count_text, stretches
from .session import Session
from .tables import json_text

_PROVED = {True: "proved", False: "disproved", None: "not tried"}


def verdict_word(proved: bool | None, ended: bool) -> str:
    """What came of trying, in a word. Args: ended: it only ended what it should have ended, in time."""
    return "as usual then" if ended else _PROVED[proved]


def place_text(session: Session, step: int) -> tuple[str, int]:
    """POU and rung of a step; ("", 0) where there is none."""
    steps = session.controller.steps.all
    return (steps[step].pou, steps[step].rung.number) if 0 <= step < len(steps) else ("", 0)


def measuring(session: Session, root: Root) -> str:
    """How to tell device and wire apart at the card and the terminal; "" where wiring, address or terminal are not known."""
    point = root.point
    if root.kind is not RootKind.FIELD_INPUT or root.tag is None or point is None or not point.terminal or not isinstance(root.value, bool):
        return ""
    tag = session.running.tags[root.tag]
    if point.wiring is Wiring.UNKNOWN or tag.address is None or tag.address.area != "I" or point.elsewhere(tag.address) is not None:
        return ""
    device = point.device or tag.name
    where = f"measure at terminal {point.terminal}, towards device and card"
    normally_open = point.wiring is Wiring.NORMALLY_OPEN
    if root.value:
        state = "not actuated" if normally_open else "actuated"
        return f"while {device} is {state} the lamp of {tag.address} must be dark; lit all the same: {where}"
    state = "actuated" if normally_open else "not actuated"
    return f"while {device} is {state} the lamp of {tag.address} must be lit; dark all the same: {where}"


def root_lines(session: Session, root: Root, before: Sequence[Root] | None = None) -> list[str]:
    """A root's card as lines: what to check where, what it did, what the proof says.

    What its state means at a device of unknown wiring is said once in an answer.
    Args: before: the roots that rank before it, None where it stands alone; the first is measured first.
    """
    lines = [root.what_to_check] if root.what_to_check else []
    unknown = [r for r in before or () if r.readings]
    if root.readings and all(r.value != root.value for r in unknown):
        lines.append(root.readings + ("" if unknown else f"; {unsaid(root.point)}"))
    lines.append(root.text)
    if root.attempts > 1 and (root.proved or not root.lets):
        lines.append(f"stood in the way of {root.blocked} of {root.attempts} attempts")
    if root.proof:
        lines.append(f"{verdict_word(root.proved, root.ended)}: {root.proof}")
    measured = measuring(session, root) if before is not None and not before else ""
    return [*lines, measured] if measured else lines


def answer_text(session: Session, answer: Answer) -> str:
    """The whole answer for reading."""
    program, log = session.program, session.log
    day = date_text(log, answer.time) if session.now is None else ""
    lines = [f"{program.name} ({session.paths.program.name} of {program.date.replace('T', ' ')[:16]})" + (f", {day}" if day else "")]
    lines += [*textwrap.wrap(whole_text(answer), 100), ""]
    for depth, link in answer.links():
        if link.step < 0 and link.roots and link.kind is not LinkKind.ROW:
            continue
        for i, line in enumerate(textwrap.wrap(link.text, 100 - 2 * depth) or [""]):
            lines.append("  " * depth + ("- " if i == 0 else "  ") + line)
    if answer.roots:
        lines.append("")
    for number, root in enumerate(answer.roots, 1):
        for i, line in enumerate(root_lines(session, root, answer.roots[:number - 1])):
            for j, part in enumerate(textwrap.wrap(line, 96)):
                lines.append((f"{number}. " if i == 0 and j == 0 else "   ") + part)
    if answer.usual is not None:
        lines += ["", *textwrap.wrap(f"As always or only now: {answer.usual.text}", 100)]
    if answer.tried_again:
        lines += ["", *textwrap.wrap(answer.tried_again[0].upper() + answer.tried_again[1:], 100)]
    if answer.phases is not None:
        lines += ["", *textwrap.wrap(phases_text(answer.phases), 100)]
    if answer.rests_on:
        lines += ["", *(part for said in answer.rests_on for part in textwrap.wrap(f"This rests on: {said}", 100, subsequent_indent="  "))]
    if apart := count_text(session, stretches(session)):
        lines += ["", *textwrap.wrap(apart, 100)]
    return "\n".join(lines)


def whole_text(answer: Answer) -> str:
    """The answer's sentence, with what trials showed of an attempt now."""
    return answer.text + (f"; {answer.would_now}" if answer.would_now else "")


def phases_text(phases: tuple[int, int]) -> str:
    """What it means that a short change was seen in some phases of the scan."""
    return f"This rests on a short change: it is seen in {phases[0]} of {phases[1]} phases of the scan, and no log says in which it was"


def _trial(session: Session, root: Root) -> list[dict[str, object]] | None:
    """A root's trial for JSON: each tag held, its value, from when until when; None where none was made, or a fault was."""
    if root.trial is None or not (root.trial.holds or root.trial.forces or root.trial.initial):
        return None
    tags = session.running.tags
    found: list[dict[str, object]] = [
        {"tag": tags[h.tag].name, "value": cooked(h.value, tags[h.tag].type), "from": h.start / 1e9 if h.start > 0 and session.now is None else None,
         "until": h.until / 1e9 if h.until is not None else None} for h in (*root.trial.holds, *root.trial.forces)]
    return found + [{"tag": tags[tag].name, "value": cooked(value, tags[tag].type), "from": None, "until": None} for tag, value in root.trial.initial]


def answer_json(session: Session, answer: Answer) -> str:
    """The whole answer as JSON: symptom, ranked roots, trail."""

    tags = session.running.tags

    def name(tag: int | None) -> str | None:
        return tags[tag].name if tag is not None else None

    def since(time: int | None) -> float | None:
        return time / 1e9 if time is not None else None

    counted = answer.symptom is Symptom.WILL_NOT_PULL_IN and session.now is None
    roots = []
    for number, root in enumerate(answer.roots):
        address = str(tags[root.tag].address) if root.tag is not None and tags[root.tag].address is not None else None
        roots.append({"kind": root.kind.value, "tag": name(root.tag), "address": address, "value": root.value, "since": since(root.since),
                      "device": root.point.device if root.point is not None else None, "proved": root.proved,
                      "trial": _trial(session, root), "turns": since(root.turns), "with": [name(t) for t in root.together],
                      "blocked": root.blocked if counted else None, "attempts": len(answer.attempts) if counted else None,
                      "text": ". ".join(root_lines(session, root, answer.roots[:number] or None))})
    trail = []
    for depth, link in answer.links():
        if link.step < 0 and link.roots and link.kind is not LinkKind.ROW:
            continue
        pou, rung = place_text(session, link.step)
        trail.append({"depth": depth, "tag": name(link.tag), "value": link.value, "since": since(link.since), "link": link.kind.value,
                      "pou": pou, "rung": rung, "text": link.text})
    own = answer.symptom in (Symptom.DROPPED_OUT, Symptom.VALUE)
    scan, time = (answer.scan, answer.time) if own else (answer.asked, session.journal.clock.start(max(1, answer.asked)))
    attempt = session.journal.clock.start(answer.attempts[-1]) if answer.attempts else answer.time if answer.missed else None
    usual = {"count": answer.usual.count, "of": answer.usual.of, "text": answer.usual.text} if answer.usual is not None else None
    found = {"symptom": {"kind": answer.symptom.value, "tag": name(answer.tag), "value": answer.value,
                         "t": time / 1e9 if session.now is None else None, "scan": scan if session.now is None else None,
                         "attempt": since(attempt)},
             "text": whole_text(answer), "roots": roots, "trail": trail, "usual": usual,
             "phases": {"seen": answer.phases[0], "of": answer.phases[1]} if answer.phases is not None else None, "rests_on": answer.rests_on}
    return json_text(found)


