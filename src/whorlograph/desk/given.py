"""The form for asking without a log: the inputs of a question with what their lamps show now, and the answer below (ANSWERS.md, Without a log)."""

from __future__ import annotations

import shlex
import textwrap

from msgspec import Struct

from whorlograph.drawing.shapes import Ink, fitted
from whorlograph.formats.logs.values import value_reader
from whorlograph.inquiry.generators import upstream
from whorlograph.inquiry.trail import Answer
from whorlograph.inquiry.writers import Kind
from whorlograph.model.literals import value_text
from whorlograph.model.question import LinkKind, Question
from whorlograph.model.types import Family

from .asking import answer_to, inquiry, prove_all
from .command_line import files, program
from .listings import Line, Listing, cells_row
from .now import given_values, settled_at, still_controller
from .session import Session
from .tables import xref_of
from .words import root_lines

MOST = 200  # tags of a form


class Stood(Struct, frozen=True):
    """An answer without a log, and the session that stands still for it."""

    session: Session
    answer: Answer


def asked_for(session: Session, tag: int) -> tuple[list[int], list[int]]:
    """The tags of a question's form: inputs in order of address; outputs and latches that decide the tag, itself first."""
    tracer = inquiry(session).tracer
    outside = upstream(tracer, tag)
    inputs = [t for t in (outside if outside is not None else xref_of(session).inputs(tag)) if t < session.running.public
              and session.running.tags[t].type.family is not Family.STRING and not session.running.tags[t].constant]
    seen, todo = [tag], [tag]
    while todo and len(seen) < 10 * MOST:
        for writer in tracer.writers.get(todo.pop(), ()):
            for use in tracer.controller.access.of_step(writer.step):
                fresh = [t for t in use.tags() if not use.writes and t not in seen and t < session.running.public and tracer.writers.get(t)]
                seen += fresh
                todo += fresh

    def shown(one: int) -> bool:
        """Whether a person can see it: an output's lamp, a latch or number on a panel."""
        address = session.running.tags[one].address
        return (address is not None and address.area == "Q") or any(w.kind is Kind.SET for w in tracer.writers[one])

    def place(one: int) -> tuple[object, ...]:
        address = session.running.tags[one].address
        return (0, address.area, address.numbers) if address is not None else (1, session.running.tags[one].name.lower())

    return sorted(inputs, key=place)[:MOST], [tag, *sorted((t for t in seen[1:] if shown(t)), key=place)][:MOST]


def given_text(session: Session, given: dict[int, int]) -> str:
    """Given values as ``--now`` takes them."""
    tags = session.running.tags
    return ",".join(f"{tags[t].name}={value_text(v, tags[t].type)}" for t, v in given.items())


def turned_on(session: Session, text: str, tag: int, steps: int = 1) -> str:
    """Given values with the next (or former) one for a BOOL: not given, on, off."""
    given = given_values(session, text)
    states: list[int | None] = [None, 1, 0]
    value = states[(states.index(given.get(tag)) + steps) % 3]
    given.pop(tag, None)
    return given_text(session, given if value is None else given | {tag: value})


def with_number(session: Session, text: str, tag: int, typed: str) -> str | None:
    """Given values with one as it was typed, "" takes it out; None where it is no value of the tag."""
    given = given_values(session, text)
    given.pop(tag, None)
    if typed.strip():
        bits = value_reader(session.running.tags[tag])(typed.strip())
        if bits is None:
            return None
        given[tag] = bits
    return given_text(session, given)


def stand_still(session: Session, tag: int, text: str) -> Stood:
    """The answer for given values, its roots tried."""
    still = settled_at(session, given_values(session, text), still_controller(session))
    answer = answer_to(still, Question(tag, None))
    prove_all(still, answer)
    return Stood(still, answer)


def command(session: Session, tag: int, text: str) -> str:
    """The command that prints the answer."""
    given, *rest = files(session.paths)
    options = rest[len(session.paths.logs):]
    return shlex.join([program(), "why", given, session.running.tags[tag].name, "--now", text or "", *options])


def form(session: Session, tag: int, text: str, stood: Stood | None, width: int) -> Listing:
    """The form with the values given so far, and the answer for them where it is known."""
    given = given_values(session, text)
    name = session.running.tags[tag].name
    inputs, seen = asked_for(session, tag)
    lines: list[Line] = []
    if stood is not None:
        lines += [*_answer_lines(stood, width), Line(((" ", Ink.TEXT),))]
    lines.append(Line(((" the lamp of the asked tag, of other outputs, latches" if len(seen) > 1 else " the asked tag", Ink.QUIET),)))
    lines += [_row(session, t, given, width) for t in seen]
    lines.append(Line(((f" the inputs that decide {name}" if inputs else f" no input decides {name}", Ink.QUIET),)))
    lines += [_row(session, t, given, width) for t in inputs]
    what = "Give what the lamps of the cards and the panel show now (Space: on, off, not given), then Enter asks. The rest is taken as declared, " \
        "memory as what is given needs it."
    head = [Line(((f" {part}", Ink.TEXT),)) for part in textwrap.wrap(what, max(20, width - 2))]
    title = f"why is {name} as it is now: {len(given)} given"
    return Listing(title, tuple(head), tuple(lines), (), "Space: on, off, not given · Enter asks · y copies the command")


def _row(session: Session, tag: int, given: dict[int, int], width: int) -> Line:
    one, point = session.running.tags[tag], session.iolist.get(tag)
    if tag not in given:
        value, ink = "not given", Ink.QUIET
    elif one.type.family is Family.BOOL:
        value, ink = ("on", Ink.LIVE) if given[tag] else ("off", Ink.STRONG)
    else:
        value, ink = value_text(given[tag], one.type), Ink.STRONG
    where = point.whereabouts if point is not None else ""
    said = (point.description if point is not None else "") or one.documentation
    wide = min(28, max(12, width // 4))
    return Line(cells_row([("   " + value, 13, ink), (one.name, wide, Ink.STRONG), (str(one.address or ""), 9, Ink.QUIET),
                           (fitted(" · ".join(p for p in (said, where) if p), max(10, width - wide - 27)), 0, Ink.TEXT)]), tag)


def _answer_lines(stood: Stood, width: int) -> list[Line]:
    """The answer: its sentence, the roots with what to check, then the trail, a line that can be chosen for each step."""
    session, answer = stood.session, stood.answer
    lines = [Line(((f" {part}", Ink.STRONG),)) for part in textwrap.wrap(answer.text, max(20, width - 2))]
    for number, root in enumerate(answer.roots):
        for n, text in enumerate(root_lines(session, root, answer.roots[:number] or None)):
            parts = textwrap.wrap(text, max(20, width - 6))
            lines += [Line(((" ◆ " if n == i == 0 else "   ", Ink.BLOCK), (part, Ink.TEXT if n else Ink.STRONG)), root.tag if n == i == 0 else None,
                           root.step if n == i == 0 else -1) for i, part in enumerate(parts)]
    for depth, link in answer.links():
        if link.step >= 0 or not link.roots or link.kind is LinkKind.ROW:
            indent = "  " * min(depth, 8)
            parts = textwrap.wrap(link.text, max(20, width - 6 - len(indent)))
            lines += [Line(((f"   {indent}{'└ ' if i == 0 and depth else '  '}", Ink.QUIET), (part, Ink.TEXT)), link.tag if i == 0 else None,
                           link.step if i == 0 else -1, link.element if i == 0 else -1) for i, part in enumerate(parts)]
    for said in answer.rests_on:
        lines += [Line(((f"   {part}", Ink.QUIET),)) for part in textwrap.wrap(f"This rests on: {said}", max(20, width - 4))]
    return lines
